// Package recipe holds how a reply is made. So far there is one recipe,
// converse: the brief, what is remembered of the conversation, the question.
package recipe

import (
	"juvalogos/core/memory"
	"juvalogos/core/prompt"
)

// Converse is the input of the recipe of the same name. Lengths are in tokens
// of the model that answers.
type Converse struct {
	Brief    prompt.Piece
	Summary  prompt.Piece      // of what came before Past; empty if nothing did
	Past     []prompt.Exchange // oldest first
	Question prompt.Piece
	Memory   memory.Limits
	Context  int // the model's context length
	Reply    int // the longest reply
}

// Prompt composes the prompt: the brief always, the summary if there is room,
// the newest exchanges that fit, the question. It is never longer than Context
// less Reply; a question that cannot fit is *prompt.TooLong.
func (c Converse) Prompt() (prompt.Prompt, error) {
	standing := prompt.Standing{Brief: c.Brief, Summary: c.Summary}
	room, err := prompt.Room(c.Context, c.Reply, standing, c.Question)
	if err != nil {
		standing.Summary = prompt.Piece{}
		if room, err = prompt.Room(c.Context, c.Reply, standing, c.Question); err != nil {
			return prompt.Prompt{}, err
		}
	}
	return prompt.Compose(standing, memory.Recall(c.Past, c.Memory, room), c.Question), nil
}

// Package prompt composes what is sent to a model and counts it in tokens.
//
// All lengths are in tokens of the model that will read the prompt, counted by a
// Counter. A text that stands in every prompt is measured once and kept as a
// Piece. What goes in first is what cannot be left out: the brief, the question,
// room for the reply; Room says what is left for the conversation, and package
// memory what of it to take:
//
//	c, _ := prompt.NewCounter("cl100k_base")
//	room, err := prompt.Room(8192, 600, standing, question)
//	p := prompt.Compose(standing, memory.Recall(past, limits, room), question)
//
// Where a model's vocabulary is not known, Estimate counts on the safe side.
package prompt

import "fmt"

// Role says who speaks in a message.
type Role string

const (
	System    Role = "system"
	User      Role = "user"
	Assistant Role = "assistant"
)

// Message is one message of a prompt.
type Message struct {
	Role     Role      `json:"role"`
	Text     string    `json:"content"`
	Pictures []Picture `json:"pictures,omitempty"`
}

// Picture is a picture of a message: which one, not its bytes.
type Picture struct {
	ID     string `json:"id,omitempty"`
	Name   string `json:"name,omitempty"`
	Width  int    `json:"width"` // in dots, as it is kept
	Height int    `json:"height"`
	Said   string `json:"said,omitempty"`   // what it shows
	Tokens int    `json:"tokens,omitempty"` // that it takes, by our estimate
}

// Tokens that model servers put around messages: before and after each one,
// and once to open the reply.
const (
	PerMessage  = 4
	PerPrompt   = 3
	perExchange = 2 * PerMessage
)

// Piece is a text with its length in tokens, so that a text is counted once
// and not at every turn.
type Piece struct {
	Text   string
	Tokens int
}

// Measure counts text.
func Measure(c Counter, text string) Piece { return Piece{text, c.Count(text)} }

// With is the piece with pictures to it, whose tokens it then has too.
func (p Piece) With(pictures []Picture) Piece {
	for _, one := range pictures {
		p.Tokens += one.Tokens
	}
	return p
}

// Exchange is an earlier question with the reply it got.
type Exchange struct {
	Question, Reply Piece
}

// Cost is what the exchange takes in a prompt: its two texts and the tokens
// around them.
func (e Exchange) Cost() int { return e.Question.Tokens + e.Reply.Tokens + perExchange }

// Prompt is a finished prompt.
type Prompt struct {
	Messages []Message
	// Tokens is the length of the whole, the tokens around messages included.
	Tokens int
	// Remembered is how many exchanges are in it.
	Remembered int
}

// TooLong is the error of a question that cannot fit, whatever is forgotten.
type TooLong struct {
	// Tokens is the question's length, Room the longest that would have fitted.
	Tokens, Room int
}

func (e *TooLong) Error() string {
	return fmt.Sprintf("the question has about %d tokens, and at most %d fit", e.Tokens, e.Room)
}

// Standing is what stands at the head of every prompt, in one message: the
// brief, and a summary of what is no longer remembered word for word. Either
// may be empty.
type Standing struct {
	Brief, Summary Piece
}

// summaryHead introduces the summary.
const summaryHead = "What was said earlier in this conversation, in short:\n"

// summaryHeadTokens is never less than what summaryHead and the empty line
// before it take.
const summaryHeadTokens = 32

func (s Standing) text() string {
	switch {
	case s.Summary.Text == "":
		return s.Brief.Text
	case s.Brief.Text == "":
		return summaryHead + s.Summary.Text
	}
	return s.Brief.Text + "\n\n" + summaryHead + s.Summary.Text
}

// Cost is what the message takes in a prompt, the tokens around it included.
func (s Standing) Cost() int {
	if s.Brief.Text == "" && s.Summary.Text == "" {
		return 0
	}
	cost := s.Brief.Tokens + PerMessage
	if s.Summary.Text != "" {
		cost += s.Summary.Tokens + summaryHeadTokens
	}
	return cost
}

// Room returns how many tokens are left for remembered exchanges once what
// stands at the head, the question and the reply have their place in a context
// of the given length. It fails with *TooLong if the question leaves less than
// nothing.
func Room(context, reply int, standing Standing, question Piece) (int, error) {
	room := context - reply - PerPrompt - PerMessage - standing.Cost()
	if question.Tokens > room {
		return 0, &TooLong{Tokens: question.Tokens, Room: max(0, room)}
	}
	return room - question.Tokens, nil
}

// Compose lays out what stands at the head, the exchanges in their order and
// the question.
func Compose(standing Standing, past []Exchange, question Piece) Prompt {
	p := Prompt{
		Messages:   make([]Message, 0, 2+2*len(past)),
		Tokens:     PerPrompt + question.Tokens + PerMessage + standing.Cost(),
		Remembered: len(past),
	}
	if text := standing.text(); text != "" {
		p.Messages = append(p.Messages, Message{Role: System, Text: text})
	}
	for _, e := range past {
		p.Messages = append(p.Messages, Message{Role: User, Text: e.Question.Text},
			Message{Role: Assistant, Text: e.Reply.Text})
		p.Tokens += e.Cost()
	}
	p.Messages = append(p.Messages, Message{Role: User, Text: question.Text})
	return p
}

// Package prompt composes what is sent to a model and counts it in tokens.
//
// All lengths are in tokens of the model that will read the prompt, counted by
// a Counter.
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
	Role Role   `json:"role"`
	Text string `json:"content"`
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

// Room returns how many tokens are left for remembered exchanges once brief,
// question and the reply have their place in a context of the given length.
// It fails with *TooLong if the question leaves less than nothing.
func Room(context, reply int, brief, question Piece) (int, error) {
	room := context - reply - PerPrompt - PerMessage
	if brief.Text != "" {
		room -= brief.Tokens + PerMessage
	}
	if question.Tokens > room {
		return 0, &TooLong{Tokens: question.Tokens, Room: max(0, room)}
	}
	return room - question.Tokens, nil
}

// Compose lays out the brief, the exchanges in their order and the question.
func Compose(brief Piece, past []Exchange, question Piece) Prompt {
	p := Prompt{
		Messages:   make([]Message, 0, 2+2*len(past)),
		Tokens:     PerPrompt + question.Tokens + PerMessage,
		Remembered: len(past),
	}
	if brief.Text != "" {
		p.Messages = append(p.Messages, Message{System, brief.Text})
		p.Tokens += brief.Tokens + PerMessage
	}
	for _, e := range past {
		p.Messages = append(p.Messages, Message{User, e.Question.Text}, Message{Assistant, e.Reply.Text})
		p.Tokens += e.Cost()
	}
	p.Messages = append(p.Messages, Message{User, question.Text})
	return p
}

// Package programs runs local programs that answer questions, as
// docs/programs.md says: kept running and asked with JSON Lines, or run for each
// question with plain text.
//
//	pool := programs.New(programs.Program{Run: []string{"./answer.py"}})
//	defer pool.Close()
//	done, err := pool.Ask(ctx, programs.Ask{Messages: m}, programs.Heard{Text: show})
//
// A program is started when it is first asked, as another user where we are root and
// with nothing of our environment; it is killed when it takes more memory than it may,
// started again when it has died, and stopped when nobody asks for a while. What it
// writes is not trusted: whatever is not in the protocol ends it, never us.
//
// Errors are *Failed, or the context's cause.
package programs

import (
	"fmt"
	"time"
)

// Version is the version of the messages that are spoken here.
const Version = 1

// Program is a program and what it may take. The zero values of all but Run are the
// usual ones.
type Program struct {
	Run         []string // the program's file and its arguments
	Plain       bool     // it reads a question and writes the reply, as text, and ends
	Each        bool     // it speaks JSON Lines, and is started for each question
	Makes       bool     // of a plain one: what it writes is a file, not text
	Copies      int      // how many run side by side; 1
	Warm        bool     // started at once, and kept
	Idle        time.Duration
	Wake        time.Duration // how long it may take to say hello
	Memory      int64         // bytes
	Files       int           // that one may have open
	Environment map[string]string
}

// File is a picture, a sound or another file.
type File struct {
	Name, Kind string // Kind is its media type
	Body       []byte
}

// Message is one message of a conversation.
type Message struct {
	Role string `json:"role"` // system, user, assistant
	Text string `json:"text"`
}

// Settings are wishes for a reply; what is left out is the program's to choose.
type Settings struct {
	MaxTokens   int      `json:"max_tokens,omitempty"`
	Temperature *float64 `json:"temperature,omitempty"`
	TopP        *float64 `json:"top_p,omitempty"`
	Stop        []string `json:"stop,omitempty"`
	Seed        *int     `json:"seed,omitempty"`
	Effort      string   `json:"effort,omitempty"`
	Schema      any      `json:"schema,omitempty"`
	// Of pictures that are to be made: how many, and their size in dots.
	Number int `json:"number,omitempty"`
	Width  int `json:"width,omitempty"`
	Height int `json:"height,omitempty"`
	// Of sound that is to be heard: its language, and whether it is to become English;
	// of a text that is to be spoken: with which voice, and how fast.
	Language  string  `json:"language,omitempty"`
	Translate bool    `json:"translate,omitempty"`
	Voice     string  `json:"voice,omitempty"`
	Speed     float64 `json:"speed,omitempty"`
}

// Ask is a question to a program.
type Ask struct {
	Model    string
	Messages []Message
	Settings Settings
	Files    []File
	// Texts, if not nil, are to become vectors; the rest is left out then.
	Texts []string
}

// Heard hears a reply as it comes; whatever is nil is not wanted.
type Heard struct {
	Text, Thought func([]byte)
	Progress      func(done float64, says string)
	File          func(File)
	// Sound is what was heard in a sound, as JSON: text, language, sentences, words.
	Sound  func([]byte)
	Waking func(about time.Duration)
	// Alive hears that the program has said anything.
	Alive func()
}

// Done is how a reply ended.
type Done struct {
	Finish                    string
	PromptTokens, ReplyTokens int
	Vectors                   [][]float32
}

// Why an ask failed.
type Why string

// The reasons.
const (
	NotStarted Why = "not-started" // it could not be started, or ended before it said hello
	Late       Why = "late"        // it did not say hello in time
	Died       Why = "died"        // it ended in the middle
	TooBig     Why = "too-big"     // it took more memory than it may
	Lied       Why = "lied"        // it said what is not in the protocol
	Said       Why = "said"        // it said itself what went wrong
	Closed     Why = "closed"      // it is not in use any more
)

// Failed is the error of a program that gave no reply.
type Failed struct {
	Why    Why
	Kind   string // of Said: the program's own word, like too-long
	Detail string // for makers, with the last lines of its standard error
}

func (f *Failed) Error() string { return fmt.Sprintf("the program: %s: %s", f.Why, f.Detail) }

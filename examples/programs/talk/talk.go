// Package talk lets a Go program be a model for Juvalogos, with the standard library
// alone: it reads questions from standard input and writes replies to standard output,
// in the messages of docs/programs.md. A program is its function:
//
//	func main() { talk.Serve(4, answer) }
//
//	func answer(a *talk.Ask, to *talk.Reply) error {
//		to.Text("You asked: " + a.Question())
//		return nil
//	}
package talk

import (
	"bufio"
	"context"
	"encoding/json"
	"io"
	"os"
	"sync"
)

// Message is one message of a conversation; its role is system, user or assistant.
type Message struct {
	Role string `json:"role"`
	Text string `json:"text"`
}

// Settings are wishes for a reply; what is nil or zero is the program's to choose.
type Settings struct {
	MaxTokens   int      `json:"max_tokens"`
	Temperature *float64 `json:"temperature"`
	TopP        *float64 `json:"top_p"`
	Stop        []string `json:"stop"`
	Seed        *int64   `json:"seed"`
}

// File is a picture, a sound or another file; Kind is its media type.
type File struct {
	Name string `json:"name,omitempty"`
	Kind string `json:"kind"`
	Data []byte `json:"data"`
}

// Ask is one question.
type Ask struct {
	ID       string    `json:"id"`
	Model    string    `json:"model"`
	Messages []Message `json:"messages"`
	Settings Settings  `json:"settings"`
	Files    []File    `json:"files"`

	// Context ends when nobody waits for the reply any more.
	Context context.Context `json:"-"`
}

// Question is what was asked last.
func (a *Ask) Question() string {
	for i := len(a.Messages) - 1; i >= 0; i-- {
		if a.Messages[i].Role == "user" {
			return a.Messages[i].Text
		}
	}
	return ""
}

// Reply takes a reply as it is made.
type Reply struct {
	id  string
	out *writer
	// Finish is how it ended: stop, if nothing is set, or length.
	Finish string
}

// Text adds to the reply.
func (r *Reply) Text(text string) { r.out.say(message{Type: "text", ID: r.id, Text: text}) }

// Thought adds to what is thought aloud.
func (r *Reply) Thought(text string) { r.out.say(message{Type: "thought", ID: r.id, Text: text}) }

// Progress tells how far it is, of 1, and what it is at.
func (r *Reply) Progress(done float64, says string) {
	r.out.say(message{Type: "progress", ID: r.id, Done: done, Says: says})
}

// File adds a file to the reply.
func (r *Reply) File(f File) {
	r.out.say(message{Type: "file", ID: r.id, Kind: f.Kind, Name: f.Name, Data: f.Data})
}

type message struct {
	Type    string  `json:"type"`
	ID      string  `json:"id,omitempty"`
	Version int     `json:"version,omitempty"`
	AtOnce  int     `json:"at_once,omitempty"`
	Text    string  `json:"text,omitempty"`
	Message string  `json:"message,omitempty"`
	Done    float64 `json:"done,omitempty"`
	Says    string  `json:"says,omitempty"`
	Kind    string  `json:"kind,omitempty"`
	Name    string  `json:"name,omitempty"`
	Data    []byte  `json:"data,omitempty"`
	Finish  string  `json:"finish,omitempty"`
}

type writer struct {
	mu  sync.Mutex
	out io.Writer
}

func (w *writer) say(m message) {
	text, err := json.Marshal(m)
	if err != nil {
		return // cannot happen: these always marshal
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	_, _ = w.out.Write(append(text, '\n'))
}

// Serve answers questions, so many at once, until standard input ends.
func Serve(atOnce int, answer func(*Ask, *Reply) error) { serve(os.Stdin, os.Stdout, atOnce, answer) }

func serve(in io.Reader, out io.Writer, atOnce int, answer func(*Ask, *Reply) error) {
	w := &writer{out: out}
	w.say(message{Type: "hello", Version: 1, AtOnce: atOnce})
	var mu sync.Mutex
	var all sync.WaitGroup
	cancels := map[string]context.CancelFunc{}
	lines := json.NewDecoder(bufio.NewReader(in))
	for {
		var m struct {
			Type string `json:"type"`
			Ask
		}
		if lines.Decode(&m) != nil {
			break
		}
		mu.Lock()
		switch cancel := cancels[m.ID]; {
		case m.Type == "cancel" && cancel != nil:
			cancel()
		case m.Type == "ask":
			a := m.Ask
			a.Context, cancels[a.ID] = context.WithCancel(context.Background())
			all.Go(func() {
				r := &Reply{id: a.ID, out: w, Finish: "stop"}
				err := answer(&a, r)
				mu.Lock()
				cancels[a.ID]()
				delete(cancels, a.ID)
				mu.Unlock()
				if err != nil {
					w.say(message{Type: "error", ID: a.ID, Message: err.Error()})
					return
				}
				w.say(message{Type: "done", ID: a.ID, Finish: r.Finish})
			})
		}
		mu.Unlock()
	}
	all.Wait()
}

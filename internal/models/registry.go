package models

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"sync"

	"juvalogos/core/deskfile"
	"juvalogos/core/prompt"
	"juvalogos/core/yamlfile"
)

// Request asks a model for one reply.
type Request struct {
	Model    string // as the server knows it
	Messages []prompt.Message
	Sampling deskfile.Sampling
}

// Result is how a reply ended.
type Result struct {
	Finish string // the server's own word: stop, length, ...
	// Tokens as the server counted them; 0 if it did not say.
	PromptTokens, ReplyTokens int
}

// A Client talks to one server. Generate hands over the reply's text as it
// comes; the bytes are valid during the call of text and always whole
// characters. Errors are *Error, or the context's.
type Client interface {
	Generate(ctx context.Context, r Request, text func([]byte)) (Result, error)
	// Names lists the models that the server says it has.
	Names(ctx context.Context) ([]string, error)
}

// A Protocol makes clients of one kind of server.
type Protocol func(c Connection, key Secret) Client

// Registry finds models by name. It is safe for concurrent use.
type Registry struct {
	protocols map[string]Protocol

	mu      sync.RWMutex
	entries []Entry
}

// Entry is one model with the way to it.
type Entry struct {
	Model
	Connection Connection
	counter    func() (prompt.Counter, error)
	client     Client
	keyErr     error
}

// Open makes a registry of a connection file. A key that is missing is no
// error here: the other models work, and asking this one says what to do.
func Open(f File, protocols map[string]Protocol) *Registry {
	r := &Registry{protocols: protocols}
	r.Replace(f)
	return r
}

// Replace takes a new connection file into use. Replies that are being made
// end with what they began with.
func (r *Registry) Replace(f File) {
	var entries []Entry
	for _, c := range f.Connections {
		key, err := c.key()
		client := r.protocols[c.Protocol](c, key)
		for _, m := range c.Models {
			entries = append(entries, Entry{Model: m, Connection: c, counter: sync.OnceValues(m.Counter), client: client, keyErr: err})
		}
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	r.entries = entries
}

// All lists the models in the order of the file.
func (r *Registry) All() []Entry {
	r.mu.RLock()
	defer r.mu.RUnlock()
	return slices.Clone(r.entries)
}

// Find returns the model of that name, or of connection/name. The error names
// the nearest right one.
func (r *Registry) Find(name string) (Entry, error) {
	var found []Entry
	var names []string
	for _, e := range r.All() {
		if e.Name == name || e.Path() == name {
			found = append(found, e)
		}
		names = append(names, e.Name)
	}
	switch {
	case len(found) == 1:
		return found[0], nil
	case len(found) > 1:
		return Entry{}, fmt.Errorf("several connections have a model %q; write %s", name, found[0].Path())
	case len(names) == 0:
		return Entry{}, fmt.Errorf("unknown model %q: there is no connection file; start the service with -connections FILE", name)
	}
	if n := yamlfile.Nearest(name, names); n != "" {
		return Entry{}, fmt.Errorf("unknown model %q; did you mean %q?", name, n)
	}
	return Entry{}, fmt.Errorf("unknown model %q; the connection file has: %s", name, strings.Join(names, ", "))
}

// Path is connection/name, which no two models share.
func (e Entry) Path() string { return e.Connection.Name + "/" + e.Name }

// Counter counts in the model's vocabulary, which is loaded at the first use.
func (e Entry) Counter() (prompt.Counter, error) { return e.counter() }

// Generate asks the model once; r.Model is set here.
func (e Entry) Generate(ctx context.Context, r Request, text func([]byte)) (Result, error) {
	if e.keyErr != nil {
		return Result{}, &Error{Kind: KeyMissing, Entry: e.Path(), Detail: e.keyErr.Error()}
	}
	r.Model = e.Name
	return e.client.Generate(ctx, r, text)
}

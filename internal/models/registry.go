package models

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"juvalogos/core/deskfile"
	"juvalogos/core/prompt"
	"juvalogos/core/yamlfile"
	"juvalogos/internal/fair"
)

// Request asks a model for one reply.
type Request struct {
	Model    string // as the server knows it
	Messages []prompt.Message
	Sampling deskfile.Sampling
	// Schema is a JSON Schema that the reply has to fit, for servers that can
	// hold a model to it; nil: none.
	Schema any
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
	// Embed returns a vector of length 1 for each text, all of the same
	// dimensions, and how many tokens were read as the server counted them; 0 if
	// it did not say. Errors are *Error, or the context's.
	Embed(ctx context.Context, model string, texts []string) (vectors [][]float32, tokens int, err error)
	// Names lists the models that the server says it has.
	Names(ctx context.Context) ([]string, error)
}

// A Protocol makes clients of one kind of server.
type Protocol func(c Connection, key Secret) Client

// Registry finds models by name. It is safe for concurrent use.
type Registry struct {
	protocols map[string]Protocol

	mu      sync.RWMutex
	file    []Connection
	stored  []Connection
	entries []Entry
	lines   map[string]*fair.Line // by connection; they outlive a new file

	answered atomic.Bool
}

// Entry is one model with the way to it. Errors of asking it are *Error, or the
// context's.
type Entry struct {
	Model
	Connection Connection
	counter    func() (prompt.Counter, error)
	client     Client
	wayErr     error
	line       *fair.Line
}

// Open makes a registry of a connection file. A key that is missing is no
// error here: the other models work, and asking this one says what to do.
func Open(f File, protocols map[string]Protocol) *Registry {
	r := &Registry{protocols: protocols, lines: map[string]*fair.Line{}}
	r.Replace(f)
	return r
}

// Replace takes a new connection file into use. Replies that are being made
// end with what they began with.
func (r *Registry) Replace(f File) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.file = f.Connections
	r.rebuild()
}

// ReplaceStored takes the connections that stand beside the file's into use. A
// name that the file has too is the file's.
func (r *Registry) ReplaceStored(stored []Connection) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.stored = stored
	r.rebuild()
}

// Connections lists the connection file's connections and those beside it.
func (r *Registry) Connections() (file, stored []Connection) {
	r.mu.RLock()
	defer r.mu.RUnlock()
	return slices.Clone(r.file), slices.Clone(r.stored)
}

// rebuild makes the entries anew. The caller holds mu.
func (r *Registry) rebuild() {
	var entries []Entry
	seen := map[string]bool{}
	for _, c := range slices.Concat(r.file, r.stored) {
		if seen[c.Name] {
			continue
		}
		seen[c.Name] = true
		if r.lines[c.Name] == nil {
			r.lines[c.Name] = fair.NewLine(0)
		}
		r.lines[c.Name].Set(c.AtOnce)
		client, err := r.client(c)
		for _, m := range c.Models {
			entries = append(entries, Entry{Model: m, Connection: c, counter: sync.OnceValues(m.Counter),
				client: client, wayErr: err, line: r.lines[c.Name]})
		}
	}
	r.entries = entries
}

// client makes a connection's client. It fails if there is no key where the
// connection says, and with UnknownProtocol.
func (r *Registry) client(c Connection) (Client, error) {
	speak := r.protocols[c.Protocol]
	if speak == nil {
		return nil, UnknownProtocol{c.Protocol, slices.Sorted(maps.Keys(r.protocols))}
	}
	key, err := c.key()
	if err != nil {
		return nil, err
	}
	return speak(c, key), nil
}

// Look asks a server that is not in use yet which models it has. The error is
// a maker's to read.
func (r *Registry) Look(ctx context.Context, c Connection) ([]string, error) {
	client, err := r.client(c)
	if err != nil {
		return nil, err
	}
	names, err := client.Names(ctx)
	var failure *Error
	if errors.As(err, &failure) {
		return nil, errors.New(failure.Advice())
	}
	return names, err
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
		return Entry{}, fmt.Errorf("unknown model %q: there are no connections yet; add one in the console, or start "+
			"the service with -connections FILE", name)
	}
	if n := yamlfile.Nearest(name, names); n != "" {
		return Entry{}, fmt.Errorf("unknown model %q; did you mean %q?", name, n)
	}
	return Entry{}, fmt.Errorf("unknown model %q; there are: %s", name, strings.Join(names, ", "))
}

// Answered reports whether a probe has shown since the start that a model
// works.
func (r *Registry) Answered() bool { return r.answered.Load() }

// Path is connection/name, which no two models share.
func (e Entry) Path() string { return e.Connection.Name + "/" + e.Name }

// Counter counts in the model's vocabulary, which is loaded at the first use.
func (e Entry) Counter() (prompt.Counter, error) { return e.counter() }

// Enter waits until the connection has room for another request and it is the turn
// of the context's party, and returns how to give the room back. told hears of the
// place in line, if there is one; it may be nil.
func (e Entry) Enter(ctx context.Context, told func(fair.Wait)) (leave func(), err error) {
	return e.line.Enter(ctx, told)
}

// Generate asks the model once; r.Model is set here.
func (e *Entry) Generate(ctx context.Context, r Request, text func([]byte)) (Result, error) {
	if e.wayErr != nil {
		return Result{}, &Error{Kind: KeyMissing, Entry: e.Path(), Detail: e.wayErr.Error()}
	}
	r.Model = e.Name
	return e.client.Generate(ctx, r, text)
}

// Embed asks the model once for the vectors of texts, in its turn.
func (e *Entry) Embed(ctx context.Context, texts []string) (vectors [][]float32, tokens int, err error) {
	if e.wayErr != nil {
		return nil, 0, &Error{Kind: KeyMissing, Entry: e.Path(), Detail: e.wayErr.Error()}
	}
	leave, err := e.Enter(ctx, nil)
	if err != nil {
		return nil, 0, err
	}
	defer leave()
	return e.client.Embed(ctx, e.Name, texts)
}

// Protocols are the ways in which the registry can talk to servers.
func (r *Registry) Protocols() map[string]Protocol { return r.protocols }

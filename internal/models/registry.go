package models

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"juvalogos/core/deskfile"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/core/sound"
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
	// Files are what came with the question: pictures, sound.
	Files []recipe.Media
	// Make asks for pictures instead of words; nil: words. Its pictures have their bytes.
	Make *recipe.Making
	// Previews is how many previews of a picture are asked for.
	Previews int
	// Hear asks for the words of the sound that is the first of Files; nil: nothing is to
	// be heard.
	Hear *sound.Asked
	// Answers is the form in which they come; Entry.Generate sets it.
	Answers string
	// Say asks for a text to be spoken; nil: none is.
	Say *sound.Saying
	// Manners are how the server wants to be asked; Entry.Generate sets them.
	Manners *Manners
}

// Whole reports whether what is asked for comes at once and not word by word.
func (r Request) Whole() bool { return r.Make != nil || r.Hear != nil || r.Say != nil }

// Result is how a reply ended.
type Result struct {
	// Finish is the server's own word: stop, length, ... Those that mean that its
	// policy ended the reply are all Filtered.
	Finish string
	// Tokens as the server counted them; 0 if it did not say. Those thought are
	// among those of the reply, those cached among those of the prompt.
	PromptTokens, ReplyTokens, ThoughtTokens, CachedTokens int
}

// Filtered is how a reply ended that the server's policy cut short.
const Filtered = "content_filter"

// A Client talks to one server. Generate hands over the reply as it comes. Errors
// are *Error, or the context's. One that is also an io.Closer is closed when it is
// not used for new requests any more.
type Client interface {
	Generate(ctx context.Context, r Request, to Sink) (Result, error)
	// Embed returns a vector of length 1 for each text, all of the same
	// dimensions, and how many tokens were read as the server counted them; 0 if
	// it did not say. Errors are *Error, or the context's.
	Embed(ctx context.Context, model string, texts []string) (vectors [][]float32, tokens int, err error)
	// Names lists the models that the server says it has.
	Names(ctx context.Context) ([]string, error)
}

// A Protocol makes clients of one kind of server. It fails if what the connection
// refers to is not there; the error says what to do.
type Protocol func(c Connection, key Secret) (Client, error)

// Registry finds models by name. It is safe for concurrent use.
type Registry struct {
	protocols map[string]Protocol
	warm      bool // what is to be kept running is started

	mu      sync.RWMutex
	file    []Connection
	stored  []Connection
	entries []Entry
	clients map[string]kept       // by connection
	lines   map[string]*fair.Line // by connection; they outlive a new file
	pacers  map[string]*pacer     // so do these

	answered   atomic.Bool
	generation atomic.Int64
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
	pacer      *pacer
}

// kept is a client with what it was made of.
type kept struct {
	of     string
	client Client
	err    error
}

// Open makes a registry of a connection file. A key that is missing is no
// error here: the other models work, and asking this one says what to do.
func Open(f File, protocols map[string]Protocol) *Registry {
	r := &Registry{protocols: protocols, lines: map[string]*fair.Line{}, pacers: map[string]*pacer{}}
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

// rebuild makes the entries anew. A connection that is as it was keeps its
// client. The caller holds mu.
func (r *Registry) rebuild() {
	var entries []Entry
	clients := map[string]kept{}
	for _, c := range slices.Concat(r.file, r.stored) {
		if _, seen := clients[c.Name]; seen {
			continue
		}
		if r.lines[c.Name] == nil {
			r.lines[c.Name], r.pacers[c.Name] = fair.NewLine(0), newPacer()
		}
		r.lines[c.Name].Set(c.AtOnce)
		r.pacers[c.Name].set(c.Requests, c.Tokens)
		k, ok := r.clients[c.Name]
		if of := c.fingerprint(); !ok || k.of != of || k.err != nil {
			k.of = of
			k.client, k.err = r.client(c)
		}
		clients[c.Name] = k
		r.warmUp(k.client)
		for _, m := range c.Models {
			entries = append(entries, Entry{Model: m, Connection: c, counter: sync.OnceValues(m.Counter),
				client: k.client, wayErr: k.err, line: r.lines[c.Name], pacer: r.pacers[c.Name]})
		}
	}
	for name, k := range r.clients {
		if closer, ok := k.client.(io.Closer); ok && clients[name].client != k.client {
			_ = closer.Close()
		}
	}
	r.clients, r.entries = clients, entries
	r.generation.Add(1)
}

// Generation is another one whenever connections have changed: entries of before are
// to be found anew.
func (r *Registry) Generation() int64 { return r.generation.Load() }

// Warm starts what is to be kept running, now and whenever connections change.
func (r *Registry) Warm() {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.warm = true
	for _, k := range r.clients {
		r.warmUp(k.client)
	}
}

func (r *Registry) warmUp(c Client) {
	if w, ok := c.(interface{ Warm() }); ok && r.warm {
		w.Warm()
	}
}

// farewell is how long Close waits for what it ends.
const farewell = 4 * time.Second

// Close ends what clients keep running. The registry is empty afterwards.
func (r *Registry) Close() {
	r.mu.Lock()
	clients := r.clients
	r.file, r.stored = nil, nil
	r.rebuild()
	r.mu.Unlock()
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		for _, k := range clients {
			if s, ok := k.client.(interface{ Settled() }); ok {
				s.Settled()
			}
		}
	}()
	select {
	case <-ended:
	case <-time.After(farewell):
	}
}

// fingerprint is the same for connections of which a client is the same.
func (c Connection) fingerprint() string {
	key, err := c.key()
	text, failed := json.Marshal(c)
	if failed != nil {
		return "" // cannot happen: it came from a file
	}
	sum := sha256.Sum256(fmt.Appendf(text, "\n%s\n%v", key.Reveal(), err))
	return string(sum[:])
}

// Program is how a connection's program is doing; false if it is none.
func (r *Registry) Program(connection string) (ProgramState, bool) {
	r.mu.RLock()
	defer r.mu.RUnlock()
	p, ok := r.clients[connection].client.(interface{ State() ProgramState })
	if !ok {
		return ProgramState{}, false
	}
	return p.State(), true
}

// Learnt is what a connection's server last said of how fast it may be asked.
func (r *Registry) Learnt(connection string) (Pace, bool) {
	r.mu.RLock()
	defer r.mu.RUnlock()
	p := r.pacers[connection]
	if p == nil {
		return Pace{}, false
	}
	said := p.Learnt()
	return said, said.Requests >= 0 || said.RequestsLeft >= 0 || said.Tokens >= 0 || said.TokensLeft >= 0
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
	return speak(c, key)
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

// TryOut probes the first model of a connection that is not in use.
func (r *Registry) TryOut(ctx context.Context, c Connection) Probe {
	if len(c.Models) == 0 {
		return Probe{Problem: Refused, Advice: "the connection has no model"}
	}
	client, err := r.client(c)
	m := c.Models[0]
	e := Entry{Model: m, Connection: c, counter: sync.OnceValues(m.Counter), client: client, wayErr: err,
		line: fair.NewLine(0), pacer: newPacer()}
	if closer, ok := client.(io.Closer); ok {
		defer func() { _ = closer.Close() }()
	}
	return e.Probe(ctx)
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
	}
	return Entry{}, &NoModel{name, names}
}

// NoModel is the error of a name that no model has.
type NoModel struct {
	Name  string
	Names []string // of the models that there are
}

// mostNamed is how many names an error lists.
const mostNamed = 12

func (n *NoModel) Error() string {
	switch near := yamlfile.Nearest(n.Name, n.Names); {
	case len(n.Names) == 0:
		return fmt.Sprintf("unknown model %q: there are no connections yet; add one in the console, or start "+
			"the service with -connections FILE", n.Name)
	case near != "":
		return fmt.Sprintf("unknown model %q; did you mean %q?", n.Name, near)
	case len(n.Names) > mostNamed:
		return fmt.Sprintf("unknown model %q; there are %d, like %s; \"juvalogos model list\" shows all", n.Name,
			len(n.Names), strings.Join(n.Names[:mostNamed], ", "))
	}
	return fmt.Sprintf("unknown model %q; there are: %s", n.Name, strings.Join(n.Names, ", "))
}

// Answered reports whether a probe has shown since the start that a model
// works.
func (r *Registry) Answered() bool { return r.answered.Load() }

// Path is connection/name, which no two models share.
func (e Entry) Path() string {
	if e.Name == "" {
		return ""
	}
	return e.Connection.Name + "/" + e.Name
}

// Counter counts in the model's vocabulary, which is loaded at the first use.
func (e Entry) Counter() (prompt.Counter, error) { return e.counter() }

// Enter waits until the connection has room for another request and it is the turn
// of the context's party, and returns how to give the room back. told hears of the
// place in line, if there is one; it may be nil.
func (e Entry) Enter(ctx context.Context, told func(fair.Wait)) (leave func(), err error) {
	return e.line.Enter(ctx, told)
}

// Generate asks the model once, when the connection's pace allows it; r.Model and
// r.Manners are set here.
func (e *Entry) Generate(ctx context.Context, r Request, to Sink) (Result, error) {
	if e.wayErr != nil {
		return Result{}, &Error{Kind: KeyMissing, Entry: e.Path(), Detail: e.wayErr.Error()}
	}
	if err := e.pacer.enter(ctx, to.Paced); err != nil {
		return Result{}, err
	}
	r.Model = e.Name
	if r.Manners == nil {
		r.Manners = e.Manners
	}
	r.Answers = e.Hears.Answers
	if to.Pace == nil {
		to.Pace = e.pacer.heard
	}
	result, err := e.client.Generate(ctx, r, to)
	e.pacer.used(result.PromptTokens + result.ReplyTokens)
	return result, err
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
	if err := e.pacer.enter(ctx, nil); err != nil {
		return nil, 0, err
	}
	vectors, tokens, err = e.client.Embed(ctx, e.Name, texts)
	e.pacer.used(tokens)
	return vectors, tokens, err
}

// Protocols are the ways in which the registry can talk to servers.
func (r *Registry) Protocols() map[string]Protocol { return r.protocols }

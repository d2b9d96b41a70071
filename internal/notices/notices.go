// Package notices tells the owner what is wrong with the service, by mail and webhook: each
// trouble once, and once more when it is over. What is wrong now can be listed.
//
//	w := notices.New(notices.Options{Name: "the service at the shed", Checks: checks, Channels: channels, Log: log})
//	go w.Run(ctx)
//	fmt.Println(w.Now()) // what the console shows
//
// A trouble counts once it was found by two looks that follow each other, and is over once
// two have not found it: what lasts for moments is not told of. A notice that a channel does
// not take is sent again with the next look. What has been told is kept in a file, so that a
// service that starts again says nothing twice.
package notices

import (
	"context"
	"encoding/json"
	"errors"
	"io/fs"
	"log/slog"
	"maps"
	"os"
	"slices"
	"sync"
	"time"
)

// Trouble is something that is wrong.
type Trouble struct {
	Key   string    `json:"key"`  // tells it from others, like database
	What  string    `json:"what"` // a sentence for the owner
	Since time.Time `json:"since"`
}

// Notice is what the owner is told.
type Notice struct {
	Kind    string    `json:"kind"` // trouble or over
	Key     string    `json:"key"`
	What    string    `json:"what"`
	Service string    `json:"service"`
	Since   time.Time `json:"since"`
	At      time.Time `json:"at"`
}

// The kinds.
const (
	Begun = "trouble"
	Over  = "over"
)

// Check looks for troubles of one kind; Since need not be given.
type Check func(ctx context.Context) []Trouble

// Channel brings notices to the owner.
type Channel interface {
	// Send fails if the notice may not have arrived.
	Send(ctx context.Context, n Notice) error
	// Name is what the log calls it.
	Name() string
}

// Options are what a Watcher is made of.
type Options struct {
	Name     string // of the service, for whoever has several
	Checks   []Check
	Channels []Channel
	File     string // keeps what was told; "": nothing does
	Log      *slog.Logger
	Every    time.Duration // between looks; 0: half a minute
	Now      func() time.Time
}

// state is what is known of a trouble.
type state struct {
	Trouble
	Found int  `json:"found"` // looks that found it
	Lost  int  `json:"lost"`  // looks that did not, since
	Told  bool `json:"told"`  // it is on its way to the owner, or there
	// Unsent are channels that have not taken what is to be said, by name.
	Unsent []string `json:"unsent,omitempty"`
	// Ended: it is over, and that is to be said.
	Ended bool `json:"ended,omitempty"`
}

// twice is how many looks have to agree.
const twice = 2

// Watcher looks again and again. It is safe for concurrent use.
type Watcher struct {
	Options
	mu    sync.Mutex
	known map[string]*state
}

// New makes a Watcher that knows what was told before.
func New(o Options) *Watcher {
	if o.Every == 0 {
		o.Every = 30 * time.Second
	}
	if o.Now == nil {
		o.Now = time.Now
	}
	w := &Watcher{Options: o, known: map[string]*state{}}
	if o.File == "" {
		return w
	}
	text, err := os.ReadFile(o.File)
	if err == nil {
		err = json.Unmarshal(text, &w.known)
	}
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		o.Log.Warn("what the owner was told before is not known; it may be told again", "file", o.File, "error", err)
	}
	if w.known == nil {
		w.known = map[string]*state{}
	}
	return w
}

// Run looks until ctx ends.
func (w *Watcher) Run(ctx context.Context) {
	for {
		w.Look(ctx)
		select {
		case <-ctx.Done():
			return
		case <-time.After(w.Every):
		}
	}
}

// Now are the troubles that count, the oldest first.
func (w *Watcher) Now() []Trouble {
	w.mu.Lock()
	defer w.mu.Unlock()
	all := []Trouble{}
	for _, s := range w.known {
		if s.Told && !s.Ended {
			all = append(all, s.Trouble)
		}
	}
	slices.SortFunc(all, func(a, b Trouble) int { return a.Since.Compare(b.Since) })
	return all
}

// Look makes all checks once and tells what is new.
func (w *Watcher) Look(ctx context.Context) {
	found := map[string]Trouble{}
	for _, check := range w.Checks {
		once, cancel := context.WithTimeout(ctx, 10*time.Second)
		for _, t := range check(once) {
			found[t.Key] = t
		}
		cancel()
	}
	if ctx.Err() != nil {
		return // what was not found then says nothing
	}
	w.mu.Lock()
	w.learn(found)
	w.mu.Unlock()
	w.tell(ctx)
	w.keep()
}

// learn takes in what a look found; under mu.
func (w *Watcher) learn(found map[string]Trouble) {
	for key, t := range found {
		s := w.known[key]
		if s == nil || s.Ended && len(s.Unsent) == 0 {
			t.Since = w.clock()
			s = &state{Trouble: t}
			w.known[key] = s
		}
		s.Found, s.Lost, s.What = s.Found+1, 0, t.What
		if s.Found >= twice && !s.Told {
			s.Told, s.Unsent = true, w.names()
		}
	}
	for key, s := range w.known {
		if _, is := found[key]; is {
			continue
		}
		s.Lost++
		switch {
		case s.Lost < twice || s.Ended:
		case s.Told:
			s.Ended, s.Unsent = true, w.names()
		default:
			delete(w.known, key)
		}
	}
}

// clock is the time.
func (w *Watcher) clock() time.Time { return w.Options.Now() }

func (w *Watcher) names() (names []string) {
	for _, c := range w.Channels {
		names = append(names, c.Name())
	}
	return names
}

// tell sends what is to be said to who has not heard it.
func (w *Watcher) tell(ctx context.Context) {
	w.mu.Lock()
	keys := slices.Sorted(maps.Keys(w.known))
	w.mu.Unlock()
	for _, key := range keys {
		w.mu.Lock()
		s := *w.known[key]
		w.mu.Unlock()
		n := Notice{Kind: Begun, Key: s.Key, What: s.What, Service: w.Name, Since: s.Since, At: w.clock()}
		if s.Ended {
			n.Kind = Over
		}
		var unsent []string
		for _, c := range w.Channels {
			if !slices.Contains(s.Unsent, c.Name()) {
				continue
			}
			once, cancel := context.WithTimeout(ctx, 20*time.Second)
			if err := c.Send(once, n); err != nil {
				w.Log.Warn("the owner could not be told; it is tried again", "by", c.Name(), "of", key, "error", err)
				unsent = append(unsent, c.Name())
			}
			cancel()
		}
		w.mu.Lock()
		if w.known[key].Unsent = unsent; s.Ended && len(unsent) == 0 {
			delete(w.known, key)
		}
		w.mu.Unlock()
	}
}

// keep puts what was told into the file.
func (w *Watcher) keep() {
	if w.File == "" {
		return
	}
	w.mu.Lock()
	text, err := json.Marshal(w.known)
	w.mu.Unlock()
	if err == nil {
		if err = os.WriteFile(w.File+".new", text, 0o600); err == nil {
			err = os.Rename(w.File+".new", w.File)
		}
	}
	if err != nil {
		w.Log.Warn("what the owner was told is not kept", "file", w.File, "error", err)
	}
}

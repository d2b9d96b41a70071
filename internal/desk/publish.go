package desk

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync"
	"time"

	"juvalogos/core/deskfile"
	"juvalogos/core/prompt"
	"juvalogos/core/yamlfile"
	"juvalogos/internal/models"
	"juvalogos/internal/store"
)

// Desk is a desk as it stands open for questions.
type Desk struct {
	store.Revision
	Settings deskfile.File
	Entry    models.Entry
	brief    prompt.Piece
	counter  prompt.Counter
}

// Check reads a desk file and holds it against the models there are. The error
// is yamlfile.Problems.
func (s *Service) Check(name string, text []byte) (deskfile.File, error) {
	return CheckFile(name, text, s.Models)
}

// CheckFile is Check without a service. With nil for models the desk's model
// is not looked up.
func CheckFile(name string, text []byte, registry *models.Registry) (deskfile.File, error) {
	f, err := deskfile.Read(name, text)
	if err != nil || registry == nil {
		return f, err
	}
	say := func(format string, args ...any) error {
		return yamlfile.Problems{{File: name, Line: lineOf(text, "model"), Column: 1, Message: fmt.Sprintf(format, args...)}}
	}
	entry, err := registry.Find(f.Model)
	switch {
	case err != nil:
		return f, say("model: %v", err)
	case !entry.Able("chat"):
		return f, say("model: %q does not chat; the connection file gives it only: %s", f.Model, strings.Join(entry.Can, ", "))
	}
	counter, err := entry.Counter()
	if err != nil {
		return f, err
	}
	if _, err := prompt.Room(entry.Context, f.Sampling.MaxTokens, prompt.Measure(counter, f.Brief), prompt.Piece{Tokens: 64}); err != nil {
		return f, say("model: brief and longest reply leave no room for a question in the %d tokens of %q; shorten the brief or lower sampling: max_tokens", entry.Context, f.Model)
	}
	return f, nil
}

// lineOf finds the line of a top-level key, from 1.
func lineOf(text []byte, key string) int {
	for i, line := range strings.Split(string(text), "\n") {
		if strings.HasPrefix(line, key+":") {
			return i + 1
		}
	}
	return 1
}

// Publish checks a desk file and makes it the published revision of its desk.
// fresh is false if it was that already.
func (s *Service) Publish(ctx context.Context, name string, text []byte, by string) (r store.Revision, fresh bool, err error) {
	f, err := s.Check(name, text)
	if err != nil {
		return store.Revision{}, false, err
	}
	r, fresh, err = s.Store.Publish(ctx, f.Slug, string(text), by)
	if err != nil {
		return r, false, err
	}
	s.cache.forget(f.Slug)
	s.Log.Info("desk published", "desk", r.Slug, "revision", r.Number, "new", fresh, "by", by)
	return r, fresh, nil
}

// Open returns the desk at a slug as published now, or up to a second ago.
func (s *Service) Open(ctx context.Context, slug string) (*Desk, error) {
	if d := s.cache.get(slug, s.Now()); d != nil {
		return d, nil
	}
	r, err := s.Store.Published(ctx, slug)
	switch {
	case errors.Is(err, store.ErrNotFound):
		return nil, &Problem{Code: NoDesk, Sentence: Sentence(NoDesk)}
	case err != nil:
		return nil, problem(NoRecords, err)
	}
	d := &Desk{Revision: r}
	if d.Settings, err = deskfile.Read(slug, []byte(r.File)); err != nil {
		return nil, problem(NotSetUp, err)
	}
	if d.Entry, err = s.Models.Find(d.Settings.Model); err != nil {
		return nil, problem(NotSetUp, err)
	}
	if d.counter, err = d.Entry.Counter(); err != nil {
		return nil, problem(NotSetUp, err)
	}
	d.brief = prompt.Measure(d.counter, strings.TrimSpace(d.Settings.Brief))
	s.cache.put(slug, d, s.Now())
	return d, nil
}

// Face returns what a visitor may know of the desk. It works without the
// desk's model, so that a page can open and say what is wrong when asked.
func (s *Service) Face(ctx context.Context, slug string) (deskfile.File, error) {
	if d := s.cache.get(slug, s.Now()); d != nil {
		return d.Settings, nil
	}
	r, err := s.Store.Published(ctx, slug)
	switch {
	case errors.Is(err, store.ErrNotFound):
		return deskfile.File{}, &Problem{Code: NoDesk, Sentence: Sentence(NoDesk)}
	case err != nil:
		return deskfile.File{}, s.logged("show a desk", problem(NoRecords, err))
	}
	return deskfile.Read(slug, []byte(r.File))
}

// deskCache keeps open desks for a second, so that a question costs no look-up
// and a desk published through another instance is seen soon.
type deskCache struct {
	mu    sync.Mutex
	desks map[string]cachedDesk
}

type cachedDesk struct {
	desk *Desk
	at   time.Time
}

const (
	cacheFor  = time.Second
	cacheMost = 10_000
)

func (c *deskCache) get(slug string, now time.Time) *Desk {
	c.mu.Lock()
	defer c.mu.Unlock()
	if d, ok := c.desks[slug]; ok && now.Sub(d.at) < cacheFor {
		return d.desk
	}
	return nil
}

func (c *deskCache) put(slug string, d *Desk, now time.Time) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.desks == nil || len(c.desks) > cacheMost {
		c.desks = map[string]cachedDesk{}
	}
	c.desks[slug] = cachedDesk{d, now}
}

func (c *deskCache) forget(slug string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	delete(c.desks, slug)
}

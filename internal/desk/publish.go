package desk

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"juvalogos/core/deskfile"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/core/steps"
	"juvalogos/core/yamlfile"
	"juvalogos/internal/models"
	"juvalogos/internal/record"
)

// Desk is a desk as it stands open for questions.
type Desk struct {
	record.Revision
	Settings deskfile.File
	Entry    models.Entry
	Recipe   *recipe.Recipe
	settings recipe.Values // of the recipe
	brief    prompt.Piece
	counter  prompt.Counter
}

// Check reads a desk file and holds it against the models there are. The error
// is yamlfile.Problems.
func (s *Service) Check(name string, text []byte) (deskfile.File, error) {
	f, err := CheckFile(name, text, s.Models)
	if err != nil || len(f.Shelves) == 0 || s.Shelves == nil {
		return f, err
	}
	there, err := s.Store.Shelves.Shelves(context.Background())
	if err != nil {
		return f, problem(NoRecords, err)
	}
	var known []string
	for _, shelf := range there {
		known = append(known, shelf.Slug)
	}
	var problems yamlfile.Problems
	for i, slug := range f.Shelves {
		if !slices.Contains(known, slug) {
			at := yamlfile.Locate(text, fmt.Sprintf("shelves.%d", i))
			problems = append(problems, yamlfile.Problem{File: name, Line: at.Line, Column: at.Column, Message: "shelves: " + yamlfile.Unknown("shelf", slug, known) + " Or make it: juvalogos shelf create " + slug})
		}
	}
	if problems != nil {
		return f, problems
	}
	return f, nil
}

// CheckFile is Check without a service. With nil for models the desk's models
// are not looked up.
func CheckFile(name string, text []byte, registry *models.Registry) (deskfile.File, error) {
	f, err := deskfile.Read(name, text)
	if err != nil {
		return f, err
	}
	r, settings, err := recipeOf(name, text, f)
	if err != nil || registry == nil {
		return f, err
	}
	var problems yamlfile.Problems
	say := func(model, format string, args ...any) {
		at := yamlfile.Locate(text, model)
		problems = append(problems, yamlfile.Problem{File: name, Line: at.Line, Column: at.Column, Message: fmt.Sprintf(format, args...)})
	}
	check := func(model, place string) {
		entry, err := registry.Find(model)
		switch {
		case err != nil:
			say(place, "model: %v", err)
			return
		case !entry.Able("chat"):
			say(place, "model: %q does not chat; the connection file gives it only: %s", model, strings.Join(entry.Can, ", "))
			return
		}
		counter, err := entry.Counter()
		if err != nil {
			say(place, "model: %v", err)
			return
		}
		standing := prompt.Standing{Brief: prompt.Measure(counter, f.Brief)}
		if _, err := prompt.Room(entry.Context, f.Sampling.MaxTokens, standing, prompt.Piece{Tokens: 64}); err != nil {
			say(place, "model: brief and longest reply leave no room for a question in the %d tokens of %q; shorten the brief or lower sampling: max_tokens", entry.Context, model)
		}
	}
	check(f.Model, "model")
	for _, m := range steps.ModelsOf(r, settings) {
		if entry, err := registry.Find(m); err != nil {
			say("recipe", "recipe %s: model: %v", r.Name, err)
		} else if !entry.Able("chat") {
			say("recipe", "recipe %s: model: %q does not chat", r.Name, m)
		}
	}
	for i, m := range f.Choices.Models {
		check(m.Model, fmt.Sprintf("choices.models.%d.model", i))
	}
	if problems != nil {
		return f, problems
	}
	return f, nil
}

// Publish checks a desk file and makes it the published revision of its desk.
// fresh is false if it was that already.
func (s *Service) Publish(ctx context.Context, name string, text []byte, note, by string) (r record.Revision, fresh bool, err error) {
	f, err := s.Check(name, text)
	if err != nil {
		return record.Revision{}, false, err
	}
	r, fresh, err = s.Store.Desks.Publish(ctx, f.Slug, string(text), tidy(note, longestNote), by)
	if err != nil {
		return r, false, err
	}
	if fresh && len(f.Shelves) > 0 {
		if err := s.Store.Desks.NoteShelves(ctx, r.DeskID, r.Number, f.Shelves); err != nil {
			return r, fresh, fmt.Errorf("note the state of the shelves: %w", err)
		}
	}
	s.forget(f.Slug)
	s.Log.Info("desk published", "desk", r.Slug, "revision", r.Number, "new", fresh, "by", by)
	return r, fresh, nil
}

// DraftMark before a slug means the desk's draft as it is at any time, or the
// published desk where there is no draft. Whoever passes it on must have made
// sure that a maker asks.
const DraftMark = "~"

// Open returns the desk at a slug as published now, or up to two seconds ago.
func (s *Service) Open(ctx context.Context, slug string) (*Desk, error) {
	if d := s.cache.orRenew(slug, s.Now()); d != nil {
		return d, nil
	}
	r, err := s.revision(ctx, slug)
	if err != nil {
		return nil, err
	}
	d := &Desk{Revision: r}
	if old := s.cache.last(slug); old != nil && old.File == r.File {
		d.Settings, d.Recipe, d.settings = old.Settings, old.Recipe, old.settings
	} else {
		d.Settings, err = deskfile.Read(slug, []byte(r.File))
	}
	if err == nil {
		d, err = s.equip(d)
	}
	if err != nil {
		return nil, problem(NotSetUp, err)
	}
	s.cache.put(slug, d, s.Now())
	return d, nil
}

// equip finds what the desk's settings name.
func (s *Service) equip(d *Desk) (*Desk, error) {
	var err error
	if d.Entry, err = s.Models.Find(d.Settings.Model); err != nil {
		return nil, err
	}
	if d.counter, err = d.Entry.Counter(); err != nil {
		return nil, err
	}
	if d.Recipe == nil {
		if d.Recipe, d.settings, err = recipeOf(d.Slug, []byte(d.File), d.Settings); err != nil {
			return nil, err
		}
	}
	d.brief = prompt.Measure(d.counter, strings.TrimSpace(d.Settings.Brief))
	return d, nil
}

// chosen returns the desk as a visitor has chosen it.
func (s *Service) chosen(d *Desk, c deskfile.Choice) (*Desk, error) {
	if c == (deskfile.Choice{}) {
		return d, nil
	}
	settings, err := d.Settings.With(c)
	var not *deskfile.NotOffered
	if errors.As(err, &not) {
		return nil, &Problem{Code: NotOffered, Sentence: fmt.Sprintf("This desk does not offer the %s “%s” any more. Your settings were put back; please ask again.", not.What, not.Value)}
	}
	if err == nil {
		d, err = s.equip(&Desk{Revision: d.Revision, Settings: settings, Recipe: d.Recipe, settings: d.settings})
	}
	if err != nil {
		return nil, problem(NotSetUp, err)
	}
	return d, nil
}

// revision returns what is published at a slug, or with DraftMark the draft as
// revision 0.
func (s *Service) revision(ctx context.Context, slug string) (record.Revision, error) {
	slug, wantsDraft := strings.CutPrefix(slug, DraftMark)
	if wantsDraft {
		draft, err := s.Store.Desks.Draft(ctx, slug)
		if err == nil && draft.Good != "" {
			return record.Revision{DeskID: draft.DeskID, Slug: slug, File: draft.Good, MadeBy: draft.ChangedBy, MadeAt: draft.ChangedAt}, nil
		}
		if err != nil && !errors.Is(err, record.ErrNotFound) {
			return record.Revision{}, problem(NoRecords, err)
		}
	}
	r, err := s.Store.Desks.Published(ctx, slug)
	switch {
	case errors.Is(err, record.ErrNotFound) && wantsDraft:
		return r, &Problem{Code: NoDesk, Sentence: "There is nothing to show yet: the file has mistakes."}
	case errors.Is(err, record.ErrNotFound):
		return r, &Problem{Code: NoDesk, Sentence: Sentence(NoDesk)}
	case err != nil:
		return r, problem(NoRecords, err)
	}
	return r, nil
}

// forget has the desk read anew.
func (s *Service) forget(slug string) {
	s.cache.forget(slug)
	s.cache.forget(DraftMark + slug)
}

// Face returns what a visitor may know of the desk. It works without the
// desk's model, so that a page can open and say what is wrong when asked.
func (s *Service) Face(ctx context.Context, slug string) (deskfile.File, error) {
	if d := s.cache.get(slug, s.Now()); d != nil {
		return d.Settings, nil
	}
	r, err := s.revision(ctx, slug)
	if err != nil {
		return deskfile.File{}, s.logged("show a desk", err)
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
	desk    *Desk
	at      time.Time
	renewed bool // somebody is at it
}

const (
	cacheFor  = time.Second
	cacheMost = 10_000
)

// get returns a desk that was opened within the last second.
func (c *deskCache) get(slug string, now time.Time) *Desk {
	c.mu.Lock()
	defer c.mu.Unlock()
	if d, ok := c.desks[slug]; ok && now.Sub(d.at) < cacheFor {
		return d.desk
	}
	return nil
}

// orRenew is get for one who opens the desk when there is none. When the second
// is over, the first to ask does that; who asks meanwhile has the old desk and
// need not wait, for a second at most.
func (c *deskCache) orRenew(slug string, now time.Time) *Desk {
	c.mu.Lock()
	defer c.mu.Unlock()
	d, ok := c.desks[slug]
	age := now.Sub(d.at)
	if !ok || age >= 2*cacheFor || age >= cacheFor && !d.renewed {
		d.renewed = true
		if ok {
			c.desks[slug] = d
		}
		return nil
	}
	return d.desk
}

// last returns a desk as it was when it was opened last, however long ago.
func (c *deskCache) last(slug string) *Desk {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.desks[slug].desk
}

func (c *deskCache) put(slug string, d *Desk, now time.Time) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.desks == nil || len(c.desks) > cacheMost {
		c.desks = map[string]cachedDesk{}
	}
	c.desks[slug] = cachedDesk{desk: d, at: now}
}

func (c *deskCache) forget(slug string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	delete(c.desks, slug)
}

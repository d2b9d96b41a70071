package desk

import (
	"context"
	"errors"
	"slices"
	"strings"
	"sync"
	"time"

	"juvalogos/core/deskfile"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/internal/fault"
	"juvalogos/internal/models"
	"juvalogos/internal/record"
)

// Desk is a desk as it stands open for questions.
type Desk struct {
	record.Revision
	Settings       deskfile.File
	Entry          models.Entry // its model; without a name: it has none
	Recipe         *recipe.Recipe
	RecipeSettings recipe.Values // of the recipe
	Brief          prompt.Piece
	Counter        prompt.Counter

	models int64 // the generation of the connections that Entry is of
}

// withoutModel is how long, in tokens, a question with what goes before it may be at a desk
// that has no model.
const withoutModel = 100_000

// DraftMark before a slug means the desk's draft as it is at any time, or the
// published desk where there is no draft. Whoever passes it on must have made
// sure that a maker asks.
const DraftMark = "~"

// Open returns the desk at a slug as published now, or up to two seconds ago.
func (s *Service) Open(ctx context.Context, slug string) (*Desk, error) {
	if d := s.cache.orRenew(slug, s.Now()); d != nil && d.models == s.Models.Generation() {
		return d, nil
	}
	r, err := s.Current(ctx, slug)
	if err != nil {
		return nil, err
	}
	d := &Desk{Revision: r}
	if old := s.cache.last(slug); old != nil && old.File == r.File {
		d.Settings, d.Recipe, d.RecipeSettings = old.Settings, old.Recipe, old.RecipeSettings
	} else {
		d.Settings, err = deskfile.Read(slug, []byte(r.File))
	}
	if err == nil {
		d, err = s.Equip(d)
	}
	if err != nil {
		return nil, fault.New(fault.NotSetUp, err)
	}
	s.cache.put(slug, d, s.Now())
	return d, nil
}

// Equip finds what the desk's settings name.
func (s *Service) Equip(d *Desk) (*Desk, error) {
	var err error
	d.models = s.Models.Generation()
	d.Entry.Context, d.Counter = withoutModel, prompt.Estimate{}
	if d.Settings.Model != "" {
		if d.Entry, err = s.Models.Find(d.Settings.Model); err != nil {
			return nil, err
		}
		if d.Counter, err = d.Entry.Counter(); err != nil {
			return nil, err
		}
	}
	if d.Recipe == nil {
		if d.Recipe, d.RecipeSettings, err = recipeOf(d.Slug, []byte(d.File), d.Settings); err != nil {
			return nil, err
		}
	}
	d.Brief = prompt.Measure(d.Counter, strings.TrimSpace(d.Settings.Brief))
	return d, nil
}

// Looking is what the desk has of pictures: as many at once as its model takes.
func (d *Desk) Looking() deskfile.Pictures {
	p := d.Settings.Pictures
	if most := d.Entry.Takes.Most; most > 0 && d.Entry.Able("see") {
		p.Most = min(p.Most, most)
	}
	return p
}

// Hears returns the desk's model that writes down what is spoken.
func (s *Service) Hears(d *Desk) (models.Entry, error) {
	e, err := s.named(d, d.Settings.Sound.Model)
	if err == nil && !e.Able("hear") {
		err = fault.New(fault.NotSetUp, errors.New("the model "+e.Path()+" does not hear"))
	}
	return e, err
}

// Speaks returns the desk's model that reads aloud.
func (s *Service) Speaks(d *Desk) (models.Entry, error) {
	if d.Settings.Aloud.Model == "" {
		return models.Entry{}, fault.Say(fault.NotOffered, "At this desk nothing is read aloud.")
	}
	return s.named(d, d.Settings.Aloud.Model)
}

func (s *Service) named(d *Desk, name string) (models.Entry, error) {
	if name == "" || name == d.Settings.Model {
		return d.Entry, nil
	}
	e, err := s.Models.Find(name)
	if err != nil {
		err = fault.New(fault.NotSetUp, err)
	}
	return e, err
}

// Chosen returns the desk as a visitor has chosen it.
func (s *Service) Chosen(d *Desk, c deskfile.Choice) (*Desk, error) {
	if c == (deskfile.Choice{}) {
		return d, nil
	}
	settings, err := d.Settings.With(c)
	var not *deskfile.NotOffered
	if errors.As(err, &not) {
		return nil, fault.Say(fault.NotOffered, "This desk does not offer the %s “%s” any more. Your settings were "+
			"put back; please ask again.", not.What, not.Value)
	}
	if err == nil {
		d, err = s.Equip(&Desk{Revision: d.Revision, Settings: settings, Recipe: d.Recipe,
			RecipeSettings: d.RecipeSettings})
	}
	if err != nil {
		return nil, fault.New(fault.NotSetUp, err)
	}
	return d, nil
}

// Current returns what is published at a slug, or with DraftMark the draft as
// revision 0.
func (s *Service) Current(ctx context.Context, slug string) (record.Revision, error) {
	slug, wantsDraft := strings.CutPrefix(slug, DraftMark)
	if wantsDraft {
		draft, err := s.Store.Desks.Draft(ctx, slug)
		if err == nil && draft.Good != "" {
			return record.Revision{DeskID: draft.DeskID, Slug: slug, File: draft.Good, MadeBy: draft.ChangedBy,
				MadeAt: draft.ChangedAt}, nil
		}
		if err != nil && !errors.Is(err, record.ErrNotFound) {
			return record.Revision{}, fault.New(fault.NoRecords, err)
		}
	}
	r, err := s.Store.Desks.Published(ctx, slug)
	switch {
	case errors.Is(err, record.ErrNotFound) && wantsDraft:
		return r, fault.Say(fault.NoDesk, "There is nothing to show yet: the file has mistakes.")
	case errors.Is(err, record.ErrNotFound):
		return r, fault.Plain(fault.NoDesk)
	case err != nil:
		return r, fault.New(fault.NoRecords, err)
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
	r, err := s.Current(ctx, slug)
	if err != nil {
		return deskfile.File{}, fault.Logged(s.Log, "show a desk", err)
	}
	return deskfile.Read(slug, []byte(r.File))
}

// SlugOf returns the slug of the desk with an id.
func (s *Service) SlugOf(ctx context.Context, id int64) (string, error) {
	slug, err := s.Store.Desks.SlugOf(ctx, id)
	return slug, fault.NotFound(s.Log, fault.NoDesk, err)
}

// Naming lists the published desks that name a model just so, without its
// connection.
func (s *Service) Naming(ctx context.Context, model string) (slugs []string, err error) {
	desks, err := s.Desks(ctx)
	if err != nil {
		return nil, err
	}
	for _, d := range desks {
		f, err := s.Face(ctx, d.Slug)
		if err != nil {
			continue // it is not published, or cannot be read
		}
		named := f.Model == model
		for _, m := range f.Choices.Models {
			named = named || m.Model == model
		}
		if named {
			slugs = append(slugs, d.Slug)
		}
	}
	return slugs, nil
}

// AnswerFrom are the files of the published desks that answer from a shelf.
func (s *Service) AnswerFrom(ctx context.Context, shelf string) (all []deskfile.File, err error) {
	all, err = s.Published(ctx)
	return slices.DeleteFunc(all, func(f deskfile.File) bool { return !slices.Contains(f.Shelves, shelf) }), err
}

// Published are the files of the published desks that can be read.
func (s *Service) Published(ctx context.Context) (all []deskfile.File, err error) {
	desks, err := s.Desks(ctx)
	if err != nil {
		return nil, err
	}
	for _, d := range desks {
		if d.Published == 0 {
			continue
		}
		if f, err := s.Face(ctx, d.Slug); err == nil {
			all = append(all, f)
		}
	}
	return all, nil
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

package table

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"juvalogos/core/tables"
	"juvalogos/internal/engine"
	"juvalogos/internal/record"
)

// At is all that one may ask of at once.
type At struct {
	service *Service
	from    []record.Tabled
	sources []engine.Source
}

// At are the tables of documents, each under a name of its own.
func (s *Service) At(from []record.Tabled) *At {
	a := &At{service: s, from: from}
	taken := map[string]bool{}
	for _, t := range from {
		source := engine.Source{Folder: s.folder(t.Key)}
		for _, one := range t.Tables {
			own := one.Name
			for n := 2; taken[one.Name]; n++ {
				one.Name = fmt.Sprintf("%s_%d", own, n)
			}
			taken[one.Name] = true
			if one.Name != own {
				one.Own = own
			}
			source.Tables = append(source.Tables, one)
		}
		a.sources = append(a.sources, source)
	}
	return a
}

// Tables are those at hand.
func (a *At) Tables() (all []*tables.Table) {
	for i := range a.sources {
		for j := range a.sources[i].Tables {
			all = append(all, &a.sources[i].Tables[j])
		}
	}
	return all
}

// From are the documents that they are of.
func (a *At) From() []record.Tabled { return a.from }

// Warm starts a process for the tables, if none has them open. Errors are those of
// engine.Session.Ask.
func (a *At) Warm(ctx context.Context) error {
	return a.with(ctx, func(s *engine.Session) error { return s.Warm(ctx) })
}

// Ask runs a query and returns so many of its rows after the first skip. Errors are those
// of engine.Session.Ask.
func (a *At) Ask(ctx context.Context, query string, skip int64, most int) (r *tables.Result, err error) {
	err = a.with(ctx, func(s *engine.Session) error {
		r, err = s.Ask(ctx, query, skip, most)
		return err
	})
	if err == nil {
		for _, t := range a.from {
			r.Keys = append(r.Keys, t.Key)
		}
	}
	return r, err
}

// Behind returns the rows on which a row of a query's result rests. Errors are those of
// engine.Session.Behind.
func (a *At) Behind(ctx context.Context, query string, row []string, column int, skip int64, most int) (
	r *tables.Result, err error) {
	err = a.with(ctx, func(s *engine.Session) error {
		r, err = s.Behind(ctx, query, row, column, skip, most)
		return err
	})
	return r, err
}

// held is a session that is kept warm.
type held struct {
	session *engine.Session
	used    time.Time
	users   int
}

// Bounds of processes that are kept warm.
const (
	mostWarm = 6
	idleFor  = 5 * time.Minute
	// warmLimit is how long starting one may take.
	warmLimit = time.Minute
)

// with has something done in a session for the tables. Files that are gone are made again.
func (a *At) with(ctx context.Context, do func(*engine.Session) error) error {
	if len(a.sources) == 0 {
		return &tables.Refused{What: "there are no tables"}
	}
	for _, t := range a.from {
		if _, err := a.service.make(ctx, t); err != nil {
			return err
		}
	}
	h := a.service.take(a)
	defer a.service.giveBack(h)
	return do(h.session)
}

func (a *At) key() string {
	var b strings.Builder
	for _, s := range a.sources {
		b.WriteString(s.Folder)
		for _, t := range s.Tables {
			b.WriteString(" " + t.Name)
		}
		b.WriteString("\n")
	}
	return b.String()
}

func (s *Service) take(a *At) *held {
	s.mu.Lock()
	defer s.mu.Unlock()
	h := s.warm[a.key()]
	if h == nil {
		h = &held{session: s.Engine.Session(a.sources)}
		s.warm[a.key()] = h
	}
	h.used = s.Now()
	h.users++
	s.makeRoom()
	return h
}

func (s *Service) giveBack(h *held) {
	s.mu.Lock()
	defer s.mu.Unlock()
	h.users--
	h.used = s.Now()
	s.makeRoom()
}

// makeRoom ends those that were asked longest ago where there are too many. The caller
// holds mu.
func (s *Service) makeRoom() {
	for len(s.warm) > mostWarm {
		var oldest string
		for key, h := range s.warm {
			if h.users == 0 && (oldest == "" || h.used.Before(s.warm[oldest].used)) {
				oldest = key
			}
		}
		if oldest == "" {
			return
		}
		go s.warm[oldest].session.Close()
		delete(s.warm, oldest)
	}
}

// endIdle ends processes that nobody asked lately.
func (s *Service) endIdle() {
	s.mu.Lock()
	defer s.mu.Unlock()
	for key, h := range s.warm {
		if h.users == 0 && s.Now().Sub(h.used) > idleFor {
			go h.session.Close()
			delete(s.warm, key)
		}
	}
}

// Close ends all processes.
func (s *Service) Close() {
	s.mu.Lock()
	defer s.mu.Unlock()
	for key, h := range s.warm {
		h.session.Close()
		delete(s.warm, key)
	}
	s.Engine.Close()
}

// Holding are those of some documents that hold tables.
func Holding(all []record.Tabled) []record.Tabled {
	return slices.DeleteFunc(slices.Clone(all), func(t record.Tabled) bool { return t.Key == "" })
}

// Hand finds what may be asked at once: what lies on shelves, and, of somebody's own, what
// documents returns; own reports whether there is any of that. It fails as
// documents or the store does.
func (s *Service) Hand(ctx context.Context, slugs []string,
	documents func(context.Context) ([]record.Document, error)) (all []record.Tabled, own bool, err error) {
	mine, err := documents(ctx)
	if err != nil {
		return nil, false, err
	}
	if len(mine) > 0 {
		if all, err = s.Store.Of(ctx, idsOf(mine)); err != nil {
			return nil, false, err
		}
		all = Holding(all)
		own = len(all) > 0
	}
	if len(slugs) > 0 {
		shelved, err := s.Store.OnShelves(ctx, slugs)
		if err != nil {
			return nil, own, err
		}
		all = append(all, shelved...)
	}
	return all, own, nil
}

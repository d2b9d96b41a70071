package shelf

import (
	"bytes"
	"context"
	"errors"
	"slices"
	"strings"

	"juvalogos/core/phrase"
	"juvalogos/internal/record"
	"juvalogos/internal/source"
)

// Documents that are brought from where they are published (internal/source).

// AddAddress puts what an address leads to on a shelf: a page or a file, the
// pages of a sitemap, the captions of a recorded talk; a table of a database, or all that
// shelves may have of it (database:NAME/TABLE, database:NAME).
func (l *Library) AddAddress(ctx context.Context, slug, address, by string) ([]Added, error) {
	if strings.HasPrefix(address, fromDatabase) {
		return l.addDatabase(ctx, slug, address, by)
	}
	return l.bring(ctx, slug, by, func(_ record.Shelf,
		take source.Take) error {
		return l.Sources.Address(ctx, address, take)
	})
}

// AddTopic puts an encyclopedia's article on a topic on a shelf. One that is
// there by another name is not fetched again.
func (l *Library) AddTopic(ctx context.Context, slug, address, topic, by string) ([]Added, error) {
	return l.bring(ctx, slug, by, func(f record.Shelf, take source.Take) error {
		there, err := l.Store.Shelves.Documents(ctx, f.ID)
		if err != nil {
			return err
		}
		have := func(i source.Item) bool {
			return slices.ContainsFunc(there,
				func(d record.Document) bool { return d.Name == cleanName(i.Name) && d.Source == i.Address })
		}
		return l.Sources.Topic(ctx, address, topic, have, take)
	})
}

// AddPapers puts what a search in a paper repository finds on a shelf; most is
// 1 to 50, 0 means 5.
func (l *Library) AddPapers(ctx context.Context, slug, address, search string, most int, by string) ([]Added, error) {
	return l.bring(ctx, slug, by, func(_ record.Shelf, take source.Take) error {
		return l.Sources.Papers(ctx, address, search, most, take)
	})
}

// bring puts what a source brings on a shelf, one item after the other. What was
// added before an error stays.
func (l *Library) bring(ctx context.Context, slug, by string, from func(record.Shelf, source.Take) error) (all []Added,
	err error) {
	if l.Sources == nil {
		return nil, wrong("this service fetches nothing")
	}
	f, err := l.Shelf(ctx, slug)
	if err != nil {
		return nil, err
	}
	err = from(f, func(i source.Item) error {
		one, err := l.take(ctx, f, i, by)
		if err == nil {
			all = append(all, one)
		}
		return err
	})
	var mistake *source.Mistake
	if errors.As(err, &mistake) {
		err = &Problem{What: mistake.What}
	}
	return all, err
}

func (l *Library) take(ctx context.Context, f record.Shelf, i source.Item, by string) (Added, error) {
	name := cleanName(i.Name)
	switch {
	case !i.Problem.IsZero():
		return Added{Name: i.Name, Problem: i.Problem}, nil
	case i.Body == nil: // it is there already
		there, err := l.Store.Shelves.Documents(ctx, f.ID)
		at := slices.IndexFunc(there, func(d record.Document) bool { return d.Name == name && d.Source == i.Address })
		if err != nil || at < 0 {
			return Added{Name: name, Problem: phrase.Of("it was there a moment ago, and is not any more; add it " +
				"again")}, err
		}
		return Added{Document: there[at].ID, Name: name}, nil
	}
	return l.add(ctx, f, record.Document{Name: name, Source: i.Address, AddedBy: by}, bytes.NewReader(i.Body), nil)
}

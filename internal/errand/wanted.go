package errand

import (
	"context"
	"slices"
	"strings"
	"time"

	"juvalogos/internal/fault"
	"juvalogos/internal/record"
	"juvalogos/internal/shelf"
	"juvalogos/internal/store"
)

// mostRows bounds an answer.
const mostRows = 10_000

// Wanted are what visitors of a desk wanted in the last so many days, found and not
// found, the most wanted first; what is for one visitor alone is not among them. 0
// days are 30.
func (s *Service) Wanted(ctx context.Context, slug string, days int) ([]record.Wanted, error) {
	if days == 0 {
		days = 30
	}
	if days < 1 || days > 3660 {
		return nil, fault.Say(fault.Invalid, "days is a whole number from 1 to 3660.")
	}
	d, err := s.Desks.Desk(ctx, slug)
	if err != nil {
		return nil, err
	}
	all, err := s.Store.Wanted(ctx, d.DeskID, s.Now().AddDate(0, 0, -days), 500)
	if err != nil {
		return nil, fault.Logged(s.Log, "list what was wanted", fault.New(fault.NoRecords, err))
	}
	return all, nil
}

// Sums adds up errands by some keys, over the days from one up to and with another;
// nil means the last thirty.
func (s *Service) Sums(ctx context.Context, by []string, from, to *time.Time, desk string) (begins, ends time.Time,
	rows []record.ErrandSum, err error) {
	for _, key := range by {
		if !slices.Contains(store.ErrandKeys(), key) {
			return begins, ends, nil, fault.Say(fault.Invalid, "by is one or more of %s, with commas between.",
				strings.Join(store.ErrandKeys(), ", "))
		}
	}
	today := s.Now().UTC().Truncate(24 * time.Hour)
	begins, ends = today.AddDate(0, 0, -29), today.AddDate(0, 0, 1)
	if from != nil {
		begins = *from
	}
	if to != nil {
		ends = to.AddDate(0, 0, 1)
	}
	rows, err = s.Store.Sums(ctx, by, begins, ends, desk, mostRows)
	if err != nil {
		err = fault.Logged(s.Log, "add up errands", fault.New(fault.NoRecords, err))
	}
	return begins, ends, rows, err
}

// Titles are the documents of a desk's shelves that a visitor may choose to talk
// about, those with the words of a search.
func (s *Service) Titles(ctx context.Context, slug, search string) (all []shelf.Title, more bool, err error) {
	f, err := s.Desks.Face(ctx, slug)
	if err != nil {
		return nil, false, err
	}
	if !f.Bring.Documents {
		return nil, false, fault.Say(fault.NotOffered, "At this desk no single document can be chosen.")
	}
	return s.Shelves.Titles(ctx, f.Shelves, search, mostTitles)
}

// mostTitles is how many titles are listed at once.
const mostTitles = 40

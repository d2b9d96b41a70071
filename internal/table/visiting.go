package table

import (
	"context"
	"encoding/json"
	"errors"

	"github.com/google/uuid"

	"juvalogos/core/tables"
	"juvalogos/internal/engine"
	"juvalogos/internal/fault"
	"juvalogos/internal/record"
)

// What visitors do with tables.

// Documents are what conversations have.
type Documents interface {
	InConversation(ctx context.Context, conversation uuid.UUID, visitor record.Visitor) ([]record.Document, error)
}

// Turns are those on record.
type Turns interface {
	Turn(ctx context.Context, id uuid.UUID, visitor record.Visitor) (record.Turn, error)
}

// Shown is a document with its tables, as a visitor sees it.
type Shown struct {
	record.Tabled
	Own bool // it is the visitor's: kinds of columns can be put right
}

// Visible are the tables that a visitor may ask of at a desk that has shelves, and in a
// conversation that has documents; the zero id is that of none. The engine is started for
// them meanwhile. It fails as the store does.
func (s *Service) Visible(ctx context.Context, slugs []string, conversation uuid.UUID, visitor record.Visitor) (
	all []Shown, err error) {
	var mine []record.Document
	if conversation != uuid.Nil {
		if mine, err = s.Documents.InConversation(ctx, conversation, visitor); err != nil {
			return nil, err
		}
	}
	own, err := s.Store.Of(ctx, idsOf(mine))
	if err != nil {
		return nil, err
	}
	for _, t := range own {
		all = append(all, Shown{t, true})
	}
	shelved, err := s.Store.OnShelves(ctx, slugs)
	if err != nil {
		return nil, err
	}
	for _, t := range shelved {
		all = append(all, Shown{Tabled: t})
	}
	if hand := Holding(append(own, shelved...)); len(hand) > 0 {
		go func() {
			warming, cancel := context.WithTimeout(context.WithoutCancel(ctx), warmLimit)
			defer cancel()
			if err := s.At(hand).Warm(warming); err != nil {
				s.Log.Debug("tables could not be opened beforehand", "error", err)
			}
		}()
	}
	return all, nil
}

// PutRightOwn has a document of the visitor's read anew with the kind of a column as they
// say it is. It fails with a *fault.Problem where it is not theirs or cannot be read so.
func (s *Service) PutRightOwn(ctx context.Context, conversation uuid.UUID, visitor record.Visitor, document int64,
	g record.GivenKind) (Shown, error) {
	mine, err := s.Documents.InConversation(ctx, conversation, visitor)
	if err != nil {
		return Shown{}, err
	}
	for _, d := range mine {
		if d.ID != document {
			continue
		}
		found, err := s.Store.Of(ctx, []int64{document})
		if err != nil || len(found) == 0 {
			return Shown{}, fault.Say(fault.NotHere, "This document has no table. It may have been removed.")
		}
		return s.putRight(ctx, found[0], g)
	}
	return Shown{}, fault.Say(fault.NotHere, "This document is not here. It may belong to another browser.")
}

// OnShelf are the tables of a shelf, for makers. It fails as the store does.
func (s *Service) OnShelf(ctx context.Context, slug string) (all []Shown, err error) {
	found, err := s.Store.OnShelves(ctx, []string{slug})
	for _, t := range found {
		all = append(all, Shown{t, true})
	}
	return all, err
}

// PutRightOnShelf is PutRightOwn for makers, of a document on a shelf. It fails as that does.
func (s *Service) PutRightOnShelf(ctx context.Context, slug string, document int64, g record.GivenKind) (Shown, error) {
	found, err := s.Store.OnShelves(ctx, []string{slug})
	if err != nil {
		return Shown{}, err
	}
	for _, t := range found {
		if t.Document == document {
			return s.putRight(ctx, t, g)
		}
	}
	return Shown{}, fault.Say(fault.NotHere, "This document has no table. It may have been removed.")
}

func (s *Service) putRight(ctx context.Context, t record.Tabled, g record.GivenKind) (Shown, error) {
	t, err := s.PutRight(ctx, t, g)
	var problem *engine.Problem
	if errors.As(err, &problem) {
		return Shown{}, &fault.Problem{Code: fault.Invalid, Sentence: problem.What}
	}
	return Shown{t, true}, err
}

// Rows returns more rows of the table that a turn of the visitor's has. It fails with a
// *fault.Problem where there are none to be had.
func (s *Service) Rows(ctx context.Context, visitor record.Visitor, turn uuid.UUID, skip int64,
	most int) (*tables.Result,
	error) {
	kept, err := s.kept(ctx, visitor, turn)
	if err != nil {
		return nil, err
	}
	if skip+int64(most) <= int64(len(kept.Rows)) || kept.Total <= int64(len(kept.Rows)) {
		from := min(skip, int64(len(kept.Rows)))
		kept.Rows = kept.Rows[from:min(from+int64(most), int64(len(kept.Rows)))]
		return kept, nil
	}
	return s.again(ctx, kept, func(at *At) (*tables.Result, error) { return at.Ask(ctx, kept.Query, skip, most) })
}

// Behind returns the rows on which a row of that table rests; of its columns one is marked
// in them. Errors are those of Rows.
func (s *Service) Behind(ctx context.Context, visitor record.Visitor, turn uuid.UUID, row, column int, skip int64,
	most int) (*tables.Result, error) {
	kept, err := s.kept(ctx, visitor, turn)
	if err != nil {
		return nil, err
	}
	if row >= len(kept.Rows) {
		return nil, fault.Say(fault.NotHere, "The table has no such row.")
	}
	return s.again(ctx, kept, func(at *At) (*tables.Result, error) {
		return at.Behind(ctx, kept.Query, kept.Rows[row], column, skip, most)
	})
}

// kept is the table that a turn of the visitor's has.
func (s *Service) kept(ctx context.Context, visitor record.Visitor, turn uuid.UUID) (*tables.Result, error) {
	t, err := s.Turns.Turn(ctx, turn, visitor)
	if err != nil {
		return nil, fault.NotFound(s.Log, fault.NoTurn, err)
	}
	var parts []struct {
		Type  string
		Value json.RawMessage
	}
	if t.Attempt.Parts != nil {
		if err := json.Unmarshal(t.Attempt.Parts, &parts); err != nil {
			return nil, err
		}
	}
	for _, p := range parts {
		if p.Type == "result" {
			var kept tables.Result
			err := json.Unmarshal(p.Value, &kept)
			return &kept, err
		}
	}
	return nil, fault.Say(fault.NotHere, "This reply has no table.")
}

// again asks what a result was worked out from, where that is still there as it was.
func (s *Service) again(ctx context.Context, kept *tables.Result,
	ask func(*At) (*tables.Result, error)) (*tables.Result,
	error) {
	from, err := s.Store.ByKeys(ctx, kept.Keys)
	if err != nil {
		return nil, err
	}
	if len(from) < len(kept.Keys) {
		return nil,
			fault.Say(fault.NotHere, "The table that this was worked out from has been removed or read anew. Ask "+
				"again to see more of it.")
	}
	r, err := ask(s.At(from))
	var refused *tables.Refused
	switch {
	case errors.As(err, &refused) && !refused.TooMuch.IsZero():
		return nil, &fault.Problem{Code: fault.TooMuch, Sentence: refused.TooMuch}
	case errors.As(err, &refused):
		return nil, fault.Say(fault.Invalid, "This cannot be told of this table.")
	}
	return r, err
}

func idsOf(all []record.Document) []int64 {
	ids := make([]int64, len(all))
	for i, d := range all {
		ids[i] = d.ID
	}
	return ids
}

// Openers are questions that fit what is visible.
func Openers(all []Shown) []string {
	var of []*tables.Table
	for i := range all {
		for j := range all[i].Tables {
			of = append(of, &all[i].Tables[j])
		}
	}
	return append([]string{}, tables.Openers(of)...)
}

package errand

import (
	"context"
	"errors"
	"strings"

	"github.com/google/uuid"

	"juvalogos/core/phrase"
	"juvalogos/core/steps"
	"juvalogos/internal/record"
)

// ReadPage reads a page or a file for a step of a recipe: an errand on whose end the
// reply waits, and on which the conversation does not rest. The error says what is
// wrong with the address.
func (s *Service) ReadPage(ctx context.Context, slug string, conversation uuid.UUID, visitor record.Visitor,
	address string) (p steps.Page, err error) {
	if s.Sources == nil || s.Shelves == nil {
		return p,
			errors.New("this service reads no pages for visitors; start with -visit HOST to allow those of a host")
	}
	d, err := s.Desks.Open(ctx, slug)
	if err != nil {
		return p, err
	}
	e, err := s.begin(ctx, d, record.Errand{Kind: record.ByAddress, Wanted: strings.TrimSpace(address), Most: 1,
		Conversation: conversation, Visitor: visitor}, order{aside: true})
	if err != nil {
		return p, err
	}
	if e, err = s.Wait(ctx, e, longestErrand); err == nil {
		e, err = s.read(ctx, e)
	}
	if err != nil {
		return p, err
	}
	if e.State != record.ErrandReady || len(e.Documents) == 0 {
		s.cancel(e.ID)
		return p, &phrase.Error{Phrase: e.Problem.Sentence()}
	}
	var parts []string
	for _, d := range e.Documents {
		if d.State == record.Unread {
			return p, &phrase.Error{Phrase: d.Problem.Sentence()}
		}
		_, blocks, err := s.Shelves.Blocks(ctx, d.ShelfSlug, d.ID)
		if err != nil {
			return p, err
		}
		for _, b := range blocks {
			parts = append(parts, b.Text)
		}
	}
	first := e.Documents[0]
	p = steps.Page{Title: first.Title, Address: first.Source, Text: strings.Join(parts, "\n\n")}
	if p.Title == "" {
		p.Title = first.WorkName
	}
	return p, nil
}

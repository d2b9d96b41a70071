package reply

import (
	"context"
	"sync"
	"time"

	"github.com/google/uuid"

	"juvalogos/core/steps"
	"juvalogos/core/tables"
	"juvalogos/internal/record"
	"juvalogos/internal/shelf"
	"juvalogos/internal/table"
)

// sheets are the tables that one reply may ask; it is a steps.Tables.
type sheets struct {
	service *table.Service
	library *shelf.Library
	slugs   []string
	own     bool // what the visitor attached and had brought, where the desk allows it
	reply   *Reply
	past    []record.PastTurn

	mu sync.Mutex
	at *table.At
}

func (s *sheets) All(ctx context.Context) ([]*tables.Table, error) {
	at, err := s.open(ctx)
	if err != nil {
		return nil, err
	}
	return at.Tables(), nil
}

func (s *sheets) Ask(ctx context.Context, query string, most int) (tables.Result, error) {
	at, err := s.open(ctx)
	if err != nil {
		return tables.Result{}, err
	}
	r, err := at.Ask(ctx, query, 0, most)
	if err != nil {
		return tables.Result{}, err
	}
	return *r, nil
}

// Earlier are the questions that went before, with the queries that were run for them.
func (s *sheets) Earlier(ctx context.Context) (all []steps.Queried, err error) {
	ids := make([]uuid.UUID, len(s.past))
	for i, t := range s.past {
		ids[i] = t.ID
	}
	queries, err := s.service.Store.Queries(ctx, ids)
	for _, t := range s.past {
		all = append(all, steps.Queried{Question: t.Question, Query: queries[t.ID]})
	}
	return all, err
}

// open finds the tables at hand, once.
func (s *sheets) open(ctx context.Context) (*table.At, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.at != nil {
		return s.at, nil
	}
	from, private, err := s.service.Hand(ctx, s.slugs, s.documents)
	for waited := time.Duration(0); err == nil && len(from) == 0 && s.unread(ctx) &&
		waited < longestUnread; waited += often {
		select {
		case <-ctx.Done():
			return nil, context.Cause(ctx)
		case <-time.After(often):
		}
		from, private, err = s.service.Hand(ctx, s.slugs, s.documents)
	}
	if err != nil {
		return nil, err
	}
	if private {
		s.reply.private.Store(true)
	}
	s.at = s.service.At(from)
	return s.at, nil
}

// A shelf that is being filled is waited for, for a while.
const (
	longestUnread = 20 * time.Second
	often         = 200 * time.Millisecond
)

// unread reports whether documents of the desk's shelves are still to be read.
func (s *sheets) unread(ctx context.Context) bool {
	for _, slug := range s.slugs {
		if f, err := s.library.Shelf(ctx, slug); err == nil && f.Unread > 0 {
			return true
		}
	}
	return false
}

// documents are the visitor's own, once they have been read.
func (s *sheets) documents(ctx context.Context) (all []record.Document, err error) {
	if !s.own {
		return nil, nil
	}
	return ownDocuments(ctx, s.library, s.reply)
}

// ownDocuments are what a conversation has of its visitor's own, once it has been read.
func ownDocuments(ctx context.Context, library *shelf.Library, r *Reply) (all []record.Document, err error) {
	for {
		all, err = library.InConversation(ctx, r.Conversation, r.visitor)
		if err != nil {
			return nil, err
		}
		waits := false
		for _, d := range all {
			waits = waits || d.State == record.Waiting || d.State == record.Reading
		}
		if !waits {
			return all, nil
		}
		select {
		case <-ctx.Done():
			return nil, context.Cause(ctx)
		case <-time.After(100 * time.Millisecond):
		}
	}
}

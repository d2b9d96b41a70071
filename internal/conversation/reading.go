package conversation

import (
	"context"

	"github.com/google/uuid"

	"juvalogos/internal/fault"
	"juvalogos/internal/record"
)

// Knows reports whether there is something of a visitor on record.
func (s *Service) Knows(ctx context.Context, visitor record.Visitor) bool {
	yes, err := s.Store.Known(ctx, visitor)
	return err == nil && yes
}

// Turn returns a visitor's turn as it is on record.
func (s *Service) Turn(ctx context.Context, visitor record.Visitor, id uuid.UUID) (record.Turn, error) {
	t, err := s.Store.Turn(ctx, id, visitor)
	if err != nil {
		return t, fault.NotFound(s.Log, fault.NoTurn, err)
	}
	return t, nil
}

// Conversation returns a visitor's conversation; replies on their way come
// with the text they have now, not the text on record.
func (s *Service) Conversation(ctx context.Context, visitor record.Visitor, id uuid.UUID) (record.Conversation,
	[]record.Turn, error) {
	c, turns, err := s.Store.Conversation(ctx, id, visitor)
	if err != nil {
		return c, nil, fault.NotFound(s.Log, fault.NoConversation, err)
	}
	for i := range turns {
		t := &turns[i]
		if t.Attempt.State != record.Running {
			continue
		}
		if r := s.Replies.LiveFor(visitor, t.ID); r != nil {
			t.Attempt.Reply = string(r.Since(0, nil).Text)
			t.Attempt.Lanes = r.LanesOnRecord()
			continue
		}
		if err := s.Replies.Sweep(ctx); err != nil {
			continue
		}
		if again, err := s.Store.Turn(ctx, t.ID, visitor); err == nil {
			*t = again
		}
	}
	return c, turns, nil
}

// Conversations lists a visitor's conversations at a desk.
func (s *Service) Conversations(ctx context.Context, visitor record.Visitor, slug string,
	page record.Page) ([]record.Conversation, error) {
	page.Limit = record.PageLimit(page.Limit)
	list, err := s.Store.Conversations(ctx, slug, visitor, page)
	if err != nil {
		return nil, fault.Logged(s.Log, "list conversations", fault.New(fault.NoRecords, err))
	}
	return list, nil
}

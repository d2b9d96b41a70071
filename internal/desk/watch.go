package desk

import (
	"context"

	"github.com/google/uuid"

	"juvalogos/internal/record"
)

// Watch returns the newest attempt at a visitor's turn, to be listened to: as
// it grows if it is being made, as it was recorded otherwise.
func (s *Service) Watch(ctx context.Context, visitor record.Visitor, turn uuid.UUID) (*Reply, error) {
	if r := s.liveReply(visitor, turn); r != nil {
		return r, nil
	}
	t, err := s.Store.Conversations.Turn(ctx, turn, visitor)
	if err == nil && t.Attempt.State == record.Running {
		// Nobody here makes it: its service has died, or it is another's.
		if err = s.sweep(ctx); err == nil {
			t, err = s.Store.Conversations.Turn(ctx, turn, visitor)
		}
	}
	if err != nil {
		return nil, s.notFound(NoTurn, err)
	}
	r := recorded(t)
	if t.Attempt.State == record.Running {
		r.over, r.settled = false, false
		s.background.Go(func() { s.followRecord(r, visitor) })
	}
	return r, nil
}

// Turn returns a visitor's turn as it is on record.
func (s *Service) Turn(ctx context.Context, visitor record.Visitor, id uuid.UUID) (record.Turn, error) {
	t, err := s.Store.Conversations.Turn(ctx, id, visitor)
	if err != nil {
		return t, s.notFound(NoTurn, err)
	}
	return t, nil
}

func (s *Service) liveReply(visitor record.Visitor, turn uuid.UUID) *Reply {
	s.mu.Lock()
	defer s.mu.Unlock()
	if r := s.live[turn]; r != nil && r.visitor == visitor {
		return r
	}
	return nil
}

// followRecord lets a reply grow that another instance makes, by reading what
// that one has put on record.
func (s *Service) followRecord(r *Reply, visitor record.Visitor) {
	for s.makeCtx.Err() == nil {
		sleep(s.makeCtx, keepAfter)
		t, err := s.Store.Conversations.Turn(s.makeCtx, r.Turn, visitor)
		if err != nil || t.Attempt.Number != r.Attempt {
			continue
		}
		if have := r.length(); len(t.Attempt.Reply) > have {
			r.add([]byte(t.Attempt.Reply)[have:], s.Now)
		}
		if t.Attempt.State != record.Running {
			r.finish(EndOf(t.Attempt))
			r.settle()
			return
		}
	}
}

// Conversation returns a visitor's conversation; replies on their way come
// with the text they have now, not the text on record.
func (s *Service) Conversation(ctx context.Context, visitor record.Visitor, id uuid.UUID) (record.Conversation, []record.Turn, error) {
	c, turns, err := s.Store.Conversations.Conversation(ctx, id, visitor)
	if err != nil {
		return c, nil, s.notFound(NoConversation, err)
	}
	for i := range turns {
		t := &turns[i]
		if t.Attempt.State != record.Running {
			continue
		}
		if r := s.liveReply(visitor, t.ID); r != nil {
			t.Attempt.Reply = string(r.Since(0, nil).Text)
			t.Attempt.Lanes = encode(r.lanesNow(), r.Choosing.Show == "")
			continue
		}
		if err := s.sweep(ctx); err != nil {
			continue
		}
		if again, err := s.Store.Conversations.Turn(ctx, t.ID, visitor); err == nil {
			*t = again
		}
	}
	return c, turns, nil
}

// Conversations lists a visitor's conversations at a desk.
func (s *Service) Conversations(ctx context.Context, visitor record.Visitor, slug string, page record.Page) ([]record.Conversation, error) {
	page.Limit = pageLimit(page.Limit)
	list, err := s.Store.Conversations.Conversations(ctx, slug, visitor, page)
	if err != nil {
		return nil, s.logged("list conversations", problem(NoRecords, err))
	}
	return list, nil
}

func pageLimit(asked int) int {
	const usual, most = 100, 200
	if asked <= 0 {
		return usual
	}
	return min(asked, most)
}

package reply

import (
	"context"

	"github.com/google/uuid"

	"juvalogos/internal/fault"
	"juvalogos/internal/record"
	"juvalogos/internal/store"
)

// Watch returns the newest attempt at a visitor's turn, to be listened to: as
// it grows if it is being made, as it was recorded otherwise.
func (s *Service) Watch(ctx context.Context, visitor record.Visitor, turn uuid.UUID) (*Reply, error) {
	if r := s.LiveFor(visitor, turn); r != nil {
		return r, nil
	}
	ctx = store.Soon(ctx)
	t, err := s.Store.Conversations.Turn(ctx, turn, visitor)
	if err == nil && t.Attempt.State == record.Running {
		// Nobody here makes it: its service has died, or it is another's.
		if err = s.Sweep(ctx); err == nil {
			t, err = s.Store.Conversations.Turn(ctx, turn, visitor)
		}
	}
	if err != nil {
		return nil, fault.NotFound(s.Log, fault.NoTurn, err)
	}
	r := recorded(t)
	if t.Attempt.State == record.Running {
		r.over, r.settled = false, false
		s.background.Go(func() { s.followRecord(r, visitor) })
	}
	return r, nil
}

// LiveFor returns a reply on its way to its visitor; nil if there is none.
func (s *Service) LiveFor(visitor record.Visitor, turn uuid.UUID) *Reply {
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

// Busy reports whether a reply is being made in a conversation.
func (s *Service) Busy(conversation uuid.UUID) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.busy[conversation] != nil
}

// StopIn stops the reply that is being made in a conversation, if any.
func (s *Service) StopIn(conversation uuid.UUID) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if r := s.busy[conversation]; r != nil {
		r.cancel(errStopped)
	}
}

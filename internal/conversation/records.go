package conversation

import (
	"context"
	"errors"

	"github.com/google/uuid"

	"juvalogos/internal/fault"
	"juvalogos/internal/record"
)

// What makers do with the conversations at their desks.

// DeskConversations lists the conversations that visitors had at a desk.
func (s *Service) DeskConversations(ctx context.Context, slug string, page record.Page) ([]record.Conversation, error) {
	if _, err := s.Desks.Desk(ctx, slug); err != nil {
		return nil, err
	}
	page.Limit = record.PageLimit(page.Limit)
	return s.Store.DeskConversations(ctx, slug, page)
}

// DeskConversation returns a conversation with the summaries of its beginning,
// the oldest first.
func (s *Service) DeskConversation(ctx context.Context, id uuid.UUID) (record.Conversation, []record.Turn,
	[]record.Summary, error) {
	c, turns, summaries, err := s.Store.DeskConversation(ctx, id)
	return c, turns, summaries, noConversation(err)
}

// RemoveAny takes anybody's conversation away; RestoreAny brings it back for
// 30 days.
func (s *Service) RemoveAny(ctx context.Context, id uuid.UUID, by string) error {
	err := s.Store.RemoveAny(ctx, id, s.Now())
	if err == nil {
		s.Log.Info("a maker removed a conversation", "conversation", id, "by", by)
	}
	return noConversation(err)
}

// RestoreAny brings anybody's removed conversation back.
func (s *Service) RestoreAny(ctx context.Context, id uuid.UUID) error {
	return noConversation(s.Store.RestoreAny(ctx, id))
}

func noConversation(err error) error {
	if errors.Is(err, record.ErrNotFound) {
		return fault.Say(fault.NoConversation, "There is no such conversation. It may have been removed.")
	}
	return err
}

// Index makes the turns findable whose replies have ended lately.
func (s *Service) Index(ctx context.Context) {
	turns := s.Replies.Finished()
	if len(turns) == 0 {
		return
	}
	if err := s.Store.IndexWords(ctx, turns); err != nil && ctx.Err() == nil {
		s.Log.Warn("making replies findable; trying again within the hour", "replies", len(turns), "error", err)
	}
}

// IndexRest makes findable what a crash or an error has left out.
func (s *Service) IndexRest(ctx context.Context) {
	const atOnce = 500
	for {
		turns, err := s.Store.Unindexed(ctx, atOnce)
		if err == nil {
			err = s.Store.IndexWords(ctx, turns)
		}
		if err != nil && ctx.Err() == nil {
			s.Log.Warn("making old replies findable", "error", err)
		}
		if err != nil || len(turns) < atOnce {
			return
		}
	}
}

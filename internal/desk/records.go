package desk

import (
	"context"
	"errors"
	"time"

	"github.com/google/uuid"

	"juvalogos/internal/record"
)

// What makers do with the conversations at their desks.

// DeskConversations lists the conversations that visitors had at a desk.
func (s *Service) DeskConversations(ctx context.Context, slug string, page record.Page) ([]record.Conversation, error) {
	if _, err := s.Desk(ctx, slug); err != nil {
		return nil, err
	}
	page.Limit = pageLimit(page.Limit)
	return s.Store.Conversations.DeskConversations(ctx, slug, page)
}

// DeskConversation returns a conversation with the summaries of its beginning,
// the oldest first.
func (s *Service) DeskConversation(ctx context.Context, id uuid.UUID) (record.Conversation, []record.Turn, []record.Summary, error) {
	c, turns, summaries, err := s.Store.Conversations.DeskConversation(ctx, id)
	return c, turns, summaries, noConversation(err)
}

// RemoveAny takes anybody's conversation away; RestoreAny brings it back for
// 30 days.
func (s *Service) RemoveAny(ctx context.Context, id uuid.UUID, by string) error {
	err := s.Store.Conversations.RemoveAny(ctx, id, s.Now())
	if err == nil {
		s.Log.Info("a maker removed a conversation", "conversation", id, "by", by)
	}
	return noConversation(err)
}

// RestoreAny brings anybody's removed conversation back.
func (s *Service) RestoreAny(ctx context.Context, id uuid.UUID) error {
	return noConversation(s.Store.Conversations.RestoreAny(ctx, id))
}

func noConversation(err error) error {
	if errors.Is(err, record.ErrNotFound) {
		return &Problem{Code: NoConversation, Sentence: "There is no such conversation. It may have been removed."}
	}
	return err
}

// New replies can be searched for after this long.
const indexEvery = 2 * time.Second

// index makes the turns findable whose replies have ended lately.
func (s *Service) index(ctx context.Context) {
	s.mu.Lock()
	turns := s.fresh
	s.fresh = nil
	s.mu.Unlock()
	if len(turns) == 0 {
		return
	}
	if err := s.Store.Conversations.IndexWords(ctx, turns); err != nil && ctx.Err() == nil {
		s.Log.Warn("making replies findable; trying again within the hour", "replies", len(turns), "error", err)
	}
}

// indexRest makes findable what a crash or an error has left out.
func (s *Service) indexRest(ctx context.Context) {
	const atOnce = 500
	for {
		turns, err := s.Store.Conversations.Unindexed(ctx, atOnce)
		if err == nil {
			err = s.Store.Conversations.IndexWords(ctx, turns)
		}
		if err != nil && ctx.Err() == nil {
			s.Log.Warn("making old replies findable", "error", err)
		}
		if err != nil || len(turns) < atOnce {
			return
		}
	}
}

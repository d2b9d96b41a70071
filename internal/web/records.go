package web

import (
	"strconv"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/google/uuid"

	"juvalogos/internal/account"
	"juvalogos/internal/conversation"
	"juvalogos/internal/desk"
	"juvalogos/internal/fault"
	"juvalogos/internal/record"
	"juvalogos/internal/shape"
)

// What makers do with the conversations at their desks.

// records are the handlers of conversations as makers see them.
type records struct {
	*door
	Desks         *desk.Service
	Conversations *conversation.Service
}

func (s *records) routes(api fiber.Router) {
	api.Get("/desks/:slug/conversations", s.allowed(account.Read, s.deskConversations))
	api.Get("/records/:id", s.allowed(account.Read, s.record))
	api.Get("/records/:id/export", s.allowed(account.Read, s.exportRecord))
	api.Delete("/records/:id", s.allowed(account.Publish, s.removeRecord))
	api.Post("/records/:id/restore", s.allowed(account.Publish, s.restoreRecord))
}

func (s *records) deskConversations(c fiber.Ctx) error {
	page, err := pageOf(c)
	if err != nil {
		return err
	}
	list, err := s.Conversations.DeskConversations(c, c.Params("slug"), page)
	if err != nil {
		return err
	}
	return sendConversations(c, list)
}

// record answers with a conversation as makers see it.
func (s *records) record(c fiber.Ctx) error {
	conversation, turns, summaries, err := s.deskConversation(c)
	if err != nil {
		return err
	}
	b := withTurns(s.door, conversation, turns, true)
	b.Summaries = shape.Each(summaries, shape.Summary)
	c.Set("Cache-Control", "no-store")
	return c.JSON(b)
}

func (s *records) deskConversation(c fiber.Ctx) (record.Conversation, []record.Turn, []record.Summary, error) {
	id, err := uuid.Parse(c.Params("id"))
	if err != nil {
		return record.Conversation{}, nil, nil,
			fault.Say(fault.NoConversation, "There is no such conversation.")
	}
	return s.Conversations.DeskConversation(c, id)
}

func (s *records) exportRecord(c fiber.Ctx) error {
	conversation, turns, _, err := s.deskConversation(c)
	if err != nil {
		return err
	}
	return sendFile(c, s.door, s.Desks, s.Conversations, conversation, turns)
}

func (s *records) removeRecord(c fiber.Ctx) error {
	conversation, _, _, err := s.deskConversation(c)
	if err != nil {
		return err
	}
	if err := s.Conversations.RemoveAny(c, conversation.ID, by(c)); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *records) restoreRecord(c fiber.Ctx) error {
	id, err := uuid.Parse(c.Params("id"))
	if err == nil {
		err = s.Conversations.RestoreAny(c, id)
	} else {
		err = fault.Say(fault.NoConversation, "There is no such conversation.")
	}
	if err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

// pageOf reads which part of a list is asked for: ?search=, ?before=, ?limit=.
func pageOf(c fiber.Ctx) (p record.Page, err error) {
	p.Search = c.Query("search")
	if text := c.Query("before"); text != "" {
		at, err := time.Parse(time.RFC3339Nano, text)
		if err != nil {
			return p, invalid("before is a time like 2026-06-01T12:00:00Z.")
		}
		p.Before = &at
	}
	if text := c.Query("limit"); text != "" {
		if p.Limit, err = strconv.Atoi(text); err != nil || p.Limit < 1 {
			return p, invalid("limit is a number from 1 to 200.")
		}
	}
	return p, nil
}

package web

import (
	"strconv"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/google/uuid"

	"juvalogos/internal/desk"
	"juvalogos/internal/record"
	"juvalogos/internal/shape"
)

// What makers do with the conversations at their desks.

func (s *Server) deskConversations(c fiber.Ctx) error {
	page, err := pageOf(c)
	if err != nil {
		return err
	}
	list, err := s.Desks.DeskConversations(c, c.Params("slug"), page)
	if err != nil {
		return err
	}
	return sendConversations(c, list)
}

// record answers with a conversation as makers see it.
func (s *Server) record(c fiber.Ctx) error {
	conversation, turns, summaries, err := s.deskConversation(c)
	if err != nil {
		return err
	}
	b := s.withTurns(conversation, turns, true)
	b.Summaries = shape.Each(summaries, shape.Summary)
	c.Set("Cache-Control", "no-store")
	return c.JSON(b)
}

func (s *Server) deskConversation(c fiber.Ctx) (record.Conversation, []record.Turn, []record.Summary, error) {
	id, err := uuid.Parse(c.Params("id"))
	if err != nil {
		return record.Conversation{}, nil, nil, &desk.Problem{Code: desk.NoConversation, Sentence: "There is no such conversation."}
	}
	return s.Desks.DeskConversation(c, id)
}

func (s *Server) exportRecord(c fiber.Ctx) error {
	conversation, turns, _, err := s.deskConversation(c)
	if err != nil {
		return err
	}
	return s.sendFile(c, conversation, turns)
}

func (s *Server) removeRecord(c fiber.Ctx) error {
	conversation, _, _, err := s.deskConversation(c)
	if err != nil {
		return err
	}
	if err := s.Desks.RemoveAny(c, conversation.ID, by(c)); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *Server) restoreRecord(c fiber.Ctx) error {
	id, err := uuid.Parse(c.Params("id"))
	if err == nil {
		err = s.Desks.RestoreAny(c, id)
	} else {
		err = &desk.Problem{Code: desk.NoConversation, Sentence: "There is no such conversation."}
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

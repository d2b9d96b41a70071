package web

import (
	"encoding/json"
	"net/url"
	"strings"

	"github.com/gofiber/fiber/v3"
	"github.com/google/uuid"

	"juvalogos/internal/api"
	"juvalogos/internal/desk"
	"juvalogos/internal/record"
	"juvalogos/internal/shape"
)

func (s *Server) face(c fiber.Ctx) error {
	slug, err := s.slugAsked(c)
	if err != nil {
		return err
	}
	f, err := s.faceAt(c, slug)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(f)
}

func (s *Server) faceAt(c fiber.Ctx, slug string) (api.Face, error) {
	f, err := s.Desks.Face(c, slug)
	if err != nil {
		return api.Face{}, err
	}
	b := shape.Face(f)
	r, err := s.Desks.RecipeOf(slug, f)
	if err != nil {
		return b, nil // asking will say what is wrong
	}
	if r.Lanes() {
		b.Show = api.FaceShow(r.Show)
	}
	for _, in := range r.Takes {
		if in.Name != "question" {
			b.Takes = append(b.Takes, shape.Take(in))
		}
	}
	return b, nil
}

// slugAsked is the desk that is asked for; a draft only if a maker asks.
func (s *Server) slugAsked(c fiber.Ctx) (string, error) {
	slug, err := url.PathUnescape(c.Params("slug"))
	if err == nil && strings.HasPrefix(slug, desk.DraftMark) {
		err = s.mayPreview(c)
	}
	return slug, err
}

func (s *Server) conversations(c fiber.Ctx) error {
	who, err := s.visitor(c)
	if err != nil {
		return err
	}
	page, err := pageOf(c)
	if err != nil {
		return err
	}
	if strings.HasPrefix(c.Params("slug"), desk.DraftMark) {
		return sendConversations(c, nil) // trying a draft leaves nothing behind
	}
	list, err := s.Desks.Conversations(c, who, c.Params("slug"), page)
	if err != nil {
		return err
	}
	return sendConversations(c, list)
}

func sendConversations(c fiber.Ctx, list []record.Conversation) error {
	c.Set("Cache-Control", "no-store")
	return c.JSON(api.ConversationList{Conversations: shape.All(list, shape.Conversation)})
}

func (s *Server) conversation(c fiber.Ctx) error {
	who, id, err := s.conversationAsked(c)
	if err != nil {
		return err
	}
	return s.sendConversation(c, who, id)
}

func (s *Server) sendConversation(c fiber.Ctx, who record.Visitor, id uuid.UUID) error {
	conversation, turns, err := s.Desks.Conversation(c, who, id)
	if err != nil {
		return err
	}
	b := s.withTurns(conversation, turns, s.tellsCost(c))
	c.Set("Cache-Control", "no-store")
	return c.JSON(b)
}

// tellsCost reports whether a maker asks, who may know what replies cost.
func (s *Server) tellsCost(c fiber.Ctx) bool {
	_, _, err := s.session(c)
	return err == nil
}

// withTurns is a conversation as its visitor sees it, or a maker.
func (s *Server) withTurns(c record.Conversation, turns []record.Turn, maker bool) api.Conversation {
	b := shape.Conversation(c)
	if c.Share != "" {
		b.Shared = s.sharePath(c.Share)
	}
	for _, t := range turns {
		b.Turns = append(b.Turns, shape.Turn(t, maker))
	}
	return b
}

// readJSON reads a request's body.
func readJSON(c fiber.Ctx, into any) error {
	if err := json.Unmarshal(c.Body(), into); err != nil {
		return invalid("The body of the request is not the JSON that is expected here: " + err.Error())
	}
	return nil
}

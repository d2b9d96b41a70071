package web

import (
	"fmt"

	"github.com/gofiber/fiber/v3"
	"github.com/google/uuid"

	"juvalogos/internal/api"
	"juvalogos/internal/desk"
	"juvalogos/internal/record"
	"juvalogos/internal/shape"
)

// What visitors do with conversations they had.

func (s *Server) attempts(c fiber.Ctx) error {
	who, id, err := s.turnAsked(c)
	if err != nil {
		return err
	}
	list, err := s.Desks.Attempts(c, who, id)
	if err != nil {
		return err
	}
	maker := s.tellsCost(c)
	c.Set("Cache-Control", "no-store")
	return c.JSON(api.AttemptList{Attempts: shape.All(list, func(a record.Attempt) api.Attempt { return shape.Attempt(a, maker) })})
}

func (s *Server) choose(c fiber.Ctx) error {
	who, id, err := s.turnAsked(c)
	if err != nil {
		return err
	}
	var b api.ChosenAttempt
	if err := readJSON(c, &b); err != nil {
		return err
	}
	if err := s.Desks.Choose(c, who, id, b.Attempt); err != nil {
		return err
	}
	return s.sendTurn(c, who, id)
}

// takeBack takes a conversation's last turn back and answers with its question,
// so that it can be asked in other words.
func (s *Server) takeBack(c fiber.Ctx) error {
	who, id, err := s.turnAsked(c)
	if err != nil {
		return err
	}
	question, left, err := s.Desks.TakeBack(c, who, id)
	if err != nil {
		return err
	}
	return c.JSON(api.TakenBack{Question: question, Left: left})
}

// show leads the conversation through a turn, and answers with it.
func (s *Server) show(c fiber.Ctx) error {
	who, id, err := s.turnAsked(c)
	if err != nil {
		return err
	}
	if err := s.Desks.Show(c, who, id); err != nil {
		return err
	}
	t, err := s.Desks.Turn(c, who, id)
	if err != nil {
		return err
	}
	return s.sendConversation(c, who, t.Conversation)
}

// judge notes whether an attempt helped; null takes the verdict back.
func (s *Server) judge(c fiber.Ctx) error {
	who, id, err := s.turnAsked(c)
	if err != nil {
		return err
	}
	var b api.Judgement
	if err := readJSON(c, &b); err != nil {
		return err
	}
	if err := s.Desks.Judge(c, who, id, b.Attempt, record.Verdict{Helped: b.Helped, Reason: string(b.Reason), Remark: b.Remark}); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

// prefer makes one of several texts the reply.
func (s *Server) prefer(c fiber.Ctx) error {
	who, id, err := s.turnAsked(c)
	if err != nil {
		return err
	}
	var b api.Preferred
	if err := readJSON(c, &b); err != nil {
		return err
	}
	if err := s.Desks.Prefer(c, who, id, b.Attempt, b.Lane); err != nil {
		return err
	}
	return s.sendTurn(c, who, id)
}

func (s *Server) rename(c fiber.Ctx) error {
	who, id, err := s.conversationAsked(c)
	if err != nil {
		return err
	}
	var b api.Renaming
	if err := readJSON(c, &b); err != nil {
		return err
	}
	if err := s.Desks.Rename(c, who, id, b.Title); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *Server) remove(c fiber.Ctx) error {
	who, id, err := s.conversationAsked(c)
	if err != nil {
		return err
	}
	if err := s.Desks.Remove(c, who, id); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *Server) restore(c fiber.Ctx) error {
	who, id, err := s.conversationAsked(c)
	if err != nil {
		return err
	}
	if err := s.Desks.Restore(c, who, id); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

// share makes the conversation readable by a link and answers with its path.
func (s *Server) share(c fiber.Ctx) error {
	who, id, err := s.conversationAsked(c)
	if err != nil {
		return err
	}
	share, err := s.Desks.Share(c, who, id)
	if err != nil {
		return err
	}
	return c.JSON(api.Shared{Page: s.sharePath(share)})
}

func (s *Server) sharePath(share string) string { return s.BasePath + "/shared/" + share }

func (s *Server) unshare(c fiber.Ctx) error {
	who, id, err := s.conversationAsked(c)
	if err != nil {
		return err
	}
	if err := s.Desks.Unshare(c, who, id); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

// shared answers anyone who has the link.
func (s *Server) shared(c fiber.Ctx) error {
	conversation, turns, err := s.Desks.Shared(c, c.Params("share"))
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(s.withTurns(conversation, turns, false))
}

// export answers with the conversation as a file: ?as=markdown or ?as=json.
func (s *Server) export(c fiber.Ctx) error {
	who, id, err := s.conversationAsked(c)
	if err != nil {
		return err
	}
	conversation, turns, err := s.Desks.Conversation(c, who, id)
	if err != nil {
		return err
	}
	return s.sendFile(c, conversation, turns)
}

func (s *Server) sendFile(c fiber.Ctx, conversation record.Conversation, turns []record.Turn) error {
	title := conversation.Slug
	if face, err := s.Desks.Face(c, conversation.Slug); err == nil { // it may be withdrawn
		title = face.Title
	}
	name := conversation.Slug + "-" + conversation.StartedAt.UTC().Format("2006-01-02")
	switch as := c.Query("as", "markdown"); as {
	case "markdown":
		c.Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name+".md"))
		c.Set("Content-Type", "text/markdown; charset=utf-8")
		return c.SendString(desk.Markdown(title, conversation, turns))
	case "json":
		c.Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name+".json"))
		return c.JSON(s.withTurns(conversation, turns, false))
	default:
		return invalid(fmt.Sprintf("A conversation can be saved as markdown or json, not as %q.", as))
	}
}

func (s *Server) conversationAsked(c fiber.Ctx) (record.Visitor, uuid.UUID, error) {
	who, err := s.visitor(c)
	if err != nil {
		return who, uuid.Nil, err
	}
	id, err := uuid.Parse(c.Params("id"))
	if err != nil {
		err = &desk.Problem{Code: desk.NoConversation, Sentence: desk.Sentence(desk.NoConversation)}
	}
	return who, id, err
}

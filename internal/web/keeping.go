package web

import (
	"bufio"
	"context"
	"fmt"
	"io"

	"github.com/gofiber/fiber/v3"

	"juvalogos/internal/api"
	"juvalogos/internal/conversation"
	"juvalogos/internal/desk"
	"juvalogos/internal/limits"
	"juvalogos/internal/record"
	"juvalogos/internal/shape"
	"juvalogos/internal/standing"
)

// What visitors do with conversations they had.

// keeping are the handlers of conversations that visitors had, and of desks as
// visitors see them.
type keeping struct {
	*door
	Desks         *desk.Service
	Conversations *conversation.Service
	Standing      *standing.Service
}

func (s *keeping) routes(api fiber.Router) {
	api.Get("/at/:slug", s.face)
	api.Get("/at/:slug/conversations", s.conversations)
	api.Post("/at/:slug/conversations", s.bringIn)
	api.Get("/conversations/:id", s.conversation)
	api.Patch("/conversations/:id", s.rename)
	api.Delete("/conversations/:id", s.remove)
	api.Post("/conversations/:id/restore", s.restore)
	api.Get("/conversations/:id/export", s.export)
	api.Post("/conversations/:id/share", s.share)
	api.Delete("/conversations/:id/share", s.unshare)
	api.Get("/shared/:share", s.shared)
	api.Delete("/turns/:id", s.takeBack)
	api.Post("/turns/:id/show", s.show)
	api.Get("/turns/:id/attempts", s.attempts)
	api.Post("/turns/:id/choose", s.choose)
	api.Post("/turns/:id/verdict", s.judge)
	api.Post("/turns/:id/preference", s.prefer)
}

func (s *keeping) attempts(c fiber.Ctx) error {
	who, id, err := s.turnAsked(c)
	if err != nil {
		return err
	}
	list, err := s.Conversations.Attempts(c, who, id)
	if err != nil {
		return err
	}
	maker := s.tellsCost(c)
	c.Set("Cache-Control", "no-store")
	return c.JSON(api.AttemptList{Attempts: shape.All(list,
		func(a record.Attempt) api.Attempt { return shape.Attempt(a, maker) })})
}

func (s *keeping) choose(c fiber.Ctx) error {
	who, id, err := s.turnAsked(c)
	if err != nil {
		return err
	}
	var b api.ChosenAttempt
	if err := readJSON(c, &b); err != nil {
		return err
	}
	if err := s.Conversations.Choose(c, who, id, b.Attempt); err != nil {
		return err
	}
	return sendTurn(c, s.door, s.Conversations, who, id)
}

// takeBack takes a conversation's last turn back and answers with its question,
// so that it can be asked in other words.
func (s *keeping) takeBack(c fiber.Ctx) error {
	who, id, err := s.turnAsked(c)
	if err != nil {
		return err
	}
	question, left, err := s.Conversations.TakeBack(c, who, id)
	if err != nil {
		return err
	}
	return c.JSON(api.TakenBack{Question: question, Left: left})
}

// show leads the conversation through a turn, and answers with it.
func (s *keeping) show(c fiber.Ctx) error {
	who, id, err := s.turnAsked(c)
	if err != nil {
		return err
	}
	if err := s.Conversations.Show(c, who, id); err != nil {
		return err
	}
	t, err := s.Conversations.Turn(c, who, id)
	if err != nil {
		return err
	}
	return s.sendConversation(c, who, t.Conversation)
}

// judge notes whether an attempt helped; null takes the verdict back.
func (s *keeping) judge(c fiber.Ctx) error {
	who, id, err := s.turnAsked(c)
	if err != nil {
		return err
	}
	var b api.Judgement
	if err := readJSON(c, &b); err != nil {
		return err
	}
	if err := s.Conversations.Judge(c, who, id, b.Attempt,
		record.Verdict{Helped: b.Helped, Reason: string(b.Reason), Remark: b.Remark}); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

// prefer makes one of several texts the reply.
func (s *keeping) prefer(c fiber.Ctx) error {
	who, id, err := s.turnAsked(c)
	if err != nil {
		return err
	}
	var b api.Preferred
	if err := readJSON(c, &b); err != nil {
		return err
	}
	if err := s.Conversations.Prefer(c, who, id, b.Attempt, b.Lane); err != nil {
		return err
	}
	return sendTurn(c, s.door, s.Conversations, who, id)
}

func (s *keeping) rename(c fiber.Ctx) error {
	who, id, err := s.conversationAsked(c)
	if err != nil {
		return err
	}
	var b api.Renaming
	if err := readJSON(c, &b); err != nil {
		return err
	}
	if err := s.Conversations.Rename(c, who, id, b.Title); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *keeping) remove(c fiber.Ctx) error {
	who, id, err := s.conversationAsked(c)
	if err != nil {
		return err
	}
	if err := s.Conversations.Remove(c, who, id); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *keeping) restore(c fiber.Ctx) error {
	who, id, err := s.conversationAsked(c)
	if err != nil {
		return err
	}
	if err := s.Conversations.Restore(c, who, id); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

// share makes the conversation readable by a link and answers with its path.
func (s *keeping) share(c fiber.Ctx) error {
	who, id, err := s.conversationAsked(c)
	if err != nil {
		return err
	}
	share, err := s.Conversations.Share(c, who, id)
	if err != nil {
		return err
	}
	return c.JSON(api.Shared{Page: s.sharePath(share)})
}

func (s *door) sharePath(share string) string { return s.BasePath + "/shared/" + share }

func (s *keeping) unshare(c fiber.Ctx) error {
	who, id, err := s.conversationAsked(c)
	if err != nil {
		return err
	}
	if err := s.Conversations.Unshare(c, who, id); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

// shared answers anyone who has the link.
func (s *keeping) shared(c fiber.Ctx) error {
	conversation, turns, err := s.Conversations.Shared(c, c.Params("share"))
	if err != nil {
		return err
	}
	b := withTurns(s.door, conversation, turns, false)
	kept, err := s.Standing.Shared(c, c.Params("share"))
	if err != nil {
		return err
	}
	if kept != nil {
		b.Standing = standingShown(s.door, *kept, false)
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(b)
}

// export answers with the conversation as a file: ?as=markdown or ?as=json.
func (s *keeping) export(c fiber.Ctx) error {
	who, id, err := s.conversationAsked(c)
	if err != nil {
		return err
	}
	conversation, turns, err := s.Conversations.Conversation(c, who, id)
	if err != nil {
		return err
	}
	return sendFile(c, s.door, s.Desks, s.Conversations, conversation, turns)
}

func sendFile(c fiber.Ctx, d *door, desks *desk.Service, conversations *conversation.Service, v record.Conversation,
	turns []record.Turn) error {
	title := v.Slug
	if face, err := desks.Face(c, v.Slug); err == nil { // it may be withdrawn
		title = face.Title
	}
	name := v.Slug + "-" + v.StartedAt.UTC().Format("2006-01-02")
	switch as := c.Query("as", "markdown"); as {
	case "markdown":
		c.Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name+".md"))
		c.Set("Content-Type", "text/markdown; charset=utf-8")
		return c.SendString(conversation.Markdown(title, v, turns))
	case "json":
		c.Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name+".json"))
		return c.JSON(withTurns(d, v, turns, false))
	case "zip":
		c.Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name+".zip"))
		c.Set("Content-Type", "application/zip")
		ctx := context.WithoutCancel(c)
		return c.SendStreamWriter(func(w *bufio.Writer) {
			if err := conversations.Carry(ctx, w, title, v, turns); err != nil {
				d.Log.Info("a conversation was not sent whole", "error", err)
			}
		})
	default:
		return invalid(fmt.Sprintf("A conversation can be saved as markdown, json or zip, not as %q.", as))
	}
}

// bringIn takes in a conversation that was saved as a ZIP.
func (s *keeping) bringIn(c fiber.Ctx) error {
	who, err := s.visitor(c)
	if err != nil {
		return err
	}
	slug, err := s.slugAsked(c)
	if err != nil {
		return err
	}
	f, err := s.Desks.Face(c, slug)
	if err != nil {
		return err
	}
	taken, err := s.Limits.Reserve(from(c), f.Slug, limits.Amounts{limits.Uploads: 1, limits.UploadsAtOnce: 1,
		limits.UploadBytes: 0, limits.Conversations: 1})
	if err != nil {
		return err
	}
	defer taken.Done()
	var packed []byte
	err = eachFile(c, func(_ string, body io.Reader) (err error) {
		packed, err = io.ReadAll(io.LimitReader(&counted{body, taken}, conversation.MostCarried+1))
		return err
	})
	if err != nil {
		return err
	}
	if len(packed) > conversation.MostCarried {
		return invalid("The file is larger than a saved conversation can be.")
	}
	id, err := s.Conversations.BringIn(from(c), who, slug, packed)
	if err != nil {
		return err
	}
	return c.Status(fiber.StatusCreated).JSON(api.ConversationBroughtIn{Conversation: id.String()})
}

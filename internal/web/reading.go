package web

import (
	"encoding/json"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/google/uuid"

	"juvalogos/core/deskfile"
	"juvalogos/internal/desk"
	"juvalogos/internal/store"
)

// The shapes of answers; openapi.yaml describes them.
type (
	faceBody struct {
		Slug    string   `json:"slug"`
		Title   string   `json:"title"`
		Purpose string   `json:"purpose"`
		Openers []string `json:"openers"`
	}
	conversationBody struct {
		ID        uuid.UUID  `json:"id"`
		Desk      string     `json:"desk"`
		Title     string     `json:"title"`
		StartedAt time.Time  `json:"started_at"`
		AskedAt   time.Time  `json:"asked_at"`
		Questions int        `json:"questions"`
		Shared    string     `json:"shared,omitempty"`
		Turns     []turnBody `json:"turns,omitempty"`
	}
	turnBody struct {
		ID           uuid.UUID   `json:"id"`
		Conversation uuid.UUID   `json:"conversation"`
		Number       int         `json:"number"`
		Question     string      `json:"question"`
		AskedAt      time.Time   `json:"asked_at"`
		Attempt      int         `json:"attempt"`
		Attempts     int         `json:"attempts"`
		Model        string      `json:"model"`
		Reply        string      `json:"reply"`
		Outcome      outcomeBody `json:"outcome"`
	}
	outcomeBody struct {
		State   store.State  `json:"state"`
		Finish  string       `json:"finish,omitempty"`
		Problem *troubleBody `json:"problem,omitempty"`
		Seconds float64      `json:"seconds"`
		Usage   usageBody    `json:"usage"`
	}
	troubleBody struct {
		Code   desk.Code `json:"code"`
		Detail string    `json:"detail"`
		ID     string    `json:"id,omitempty"`
	}
	usageBody struct {
		PromptTokens int `json:"prompt_tokens"`
		ReplyTokens  int `json:"reply_tokens"`
	}
)

func (s *Server) face(c fiber.Ctx) error {
	f, err := s.Desks.Face(c, c.Params("slug"))
	if err != nil {
		return err
	}
	return c.JSON(faceOf(f))
}

func faceOf(f deskfile.File) faceBody {
	if f.Openers == nil {
		f.Openers = []string{}
	}
	return faceBody{f.Slug, f.Title, f.Purpose, f.Openers}
}

func (s *Server) conversations(c fiber.Ctx) error {
	who, err := s.visitor(c)
	if err != nil {
		return err
	}
	list, err := s.Desks.Conversations(c, who, c.Params("slug"))
	if err != nil {
		return err
	}
	bodies := make([]conversationBody, len(list))
	for i, conversation := range list {
		bodies[i] = conversationOf(conversation)
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(fiber.Map{"conversations": bodies})
}

func (s *Server) conversation(c fiber.Ctx) error {
	who, id, err := s.conversationAsked(c)
	if err != nil {
		return err
	}
	conversation, turns, err := s.Desks.Conversation(c, who, id)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(s.withTurns(conversation, turns))
}

func (s *Server) withTurns(c store.Conversation, turns []store.Turn) conversationBody {
	b := conversationOf(c)
	if c.Share != "" {
		b.Shared = s.sharePath(c.Share)
	}
	for _, t := range turns {
		b.Turns = append(b.Turns, turnOf(t))
	}
	return b
}

func conversationOf(c store.Conversation) conversationBody {
	return conversationBody{ID: c.ID, Desk: c.Slug, Title: c.Title, StartedAt: c.StartedAt, AskedAt: c.AskedAt, Questions: c.Turns}
}

func turnOf(t store.Turn) turnBody {
	return turnBody{
		ID: t.ID, Conversation: t.Conversation, Number: t.Number, Question: t.Question, AskedAt: t.AskedAt,
		Attempt: t.Attempt.Number, Attempts: t.Attempts, Model: t.Attempt.Model, Reply: t.Attempt.Reply,
		Outcome: outcomeOf(desk.EndOf(t.Attempt), t.Attempt.StartedAt),
	}
}

func outcomeOf(e desk.End, started time.Time) outcomeBody {
	o := outcomeBody{State: e.State, Finish: e.Finish, Usage: usageBody{e.PromptTokens, e.ReplyTokens}}
	if !e.At.IsZero() {
		o.Seconds = e.At.Sub(started).Seconds()
	}
	if e.Problem != "" {
		o.Problem = &troubleBody{e.Problem, desk.Sentence(e.Problem), e.ProblemID}
	}
	return o
}

// readJSON reads a request's body.
func readJSON(c fiber.Ctx, into any) error {
	if err := json.Unmarshal(c.Body(), into); err != nil {
		return invalid("The body of the request is not the JSON that is expected here: " + err.Error())
	}
	return nil
}

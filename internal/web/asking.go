package web

import (
	"encoding/json"
	"fmt"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"
	"github.com/google/uuid"

	"juvalogos/internal/api"
	"juvalogos/internal/conversation"
	"juvalogos/internal/desk"
	"juvalogos/internal/fault"
	"juvalogos/internal/limits"
	"juvalogos/internal/record"
	"juvalogos/internal/reply"
	"juvalogos/internal/shape"
	"juvalogos/internal/sse"
)

const longestKey = 200

// asking are the handlers of questions and their replies on their way.
type asking struct {
	*door
	Replies       *reply.Service
	Conversations *conversation.Service
}

func (s *asking) routes(api fiber.Router) {
	api.Post("/at/:slug/questions", s.ask)
	api.Post("/at/:slug/forecast", s.forecast)
	api.Get("/turns/:id", s.turn)
	api.Get("/turns/:id/events", s.events)
	api.Post("/turns/:id/stop", s.stop)
	api.Post("/turns/:id/attempts", s.again)
}

// ask puts a question on record and answers with the event stream of its
// reply, or, to callers that accept only JSON, with the finished turn.
func (s *asking) ask(c fiber.Ctx) error {
	who, err := s.visitor(c)
	if err != nil {
		return err
	}
	var b api.Question
	if err := readJSON(c, &b); err != nil {
		return err
	}
	slug, err := s.slugAsked(c)
	if err != nil {
		return err
	}
	q := reply.Question{Slug: slug, Visitor: who, Channel: "page", Text: b.Question, Key: b.Key, Choice: b.Choice,
		Inputs: b.Inputs}
	switch {
	case strings.HasPrefix(slug, desk.DraftMark):
		q.Channel = "preview"
	case bearer(c) != "":
		q.Channel = "api"
	}
	if key := c.Get("Idempotency-Key"); key != "" {
		q.Key = key
	}
	if len(q.Key) > longestKey {
		return invalid(fmt.Sprintf("The idempotency key is too long; at most %d bytes.", longestKey))
	}
	if b.Conversation != "" {
		if q.Conversation, err = uuid.Parse(b.Conversation); err != nil {
			return fault.Plain(fault.NoConversation)
		}
	}
	if b.InsteadOf != "" {
		if q.Instead, err = uuid.Parse(b.InsteadOf); err != nil || q.Conversation == uuid.Nil {
			return fault.Plain(fault.NoTurn)
		}
	}
	r, err := s.Replies.Ask(from(c), q)
	if err != nil {
		return err
	}
	return s.answer(c, who, r)
}

// forecast tells what a question would take.
func (s *asking) forecast(c fiber.Ctx) error {
	who, err := s.visitor(c)
	if err != nil {
		return err
	}
	var b api.Question
	if err := readJSON(c, &b); err != nil {
		return err
	}
	slug, err := s.slugAsked(c)
	if err != nil {
		return err
	}
	q := reply.Question{Slug: slug, Visitor: who, Text: b.Question, Choice: b.Choice, Inputs: b.Inputs}
	if b.Conversation != "" {
		if q.Conversation, err = uuid.Parse(b.Conversation); err != nil {
			return fault.Plain(fault.NoConversation)
		}
	}
	f, err := s.Replies.Forecast(from(c), q)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(api.ReplyForecast{Sections: f.Sections, Kept: f.Kept, Calls: f.Calls, PromptTokens: f.PromptTokens,
		ReplyTokens: f.ReplyTokens, Cost: f.Cost, MostCost: f.MostCost, Seconds: f.Seconds})
}

// again makes another attempt; the body may say how.
func (s *asking) again(c fiber.Ctx) error {
	who, id, err := s.turnAsked(c)
	if err != nil {
		return err
	}
	var b api.Again
	if body, err := bodyOf(c); err != nil {
		return err
	} else if len(body) > 0 {
		if err := readJSON(c, &b); err != nil {
			return err
		}
	}
	if b.Preview {
		if err := s.mayPreview(c); err != nil {
			return err
		}
	}
	r, err := s.Replies.Again(from(c), who, id, b.Choice, b.Preview)
	if err != nil {
		return err
	}
	return s.answer(c, who, r)
}

func (s *asking) answer(c fiber.Ctx, who record.Visitor, r *reply.Reply) error {
	if accept := c.Get("Accept"); strings.Contains(accept, "application/json") &&
		!strings.Contains(accept, "text/event-stream") {
		if err := r.Wait(c); err != nil {
			return err
		}
		return s.sendTurn(c, who, r.Turn)
	}
	return follow(c, r, 0, s.pageFormat(c, r), nil)
}

// events lets a page that lost its stream go on where it was.
func (s *asking) events(c fiber.Ctx) error {
	who, id, err := s.turnAsked(c)
	if err != nil {
		return err
	}
	r, err := s.Replies.Watch(c, who, id)
	if err != nil {
		return err
	}
	taken, err := s.Limits.Reserve(from(c), r.Slug, limits.Amounts{limits.Streams: 1})
	if err != nil {
		return err
	}
	return followCounted(c, r, resumeAt(c.Get("Last-Event-ID"), r.Attempt), s.pageFormat(c, r), nil, taken)
}

func (s *asking) stop(c fiber.Ctx) error {
	who, id, err := s.turnAsked(c)
	if err != nil {
		return err
	}
	if err := s.Replies.Stop(c, who, id); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *asking) turn(c fiber.Ctx) error {
	who, id, err := s.turnAsked(c)
	if err != nil {
		return err
	}
	return s.sendTurn(c, who, id)
}

func (s *asking) sendTurn(c fiber.Ctx, who record.Visitor, id uuid.UUID) error {
	return sendTurn(c, s.door, s.Conversations, who, id)
}

func sendTurn(c fiber.Ctx, d *door, conversations *conversation.Service, who record.Visitor, id uuid.UUID) error {
	t, err := conversations.Turn(c, who, id)
	if err != nil {
		return err
	}
	return c.JSON(shape.Turn(t, d.tellsCost(c)))
}

// Event ids are ATTEMPT-OFFSET: which attempt, and how many bytes of its text
// a reader has once it has the event.
func eventID(attempt, offset int) string {
	return strconv.Itoa(attempt) + "-" + strconv.Itoa(offset)
}

// resumeAt reads the id of the last event that a reader has; the start if it
// belongs to another attempt or is none of ours.
func resumeAt(id string, attempt int) int {
	a, o, ok := strings.Cut(id, "-")
	n, err := strconv.Atoi(o)
	if !ok || err != nil || a != strconv.Itoa(attempt) {
		return 0
	}
	return n
}

// pageFormat is our own event stream; docs and openapi.yaml describe it.
type pageFormat struct {
	reply *reply.Reply
	maker bool // who may know what it costs
}

func (s *asking) pageFormat(c fiber.Ctx, r *reply.Reply) *pageFormat {
	f := &pageFormat{reply: r}
	if (bearer(c) != "" || c.Cookies(s.cookieName(c, sessionCookie)) != "") && s.tellsCost(c) {
		f.maker = true
	}
	return f
}

func (f *pageFormat) begin(b []byte, from int) []byte {
	r := f.reply
	return f.event(b, "begin", from, api.Begin{
		Turn: r.Turn.String(), Conversation: r.Conversation.String(), Title: r.Title, Number: r.TurnNumber,
		Attempt: r.Attempt, From: from, BegunAt: r.StartedAt,
		Question: r.Question, Show: api.BeginShow(r.Choosing.Show), Titles: shownTitles(r.Choosing),
	})
}

// shownTitles are what visitors may read above several texts.
func shownTitles(c reply.Choosing) []string {
	titles := make([]string, len(c.Titles))
	for i, title := range c.Titles {
		if titles[i] = title; c.Blind {
			titles[i] = shape.BlindTitle(i)
		}
	}
	return titles
}

// lane is the next piece of one of several texts; the first of a stream is
// the whole of it.
func (f *pageFormat) lane(b []byte, n reply.LaneText, whole bool) []byte {
	return f.event(b, "lane", -1, api.LaneText{Lane: n.Lane, Text: n.Text, Whole: whole})
}

func (f *pageFormat) thought(b []byte, n reply.LaneText, whole bool) []byte {
	return f.event(b, "thought", -1, api.LaneText{Lane: n.Lane, Text: n.Text, Whole: whole})
}

func (f *pageFormat) text(b, text []byte, offset int) []byte {
	return f.event(b, "text", offset, api.Text{Text: string(text)})
}

func (f *pageFormat) notice(b []byte, n reply.Notice) []byte {
	return f.event(b, "notice", -1, api.Notice{Kind: api.NoticeKind(n.Kind), Seconds: n.Seconds, Place: n.Place,
		Says: n.Says, Counted: n.Counted, Of: n.Of, Picture: n.Picture, Why: api.NoticeWhy(n.Why), Done: n.Done})
}

func (f *pageFormat) piece(b []byte, p reply.Piece) []byte {
	return f.event(b, "piece", -1, api.Piece{Number: p.Number, Of: p.Of, Title: p.Title, Text: p.Text})
}

func (f *pageFormat) progress(b []byte, _ reply.View) []byte { return b }

func (f *pageFormat) idle(b []byte) []byte { return sse.AppendComment(b, "still here") }

func (f *pageFormat) end(b []byte, v reply.View) []byte {
	o := shape.Outcome(v.End, f.reply.StartedAt, f.maker)
	if v.Mended != nil {
		text := string(v.Mended)
		o.Reply = &text
	}
	return f.event(b, "end", v.Offset, o)
}

func (f *pageFormat) event(b []byte, name string, offset int, data any) []byte {
	id := ""
	if offset >= 0 {
		id = eventID(f.reply.Attempt, offset)
	}
	text, err := json.Marshal(data)
	if err != nil {
		return b // cannot happen: the types above always marshal
	}
	return sse.Append(b, name, id, text)
}

package web

import (
	"context"
	"encoding/json"
	"strconv"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/google/uuid"

	"juvalogos/internal/account"
	"juvalogos/internal/api"
	"juvalogos/internal/fault"
	"juvalogos/internal/inside"
	"juvalogos/internal/otlp"
	"juvalogos/internal/record"
	"juvalogos/internal/reply"
	"juvalogos/internal/shape"
	"juvalogos/internal/sse"
)

// How replies were made, for makers.

// insides are the handlers of how replies were made, what they cost and what
// was said of them.
type insides struct {
	*door
	Inside  *inside.Service
	Replies *reply.Service
	base    context.Context // of what outlives a request
}

func (s *insides) routes(api fiber.Router) {
	read := func(path string, h fiber.Handler) { api.Get(path, s.allowed(account.Read, h)) }
	read("/traces", s.traces)
	read("/traces/:id", s.trace)
	read("/traces/:id/events", s.traceEvents)
	read("/settings/traces", s.traceKeeping)
	read("/usage", s.usage)
	read("/limits", s.limits)
	read("/verdicts", s.verdicts)
	read("/verdicts/causes", s.causes)
	read("/desks/:slug/preferences", s.preferences)
	api.Post("/traces/:id/runs", s.allowed(account.Publish, s.rerun, account.Read)) // it answers with what is inside
	api.Put("/verdicts/:turn/:attempt", s.allowed(account.Publish, s.find))
	api.Put("/settings/traces", s.allowed(account.Manage, s.setTraceKeeping))
}

func (s *insides) traces(c fiber.Ctx) error {
	page, err := pageOf(c)
	if err != nil {
		return err
	}
	f := record.TraceFilter{
		Desk: c.Query("desk"), Model: c.Query("model"), Step: c.Query("step"), State: c.Query("state"),
		Kind:    c.Query("kind"),
		Flagged: c.Query("flagged") == "yes", Text: page.Search, Before: page.Before, Limit: page.Limit,
	}
	if f.Slow, err = amount(c, "slow"); err != nil {
		return err
	}
	if f.Costly, err = amount(c, "costly"); err != nil {
		return err
	}
	if f.Since, err = timeAsked(c, "since"); err != nil {
		return err
	}
	if text := c.Query("conversation"); text != "" {
		if f.Conversation, err = uuid.Parse(text); err != nil {
			return invalid("conversation is the id of one.")
		}
	}
	list, err := s.Inside.Traces(c, f)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(api.TraceList{Traces: shape.All(list, shape.Trace)})
}

func amount(c fiber.Ctx, name string) (float64, error) {
	text := c.Query(name)
	if text == "" {
		return 0, nil
	}
	n, err := strconv.ParseFloat(text, 64)
	if err != nil || n < 0 {
		return 0, invalid(name + " is a number.")
	}
	return n, nil
}

func timeAsked(c fiber.Ctx, name string) (*time.Time, error) {
	text := c.Query(name)
	if text == "" {
		return nil, nil
	}
	for _, layout := range []string{time.RFC3339Nano, time.DateOnly} {
		if at, err := time.Parse(layout, text); err == nil {
			return &at, nil
		}
	}
	return nil, invalid(name + " is a day like 2026-06-01, or a time like 2026-06-01T12:00:00Z.")
}

// traceAsked reads which trace is asked for: its own id, or a turn's.
func (s *insides) traceAsked(c fiber.Ctx) (uuid.UUID, int, error) {
	id, err := uuid.Parse(c.Params("id"))
	if err != nil {
		return id, 0, fault.Plain(fault.NoTrace)
	}
	attempt := 0
	if text := c.Query("attempt"); text != "" {
		if attempt, err = strconv.Atoi(text); err != nil || attempt < 1 {
			return id, 0, invalid("attempt is a number from 1.")
		}
	}
	return id, attempt, nil
}

func (s *insides) trace(c fiber.Ctx) error {
	id, attempt, err := s.traceAsked(c)
	if err != nil {
		return err
	}
	in, err := s.Inside.Inside(c, id, attempt)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	if c.Query("format") == "otlp" {
		c.Set("Content-Disposition", `attachment; filename="trace.otlp.json"`)
		return c.JSON(otlp.Export([]otlp.Trace{{Trace: in.Trace, Spans: in.Spans}}))
	}
	return c.JSON(shape.Inside(in, c.Query("whole") == "yes"))
}

// traceEvents follows a reply's inside while it is made: an event "inside" at
// every change, and at the end the whole.
func (s *insides) traceEvents(c fiber.Ctx) error {
	id, _, err := s.traceAsked(c)
	if err != nil {
		return err
	}
	c.Set("Content-Type", "text/event-stream; charset=utf-8")
	c.Set("Cache-Control", "no-store")
	c.Set("X-Accel-Buffering", "no")
	r := s.Replies.Live(id)
	f := &insideFormat{room: s, turn: id, steps: -1}
	if r == nil {
		return c.Send(f.now(nil, "end"))
	}
	f.attempt = r.Attempt
	f.done = r.LookInside()
	return c.SendStream(&stream{listener: r.Listen(), reply: r, format: f, timer: time.NewTimer(heartbeat),
		left: f.close})
}

// insideFormat writes a reply's inside as an event stream.
type insideFormat struct {
	room    *insides
	turn    uuid.UUID
	attempt int
	steps   int // how often steps had changed at the last event
	done    func()
}

func (f *insideFormat) close() {
	if f.done != nil {
		f.done()
		f.done = nil
	}
}

func (f *insideFormat) now(b []byte, name string) []byte {
	in, err := f.room.Inside.Inside(f.room.base, f.turn, f.attempt)
	if err != nil {
		return sse.AppendComment(b, "gone")
	}
	text, err := json.Marshal(shape.Inside(in, false))
	if err != nil {
		return b // cannot happen: the types above always marshal
	}
	return sse.Append(b, name, "", text)
}

func (f *insideFormat) begin(b []byte, _ int) []byte         { return f.now(b, "inside") }
func (f *insideFormat) piece(b []byte, _ reply.Piece) []byte { return b }

func (f *insideFormat) notice(b []byte, _ reply.Notice) []byte         { return b }
func (f *insideFormat) idle(b []byte) []byte                           { return sse.AppendComment(b, "still here") }
func (f *insideFormat) lane(b []byte, _ reply.LaneText, _ bool) []byte { return b }
func (f *insideFormat) thought(b []byte, _ reply.LaneText, _ bool) []byte {
	return b
}
func (f *insideFormat) text(b, _ []byte, _ int) []byte { return b }

// progress writes when a step has changed.
func (f *insideFormat) progress(b []byte, v reply.View) []byte {
	if v.Steps == f.steps {
		return b
	}
	f.steps = v.Steps
	return f.now(b, "inside")
}

func (f *insideFormat) end(b []byte, _ reply.View) []byte {
	f.close()
	return f.now(b, "end")
}

func (s *insides) rerun(c fiber.Ctx) error {
	id, _, err := s.traceAsked(c)
	if err != nil {
		return err
	}
	var e api.Edits
	if err := readJSON(c, &e); err != nil {
		return err
	}
	in, err := s.Inside.Rerun(c, id, shape.EditsFrom(e), by(c))
	if err != nil {
		return err
	}
	return c.JSON(shape.Inside(in, true))
}

func (s *insides) traceKeeping(c fiber.Ctx) error {
	k, err := s.Inside.TraceKeeping(c)
	if err != nil {
		return err
	}
	return c.JSON(api.Keeping{Days: k.Days})
}

func (s *insides) setTraceKeeping(c fiber.Ctx) error {
	var k api.Keeping
	if err := readJSON(c, &k); err != nil {
		return err
	}
	if err := s.Inside.SetTraceKeeping(c, inside.Keeping{Days: k.Days}, by(c)); err != nil {
		return err
	}
	return c.JSON(api.Keeping{Days: k.Days})
}

package web

import (
	"encoding/json"
	"strconv"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/google/uuid"

	"juvalogos/internal/api"
	"juvalogos/internal/desk"
	"juvalogos/internal/otlp"
	"juvalogos/internal/record"
	"juvalogos/internal/shape"
	"juvalogos/internal/sse"
)

// How replies were made, for makers.

func (s *Server) traces(c fiber.Ctx) error {
	page, err := pageOf(c)
	if err != nil {
		return err
	}
	f := record.TraceFilter{
		Desk: c.Query("desk"), Model: c.Query("model"), Step: c.Query("step"), State: c.Query("state"), Kind: c.Query("kind"),
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
	list, err := s.Desks.Traces(c, f)
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
func (s *Server) traceAsked(c fiber.Ctx) (uuid.UUID, int, error) {
	id, err := uuid.Parse(c.Params("id"))
	if err != nil {
		return id, 0, &desk.Problem{Code: desk.NoTrace, Sentence: desk.Sentence(desk.NoTrace)}
	}
	attempt := 0
	if text := c.Query("attempt"); text != "" {
		if attempt, err = strconv.Atoi(text); err != nil || attempt < 1 {
			return id, 0, invalid("attempt is a number from 1.")
		}
	}
	return id, attempt, nil
}

func (s *Server) trace(c fiber.Ctx) error {
	id, attempt, err := s.traceAsked(c)
	if err != nil {
		return err
	}
	in, err := s.Desks.Inside(c, id, attempt)
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
func (s *Server) traceEvents(c fiber.Ctx) error {
	id, _, err := s.traceAsked(c)
	if err != nil {
		return err
	}
	c.Set("Content-Type", "text/event-stream; charset=utf-8")
	c.Set("Cache-Control", "no-store")
	c.Set("X-Accel-Buffering", "no")
	r := s.Desks.Live(id)
	f := &insideFormat{server: s, turn: id, steps: -1}
	if r == nil {
		return c.Send(f.now(nil, "end"))
	}
	f.attempt = r.Attempt
	f.done = r.LookInside()
	return c.SendStream(&stream{listener: r.Listen(), reply: r, format: f, timer: time.NewTimer(heartbeat), left: f.close})
}

// insideFormat writes a reply's inside as an event stream.
type insideFormat struct {
	server  *Server
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
	in, err := f.server.Desks.Inside(f.server.base, f.turn, f.attempt)
	if err != nil {
		return sse.AppendComment(b, "gone")
	}
	text, err := json.Marshal(shape.Inside(in, false))
	if err != nil {
		return b // cannot happen: the types above always marshal
	}
	return sse.Append(b, name, "", text)
}

func (f *insideFormat) begin(b []byte, _ int) []byte                  { return f.now(b, "inside") }
func (f *insideFormat) notice(b []byte, _ desk.Notice) []byte         { return b }
func (f *insideFormat) idle(b []byte) []byte                          { return sse.AppendComment(b, "still here") }
func (f *insideFormat) lane(b []byte, _ desk.LaneText, _ bool) []byte { return b }
func (f *insideFormat) text(b, _ []byte, _ int) []byte                { return b }

// changed is called at every look; it writes when a step has changed.
func (f *insideFormat) changed(b []byte, v desk.View) []byte {
	if v.Steps == f.steps {
		return b
	}
	f.steps = v.Steps
	return f.now(b, "inside")
}

func (f *insideFormat) end(b []byte, _ desk.View) []byte {
	f.close()
	return f.now(b, "end")
}

func (s *Server) rerun(c fiber.Ctx) error {
	id, _, err := s.traceAsked(c)
	if err != nil {
		return err
	}
	var e api.Edits
	if err := readJSON(c, &e); err != nil {
		return err
	}
	in, err := s.Desks.Rerun(c, id, shape.EditsFrom(e), by(c))
	if err != nil {
		return err
	}
	return c.JSON(shape.Inside(in, true))
}

func (s *Server) traceKeeping(c fiber.Ctx) error {
	k, err := s.Desks.TraceKeeping(c)
	if err != nil {
		return err
	}
	return c.JSON(api.Keeping{Days: k.Days})
}

func (s *Server) setTraceKeeping(c fiber.Ctx) error {
	var k api.Keeping
	if err := readJSON(c, &k); err != nil {
		return err
	}
	if err := s.Desks.SetTraceKeeping(c, desk.Keeping{Days: k.Days}, by(c)); err != nil {
		return err
	}
	return c.JSON(api.Keeping{Days: k.Days})
}

package web

import (
	"encoding/json"
	"strconv"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/google/uuid"

	"juvalogos/core/recipe"
	"juvalogos/internal/desk"
	"juvalogos/internal/otlp"
	"juvalogos/internal/sse"
	"juvalogos/internal/store"
)

// How replies were made, for makers.

type (
	traceBody struct {
		ID           uuid.UUID       `json:"id"`
		Kind         string          `json:"kind"`
		Turn         uuid.UUID       `json:"turn"`
		Attempt      int             `json:"attempt"`
		Conversation uuid.UUID       `json:"conversation"`
		Desk         string          `json:"desk"`
		Revision     int             `json:"revision"`
		Recipe       string          `json:"recipe"`
		Models       []string        `json:"models"`
		Steps        []string        `json:"steps"`
		Question     string          `json:"question"`
		Reply        string          `json:"reply"`
		State        string          `json:"state"`
		Problem      string          `json:"problem,omitempty"`
		Helped       *bool           `json:"helped,omitempty"`
		StartedAt    time.Time       `json:"started_at"`
		Seconds      float64         `json:"seconds"`
		PromptTokens int             `json:"prompt_tokens"`
		ReplyTokens  int             `json:"reply_tokens"`
		Cost         float64         `json:"cost"`
		Calls        int             `json:"calls"`
		Retries      int             `json:"retries"`
		Reused       int             `json:"reused"`
		Edits        json.RawMessage `json:"edits,omitempty"`
	}
	insideBody struct {
		traceBody
		Live    bool          `json:"live"`
		Thinned bool          `json:"thinned"`
		Spans   []spanBody    `json:"spans"`
		Takes   recipe.Values `json:"takes,omitempty"`
		Reruns  []traceBody   `json:"reruns"`
	}
	spanBody struct {
		Step    string        `json:"step"`
		Number  int           `json:"number,omitempty"`
		Do      string        `json:"do"`
		Says    string        `json:"says,omitempty"`
		Parent  int           `json:"parent"`
		State   recipe.State  `json:"state"`
		Start   float64       `json:"start"` // in seconds from the run's beginning
		First   float64       `json:"first,omitempty"`
		Seconds float64       `json:"seconds"`
		Tries   int           `json:"tries,omitempty"`
		Set     any           `json:"set,omitempty"`
		In      recipe.Values `json:"in,omitempty"`
		Out     recipe.Values `json:"out,omitempty"`
		Error   string        `json:"error,omitempty"`
		Notes   []string      `json:"notes,omitempty"`
		Calls   []callBody    `json:"calls,omitempty"`
		// Shortened tells that long values were cut; ?whole=yes brings all.
		Shortened bool `json:"shortened,omitempty"`
	}
	callBody struct {
		Model        string  `json:"model"`
		Settings     any     `json:"settings,omitempty"`
		Messages     any     `json:"messages,omitempty"`
		Answer       string  `json:"answer"`
		Finish       string  `json:"finish,omitempty"`
		PromptTokens int     `json:"prompt_tokens"`
		ReplyTokens  int     `json:"reply_tokens"`
		Counted      bool    `json:"counted,omitempty"`
		Cost         float64 `json:"cost"`
		First        float64 `json:"first,omitempty"`
		Seconds      float64 `json:"seconds"`
		Waited       float64 `json:"waited,omitempty"`
		Retries      int     `json:"retries,omitempty"`
		Error        string  `json:"error,omitempty"`
	}
)

func traceOf(t store.Trace) traceBody {
	return traceBody{
		ID: t.ID, Kind: t.Kind, Turn: t.Turn, Attempt: t.Attempt, Conversation: t.Conversation, Desk: t.Slug, Revision: t.Revision, Recipe: t.Recipe,
		Models: some(t.Models), Steps: some(t.Steps), Question: t.Question, Reply: t.Reply, State: t.State, Problem: t.Problem, Helped: t.Helped,
		StartedAt: t.StartedAt, Seconds: t.Seconds, PromptTokens: t.Usage.PromptTokens, ReplyTokens: t.Usage.ReplyTokens, Cost: t.Usage.Cost,
		Calls: t.Usage.Calls, Retries: t.Usage.Retries, Reused: t.Usage.Reused, Edits: t.Edits,
	}
}

func insideOf(in desk.Inside, whole bool) insideBody {
	b := insideBody{traceBody: traceOf(in.Trace), Live: in.Live, Thinned: in.Thinned, Spans: spansOf(in.Spans, whole), Takes: in.Takes, Reruns: []traceBody{}}
	for _, r := range in.Reruns {
		b.Reruns = append(b.Reruns, traceOf(r))
	}
	return b
}

func spansOf(spans []recipe.Span, whole bool) []spanBody {
	bodies := make([]spanBody, len(spans))
	for i, s := range spans {
		cut := shortener{whole: whole}
		b := spanBody{
			Step: s.Step, Number: s.Number, Do: s.Do, Says: s.Says, Parent: s.Parent, State: s.State,
			Start: s.Start.Seconds(), First: s.First.Seconds(), Seconds: s.Took.Seconds(), Tries: s.Tries, Set: s.Set,
			In: cut.values(s.In), Out: cut.values(s.Out), Error: s.Error, Notes: s.Notes,
		}
		for _, c := range s.Calls {
			b.Calls = append(b.Calls, callBody{
				c.Model, c.Settings, cut.value(plainValue(c.Messages)), cut.text(c.Answer), c.Finish, c.PromptTokens, c.ReplyTokens, c.Counted, c.Cost,
				c.First.Seconds(), c.Took.Seconds(), c.Waited.Seconds(), c.Retries, c.Error,
			})
		}
		b.Shortened = cut.did
		bodies[i] = b
	}
	return bodies
}

// shortener cuts long texts in what is shown first.
type shortener struct{ whole, did bool }

// longestShown is in bytes.
const longestShown = 20_000

func (c *shortener) text(s string) string {
	if c.whole || len(s) <= longestShown {
		return s
	}
	c.did = true
	return s[:longestShown] + "…"
}

func (c *shortener) values(v recipe.Values) recipe.Values {
	if v == nil {
		return nil
	}
	out := make(recipe.Values, len(v))
	for k, x := range v {
		out[k] = c.value(plainValue(x))
	}
	return out
}

func (c *shortener) value(v any) any {
	switch v := v.(type) {
	case string:
		return c.text(v)
	case []any:
		for i := range v {
			v[i] = c.value(v[i])
		}
	case map[string]any:
		for k := range v {
			v[k] = c.value(v[k])
		}
	}
	return v
}

// plainValue is a value as JSON has it, a copy that may be changed.
func plainValue(v any) any {
	text, err := json.Marshal(v)
	if err != nil {
		return nil // cannot happen: values marshal
	}
	var plain any
	if json.Unmarshal(text, &plain) != nil {
		return nil
	}
	return plain
}

func (s *Server) traces(c fiber.Ctx) error {
	page, err := pageOf(c)
	if err != nil {
		return err
	}
	f := store.TraceFilter{
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
	bodies := make([]traceBody, len(list))
	for i, t := range list {
		bodies[i] = traceOf(t)
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(fiber.Map{"traces": bodies})
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
	return c.JSON(insideOf(in, c.Query("whole") == "yes"))
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
	text, err := json.Marshal(insideOf(in, false))
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
	var e desk.Edits
	if err := readJSON(c, &e); err != nil {
		return err
	}
	in, err := s.Desks.Rerun(c, id, e, by(c))
	if err != nil {
		return err
	}
	return c.JSON(insideOf(in, true))
}

func (s *Server) traceKeeping(c fiber.Ctx) error {
	k, err := s.Desks.TraceKeeping(c)
	if err != nil {
		return err
	}
	return c.JSON(k)
}

func (s *Server) setTraceKeeping(c fiber.Ctx) error {
	var k desk.Keeping
	if err := readJSON(c, &k); err != nil {
		return err
	}
	if err := s.Desks.SetTraceKeeping(c, k, by(c)); err != nil {
		return err
	}
	return c.JSON(k)
}

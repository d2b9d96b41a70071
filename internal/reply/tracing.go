package reply

import (
	"slices"
	"strings"

	"github.com/google/uuid"

	"juvalogos/core/recipe"
	"juvalogos/internal/desk"
	"juvalogos/internal/record"
)

// Collector gets every trace that is kept, to send it elsewhere.
type Collector interface {
	Collect(t record.Trace, spans []recipe.Span)
}

// traceOf is the trace of a reply that has ended. text is what goes on record
// as the reply.
func (s *Service) traceOf(r *Reply, d *desk.Desk, spans []recipe.Span, inputs recipe.Values, end End,
	text string) *record.Trace {
	t := &record.Trace{
		ID: uuid.Must(uuid.NewV7()), Kind: "reply", Turn: r.Turn, Attempt: r.Attempt, DeskID: d.DeskID,
		Revision: d.Number, Visitor: r.visitor,
		Recipe: d.Recipe.Name, State: string(end.State), Problem: string(end.Problem),
		StartedAt: r.StartedAt, Seconds: end.At.Sub(r.StartedAt).Seconds(), Usage: end.usage,
		Slug: strings.TrimPrefix(d.Slug, desk.DraftMark), Conversation: r.Conversation, Question: r.Question,
	}
	if len(end.Lanes) > 0 {
		text = "" // which of them is the reply may change
	}
	s.Fill(t, spans, inputs, text)
	return t
}

// Fill puts spans into a trace, with what can be found by them. known is a text
// that is on record as the trace's reply.
func (s *Service) Fill(t *record.Trace, spans []recipe.Span, inputs recipe.Values, known string) {
	for _, span := range spans {
		if !slices.Contains(t.Steps, span.Step) {
			t.Steps = append(t.Steps, span.Step)
		}
		for _, c := range span.Calls {
			if !slices.Contains(t.Models, c.Model) {
				t.Models = append(t.Models, c.Model)
			}
			t.Calls = append(t.Calls, record.ModelCall{
				At: c.At, Step: span.Step, Model: c.Model,
				PromptTokens: c.PromptTokens, ReplyTokens: c.ReplyTokens, Counted: c.Counted, Cost: c.Cost,
				Pictures: c.Pictures, Sound: c.Sound,
			})
		}
	}
	var err error
	if t.Spans, err = recipe.Pack(spans, inputs, known); err != nil {
		s.Log.Error("a trace could not be written down", "turn", t.Turn, "error", err)
		t.Spans = nil
	}
	t.Spans = withoutNUL(t.Spans)
	if s.Collector != nil {
		s.Collector.Collect(*t, spans)
	}
}

// withoutNUL takes out what PostgreSQL's JSON cannot hold.
func withoutNUL(text []byte) []byte {
	const nul = `\u0000`
	if !strings.Contains(string(text), nul) {
		return text
	}
	return []byte(strings.ReplaceAll(string(text), nul, `\ufffd`))
}

// Live returns a reply on its way for makers to follow; nil if there is none.
func (s *Service) Live(turn uuid.UUID) *Reply {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.live[turn]
}

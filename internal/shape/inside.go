package shape

import (
	"encoding/json"
	"time"

	"github.com/google/uuid"

	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/internal/api"
	"juvalogos/internal/inside"
	"juvalogos/internal/limits"
	"juvalogos/internal/record"
)

// How replies were made, what it cost and what was said of them, in the API's
// shapes.

func Trace(t record.Trace) api.Trace {
	return api.Trace{
		ID: t.ID.String(), Kind: api.TraceKind(t.Kind), Turn: t.Turn.String(), Attempt: t.Attempt,
		Conversation: t.Conversation.String(),
		Desk:         t.Slug, Revision: t.Revision, Recipe: t.Recipe, Models: Some(t.Models), Steps: Some(t.Steps),
		Question: t.Question, Reply: t.Reply,
		State: t.State, Problem: t.Problem, Helped: t.Helped, StartedAt: t.StartedAt, Seconds: t.Seconds,
		PromptTokens: t.Usage.PromptTokens, ReplyTokens: t.Usage.ReplyTokens, Cost: t.Usage.Cost,
		Calls: t.Usage.Calls, Retries: t.Usage.Retries, Reused: t.Usage.Reused, Edits: edits(t.Edits),
	}
}

// edits reads what was tried from the record; nil if nothing was.
func edits(kept json.RawMessage) *api.Edits {
	if kept == nil {
		return nil
	}
	var e api.Edits
	if json.Unmarshal(kept, &e) != nil {
		return nil // cannot happen: we wrote it
	}
	return &e
}

func EditsFrom(b api.Edits) inside.Edits {
	return inside.Edits{Step: b.Step, Alone: b.Alone, Brief: b.Brief, Model: b.Model, Sampling: b.Sampling, Set: b.Set,
		Inputs: b.Inputs, Settings: b.Settings}
}

// Inside is a trace with its spans; whole leaves long values as they are.
func Inside(in inside.Inside, whole bool) api.Inside {
	return api.Inside{
		Trace: Trace(in.Trace), Live: in.Live, Thinned: in.Thinned, Inputs: in.Inputs, Reruns: All(in.Reruns, Trace),
		Spans: All(in.Spans, func(s recipe.Span) api.Span { return span(s, whole) }),
	}
}

func span(s recipe.Span, whole bool) api.Span {
	cut := shortener{whole: whole}
	b := api.Span{
		Step: s.Step, Number: s.Number, Do: s.Do, Says: s.Says, Parent: s.Parent, State: api.SpanState(s.State),
		Start: s.Start.Seconds(), First: s.First.Seconds(), Seconds: s.Took.Seconds(), Tries: s.Tries, Set: s.Set,
		In: cut.values(s.In), Out: cut.values(s.Out), Error: s.Error, Notes: s.Notes, Calls: Each(s.Calls, cut.call),
	}
	b.Shortened = cut.did
	return b
}

func (c *shortener) call(m recipe.ModelCall) api.ModelCall {
	return api.ModelCall{
		Model: m.Model, Settings: m.Settings, Messages: Each(m.Messages, c.message), Answer: c.text(m.Answer),
		Finish:       m.Finish,
		PromptTokens: m.PromptTokens, ReplyTokens: m.ReplyTokens, Counted: m.Counted, Cost: m.Cost,
		Thought: m.Thought, ThoughtTokens: m.ThoughtTokens, CachedTokens: m.CachedTokens,
		First: m.First.Seconds(), Seconds: m.Took.Seconds(), Waited: m.Waited.Seconds(), Retries: m.Retries,
		Error: m.Error, Pictures: m.Pictures, Making: making(m.Making), Hearing: m.Hearing,
		Saying: m.Saying, SoundSeconds: m.Sound,
	}
}

func (c *shortener) message(m prompt.Message) api.Message {
	return api.Message{Role: string(m.Role), Content: c.text(m.Text), Pictures: Each(m.Pictures, shown)}
}

// shown is a picture that a model saw.
func shown(p prompt.Picture) api.ShownPicture {
	return api.ShownPicture{ID: p.ID, Name: p.Name, Width: p.Width, Height: p.Height, Said: p.Said, Tokens: p.Tokens}
}

// making is what was wished for; nil if nothing was.
func making(m *recipe.Making) *api.MakingWish {
	if m == nil {
		return nil
	}
	w := &api.MakingWish{Words: m.Words, Number: m.Number, Width: m.Width, Height: m.Height, Seed: m.Seed}
	if m.Picture != nil {
		w.Picture = m.Picture.ID
	}
	if m.Mask != nil {
		w.Mask = m.Mask.ID
	}
	return w
}

// Limit is a line of the table of limits.
func Limit(l limits.Limit) api.Limit {
	return api.Limit{Thing: string(l.Thing), Whose: string(l.Whose), Most: l.Most, Seconds: l.Per.Seconds()}
}

// Refusal is what was refused because of a limit.
func Refusal(r limits.Refusal) api.Refusal {
	return api.Refusal{Limit: Limit(r.Limit), Desk: r.Desk, Times: r.Times, Parties: r.Parties, Last: r.Last}
}

func UsageRow(r record.UsageRow) api.UsageRow {
	return api.UsageRow{
		Keys: r.Keys, Turns: r.Turns, Calls: r.Calls, Counted: r.Counted, PromptTokens: r.PromptTokens,
		ReplyTokens: r.ReplyTokens, Pictures: r.Pictures, SoundSeconds: r.Sound,
		Cost: r.Cost,
	}
}

func Verdict(j record.Judged) api.Verdict {
	b := api.Verdict{
		Turn: j.Turn.String(), Attempt: j.Attempt, Conversation: j.Conversation.String(), Desk: j.Slug,
		Question: j.Question, Reply: j.Reply,
		Model: j.Model, Revision: j.Revision, Helped: j.Helped, Reason: j.Reason, Remark: j.Remark,
		JudgedAt: j.JudgedAt, Finding: finding(j.Finding),
		Pictures: Each(j.Pictures, uuid.UUID.String),
	}
	if j.Trace != nil {
		id := j.Trace.String()
		b.Trace = &id
	}
	return b
}

func finding(f record.Finding) api.Finding {
	return api.Finding{Cause: f.Cause, Note: f.Note, Done: f.Done, ChangedBy: f.ChangedBy, ChangedAt: f.ChangedAt}
}

func Cause(n record.CauseCount) api.CauseCount {
	return api.CauseCount{Week: n.Week.Format(time.DateOnly), Cause: n.Cause, Count: n.Count}
}

func Preference(p record.Preference) api.Preference {
	return api.Preference{Title: p.Title, Model: p.Model, Shown: p.Shown, Preferred: p.Preferred}
}

package desk

import (
	"context"
	"errors"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"juvalogos/core/recipe"
	"juvalogos/internal/record"
)

// Collector gets every trace that is kept, to send it elsewhere.
type Collector interface {
	Collect(t record.Trace, spans []recipe.Span)
}

// traceOf is the trace of a reply that has ended. text is what goes on record
// as the reply.
func (s *Service) traceOf(r *Reply, d *Desk, spans []recipe.Span, takes recipe.Values, end End, text string) *record.Trace {
	t := &record.Trace{
		ID: uuid.Must(uuid.NewV7()), Kind: "reply", Turn: r.Turn, Attempt: r.Attempt, DeskID: d.DeskID, Revision: d.Number, Visitor: r.visitor,
		Recipe: d.Recipe.Name, State: string(end.State), Problem: string(end.Problem),
		StartedAt: r.StartedAt, Seconds: end.At.Sub(r.StartedAt).Seconds(), Usage: end.usage,
		Slug: strings.TrimPrefix(d.Slug, DraftMark), Conversation: r.Conversation, Question: r.Question,
	}
	if len(end.Lanes) > 0 {
		text = "" // which of them is the reply may change
	}
	s.fill(t, spans, takes, text)
	return t
}

// fill puts spans into a trace, with what can be found by them. known is a text
// that is on record as the trace's reply.
func (s *Service) fill(t *record.Trace, spans []recipe.Span, takes recipe.Values, known string) {
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
			})
		}
	}
	var err error
	if t.Spans, err = recipe.Pack(spans, takes, known); err != nil {
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

// Traces lists traces for makers, the newest first.
func (s *Service) Traces(ctx context.Context, f record.TraceFilter) ([]record.Trace, error) {
	f.Limit = pageLimit(f.Limit)
	return s.Store.Traces.Traces(ctx, f)
}

// Inside is a trace with its spans.
type Inside struct {
	record.Trace
	Live    bool // it still runs
	Thinned bool // only figures are left
	Spans   []recipe.Span
	Takes   recipe.Values
	Reruns  []record.Trace
}

// Inside returns a trace by its id, or that of the reply to a turn: of the
// attempt, 0 for the one that counts. A reply on its way is shown as it is now.
func (s *Service) Inside(ctx context.Context, id uuid.UUID, attempt int) (Inside, error) {
	t, err := s.Store.Traces.Trace(ctx, id)
	if errors.Is(err, record.ErrNotFound) {
		return s.insideTurn(ctx, id, attempt)
	}
	if err != nil {
		return Inside{}, s.logged("look inside", problem(NoRecords, err))
	}
	return s.inside(ctx, t)
}

func (s *Service) insideTurn(ctx context.Context, turn uuid.UUID, attempt int) (Inside, error) {
	s.mu.Lock()
	r := s.live[turn]
	s.mu.Unlock()
	if r != nil && (attempt == 0 || attempt == r.Attempt) {
		return Inside{Live: true, Spans: r.Spans(), Trace: record.Trace{
			Kind: "reply", Turn: r.Turn, Attempt: r.Attempt, Slug: strings.TrimPrefix(r.Slug, DraftMark), Conversation: r.Conversation, Question: r.Question,
			Recipe: r.Recipe, Models: []string{r.Model}, State: string(record.Running), StartedAt: r.StartedAt, Revision: r.Revision,
			Seconds: s.Now().Sub(r.StartedAt).Seconds(), Usage: record.Usage(r.record.Usage()),
		}}, nil
	}
	t, err := s.Store.Traces.TraceOf(ctx, turn, attempt)
	if err != nil {
		return Inside{}, s.notFound(NoTrace, err)
	}
	return s.inside(ctx, t)
}

func (s *Service) inside(ctx context.Context, t record.Trace) (in Inside, err error) {
	in.Trace = t
	if t.Spans == nil {
		in.Thinned = true
	} else if in.Spans, in.Takes, err = recipe.Unpack(t.Spans, t.Reply); err != nil {
		return in, s.logged("look inside", problem(Unexpected, err))
	}
	if t.Kind == "reply" {
		in.Reruns, err = s.Store.Traces.Traces(ctx, record.TraceFilter{Turn: t.Turn, Kind: "rerun", Limit: 50})
	}
	return in, err
}

// Live returns a reply on its way for makers to follow; nil if there is none.
func (s *Service) Live(turn uuid.UUID) *Reply {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.live[turn]
}

// Keeping is for how long traces are kept whole.
type Keeping struct {
	Days int `json:"days"`
}

// DefaultKeeping is what holds until the owner sets another time.
const DefaultKeeping = 90

const keepingKey = "traces"

// TraceKeeping returns for how long traces are kept whole.
func (s *Service) TraceKeeping(ctx context.Context) (Keeping, error) {
	k := Keeping{Days: DefaultKeeping}
	err := s.Store.Traces.Setting(ctx, keepingKey, &k)
	return k, err
}

// SetTraceKeeping sets it, from a day on. Nothing is thinned at once: a slip can
// be put right until the next round.
func (s *Service) SetTraceKeeping(ctx context.Context, k Keeping, by string) error {
	if k.Days < 1 || k.Days > 36500 {
		return &Problem{Code: Invalid, Sentence: "Traces are kept for at least one day, and at most 36500."}
	}
	err := s.Store.Traces.SetSetting(ctx, keepingKey, k)
	if err == nil {
		s.Log.Info("keeping of traces set", "days", k.Days, "by", by)
	}
	return err
}

// thin drops what traces hold beyond figures once their time is over.
func (s *Service) thin(ctx context.Context) {
	k, err := s.TraceKeeping(ctx)
	n := 0
	if err == nil {
		n, err = s.Store.Traces.Thin(ctx, s.Now().Add(-time.Duration(k.Days)*24*time.Hour))
	}
	if err != nil && ctx.Err() == nil {
		s.Log.Warn("thinning traces", "error", err)
	}
	if n > 0 {
		s.Log.Info("traces thinned to figures", "traces", n)
	}
}

package inside

import (
	"context"
	"errors"
	"log/slog"
	"strings"
	"time"

	"github.com/google/uuid"

	"juvalogos/core/recipe"
	"juvalogos/internal/desk"
	"juvalogos/internal/fault"
	"juvalogos/internal/record"
	"juvalogos/internal/reply"
	"juvalogos/internal/store"
)

// Options are what a Service of the inside is made of.
type Options struct {
	Store   Record
	Desks   *desk.Service
	Replies *reply.Service
	Log     *slog.Logger
	// Now is the clock; nil means time.Now.
	Now func() time.Time
}

// Record is what of the store the inside needs.
type Record struct {
	Traces   *store.Traces
	Verdicts *store.Verdicts
	Replies  *store.Replies // what was asked
	Desks    *store.Desks   // with the revision of then
}

// Service is how replies were made, what was said of them and what they cost.
// It is safe for concurrent use.
//
// Unless a method says otherwise it fails with *fault.Problem, whose sentence may
// be shown to whoever asked; what stands behind it is in its Cause and the log.
type Service struct{ Options }

// New returns a service of the inside.
func New(o Options) *Service {
	if o.Now == nil {
		o.Now = time.Now
	}
	return &Service{o}
}

// Traces lists traces for makers, the newest first.
func (s *Service) Traces(ctx context.Context, f record.TraceFilter) ([]record.Trace, error) {
	f.Limit = record.PageLimit(f.Limit)
	return s.Store.Traces.Traces(ctx, f)
}

// Inside is a trace with its spans.
type Inside struct {
	record.Trace
	Live    bool // it still runs
	Thinned bool // only figures are left
	Spans   []recipe.Span
	Inputs  recipe.Values
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
		return Inside{}, fault.Logged(s.Log, "look inside", fault.New(fault.NoRecords, err))
	}
	return s.inside(ctx, t)
}

func (s *Service) insideTurn(ctx context.Context, turn uuid.UUID, attempt int) (Inside, error) {
	if r := s.Replies.Live(turn); r != nil && (attempt == 0 || attempt == r.Attempt) {
		return Inside{Live: true, Spans: r.Spans(), Trace: record.Trace{
			Kind: "reply", Turn: r.Turn, Attempt: r.Attempt, Slug: strings.TrimPrefix(r.Slug, desk.DraftMark),
			Conversation: r.Conversation, Question: r.Question,
			Recipe: r.Recipe, Models: []string{r.Model}, State: string(record.Running), StartedAt: r.StartedAt,
			Revision: r.Revision,
			Seconds:  s.Now().Sub(r.StartedAt).Seconds(), Usage: r.Usage(),
		}}, nil
	}
	t, err := s.Store.Traces.TraceOf(ctx, turn, attempt)
	if err != nil {
		return Inside{}, fault.NotFound(s.Log, fault.NoTrace, err)
	}
	return s.inside(ctx, t)
}

func (s *Service) inside(ctx context.Context, t record.Trace) (in Inside, err error) {
	in.Trace = t
	if t.Spans == nil {
		in.Thinned = true
	} else if in.Spans, in.Inputs, err = recipe.Unpack(t.Spans, t.Reply); err != nil {
		return in, fault.Logged(s.Log, "look inside", fault.New(fault.Unexpected, err))
	}
	if t.Kind == "reply" {
		in.Reruns, err = s.Store.Traces.Traces(ctx, record.TraceFilter{Turn: t.Turn, Kind: "rerun", Limit: 50})
	}
	return in, err
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
		return fault.Say(fault.Invalid, "Traces are kept for at least one day, and at most 36500.")
	}
	err := s.Store.Traces.SetSetting(ctx, keepingKey, k)
	if err == nil {
		s.Log.Info("keeping of traces set", "days", k.Days, "by", by)
	}
	return err
}

// Thin drops what traces hold beyond figures once their time is over.
func (s *Service) Thin(ctx context.Context) {
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

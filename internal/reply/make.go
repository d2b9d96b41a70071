package reply

import (
	"context"
	"encoding/json"
	"errors"
	"math/rand/v2"
	"time"

	"github.com/google/uuid"

	"juvalogos/core/deskfile"
	"juvalogos/core/memory"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/core/steps"
	"juvalogos/internal/desk"
	"juvalogos/internal/fair"
	"juvalogos/internal/fault"
	"juvalogos/internal/models"
	"juvalogos/internal/record"
)

var (
	errStopped     = errors.New("stopped by the visitor")
	errNotRecorded = errors.New("the question could not be put on record")
	errLeft        = errors.New("nobody waited for the reply any more")
)

// Request is what a reply is made of.
type Request struct {
	Question prompt.Piece
	inputs   recipe.Values // what else the visitor gave
	past     record.Past
	supplied *Supplied
	pictures []record.Media
}

// begin makes the reply in the background. reserve has made room for it.
func (s *Service) begin(r *Reply, d *desk.Desk, q Request) {
	ctx, cancel := context.WithCancelCause(fair.With(s.makeCtx, r.party))
	s.mu.Lock()
	r.cancel = cancel
	s.mu.Unlock()
	r.expect(d)
	go func() {
		defer cancel(nil)
		end := s.make(ctx, r, d, &q)
		r.finish(end)
		s.scribe.ended()
		if q.supplied == nil && (end.State == record.Done || end.State == record.Stopped) && steps.Remembers(d.Recipe) {
			s.foldIfDue(d, r, q.Question, q.past, end.memoryTokens)
		}
	}()
}

// toIndex notes a turn that is to be made findable.
func (s *Service) toIndex(turn uuid.UUID) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.fresh = append(s.fresh, turn)
}

// Finished returns the turns whose replies have ended since it was last called.
func (s *Service) Finished() []uuid.UUID {
	s.mu.Lock()
	defer s.mu.Unlock()
	turns := s.fresh
	s.fresh = nil
	return turns
}

// keep has the scribe keep a reply whose turn is on record.
func (s *Service) keep(r *Reply) {
	s.scribe.follow(r, func() { s.release(r); s.toIndex(r.Turn) })
	s.scribe.ended() // it may have by now
}

// run runs the desk's recipe and fills the reply. Its frame lies below all that
// happens meanwhile, so it is kept small.
func (s *Service) run(ctx context.Context, r *Reply, d *desk.Desk, q *Request) (recipe.Result, error) {
	r.record.Changed = r.stepChanged
	return recipe.Run(ctx, d.Recipe, q.All(), d.RecipeSettings, recipe.Options{
		Do: s.turn(d, *q, r).Do, Now: s.Now, Sleep: pause, Record: r.record,
		Reply:   func(lane int) func([]byte) { return r.open(lane, s.Now) },
		Thought: func(lane int) func([]byte) { return r.thinkAloud(d, lane) },
		Kept:    keeper{&s.kept, s, r, ctx}, Salt: saltOf(d, q.supplied), Renew: r.renew,
	})
}

// fit holds a reply to the JSON Schema that a program wants it to fit: what the recipe
// made is mended, and if that does not help the desk's model is asked again.
func (s *Service) fit(ctx context.Context, r *Reply, d *desk.Desk, q *Request, text string) (string, error) {
	if text == "" {
		text = string(r.Since(0, nil).Text)
	}
	said := text
	first := true
	span := recipe.Span{Step: "fit", Do: "extract", Parent: -1, State: recipe.Done}
	fitting, err := steps.Fitting([]prompt.Message{{Role: prompt.User, Text: q.Question.Text}}, q.supplied.Schema,
		func(m []prompt.Message) (string, error) {
			if first {
				first = false
				return said, nil
			}
			call, err := asker{s, &d.Entry, d.Counter, r}.Ask(ctx, steps.Ask{Messages: m, Schema: q.supplied.Schema,
				Sampling: deskfile.Sampling{Temperature: new(0.0), MaxTokens: d.Settings.Sampling.MaxTokens}},
				func([]byte) {})
			span.Calls = append(span.Calls, *call)
			return call.Answer, err
		})
	if err != nil {
		span.State, span.Error = recipe.Failed, err.Error()
	}
	if len(span.Calls) > 0 {
		r.record.Add(span)
	}
	return fitting, err
}

// All is what the visitor gave, the question with it.
func (q *Request) All() recipe.Values {
	inputs := recipe.Values{"question": q.Question.Text}
	for name, v := range q.inputs {
		if name != "question" {
			inputs[name] = v
		}
	}
	recipe.Given(inputs, carried(q.pictures))
	return inputs
}

// make makes the reply.
func (s *Service) make(ctx context.Context, r *Reply, d *desk.Desk, q *Request) End {
	result, err := s.run(ctx, r, d, q)
	if err == nil && q.supplied != nil && q.supplied.Schema != nil {
		result.Reply, err = s.fit(ctx, r, d, q, result.Reply)
	}
	return s.ended(ctx, r, d, q, result, err)
}

// turn is what the steps may know and use.
func (s *Service) turn(d *desk.Desk, q Request, r *Reply) *steps.RunContext {
	t := &steps.RunContext{
		Brief: briefWith(d, q.supplied), Model: d.Settings.Model, Sampling: samplingOf(d, q.supplied),
		Memory:   memoryOf(d),
		Question: q.Question, Vocabulary: d.Counter.Vocabulary(),
		Models: finder{s, d, r}, Programs: s.Programs, Web: s.Web,
	}
	t.Chance = func() int { return rand.IntN(1_000_000) }
	if s.Pages != nil {
		t.Pages = pages{s.Pages, r, r.Slug}
	}
	if g := q.supplied; g != nil {
		t.Schema = g.Schema
	}
	if s.Media != nil {
		t.Pictures = pictures{s.Media, r, d.DeskID}
	}
	attached := d.Settings.Attachments || d.Settings.Sound.Take // what was spoken is a document like others
	if s.Shelves != nil && (len(d.Settings.Shelves) > 0 || attached || d.Settings.Bring.Any()) {
		t.Shelves = shelves{library: s.Shelves, slugs: d.Settings.Shelves, attached: attached,
			brought: d.Settings.Bring.Any(), reply: r, past: q.past.Turns}
	}
	if s.Shelves != nil && (len(d.Settings.Shelves) > 0 || attached || d.Settings.Bring.Any()) {
		t.Works = works{library: s.Shelves, slugs: d.Settings.Shelves, own: attached || d.Settings.Bring.Any(),
			reply: r}
	}
	if s.Tables != nil && s.Shelves != nil {
		t.Tables = &sheets{service: s.Tables, library: s.Shelves, slugs: d.Settings.Shelves,
			own: attached || d.Settings.Bring.Any(), reply: r, past: q.past.Turns}
	}
	if g := q.supplied; g != nil {
		// What a program brings along it wants remembered: only the model's
		// context bounds it.
		t.Memory = memory.Limits{Turns: len(g.Past), Tokens: d.Entry.Context}
		for _, e := range g.Past {
			t.Past = append(t.Past, prompt.Exchange{
				Question: prompt.Measure(d.Counter, e.Question.Text), Reply: prompt.Measure(d.Counter, e.Reply.Text),
			})
		}
		return t
	}
	t.Summary = summaryOf(d, q.past)
	for _, p := range uncovered(d, q.past) {
		t.Past = append(t.Past, exchangeOf(d, p))
	}
	return t
}

func pause(ctx context.Context, span time.Duration) error {
	sleep(ctx, span)
	return ctx.Err()
}

// ended works out what has become of a reply.
func (s *Service) ended(ctx context.Context, r *Reply, d *desk.Desk, q *Request, result recipe.Result, err error) End {
	used := r.record.Usage()
	end := End{State: record.Done, PromptTokens: used.PromptTokens, ReplyTokens: used.ReplyTokens, Cost: used.Cost,
		usage: record.Usage(used)}
	spans := r.record.Spans()
	for _, span := range spans {
		for _, c := range span.Calls {
			end.Finish = c.Finish // the last one's, which wrote the reply
		}
	}
	text := r.whole(result, lanesOf(d, spans, result))
	end.memoryTokens = d.Counter.Count(text)
	end.Lanes = r.lanesNow()
	end.Parts = append(r.thinkingParts(), result.Parts...)
	if err != nil {
		s.failed(ctx, r, &end, err)
	}
	if end.State == record.Done {
		s.Log.Debug("reply made", "desk", d.Slug, "turn", r.Turn, "prompt_tokens", end.PromptTokens, "reply_tokens",
			end.ReplyTokens)
	}
	end.At = s.Now()
	if r.private.Load() {
		spans = withheld(spans)
	}
	end.trace = s.traceOf(r, d, spans, q.All(), end, text)
	return end
}

// failed says of a reply that it did not end well, and why.
func (s *Service) failed(ctx context.Context, r *Reply, end *End, err error) {
	switch cause := context.Cause(ctx); {
	case errors.Is(cause, errStopped):
		end.State, end.Finish = record.Stopped, "stopped"
	case errors.Is(cause, errLeft) || errors.Is(err, errLeft):
		end.State, end.Finish, end.Problem = record.Stopped, "stopped", fault.Left
	case errors.Is(cause, errShutdown):
		end.State, end.Problem = record.Interrupted, fault.Interruption
	default:
		problem := explain(err)
		end.State, end.Problem, end.ProblemID = record.Failed, problem.Code, problem.ID
		var failure *models.Error
		if errors.As(err, &failure) {
			end.RetryAfter = failure.RetryAfter
		}
		s.Log.Error("reply failed", "desk", r.Slug, "revision", r.Revision, "model", r.Model, "turn", r.Turn, "code",
			problem.Code, "id", problem.ID, "error", err)
	}
}

// encode writes what goes on record as JSON; nil for nothing.
func encode(v any, none bool) json.RawMessage {
	if none {
		return nil
	}
	text, err := json.Marshal(v)
	if err != nil {
		return nil // cannot happen: these types always marshal
	}
	return text
}

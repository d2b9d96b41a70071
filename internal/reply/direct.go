package reply

import (
	"context"

	"github.com/google/uuid"

	"juvalogos/core/deskfile"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/core/steps"
	"juvalogos/internal/fair"
	"juvalogos/internal/fault"
	"juvalogos/internal/limits"
	"juvalogos/internal/record"
)

// Direct is a question to a model itself, of no desk.
type Direct struct {
	Model    string // its name, or connection/name
	Visitor  record.Visitor
	Messages []prompt.Message
	Sampling deskfile.Sampling
	Pictures []GivenPicture
	Schema   any // that the reply has to fit; nil: none
}

// Direct asks a model itself. The reply is followed like a desk's, is not on record,
// and only what it used is kept. Errors are *models.NoModel, *fault.Problem or
// *limits.Exceeded.
func (s *Service) Direct(ctx context.Context, q Direct) (*Reply, error) {
	entry, err := s.Models.Find(q.Model)
	if err != nil {
		return nil, err
	}
	counter, err := entry.Counter()
	if err != nil {
		return nil, fault.New(fault.Unexpected, err)
	}
	files, err := s.prepared(ctx, entry, q.Pictures)
	if err != nil {
		return nil, err
	}
	r := &Reply{Turn: uuid.Must(uuid.NewV7()), Model: entry.Path(), Attempt: 1, StartedAt: s.Now(), visitor: q.Visitor,
		party: fair.Of(ctx), record: &recipe.Recorder{}}
	r.Conversation = r.Turn
	if r.taken, err = s.Limits.Reserve(ctx, "", limits.Amounts{limits.Questions: 1, limits.AtOnce: 1}); err != nil {
		return nil, err
	}
	if _, err := s.reserve(r); err != nil {
		r.taken.Undo()
		return nil, err
	}
	making, cancel := context.WithCancelCause(fair.With(s.makeCtx, r.party))
	s.mu.Lock()
	r.cancel = cancel
	s.mu.Unlock()
	a := asker{s, &entry, counter, r}
	go func() {
		defer cancel(nil)
		end := s.direct(making, r, a, q, files)
		if err := s.Store.Traces.KeepTrace(context.WithoutCancel(making), end.trace); err != nil {
			s.Log.Warn("what a model used could not be put on record", "model", r.Model, "error", err)
		}
		r.finish(end)
		r.settle()
		s.release(r)
	}()
	return r, nil
}

func (s *Service) direct(ctx context.Context, r *Reply, a asker, q Direct, files []recipe.Media) End {
	span := recipe.Span{Step: "direct", Do: "generate", Parent: -1, State: recipe.Done}
	ask := func(m []prompt.Message, text func([]byte)) (string, error) {
		call, err := a.Ask(ctx, steps.Ask{Messages: m, Files: files, Sampling: q.Sampling, Schema: q.Schema}, text)
		span.Calls = append(span.Calls, *call)
		return call.Answer, err
	}
	var err error
	if q.Schema == nil {
		_, err = ask(q.Messages, func(text []byte) { r.add(text, s.Now) })
	} else {
		var fitting string
		if fitting, err = steps.Fitting(q.Messages, q.Schema, func(m []prompt.Message) (string, error) {
			return ask(m, func([]byte) {})
		}); err == nil {
			r.add([]byte(fitting), s.Now)
		}
	}
	used := recipe.Sum([]recipe.Span{span})
	end := End{State: record.Done, PromptTokens: used.PromptTokens, ReplyTokens: used.ReplyTokens, Cost: used.Cost,
		usage: record.Usage(used), At: s.Now()}
	for _, c := range span.Calls {
		end.Finish = c.Finish
	}
	if err != nil {
		s.failed(ctx, r, &end, err)
		span.State, span.Error = recipe.Failed, err.Error()
	}
	span.Took = end.At.Sub(r.StartedAt)
	end.trace = &record.Trace{ID: uuid.Must(uuid.NewV7()), Kind: "direct", Turn: r.Turn, Attempt: 1, Visitor: r.visitor,
		Recipe: "direct", State: string(end.State), Problem: string(end.Problem), StartedAt: r.StartedAt,
		Seconds: span.Took.Seconds(), Usage: end.usage}
	s.Fill(end.trace, []recipe.Span{span}, nil, "")
	return end
}

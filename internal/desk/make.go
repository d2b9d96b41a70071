package desk

import (
	"context"
	"errors"
	"time"

	"github.com/google/uuid"

	"juvalogos/core/prompt"
	"juvalogos/internal/models"
	"juvalogos/internal/store"
)

var (
	errStopped     = errors.New("stopped by the visitor")
	errNotRecorded = errors.New("the question could not be put on record")
)

// begin makes the reply in the background. reserve has made room for it.
func (s *Service) begin(r *Reply, d *Desk, question prompt.Piece, past store.Past, g *Given) {
	ctx, cancel := context.WithCancelCause(s.makeCtx)
	s.mu.Lock()
	r.cancel = cancel
	s.mu.Unlock()
	go func() {
		defer cancel(nil)
		end := s.make(ctx, r, d, question, past, g)
		end.At = s.Now()
		r.finish(end)
		s.scribe.ended()
		if g == nil && (end.State == store.Done || end.State == store.Stopped) {
			s.foldIfDue(d, r, question, past, end.memoryTokens)
		}
	}()
}

// toIndex notes a turn that is to be made findable.
func (s *Service) toIndex(turn uuid.UUID) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.fresh = append(s.fresh, turn)
}

// keep has the scribe keep a reply whose turn is on record.
func (s *Service) keep(r *Reply) {
	s.scribe.follow(r, func() { s.release(r); s.toIndex(r.Turn) })
	s.scribe.ended() // it may have by now
}

// make asks the desk's model and fills the reply.
func (s *Service) make(ctx context.Context, r *Reply, d *Desk, question prompt.Piece, past store.Past, g *Given) End {
	p, err := d.prompt(question, past, g)
	if err != nil {
		return s.ended(ctx, r, d, p, models.Result{}, tooLongOr(err))
	}
	leave, err := d.Entry.Enter(ctx, func(w models.Wait) {
		r.tell(Notice{Kind: "in-line", Place: w.Place, Seconds: w.About.Seconds()})
	})
	if err != nil {
		return s.ended(ctx, r, d, p, models.Result{}, err)
	}
	defer leave()
	r.tellAgain()
	request := models.Request{Messages: p.Messages, Sampling: d.sampling(g)}
	result, err := s.Retry.Do(ctx, func(started *bool) (models.Result, error) {
		return d.Entry.Generate(ctx, request, func(text []byte) {
			*started = true
			r.add(text, s.Now)
		})
	}, func(failure *models.Error, wait time.Duration) {
		s.Log.Warn("asking the model again", "turn", r.Turn, "wait", wait, "error", failure)
		if failure.Kind == models.Waking {
			r.tell(Notice{Kind: "waking"})
			return
		}
		r.tell(Notice{Kind: "retrying", Seconds: wait.Seconds()})
	})
	return s.ended(ctx, r, d, p, result, err)
}

func tooLongOr(err error) error {
	var long *prompt.TooLong
	if errors.As(err, &long) {
		return tooLong(long)
	}
	return err
}

// ended works out what has become of a reply.
func (s *Service) ended(ctx context.Context, r *Reply, d *Desk, p prompt.Prompt, result models.Result, err error) End {
	text := r.Since(0, nil).Text
	end := End{
		State: store.Done, Finish: result.Finish,
		PromptTokens: result.PromptTokens, ReplyTokens: result.ReplyTokens,
		memoryTokens: d.counter.Count(string(text)),
	}
	if end.PromptTokens == 0 {
		end.PromptTokens = p.Tokens
	}
	if end.ReplyTokens == 0 {
		end.ReplyTokens = end.memoryTokens
	}
	if err == nil && len(text) == 0 {
		err = &models.Error{Kind: models.Garbled, Entry: d.Entry.Path(), Detail: "the reply is empty"}
	}
	switch cause := context.Cause(ctx); {
	case err == nil:
	case errors.Is(cause, errStopped):
		end.State, end.Finish = store.Stopped, "stopped"
	case errors.Is(cause, errShutdown):
		end.State, end.Problem = store.Interrupted, Interruption
	default:
		problem := explain(err)
		end.State, end.Problem, end.ProblemID = store.Failed, problem.Code, problem.ID
		var failure *models.Error
		if errors.As(err, &failure) {
			end.RetryAfter = failure.RetryAfter
		}
		s.Log.Error("reply failed", "desk", d.Slug, "revision", d.Number, "turn", r.Turn, "code", problem.Code, "id", problem.ID, "error", err)
	}
	if end.State == store.Done {
		s.Log.Debug("reply made", "desk", d.Slug, "turn", r.Turn, "prompt_tokens", end.PromptTokens, "reply_tokens", end.ReplyTokens)
	}
	return end
}

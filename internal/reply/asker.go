package reply

import (
	"context"
	"errors"
	"strings"
	"time"
	"unicode/utf8"

	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/core/steps"
	"juvalogos/internal/desk"
	"juvalogos/internal/fair"
	"juvalogos/internal/models"
)

// asker is a model as steps see it: it waits in the connection's line, is asked
// again where that may help, and tells what it used. It is a steps.Model.
type asker struct {
	service *Service
	entry   *models.Entry
	counter prompt.Counter
	reply   *Reply // that it is for, which hears of what is waited for; nil: nobody does
}

// finder finds models for the steps of one reply; it is a steps.Models.
type finder struct {
	service *Service
	desk    *desk.Desk
	reply   *Reply // nil: nobody hears of it
}

func (f finder) Find(name string) (steps.Model, error) {
	if name == f.desk.Settings.Model {
		return asker{f.service, &f.desk.Entry, f.desk.Counter, f.reply}, nil
	}
	entry, err := f.service.Models.Find(name)
	if err != nil {
		return nil, err
	}
	counter, err := entry.Counter()
	return asker{f.service, &entry, counter, f.reply}, err
}

func (a asker) Name() string            { return a.entry.Path() }
func (a asker) Context() int            { return a.entry.Context }
func (a asker) Counter() prompt.Counter { return a.counter }

func (a asker) Ask(ctx context.Context, q steps.Ask, text func([]byte)) (*recipe.ModelCall, error) {
	now := a.service.Now
	began := now()
	call := &recipe.ModelCall{Model: a.Name(), Settings: q.Sampling, Messages: q.Messages, At: began}
	leave, inLine, err := a.enter(ctx)
	if err != nil {
		call.Took, call.Error = now().Sub(began), err.Error()
		return call, err
	}
	defer leave()
	if inLine {
		call.Waited = now().Sub(began)
		a.news(Notice{Kind: "writing"})
	}
	longest := a.entry.Connection.Longest
	if longest == 0 {
		longest = models.DefaultLongest
	}
	timed, stopClock := context.WithTimeoutCause(ctx, longest, recipe.ErrLate)
	defer stopClock()
	bounded, full := context.WithCancelCause(timed)
	defer full(nil)
	most := a.entry.Connection.MostBytes(q.Sampling.MaxTokens)
	request := models.Request{Messages: q.Messages, Sampling: q.Sampling, Schema: q.Schema}
	var said strings.Builder
	result, err := a.service.Retry.Do(bounded, func(started *bool) (models.Result, error) {
		return a.entry.Generate(bounded, request, func(piece []byte) {
			*started = true
			if said.Len() == 0 {
				call.First = now().Sub(began)
				said.Grow(1 << 10) // most replies are longer
			}
			if room := most - said.Len(); len(piece) > room {
				full(errFull)
				piece = wholeRunes(piece[:room])
			}
			said.Write(piece)
			text(piece)
		})
	}, func(failure *models.Error, wait time.Duration) {
		call.Retries++
		a.service.Log.Warn("asking the model again", "model", a.Name(), "wait", wait, "error", failure)
		if failure.Kind == models.Waking {
			a.news(Notice{Kind: "waking"})
			return
		}
		a.news(Notice{Kind: "retrying", Seconds: wait.Seconds()})
	})
	call.Took, call.Answer = now().Sub(began), said.String()
	switch {
	case context.Cause(bounded) == errFull:
		// It is cut off like one that reached the length that was asked for.
		a.service.Log.Warn("a reply grew beyond its bound and was cut off", "model", a.Name(), "bytes", said.Len())
		result, err = models.Result{Finish: "length"}, nil
	case err != nil && context.Cause(timed) == recipe.ErrLate:
		err = recipe.ErrLate
	}
	call.Finish, call.PromptTokens, call.ReplyTokens = result.Finish, result.PromptTokens, result.ReplyTokens
	if err != nil {
		call.Error = err.Error()
	}
	if call.PromptTokens == 0 && (err == nil || said.Len() > 0) {
		call.Counted = true
		call.PromptTokens = prompt.PerPrompt
		for _, m := range q.Messages {
			call.PromptTokens += a.counter.Count(m.Text) + prompt.PerMessage
		}
	}
	if call.ReplyTokens == 0 && said.Len() > 0 {
		call.Counted = true
		call.ReplyTokens = a.counter.Count(call.Answer)
	}
	call.Cost = a.entry.Price.Of(call.PromptTokens, call.ReplyTokens)
	return call, err
}

// enter waits for the reply's turn in the connection's line.
func (a asker) enter(ctx context.Context) (leave func(), inLine bool, err error) {
	waiting, stop := a.service.whileWanted(ctx, a.reply)
	defer stop()
	leave, err = a.entry.Enter(waiting, func(w fair.Wait) {
		inLine = true
		a.news(Notice{Kind: "in-line", Place: w.Place, Seconds: w.About.Seconds()})
	})
	return leave, inLine, err
}

// errFull is why a reply that grows beyond its bound ends.
var errFull = errors.New("the reply grew beyond its bound")

// wholeRunes leaves out what is left of a letter at the end.
func wholeRunes(text []byte) []byte {
	for i := 1; i <= utf8.UTFMax && i <= len(text); i++ {
		if at := len(text) - i; utf8.RuneStart(text[at]) {
			if !utf8.FullRune(text[at:]) {
				return text[:at]
			}
			break
		}
	}
	return text
}

func (a asker) news(n Notice) {
	if a.reply != nil {
		a.reply.tell(n)
	}
}

// defaultGone is for how long nobody may listen before a reply counts as waited
// for by nobody: a page that is loaded again comes back sooner.
const defaultGone = 20 * time.Second

// whileWanted is a context for waiting in line for a reply's turn: where the desk
// says so it ends with errLeft once nobody waits for the reply any more.
func (s *Service) whileWanted(ctx context.Context, r *Reply) (context.Context, func()) {
	if r == nil || !r.droppable {
		return ctx, func() {}
	}
	waiting, stop := context.WithCancelCause(ctx)
	look := time.NewTicker(s.Gone / 20)
	go func() {
		defer look.Stop()
		for {
			select {
			case <-waiting.Done():
				return
			case <-look.C:
				if left := r.alone(); !left.IsZero() && time.Since(left) > s.Gone {
					stop(errLeft)
				}
			}
		}
	}()
	return waiting, func() { stop(nil) }
}

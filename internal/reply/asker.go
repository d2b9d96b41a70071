package reply

import (
	"context"
	"errors"
	"strings"
	"time"
	"unicode/utf8"

	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/core/sound"
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
	request := models.Request{Messages: q.Messages, Sampling: q.Sampling, Schema: q.Schema}
	if request.Files, err = a.files(bounded, q); err != nil {
		call.Took, call.Error = now().Sub(began), err.Error()
		return call, err
	}
	if call.Making = q.Make; q.Make != nil {
		request.Previews = a.entry.Takes.Previews
		if request.Make, err = a.making(bounded, q.Make); err != nil {
			call.Took, call.Error = now().Sub(began), err.Error()
			return call, err
		}
		a.expect(bounded, q.Make)
	}
	if call.Hearing, call.Saying, request.Say = q.Hear, q.Say, q.Say; q.Messages == nil {
		request.Hear = q.Hear
	}
	h := &hearing{asker: a, ask: q, call: call, began: began, text: text, full: func() { full(errFull) },
		most: a.entry.Connection.MostBytes(q.Sampling.MaxTokens)}
	result, err := a.service.Retry.Do(bounded, func(started *bool) (models.Result, error) {
		return a.entry.Generate(bounded, request, h.sink(started))
	}, func(failure *models.Error, wait time.Duration) {
		call.Retries++
		a.service.Log.Warn("asking the model again", "model", a.Name(), "wait", wait, "error", failure)
		if failure.Kind == models.Waking {
			a.news(Notice{Kind: "waking"})
			return
		}
		a.news(Notice{Kind: "retrying", Why: whyAgain[failure.Kind], Seconds: wait.Seconds()})
	})
	said := &h.said
	if q.Make != nil {
		call.Pictures = h.files
	}
	if err == nil && said.Len() == 0 && h.made != "" && q.File == nil {
		err = &models.Error{Kind: models.SaidNothing, Entry: a.Name(), Final: true,
			Detail: "it made a file (" + h.made + ") and no text; desks show texts so far"}
	}
	call.Took, call.Answer, call.Thought = now().Sub(began), said.String(), h.thought.String()
	switch {
	case context.Cause(bounded) == errFull:
		// It is cut off like one that reached the length that was asked for.
		a.service.Log.Warn("a reply grew beyond its bound and was cut off", "model", a.Name(), "bytes", said.Len())
		result, err = models.Result{Finish: "length"}, nil
	case err != nil && context.Cause(timed) == recipe.ErrLate:
		err = recipe.ErrLate
	}
	a.account(q, call, result, err)
	a.service.paces.heard(call)
	return call, err
}

// account notes what an ask used, as the server counted it or else as we do.
func (a asker) account(q steps.Ask, call *recipe.ModelCall, result models.Result, err error) {
	call.Finish, call.PromptTokens, call.ReplyTokens = result.Finish, result.PromptTokens, result.ReplyTokens
	call.ThoughtTokens, call.CachedTokens = result.ThoughtTokens, result.CachedTokens
	if err != nil {
		call.Error = err.Error()
	}
	if q.Hear != nil {
		call.Sound = q.Hear.Seconds
	}
	if (q.Hear != nil || q.Say != nil) &&
		q.Messages == nil { // minutes are what counts, unless the server counts tokens
		call.Cost = a.entry.Price.Of(call.PromptTokens, call.CachedTokens, call.ReplyTokens)
		if err == nil {
			call.Cost += a.entry.Price.Minutes(call.Sound)
		}
		return
	}
	wrote := call.Answer != "" || call.Thought != ""
	if call.PromptTokens == 0 && q.Make == nil && (err == nil || wrote) {
		call.Counted = true
		call.PromptTokens = prompt.PerPrompt
		for _, m := range q.Messages {
			call.PromptTokens += prompt.Measure(a.counter, m.Text).With(m.Pictures).Tokens + prompt.PerMessage
		}
	}
	if call.ThoughtTokens == 0 && call.Thought != "" {
		call.ThoughtTokens = a.counter.Count(call.Thought)
	}
	if call.ReplyTokens == 0 && q.Make == nil && wrote {
		call.Counted = true
		call.ReplyTokens = a.counter.Count(call.Answer) + call.ThoughtTokens
	}
	call.Cost = a.entry.Price.Of(call.PromptTokens, call.CachedTokens, call.ReplyTokens) +
		float64(call.Pictures)*a.entry.Price.Picture
	if err == nil {
		call.Cost += a.entry.Price.Minutes(call.Sound)
	}
}

// whyAgain says to visitors what is waited for.
var whyAgain = map[models.ErrorKind]string{models.Busy: "busy", models.Unreachable: "away",
	models.ServerFailed: "failed", models.CutOff: "cut-off"}

// hearing takes what a model says in one ask.
type hearing struct {
	asker         asker
	ask           steps.Ask
	call          *recipe.ModelCall
	began         time.Time
	text          func([]byte)
	full          func()
	most          int
	said, thought strings.Builder
	made          string // the kind of a file that it made
	files         int    // how many
}

func (h *hearing) sink(started *bool) models.Sink {
	return models.Sink{
		Text: func(piece []byte) {
			*started = true
			if h.said.Len() == 0 {
				h.call.First = h.asker.service.Now().Sub(h.began)
				h.said.Grow(1 << 10) // most replies are longer
			}
			if piece = h.fitting(piece); len(piece) > 0 {
				h.said.Write(piece)
				h.text(piece)
			}
		},
		Thought: func(piece []byte) {
			*started = true
			if piece = h.fitting(piece); len(piece) > 0 {
				h.thought.Write(piece)
				if h.ask.Thought != nil {
					h.ask.Thought(piece)
				}
			}
		},
		Paced: func(wait time.Duration) {
			h.asker.news(Notice{Kind: "in-line", Place: 1, Seconds: wait.Seconds()})
		},
		Progress: func(p models.Progress) {
			says := []rune(p.Says)
			h.asker.news(Notice{Kind: "working", Says: string(says[:min(len(says), longestSaid)]), Done: p.Done})
		},
		File: func(f recipe.Media) {
			*started = true
			h.made = f.Kind
			h.files++
			if h.ask.File != nil {
				h.ask.File(f)
			}
		},
		Heard: func(s sound.Heard) {
			*started = true
			if h.ask.Heard != nil {
				h.ask.Heard(s)
			}
		},
		Preview: h.asker.preview,
		Waking:  func(about time.Duration) { h.asker.news(Notice{Kind: "waking", Seconds: about.Seconds()}) },
	}
}

// longestSaid is how many characters of what a model says of its work are shown.
const longestSaid = 200

// fitting is as much of a piece as there is room for; what is over ends the ask.
func (h *hearing) fitting(piece []byte) []byte {
	if room := h.most - h.said.Len() - h.thought.Len(); len(piece) > room {
		h.full()
		return wholeRunes(piece[:room])
	}
	return piece
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

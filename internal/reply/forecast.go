package reply

import (
	"cmp"
	"context"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"

	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/core/steps"
	"juvalogos/internal/desk"
	"juvalogos/internal/fair"
	"juvalogos/internal/fault"
	"juvalogos/internal/limits"
	"juvalogos/internal/record"
)

// Forecast is what a reply will about take.
type Forecast struct {
	Sections     int // of the documents, and how many of these are kept from before
	Kept         int
	Calls        int
	PromptTokens int
	ReplyTokens  int     // about; what models write is as long as it is
	Cost         float64 // about, in the unit of the connections' prices
	MostCost     float64 // if every text is as long as it may be
	Seconds      float64 // about, by how fast the models wrote lately; 0: that is not known
}

// Forecast tells what a question would take, without asking a model: its recipe is rehearsed,
// so that sections which are kept from before count nothing. Errors are those of Ask; a
// recipe of which it cannot be told is fault.NotHere.
func (s *Service) Forecast(ctx context.Context, q Question) (Forecast, error) {
	q.Text = strings.TrimSpace(string(record.Clean([]byte(q.Text))))
	if q.Text == "" {
		return Forecast{}, fault.Plain(fault.Empty)
	}
	d, err := s.Desks.Open(ctx, q.Slug)
	if err == nil {
		d, err = s.Desks.Chosen(d, q.Choice)
	}
	if err != nil {
		return Forecast{}, fault.Logged(s.Log, "foretell", err)
	}
	if !steps.Foretold(d.Recipe) {
		return Forecast{}, fault.Say(fault.NotHere, "What a question takes cannot be told beforehand at this desk.")
	}
	question := prompt.Measure(d.Counter, q.Text)
	if err := fits(d, question, nil); err != nil {
		return Forecast{}, err
	}
	inputs, err := s.inputsOf(ctx, d, q)
	if err != nil {
		return Forecast{}, err
	}
	past, _, err := s.past(ctx, q, d)
	if err != nil {
		return Forecast{}, err
	}
	taken, err := s.Limits.Reserve(ctx, d.Slug, limits.Amounts{limits.Questions: 1, limits.AtOnce: 1})
	if err != nil {
		return Forecast{}, err
	}
	defer taken.Done()
	r := &Reply{Conversation: q.Conversation, Slug: q.Slug, Question: q.Text, visitor: q.Visitor, party: fair.Of(ctx),
		record: &recipe.Recorder{}}
	if r.Conversation == uuid.Nil {
		r.Conversation = uuid.Must(uuid.NewV7())
	}
	return s.rehearse(ctx, r, d, Request{Question: question, inputs: inputs, past: past})
}

// rehearse runs a recipe with models that do not really write.
func (s *Service) rehearse(ctx context.Context, r *Reply, d *desk.Desk, q Request) (Forecast, error) {
	t := s.turn(d, q, r)
	told := &rehearsal{finder: finder{s, d, nil}}
	t.Models = told
	_, err := recipe.Run(ctx, d.Recipe, q.All(), d.RecipeSettings, recipe.Options{
		Do: t.Rehearse, Now: s.Now, Record: r.record, Kept: onlyRead{keeper{&s.kept, s, r, ctx}}, Salt: saltOf(d, nil),
	})
	if err != nil {
		return Forecast{}, fault.Logged(s.Log, "foretell", err)
	}
	f := Forecast{Calls: told.calls, PromptTokens: told.prompt, ReplyTokens: told.reply, Cost: told.cost,
		MostCost: told.most}
	for _, span := range r.record.Spans() {
		f.Sections = max(f.Sections, span.Of)
		if span.State == recipe.Reused && span.Parent >= 0 && span.Number == 0 {
			f.Kept++
		}
	}
	f.Seconds = told.seconds(r.record.Spans(), d.Recipe)
	return f, nil
}

// onlyRead keeps nothing of what is rehearsed.
type onlyRead struct{ keeper }

func (onlyRead) Put(string, recipe.Values, time.Duration) {}

// rehearsal adds up what models would be asked; it is a steps.Models.
type rehearsal struct {
	finder
	mu                   sync.Mutex
	calls, prompt, reply int
	cost, most           float64
	unknown              bool // how fast a model writes
}

func (h *rehearsal) Find(name string) (steps.Model, error) {
	m, err := h.finder.Find(name)
	if err != nil {
		return nil, err
	}
	return rehearsing{m.(asker), h}, nil
}

// rehearsing is a model that writes nothing of its own.
type rehearsing struct {
	asker
	told *rehearsal
}

// usualReply is how long, in tokens, a reply is taken to be that may be longer.
const usualReply = 400

// Ask counts an ask, and answers with a text as long as a reply is likely to be.
func (m rehearsing) Ask(_ context.Context, q steps.Ask, text func([]byte)) (*recipe.ModelCall, error) {
	length := prompt.PerPrompt
	for _, one := range q.Messages {
		length += prompt.Measure(m.counter, one.Text).With(one.Pictures).Tokens + prompt.PerMessage
	}
	most := cmp.Or(q.Sampling.MaxTokens, usualReply)
	about := min((most+1)/2, usualReply)
	said := strings.Repeat("word ", about*3/4)
	call := &recipe.ModelCall{Model: m.Name(), PromptTokens: length, ReplyTokens: about, Answer: said,
		Cost: m.entry.Price.Of(length, 0, about)}
	pace := m.service.paces.of(m.Name())
	call.Took = time.Duration(pace * float64(about) * float64(time.Second))
	h := m.told
	h.mu.Lock()
	defer h.mu.Unlock()
	h.calls++
	h.prompt += length
	h.reply += about
	h.cost += call.Cost
	h.most += m.entry.Price.Of(length, 0, most)
	h.unknown = h.unknown || pace == 0
	text([]byte(said))
	return call, nil
}

// seconds is how long calls would take: those of a list side by side, unless each goes on
// with what the one before it made.
func (h *rehearsal) seconds(spans []recipe.Span, r *recipe.Recipe) float64 {
	if h.unknown {
		return 0
	}
	aside := map[string]bool{}
	for _, step := range r.Steps {
		aside[step.Name] = step.Each != nil && !step.InTurn()
	}
	var all float64
	for _, span := range spans {
		top, _, _ := strings.Cut(span.Step, "/")
		for _, c := range span.Calls {
			took := c.Took.Seconds()
			if aside[top] {
				took /= recipe.DefaultAtOnce
			}
			all += took
		}
	}
	return all
}

// paces are how long models lately took for a token that they wrote, in seconds.
type paces struct {
	mu sync.Mutex
	by map[string]float64
}

func (p *paces) of(model string) float64 {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.by[model]
}

// heard takes an ask that has ended into account.
func (p *paces) heard(call *recipe.ModelCall) {
	if call.Error != "" || call.ReplyTokens < 8 || call.Took <= call.Waited {
		return
	}
	pace := (call.Took - call.Waited).Seconds() / float64(call.ReplyTokens)
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.by == nil {
		p.by = map[string]float64{}
	}
	if before := p.by[call.Model]; before > 0 {
		pace = 0.8*before + 0.2*pace
	}
	p.by[call.Model] = pace
}

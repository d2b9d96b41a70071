package recipe

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"sync"
	"sync/atomic"
	"time"
)

// Options are what a run is given.
type Options struct {
	Do Do
	// Now is the clock.
	Now func() time.Time
	// Sleep waits between two tries, or until ctx ends; nil: it does not wait.
	Sleep func(ctx context.Context, span time.Duration) error
	// Record keeps the spans; nil: a new one, which the Result has.
	Record *Recorder
	// Reply opens a text of the reply: what it returns adds to it, as it comes.
	// lane counts from 0 where the reply is several texts. It may be called from
	// several goroutines; nil: nobody listens.
	Reply func(lane int) (add func(text []byte))
	// Thought opens what a model thinks aloud before it writes a text of the reply,
	// as Reply opens the text; nil: nobody listens.
	Thought func(lane int) (add func(text []byte))
	// Kept holds the outputs of steps that may be kept; nil: none are. Salt is
	// what else they depend on beside their inputs and settings.
	Kept Kept
	Salt string
	// Renew has the steps at the top run although their outputs are kept, as where somebody
	// wants the same made once more; what is within groups is taken as it is.
	Renew bool
	// Outputs are taken instead of running the step, by name;
	// nil ones were skipped. Steps within groups are not looked at.
	Outputs map[string]Values
	// Sets are settings to use instead of a step's, and Inputs inputs, by the
	// step's name, GROUP/STEP within a group.
	Sets   map[string]any
	Inputs map[string]Values
}

// Result is what a run made.
type Result struct {
	Reply string
	Lanes []Lane // where the reply is several texts
	Blind bool
	Parts []MadePart
	// Outputs of the steps at the top, by step.
	Outputs map[string]Values
}

// Lane is one of several texts.
type Lane struct {
	Text   string
	Failed bool // its step failed or was skipped
}

// MadePart is a further part of the turn.
type MadePart struct {
	Title string `json:"title"`
	Type  Type   `json:"type"`
	Value any    `json:"value"`
}

// MediaIn are the media that parts hold, in their order.
func MediaIn(parts []MadePart) (all []Media) {
	for _, p := range parts {
		switch v := p.Value.(type) {
		case Media:
			all = append(all, v)
		case []any:
			for _, x := range v {
				if m, is := x.(Media); is {
					all = append(all, m)
				}
			}
		}
	}
	return all
}

// StepError is the failure of a step, which ended the run.
type StepError struct {
	Step string
	Err  error
}

func (e *StepError) Error() string { return fmt.Sprintf("step %q: %v", e.Step, e.Err) }
func (e *StepError) Unwrap() error { return e.Err }

// ErrLate is the cause of the end of a step or a run that took too long.
var ErrLate = errors.New("it took longer than it may")

// run is one run of a recipe.
type run struct {
	recipe  *Recipe
	options Options
	meter   meter
	began   time.Time

	first atomic.Bool // whether the first lane of the reply has some text
	mu    sync.Mutex
	lanes map[int]bool // of the others, those that have some
}

// wrote notes that a text of the reply has begun.
func (x *run) wrote(lane int) {
	if lane == 0 {
		x.first.Store(true)
		return
	}
	x.mu.Lock()
	defer x.mu.Unlock()
	if x.lanes == nil {
		x.lanes = map[int]bool{}
	}
	x.lanes[lane] = true
}

func (x *run) replied(lane int) bool {
	if lane == 0 {
		return x.first.Load()
	}
	x.mu.Lock()
	defer x.mu.Unlock()
	return x.lanes[lane]
}

// Run runs a recipe with what was taken and set, as Complete and Settle return
// them. It returns when nothing of it runs any more. The error is a *StepError
// or the context's cause; the Result then holds what there is.
func Run(ctx context.Context, r *Recipe, inputs, settings Values, o Options) (Result, error) {
	if o.Record == nil {
		o.Record = &Recorder{}
	}
	if o.Reply == nil {
		o.Reply = func(int) func([]byte) { return func([]byte) {} }
	}
	x := &run{recipe: r, options: o, meter: meter{limits: r.File.Limits}, began: o.Now()}
	ctx, cancel := context.WithTimeoutCause(ctx, r.File.Limits.Time, ErrLate)
	defer cancel()
	top := &scope{outputs: make(map[*Step]Values, len(r.Steps)), names: make(Values, len(inputs)+len(settings))}
	for k, v := range inputs {
		top.names[k] = v
	}
	for k, v := range settings {
		top.names["settings."+k] = v
	}
	err := x.steps(ctx, top, r.Steps, -1, &lead{from: r.Reply})
	return x.result(top), err
}

func (x *run) result(top *scope) Result {
	r := x.recipe
	result := Result{Outputs: map[string]Values{}}
	for s, out := range top.outputs {
		result.Outputs[s.Name] = out
	}
	switch v := top.value(r.Reply).(type) {
	case string:
		result.Reply = v
	case []any:
		for _, text := range v {
			s, ok := text.(string)
			result.Lanes = append(result.Lanes, Lane{s, !ok})
			if result.Reply == "" {
				result.Reply = s
			}
		}
	}
	result.Blind, _ = top.value(r.Blind).(bool)
	for _, p := range r.Parts {
		if v := top.value(p.From); !isEmpty(v) {
			result.Parts = append(result.Parts, MadePart{p.Title, p.Type, v})
		}
	}
	return result
}

// UnmarshalJSON reads what is on record into what the part's type carries.
func (p *MadePart) UnmarshalJSON(text []byte) error {
	type bare MadePart // without this method
	if err := json.Unmarshal(text, (*bare)(p)); err != nil {
		return err
	}
	if !p.Type.evident() && innermost(p.Type) != Picture {
		return nil
	}
	value, err := Value(p.Type, p.Value)
	p.Value = value
	return err
}

// scope holds what can be referred to at one level of a run. Only the
// goroutine of that level touches it.
type scope struct {
	names   Values
	outputs map[*Step]Values // of steps that ended; nil for those skipped
	outer   map[string]any   // what was handed in from around
}

// value returns what a reference leads to, nil if it is not there.
func (sc *scope) value(r Ref) any {
	if r.Step != nil {
		if out, here := sc.outputs[r.Step]; here {
			return out[r.Output]
		}
	} else if v, here := sc.names[r.Name]; here {
		return v
	}
	if sc.outer == nil {
		return nil
	}
	return sc.outer[r.String()]
}

// ended is news of a step.
type ended struct {
	step *Step
	out  Values // nil: skipped
	err  error
}

// steps runs the steps of a level: each as soon as those that it needs have
// ended, side by side with the others. The first failure stops the rest, and
// steps returns when none of them runs any more. reply says what of this level is
// the reply; nil: nothing.
func (x *run) steps(ctx context.Context, sc *scope, steps []*Step, parent int, reply *lead) error {
	ctx, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	q := queue{steps: steps, waits: make([]int, len(steps)), left: len(steps), stop: stop}
	for i, s := range steps {
		if q.waits[i] = len(s.needs); q.waits[i] == 0 {
			q.ready = append(q.ready, s)
		}
	}
	var news chan ended
	running := 0
	for q.left > 0 {
		x.skip(&q, sc, parent)
		if q.failed == nil && ctx.Err() != nil {
			q.failed = context.Cause(ctx)
		}
		if q.failed != nil {
			q.ready = nil
			if running == 0 {
				return q.failed
			}
		}
		ready := q.ready
		q.ready = nil
		if len(ready) == 1 && running == 0 { // nothing else to do meanwhile
			s := ready[0]
			q.end(sc, x.one(ctx, sc.child(s), s, x.prepare(sc, s), parent, sc.leadOf(s, reply)))
			continue
		}
		if news == nil {
			news = make(chan ended, len(steps))
		}
		for _, s := range ready {
			prepared, stream, child := x.prepare(sc, s), sc.leadOf(s, reply), sc.child(s)
			running++
			go func() { news <- x.one(ctx, child, s, prepared, parent, stream) }()
		}
		if running > 0 {
			e := <-news
			running--
			q.end(sc, e)
		}
	}
	return q.failed
}

// queue is the steps of a level that have not ended yet.
type queue struct {
	steps  []*Step
	waits  []int   // for so many others, each
	ready  []*Step // wait for none
	left   int
	failed error
	stop   context.CancelCauseFunc
}

// end hears of the end of a step: others may be ready now. The first failure
// stops the rest.
func (q *queue) end(sc *scope, e ended) {
	q.left--
	if e.err != nil {
		if q.failed == nil {
			q.failed = e.err
			q.stop(e.err)
		}
		return
	}
	sc.outputs[e.step] = e.out
	for i, s := range q.steps {
		for _, needed := range s.needs {
			if needed == e.step {
				if q.waits[i]--; q.waits[i] == 0 {
					q.ready = append(q.ready, s)
				}
			}
		}
	}
}

// skip settles first who is skipped: it decides which of several texts can be
// the reply.
func (x *run) skip(q *queue, sc *scope, parent int) {
	for i := 0; i < len(q.ready) && q.failed == nil; {
		if s := q.ready[i]; !x.due(sc, s) {
			q.ready = append(q.ready[:i], q.ready[i+1:]...)
			x.skipped(s, 0, parent)
			q.end(sc, ended{step: s})
			i = 0
			continue
		}
		i++
	}
}

// child is a scope for what runs within a step: it has the item of its parent.
// A step with nothing within needs none.
func (sc *scope) child(s *Step) *scope {
	if s.Inner == nil && s.Each == nil {
		return nil
	}
	c := &scope{names: Values{}, outer: sc.outer}
	for _, name := range entry {
		if v, ok := sc.names[name]; ok {
			c.names[name] = v
		}
	}
	return c
}

// due reports whether a step that is ready is to run: its condition holds, and
// what it needs is there.
func (x *run) due(sc *scope, s *Step) bool {
	if s.Each == nil || !aboutItem(s.If) {
		if !holds(sc, s.If) {
			return false
		}
	}
	for _, w := range s.In {
		if w.Port.Need && w.From.Step != nil && sc.value(w.From) == nil {
			return false
		}
	}
	return s.Each == nil || s.Each.Step == nil || sc.value(*s.Each) != nil
}

func aboutItem(c *Condition) bool {
	return c != nil && c.From.Step == nil && slices.Contains(entry, c.From.Name)
}

func holds(sc *scope, c *Condition) bool {
	if c == nil {
		return true
	}
	v := sc.value(c.From)
	is := !isEmpty(v)
	if c.Value != nil {
		is = plain(v) == *c.Value
	}
	return is != c.Not
}

func plain(v any) string {
	switch v := v.(type) {
	case nil:
		return ""
	case string:
		return v
	case float64:
		return strconv.FormatFloat(v, 'f', -1, 64)
	}
	return fmt.Sprint(v)
}

// lead says what at a level is the reply, and in which lane its text goes.
type lead struct {
	from Ref
	lane int
}

// is reports whether an output of the step that the lead was made for is the
// reply.
func (l *lead) is(output string) bool { return l != nil && l.from.Output == output }

// leadOf tells which of a step's outputs is the reply, as it grows; nil if
// none is. A reply that is chosen among several is the first that is made;
// whether a step makes that one is known once those before it are known to be
// skipped.
func (sc *scope) leadOf(s *Step, reply *lead) *lead {
	if reply == nil {
		return nil
	}
	from := followed(s, reply.from)
	for from.Step != nil && from.Step != s && from.Step.Kind.Name == "choose" {
		next := Ref{}
		for _, w := range from.Step.In {
			if w.From.Step == nil {
				return nil
			}
			if out, over := sc.outputs[w.From.Step]; over && out == nil {
				continue // skipped: the next one counts
			}
			next = w.From
			break
		}
		from = followed(s, next)
	}
	if from.Step != s {
		return nil
	}
	return &lead{from, reply.lane}
}

// followed goes from an output to what grows into it, unless s is the step of
// that output.
func followed(s *Step, from Ref) Ref {
	for from.Step != nil && from.Step != s && from.Step.Kind.Follows == from.Output && from.Output != "" {
		next := Ref{}
		for _, w := range from.Step.In {
			if w.Port.Name == from.Output {
				next = w.From
			}
		}
		from = next
	}
	return from
}

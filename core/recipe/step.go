package recipe

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"sync"
	"time"
)

// Kept holds outputs of steps for a while.
type Kept interface {
	Get(key string) (Values, bool)
	Put(key string, out Values, life time.Duration)
}

// prepared is what a step gets, gathered by the goroutine of its level.
type prepared struct {
	in     Values
	wide   []string
	list   []any          // of each
	outer  map[string]any // what a group needs from around it
	of     int            // how many entries of a list there are, of which it is one
	titled string         // what that entry is called
}

// prepare gathers a step's inputs.
func (x *run) prepare(sc *scope, s *Step) prepared {
	var p prepared
	if len(s.In) > 0 {
		p.in = make(Values, len(s.In))
	}
	for _, w := range s.In {
		if !known(s.Kind.In, w.Port.Name) {
			p.wide = append(p.wide, w.Port.Name)
		}
		if v := sc.value(w.From); v != nil {
			p.in[w.Port.Name] = v
		}
	}
	if s.Each != nil {
		p.list, _ = sc.value(*s.Each).([]any)
	}
	if len(s.outer) > 0 || sc.outer != nil && s.Inner != nil {
		p.outer = make(map[string]any, len(s.outer))
		for _, r := range s.outer {
			if v := sc.value(r); v != nil {
				p.outer[r.String()] = v
			}
		}
	}
	return p
}

func known(ports []Port, name string) bool {
	for _, p := range ports {
		if p.Name == name {
			return true
		}
	}
	return false
}

// one runs a step, or for each of its list.
func (x *run) one(ctx context.Context, sc *scope, s *Step, p prepared, parent int, reply *lead) ended {
	if outputs, ok := x.options.Outputs[s.Name]; ok && parent < 0 {
		state := Reused
		if outputs == nil {
			state = Skipped
		}
		x.begin(s, 0, 0, parent).end(state, nil, outputs)
		return ended{step: s, out: outputs}
	}
	if s.Each == nil {
		out, err := x.attempt(ctx, sc, s, p, 0, parent, reply)
		if err != nil && s.file.MayFail && ctx.Err() == nil && !x.replied(0) {
			return ended{step: s}
		}
		return ended{s, out, x.stepError(ctx, s, err)}
	}
	return x.each(ctx, sc, s, p, parent, reply)
}

func (x *run) stepError(ctx context.Context, s *Step, err error) error {
	if err == nil {
		return nil
	}
	var already *StepError
	if ctx.Err() != nil {
		return context.Cause(ctx)
	}
	if errors.As(err, &already) {
		return err
	}
	return &StepError{s.Name, err}
}

// each runs a step for every entry of its list, so many at once, and puts what
// it gives into lists in the same order.
func (x *run) each(ctx context.Context, sc *scope, s *Step, p prepared, parent int, reply *lead) ended {
	ctx, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	lists := make(map[string][]any, len(s.Out))
	for _, o := range s.Out {
		lists[o.Name] = make([]any, len(p.list))
	}
	atOnce := cmp.Or(s.file.AtOnce, DefaultAtOnce)
	if s.file.Carries != "" {
		atOnce = 1
	}
	before := "" // what is carried on
	room := make(chan struct{}, atOnce)
	var all sync.WaitGroup
	var mu sync.Mutex // guards lists and failed
	var failed, last error
	for i, item := range p.list {
		select {
		case room <- struct{}{}:
		case <-ctx.Done():
		}
		if ctx.Err() != nil {
			break
		}
		all.Go(func() {
			defer func() { <-room }()
			inner, own := p.entry(sc, item, i)
			if s.file.Carries != "" {
				mu.Lock()
				inner.names["carried"] = before
				mu.Unlock()
			}
			if aboutItem(s.If) && !holds(inner, s.If) {
				x.skipped(s, i+1, parent)
				return
			}
			own.take(s, inner)
			var to *lead
			if reply != nil {
				to = &lead{reply.from, reply.lane + i}
			}
			out, err := x.attempt(ctx, inner, s, own, i+1, parent, to)
			mu.Lock()
			defer mu.Unlock()
			if err != nil {
				last = err
				if !s.file.MayFail && failed == nil {
					failed = x.stepError(ctx, s, err)
					stop(failed)
				}
				return
			}
			for name, list := range lists {
				list[i] = out[name]
			}
			if carried, is := out[s.file.Carries].(string); is {
				before = carried
			}
		})
	}
	all.Wait()
	if failed == nil && ctx.Err() != nil {
		failed = context.Cause(ctx)
	}
	out := Values{}
	some := len(p.list) == 0
	for name, list := range lists {
		out[name] = list
		for _, v := range list {
			some = some || v != nil || last == nil
		}
	}
	if failed == nil && !some {
		failed = x.stepError(ctx, s, last)
	}
	return ended{s, out, failed}
}

// entry is what a step has of the entry at a place of its list.
func (p *prepared) entry(sc *scope, item any, at int) (*scope, prepared) {
	inner := &scope{names: Values{"item": item, "number": float64(at + 1)}, outer: sc.outer}
	return inner, prepared{in: maps.Clone(p.in), wide: p.wide, outer: p.outer, of: len(p.list), titled: titleOf(item)}
}

// take takes what a step's inputs have of its entry.
func (p *prepared) take(s *Step, inner *scope) {
	for _, w := range s.In {
		if w.From.Step != nil || !slices.Contains(entry, w.From.Name) {
			continue
		}
		if p.in == nil {
			p.in = Values{}
		}
		delete(p.in, w.Port.Name)
		if v := inner.names[w.From.Name]; v != nil {
			p.in[w.Port.Name] = v
		}
	}
}

// attempt runs a step once, from the outputs that were kept if there are some,
// else by trying as often as it may and with the settings that it may.
func (x *run) attempt(ctx context.Context, sc *scope, s *Step, p prepared, number, parent int, reply *lead) (Values,
	error) {
	sp := x.begin(s, number, p.of, parent)
	set := x.edited(s, &p, sp)
	sp.change(func(span *Span) { span.Set, span.In = set, p.in })
	key := ""
	if s.file.Keep > 0 && x.options.Kept != nil {
		key = x.key(s, set, p)
		renewed := x.options.Renew && parent < 0
		if out, ok := x.options.Kept.Get(key); ok && key != "" && !renewed {
			x.replyWhole(out, reply)
			sp.shows(s, p, out)
			sp.end(Reused, nil, out)
			return out, nil
		}
	}
	if s.file.Limit > 0 {
		limited, cancel := context.WithTimeoutCause(ctx, s.file.Limit, ErrLate)
		defer cancel()
		ctx = limited
	}
	carried, err := s.carried(p.in)
	if err != nil {
		sp.end(Failed, err, nil)
		return nil, err
	}
	call := &Call{Step: s, In: carried, Wide: p.wide, run: x, span: sp, reply: reply}
	out, err := x.tries(ctx, sc, s, p, call, set)
	if err != nil {
		state := Failed
		if cause := context.Cause(ctx); cause != nil && !errors.Is(cause, ErrLate) {
			state, err = Stopped, cause
		} else if cause != nil {
			err = ErrLate
		}
		sp.end(state, err, out)
		return nil, err
	}
	x.replyWhole(out, reply)
	sp.shows(s, p, out)
	sp.end(Done, nil, out)
	if key != "" {
		x.options.Kept.Put(key, out, s.file.Keep)
	}
	return out, nil
}

// edited puts a maker's settings and inputs in the place of a step's own, and
// returns the settings.
func (x *run) edited(s *Step, p *prepared, sp *spanning) (set any) {
	set = s.Set
	if x.options.Sets == nil && x.options.Inputs == nil {
		return set
	}
	name := sp.change(func(*Span) {}).Step
	if other, ok := x.options.Sets[name]; ok {
		set = other
	}
	if inputs, ok := x.options.Inputs[name]; ok {
		if p.in = maps.Clone(p.in); p.in == nil {
			p.in = Values{}
		}
		maps.Copy(p.in, inputs)
	}
	return set
}

// tries runs a step until it succeeds, as often as it may with its settings and
// then with each of the others that it may fall back to. What has written to
// the reply is not tried again.
func (x *run) tries(ctx context.Context, sc *scope, s *Step, p prepared, call *Call, set any) (out Values, err error) {
	sp, tries := call.span, 0
	defer func() { sp.change(func(span *Span) { span.Tries = tries }) }()
	for i := range 1 + len(s.Fallback) {
		if i > 0 {
			set = s.Fallback[i-1]
			sp.note(fmt.Sprintf("it failed (%v); now with other settings", err))
		}
		call.Set = set
		for try := range max(1, s.file.Tries) {
			if try > 0 {
				if x.options.Sleep != nil && x.options.Sleep(ctx, firstPause<<try) != nil {
					return out, err
				}
				sp.note(fmt.Sprintf("it failed (%v); once more", err))
			}
			tries++
			out, err = x.do(ctx, sc, s, p, call, sp)
			var runaway *Runaway
			if err == nil || ctx.Err() != nil || errors.As(err, &runaway) || sp.written() {
				sp.change(func(span *Span) { span.Set = set })
				return out, err
			}
		}
	}
	return out, err
}

// firstPause is half of the time before a second try; it doubles with each.
const firstPause = 200 * time.Millisecond

// replyWhole writes what of the reply was not written while it grew.
func (x *run) replyWhole(out Values, reply *lead) {
	for name, v := range out {
		if !reply.is(name) {
			continue
		}
		texts, list := v.([]any)
		if !list {
			texts = []any{v}
		}
		for i, t := range texts {
			if text, is := t.(string); is && text != "" && !x.replied(reply.lane+i) {
				x.options.Reply(reply.lane + i)([]byte(text))
				x.wrote(reply.lane + i)
			}
		}
	}
}

// do runs a step: a group by running what is in it.
func (x *run) do(ctx context.Context, sc *scope, s *Step, p prepared, call *Call, sp *spanning) (Values, error) {
	if s.Inner == nil {
		out, err := x.options.Do(ctx, call)
		if err != nil {
			return out, err
		}
		for _, o := range s.Kind.Out {
			if v, there := out[o.Name]; there && v != nil {
				if wrong := mistyped(o.Type, v); wrong != "" {
					return nil, fmt.Errorf("its output %q: %s", o.Name, wrong)
				}
			}
		}
		return out, nil
	}
	inner := &scope{names: sc.names, outputs: make(map[*Step]Values, len(s.Inner)), outer: p.outer}
	var within *lead
	for _, w := range s.Gives {
		if call.reply.is(w.Port.Name) {
			within = &lead{w.From, call.reply.lane}
		}
	}
	if err := x.steps(ctx, inner, s.Inner, sp.at, within); err != nil {
		return nil, err
	}
	out := make(Values, len(s.Gives))
	for _, w := range s.Gives {
		if v := inner.value(w.From); v != nil {
			out[w.Port.Name] = v
		}
	}
	return out, nil
}

// key is what a step's outputs are kept under.
func (x *run) key(s *Step, set any, p prepared) string {
	text, err := json.Marshal([]any{x.options.Salt, s.Kind.Name, set, p.in, p.wide})
	if err != nil {
		return "" // cannot happen: settings and values marshal
	}
	sum := sha256.Sum256(text)
	return string(sum[:])
}

package recipe

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"
)

func mustCheck(t *testing.T, text string) *Recipe {
	t.Helper()
	r, err := Check("x.yaml", []byte(text), testKinds())
	if err != nil {
		t.Fatalf("%v\nin\n%s", err, text)
	}
	return r
}

// book writes down what ran when.
type book struct {
	mu     sync.Mutex
	within int
	worst  int
	began  []string
	ended  map[string]int // by name: how many had begun when it ended
	runs   map[string]int
}

func (b *book) do(work func(ctx context.Context, c *Call) (Values, error)) Do {
	b.ended, b.runs = map[string]int{}, map[string]int{}
	return func(ctx context.Context, c *Call) (Values, error) {
		b.mu.Lock()
		b.within++
		b.worst = max(b.worst, b.within)
		b.began = append(b.began, c.Step.Name)
		b.runs[c.Step.Name]++
		b.mu.Unlock()
		out, err := work(ctx, c)
		b.mu.Lock()
		b.within--
		b.ended[c.Step.Name] = len(b.began)
		b.mu.Unlock()
		return out, err
	}
}

func made(c *Call) Values {
	return Values{"text": c.Step.Name, "texts": []any{c.Step.Name + "1", c.Step.Name + "2"}, "number": 1.0, "is": true}
}

// Whatever the graph: every step runs exactly once, after all that it needs,
// and what does not need each other may run side by side.
func TestRandomGraphs(t *testing.T) {
	chance := rand.New(rand.NewPCG(7, 8))
	sideBySide := 0
	for range 300 {
		n := 1 + chance.IntN(14)
		needs := make([][]int, n)
		var b strings.Builder
		b.WriteString(head + "steps:\n")
		for _, i := range chance.Perm(n) { // the order in the file means nothing
			var from []string
			for j := range i {
				if chance.IntN(3) == 0 {
					needs[i] = append(needs[i], j)
					from = append(from, fmt.Sprintf("i%d: s%d.text", j, j))
				}
			}
			fmt.Fprintf(&b, "  - {name: s%d, do: make, from: {%s}}\n", i, strings.Join(from, ", "))
		}
		b.WriteString("  - {name: last, do: make, from: {")
		for i := range n {
			fmt.Fprintf(&b, "i%d: s%d.text, ", i, i)
		}
		b.WriteString("}}\nreply: last.text\n")
		r := mustCheck(t, b.String())
		var book book
		result, err := Run(t.Context(), r, Values{"question": "q"}, nil,
			Options{Now: time.Now, Do: book.do(func(_ context.Context, c *Call) (Values, error) {
				for name, v := range c.In {
					if v != "s"+name[1:] {
						t.Errorf("%s got %v as %s", c.Step.Name, v, name)
					}
				}
				time.Sleep(100 * time.Microsecond)
				return made(c), nil
			})})
		if err != nil || result.Reply != "last" {
			t.Fatalf("%v, %q", err, result.Reply)
		}
		if len(book.began) != n+1 {
			t.Fatalf("%d runs of %d steps", len(book.began), n+1)
		}
		for i := range n {
			if book.runs[fmt.Sprintf("s%d", i)] != 1 {
				t.Fatalf("s%d ran %d times", i, book.runs[fmt.Sprintf("s%d", i)])
			}
			for _, j := range needs[i] {
				if at := slices.Index(book.began, fmt.Sprintf("s%d", i)); at < book.ended[fmt.Sprintf("s%d", j)]-1 &&
					slices.Index(book.began, fmt.Sprintf("s%d", j)) > at {
					t.Fatalf("s%d began before s%d, which it needs", i, j)
				}
			}
		}
		if book.worst > 1 {
			sideBySide++
		}
	}
	if sideBySide < 50 {
		t.Errorf("only %d graphs ran anything side by side: the test does not test", sideBySide)
	}
}

func TestIndependentStepsMeet(t *testing.T) {
	r := mustCheck(t, head+"steps:\n  - {name: a, do: make}\n  - {name: b, do: make}\n"+
		"  - {name: c, do: make, from: {a: a.text, b: b.text}}\nreply: c.text\n")
	meet := make(chan bool)
	_, err := Run(t.Context(), r, nil, nil,
		Options{Now: time.Now, Do: func(ctx context.Context, c *Call) (Values, error) {
			switch c.Step.Name { // each waits for the other: one after the other would never end
			case "a":
				meet <- true
			case "b":
				<-meet
			}
			return made(c), nil
		}})
	if err != nil {
		t.Error(err)
	}
}

func TestEachKeepsOrderAndBound(t *testing.T) {
	r := mustCheck(t, head+"settings:\n  - {name: l, type: list of text}\nsteps:\n"+
		"  - {name: a, do: make, each: settings.l, at_once: 3, from: {x: item, n: number}}\nreply: a.text\n")
	var list []any
	for i := range 40 {
		list = append(list, fmt.Sprint(i))
	}
	var book book
	var mu sync.Mutex
	lanes := map[int]string{}
	result, err := Run(t.Context(), r, nil, Values{"l": list}, Options{Now: time.Now,
		Reply: func(lane int) func([]byte) {
			return func(text []byte) { mu.Lock(); lanes[lane] += string(text); mu.Unlock() }
		},
		Do: book.do(func(_ context.Context, c *Call) (Values, error) {
			time.Sleep(time.Duration(rand.IntN(3)) * time.Millisecond)
			if c.In["n"] == 7.0 && c.Streams("text") {
				c.Text(0)([]byte("streamed"))
				return Values{"text": "streamed"}, nil
			}
			return Values{"text": "r" + c.In["x"].(string)}, nil
		})})
	if err != nil || len(result.Lanes) != 40 || book.worst > 3 || book.worst < 2 {
		t.Fatalf("%v, %d lanes, %d at once", err, len(result.Lanes), book.worst)
	}
	for i, l := range result.Lanes {
		want := fmt.Sprintf("r%d", i)
		if i == 6 {
			want = "streamed"
		}
		if l.Text != want || lanes[i] != want {
			t.Errorf("lane %d is %q and was written as %q", i, l.Text, lanes[i])
		}
	}
}

func TestGroupsHandInAndOut(t *testing.T) {
	r := mustCheck(t, head+`settings:
  - {name: l, type: list of text}
steps:
  - {name: before, do: make}
  - name: g
    do: group
    each: settings.l
    steps:
      - {name: x, do: make, from: {i: item, b: before.text}}
      - name: deep
        do: group
        steps:
          - {name: y, do: make, from: {x: x.text, b: before.text, q: question, i: item}}
        gives: {out: y.text}
    gives: {out: deep.out}
reply: g.out
`)
	record := &Recorder{}
	result, err := Run(t.Context(), r, Values{"question": "Q"}, Values{"l": []any{"1", "2"}},
		Options{Now: time.Now, Record: record, Do: func(_ context.Context, c *Call) (Values, error) {
			var all []string
			for _, name := range []string{"q", "i", "b", "x"} {
				if v, ok := c.In[name]; ok {
					all = append(all, v.(string))
				}
			}
			return Values{"text": c.Step.Name + "(" + strings.Join(all, " ") + ")"}, nil
		}})
	if err != nil || len(result.Lanes) != 2 || result.Lanes[1].Text != "y(Q 2 before() x(2 before()))" {
		t.Fatalf("%v, %+v", err, result.Lanes)
	}
	var names []string
	for _, s := range record.Spans() {
		names = append(names, fmt.Sprintf("%s/%d/%s", s.Step, s.Number, s.State))
	}
	slices.Sort(names)
	if got := strings.Join(names, " "); got != "before/0/done g/1/done g/2/done g/deep/0/done g/deep/0/done "+
		"g/deep/y/0/done g/deep/y/0/done g/x/0/done g/x/0/done" {
		t.Errorf("spans %s", got)
	}
}

func TestConditionsSkipAndChoose(t *testing.T) {
	r := mustCheck(t, head+`inputs:
  - {name: kind, type: choice, choices: [a, b, c]}
steps:
  - {name: a, do: make, if: kind is a}
  - {name: b, do: make, if: kind is b}
  - {name: fromb, do: strict, from: {text: b.text}, set: {size: 1}}
  - {name: rest, do: make, if: kind is not b}
  - {name: d, do: choose, from: {first: a.text, second: fromb.text, third: rest.text}}
reply: d.chosen
`)
	for kind, want := range map[string]string{"a": "a", "b": "fromb", "c": "rest"} {
		var written string
		told := map[string]State{} // what was heard first of each step
		var mu sync.Mutex
		record := &Recorder{Changed: func(s *Span) {
			mu.Lock()
			defer mu.Unlock()
			if _, there := told[s.Step]; !there {
				told[s.Step] = s.State
			}
		}}
		result, err := Run(t.Context(), r, Values{"kind": kind}, nil, Options{Now: time.Now, Record: record,
			Reply: func(int) func([]byte) { return func(text []byte) { written += string(text) } },
			Do: func(_ context.Context, c *Call) (Values, error) {
				if c.Step.Kind.Name == "choose" {
					for _, name := range c.Wide {
						if v := c.In[name]; v != nil {
							return Values{"chosen": v}, nil
						}
					}
				}
				if c.Streams("text") {
					c.Text(0)([]byte(c.Step.Name))
				}
				return Values{"text": c.Step.Name}, nil
			}})
		if err != nil || result.Reply != want || written != want {
			t.Errorf("%s: %v, reply %q, written %q", kind, err, result.Reply, written)
		}
		for _, s := range record.Spans() {
			if s.State == Skipped && told[s.Step] != Skipped {
				t.Errorf("%s: %s was said to be %q before it was skipped", kind, s.Step, told[s.Step])
			}
		}
	}
}

func TestFailuresEndTheRun(t *testing.T) {
	r := mustCheck(t, head+"steps:\n  - {name: slow, do: make}\n  - {name: bad, do: make}\n"+
		"  - {name: c, do: make, from: {a: slow.text, b: bad.text}}\nreply: c.text\n")
	boom := errors.New("boom")
	record := &Recorder{}
	stopped := make(chan struct{})
	_, err := Run(t.Context(), r, nil, nil,
		Options{Now: time.Now, Record: record, Do: func(ctx context.Context, c *Call) (Values, error) {
			if c.Step.Name == "bad" {
				return nil, boom
			}
			<-ctx.Done()
			close(stopped)
			return nil, context.Cause(ctx)
		}})
	var step *StepError
	if !errors.As(err, &step) || step.Step != "bad" || !errors.Is(err, boom) {
		t.Errorf("got %v", err)
	}
	<-stopped
	states := map[string]State{}
	for _, s := range record.Spans() {
		states[s.Step] = s.State
	}
	if states["slow"] != Stopped || states["bad"] != Failed || states["c"] != "" {
		t.Errorf("states %v", states)
	}
}

func TestTriesFallbackAndLimit(t *testing.T) {
	r := mustCheck(t, head+"steps:\n  - {name: a, do: strict, tries: 2, from: {text: question}, set: {size: 1}, "+
		"fallback: [{size: 2}, {size: 3}]}\nreply: a.text\n")
	var sizes []int
	record := &Recorder{}
	result, err := Run(t.Context(), r, Values{"question": "q"}, nil,
		Options{Now: time.Now, Record: record, Do: func(_ context.Context, c *Call) (Values, error) {
			size := c.Set.(*madeSet).Size
			sizes = append(sizes, size)
			if size < 3 {
				return nil, errors.New("too small")
			}
			return Values{"text": "ok"}, nil
		}})
	if span := record.Spans()[0]; err != nil || result.Reply != "ok" || fmt.Sprint(sizes) != "[1 1 2 2 3]" ||
		span.Tries != 5 || len(span.Notes) != 4 {
		t.Errorf("%v %q %v %+v", err, result.Reply, sizes, span)
	}
	// What was read is not taken back.
	tries := 0
	_, err = Run(t.Context(), r, Values{"question": "q"}, nil,
		Options{Now: time.Now, Do: func(_ context.Context, c *Call) (Values, error) {
			tries++
			c.Text(0)([]byte("half a"))
			return nil, errors.New("cut off")
		}})
	if err == nil || tries != 1 {
		t.Errorf("%d tries, %v", tries, err)
	}
	r = mustCheck(t, head+"steps:\n  - {name: a, do: make, limit: 1ms}\nreply: a.text\n")
	_, err = Run(t.Context(), r, nil, nil,
		Options{Now: time.Now, Do: func(ctx context.Context, c *Call) (Values, error) {
			<-ctx.Done()
			return nil, context.Cause(ctx)
		}})
	if !errors.Is(err, ErrLate) {
		t.Errorf("got %v", err)
	}
}

type shelf map[string]Values

func (s shelf) Get(key string) (Values, bool)               { v, ok := s[key]; return v, ok }
func (s shelf) Put(key string, out Values, _ time.Duration) { s[key] = out }

func TestResultsAreKept(t *testing.T) {
	r := mustCheck(t, head+"steps:\n  - {name: a, do: make, keep: 1h, from: {x: question}}\nreply: a.text\n")
	kept := shelf{}
	runs := 0
	ask := func(question, salt string) (written string) {
		_, err := Run(t.Context(), r, Values{"question": question}, nil, Options{Now: time.Now, Kept: kept, Salt: salt,
			Reply: func(int) func([]byte) { return func(text []byte) { written += string(text) } },
			Do:    func(_ context.Context, c *Call) (Values, error) { runs++; return made(c), nil }})
		if err != nil {
			t.Error(err)
		}
		return written
	}
	for i, c := range []struct {
		question, salt string
		runs           int
	}{{"q", "1", 1}, {"q", "1", 1}, {"p", "1", 2}, {"q", "2", 3}} {
		if got := ask(c.question, c.salt); got != "a" || runs != c.runs {
			t.Errorf("%d: wrote %q after %d runs", i, got, runs)
		}
	}
}

// Made once more, what stands at the top is made anew, and what is within groups is not.
func TestWhatIsKeptIsRenewedAtTheTop(t *testing.T) {
	r := mustCheck(t, head+"steps:\n  - name: g\n    do: group\n    steps:\n"+
		"      - {name: a, do: make, keep: 1h, from: {x: question}}\n    gives: {text: a.text}\n"+
		"  - {name: b, do: make, keep: 1h, from: {x: g.text}}\nreply: b.text\n")
	kept, ran := shelf{}, map[string]int{}
	for _, renew := range []bool{false, false, true, false} {
		_, err := Run(t.Context(), r, Values{"question": "q"}, nil, Options{Now: time.Now, Kept: kept, Renew: renew,
			Salt: "s", Do: func(_ context.Context, c *Call) (Values, error) {
				ran[c.Step.Name]++
				return made(c), nil
			}})
		if err != nil {
			t.Fatal(err)
		}
	}
	if ran["a"] != 1 || ran["b"] != 2 {
		t.Errorf("ran %v", ran)
	}
}

func TestARunawayRecipeIsStopped(t *testing.T) {
	r := mustCheck(t, head+"settings:\n  - {name: l, type: list of text}\nlimits: {calls: 5}\nsteps:\n"+
		"  - {name: a, do: make, each: settings.l, from: {x: item}}\nreply: a.text\n")
	var calls atomic.Int32
	_, err := Run(t.Context(), r, nil, Values{"l": make([]any, 50)},
		Options{Now: time.Now, Do: func(_ context.Context, c *Call) (Values, error) {
			if err := c.Begin(); err != nil {
				return nil, err
			}
			calls.Add(1)
			return made(c), nil
		}})
	var runaway *Runaway
	if !errors.As(err, &runaway) || runaway.Most != 5 || calls.Load() > 5 {
		t.Errorf("%d calls, %v", calls.Load(), err)
	}
}

func TestMayFailLeavesAHole(t *testing.T) {
	r := mustCheck(t, head+"settings:\n  - {name: l, type: list of text}\nsteps:\n"+
		"  - {name: a, do: make, each: settings.l, may_fail: true, from: {x: item}}\nreply: a.text\n")
	run := func(bad ...string) (Result, error) {
		return Run(t.Context(), r, nil, Values{"l": []any{"1", "2"}},
			Options{Now: time.Now, Do: func(_ context.Context, c *Call) (Values, error) {
				if slices.Contains(bad, c.In["x"].(string)) {
					return nil, errors.New("no")
				}
				return made(c), nil
			}})
	}
	if result, err := run("1"); err != nil || len(result.Lanes) != 2 || !result.Lanes[0].Failed || result.Reply != "a" {
		t.Errorf("%+v, %v", result, err)
	}
	if _, err := run("1", "2"); err == nil {
		t.Error("all failed, and nobody said so")
	}
}

// However many steps run: once the run is cancelled they all end, and nothing
// begins any more.
func TestCancellingStopsEverything(t *testing.T) {
	var list []any
	for range 30 {
		list = append(list, "x")
	}
	r := mustCheck(t, head+"settings:\n  - {name: l, type: list of text}\nsteps:\n"+
		"  - {name: a, do: make, each: settings.l, at_once: 8, from: {x: item}}\n  - {name: b, do: make}\n"+
		"  - {name: c, do: make, from: {a: a.text, b: b.text}}\nreply: c.text\n")
	ctx, cancel := context.WithCancelCause(t.Context())
	why := errors.New("the visitor stopped it")
	var book book
	_, err := Run(ctx, r, nil, Values{"l": list},
		Options{Now: time.Now, Do: book.do(func(ctx context.Context, c *Call) (Values, error) {
			if c.Step.Name == "b" {
				cancel(why)
			}
			<-ctx.Done()
			return nil, context.Cause(ctx)
		})})
	if !errors.Is(err, why) || book.within != 0 || book.worst > 9 || book.runs["c"] != 0 || book.runs["a"] > 8 {
		t.Errorf("%v; %d within, %d at once, %v", err, book.within, book.worst, book.runs)
	}
}

func TestOutputsOfAnotherTypeAreRefused(t *testing.T) {
	r := mustCheck(t, head+"steps:\n  - {name: a, do: make}\nreply: a.text\n")
	_, err := Run(t.Context(), r, nil, nil,
		Options{Now: time.Now, Do: func(context.Context, *Call) (Values, error) { return Values{"text": 7.0}, nil }})
	if err == nil || !strings.Contains(err.Error(), `its output "text": expected text`) {
		t.Errorf("got %v", err)
	}
}

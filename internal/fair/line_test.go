package fair

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync"
	"sync/atomic"
	"testing"
	"testing/synctest"
	"time"
)

// However many come and give up: never more within than there is room for, and
// in the end nobody is left.
func TestALineHoldsItsBound(t *testing.T) {
	const most = 3
	l := NewLine(most)
	var within, worst, served atomic.Int64
	var all sync.WaitGroup
	for i := range 200 {
		all.Go(func() {
			ctx, cancel := context.WithCancel(With(t.Context(), Party{Visitor: fmt.Sprint(i % 7)}))
			defer cancel()
			if i%5 == 0 {
				go cancel()
			}
			leave, err := l.Enter(ctx, func(w Wait) {
				if w.Place < 1 {
					t.Errorf("place %d", w.Place)
				}
			})
			if err != nil {
				if !errors.Is(err, context.Canceled) {
					t.Error(err)
				}
				return
			}
			n := within.Add(1)
			for old := worst.Load(); n > old && !worst.CompareAndSwap(old, n); old = worst.Load() {
			}
			within.Add(-1)
			served.Add(1)
			leave()
			leave() // twice does no harm
		})
	}
	all.Wait()
	if worst.Load() > most || served.Load() < 160 || l.all != 0 || len(l.within) != 0 || l.Waiting() != 0 {
		t.Errorf("at most %d within, %d served, %d still within, %d still waiting", worst.Load(), served.Load(),
			l.all, l.Waiting())
	}
}

// stand has parties enter a line of one, in this order, and returns the order in
// which they were let in, with the places that they were told first.
func stand(t *testing.T, parties ...Party) (served []string, told []int) {
	t.Helper()
	synctest.Test(t, func(t *testing.T) {
		l := NewLine(1)
		leave, err := l.Enter(With(t.Context(), parties[0]), func(Wait) { t.Error("waits though there is room") })
		if err != nil {
			t.Fatal(err)
		}
		var mu sync.Mutex
		told = make([]int, len(parties))
		for i, p := range parties[1:] {
			go func() {
				leave, err := l.Enter(With(t.Context(), p), func(w Wait) {
					mu.Lock()
					defer mu.Unlock()
					told[i+1] = w.Place
				})
				if err != nil {
					t.Error(err)
					return
				}
				mu.Lock()
				served = append(served, p.Address+p.Visitor)
				mu.Unlock()
				time.Sleep(time.Second)
				leave()
			}()
			synctest.Wait()
		}
		leave()
		time.Sleep(time.Duration(len(parties)+1) * time.Second)
		synctest.Wait()
		if l.all != 0 || l.Waiting() != 0 {
			t.Errorf("%d within, %d waiting", l.all, l.Waiting())
		}
	})
	return served, told
}

func TestOneVisitorsQuestionsKeepTheirOrder(t *testing.T) {
	parties := []Party{{Visitor: "a"}, {Visitor: "a"}, {Visitor: "a"}, {Visitor: "a"}}
	_, told := stand(t, parties...)
	if told[1] != 1 && told[1] != 0 { // it may have been let in before it was told again
		t.Errorf("places %v", told)
	}
}

// A visitor who comes behind a flood of 300 is served next.
func TestTheSecondVisitorIsServedSecond(t *testing.T) {
	flood := make([]Party, 300)
	for i := range flood {
		flood[i] = Party{Address: "198.51.100.1", Visitor: "flooder"}
	}
	served, told := stand(t, append(flood, Party{Address: "198.51.100.1", Visitor: "next"})...)
	if at := slices.Index(served, "198.51.100.1next"); at != 0 || told[len(told)-1] != 1 {
		t.Errorf("served at %d, told place %d", at, told[len(told)-1])
	}
}

// A flood under a new name for every question, from one address, keeps nobody at
// another address waiting.
func TestNewNamesAreNoWayRound(t *testing.T) {
	var flood []Party
	for i := range 300 {
		flood = append(flood, Party{Address: "198.51.100.1", Visitor: fmt.Sprint("v", i)})
	}
	served, _ := stand(t, append(flood, Party{Address: "192.0.2.5", Visitor: "a"},
		Party{Address: "192.0.2.5", Visitor: "b"})...)
	if !slices.Equal([]int{0, 2}, []int{slices.Index(served, "192.0.2.5a"), slices.Index(served, "192.0.2.5b")}) {
		t.Errorf("served: %v", served[:6])
	}
}

func TestNobodyTakesMoreThanTheirShare(t *testing.T) {
	l := NewLine(4)
	l.Each(2, 3)
	enter := func(p Party) (func(), bool) {
		ctx, cancel := context.WithTimeout(With(t.Context(), p), 20*time.Millisecond)
		defer cancel()
		leave, err := l.Enter(ctx, nil)
		return leave, err == nil
	}
	one, ok := enter(Party{Visitor: "a"})
	_, second := enter(Party{Visitor: "a"})
	_, third := enter(Party{Visitor: "a"})
	_, other := enter(Party{Visitor: "b"})
	if !ok || !second || third || !other {
		t.Errorf("let in: %v %v %v, another: %v", ok, second, third, other)
	}
	if _, ok := enter(Party{Address: "192.0.2.1", Visitor: "c"}); !ok {
		t.Error("a third visitor is not let in")
	}
	l.Set(9)
	for i, v := range []string{"d", "e", "f"} {
		if _, ok := enter(Party{Address: "192.0.2.1", Visitor: v}); ok != (i < 2) {
			t.Errorf("%s of an address with three within: %v", v, ok)
		}
	}
	one()
	if _, ok := enter(Party{Visitor: "a"}); !ok {
		t.Error("not let in after one has left")
	}
	l.Set(0)
	for range 20 {
		if _, ok := enter(Party{}); !ok {
			t.Error("the service's own is bounded")
		}
	}
	l.mu.Lock()
	l.within, l.all = map[Party]int{}, 0
	l.forget()
	if len(l.admitted) > 16 {
		t.Errorf("%d are remembered", len(l.admitted))
	}
	l.mu.Unlock()
}

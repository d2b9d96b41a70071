package models

import (
	"context"
	"errors"
	"sync"
	"sync/atomic"
	"testing"
)

// However many come and give up: never more within than there is room for, and
// in the end nobody is left.
func TestALineHoldsItsBound(t *testing.T) {
	l := newLine()
	const most = 3
	l.set(most)
	var within, worst, served atomic.Int64
	var all sync.WaitGroup
	for i := range 200 {
		all.Go(func() {
			ctx, cancel := context.WithCancel(t.Context())
			defer cancel()
			if i%5 == 0 {
				go cancel()
			}
			leave, err := l.enter(ctx, func(w Wait) {
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
	if worst.Load() > most || served.Load() < 160 || l.within != 0 || len(l.waiting) != 0 {
		t.Errorf("at most %d within, %d served, %d still within, %d still waiting", worst.Load(), served.Load(),
			l.within, len(l.waiting))
	}
}

func TestALineKeepsItsOrder(t *testing.T) {
	l := newLine()
	l.set(1)
	leave, err := l.enter(t.Context(), func(Wait) { t.Error("waits though there is room") })
	if err != nil {
		t.Fatal(err)
	}
	order := make(chan int, 5)
	standing := make(chan int, 5)
	var all sync.WaitGroup
	for i := range 5 {
		var told sync.Once
		all.Go(func() {
			leave, err := l.enter(t.Context(), func(w Wait) { told.Do(func() { standing <- w.Place }) })
			if err != nil {
				t.Error(err)
				return
			}
			order <- i
			leave()
		})
		if place := <-standing; place != i+1 {
			t.Errorf("number %d stands at %d", i, place)
		}
	}
	leave()
	all.Wait()
	for i := range 5 {
		if got := <-order; got != i {
			t.Errorf("number %d came at turn %d", got, i)
		}
	}
	l.set(0) // no bound any more
	if _, err := l.enter(t.Context(), nil); err != nil {
		t.Error(err)
	}
	if l.place(nil) != (Wait{}) {
		t.Error("who does not wait has a place")
	}
}

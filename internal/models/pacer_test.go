package models

import (
	"context"
	"errors"
	"testing"
	"testing/synctest"
	"time"
)

// Requests are held back as the owner and the server say, and no longer than that.
func TestPacing(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		p := newPacer()
		p.set(60, 0)
		began := time.Now()
		for range 60 {
			if err := p.enter(t.Context(), nil); err != nil {
				t.Fatal(err)
			}
		}
		if took := time.Since(began); took > 0 {
			t.Errorf("a minute's worth took %v", took)
		}
		var told time.Duration
		if err := p.enter(t.Context(), func(d time.Duration) { told = d }); err != nil {
			t.Fatal(err)
		}
		if took := time.Since(began); took < 900*time.Millisecond || took > 2*time.Second || told == 0 {
			t.Errorf("the next took %v, told %v", took, told)
		}
	})
}

func TestTokensArePaidAfterwards(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		p := newPacer()
		p.set(0, 600)
		if err := p.enter(t.Context(), nil); err != nil {
			t.Fatal(err)
		}
		p.used(900) // 300 more than there were
		began := time.Now()
		if err := p.enter(t.Context(), nil); err != nil {
			t.Fatal(err)
		}
		if took := time.Since(began); took < 28*time.Second || took > 35*time.Second {
			t.Errorf("waited %v for 300 tokens of 600 a minute", took)
		}
	})
}

func TestPaceIsLearnt(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		p := newPacer()
		p.heard(Pace{Requests: 100, RequestsLeft: 0, Tokens: -1, TokensLeft: -1, RequestsAgain: 5 * time.Second})
		began := time.Now()
		if err := p.enter(t.Context(), nil); err != nil {
			t.Fatal(err)
		}
		if took := time.Since(began); took < 5*time.Second || took > 7*time.Second {
			t.Errorf("waited %v where the server said five seconds", took)
		}
		// What takes longer is a quota; the server says so when it is asked.
		p.heard(Pace{Requests: 100, RequestsLeft: 0, Tokens: -1, TokensLeft: -1, RequestsAgain: time.Hour})
		began = time.Now()
		if err := p.enter(t.Context(), nil); err != nil || time.Since(began) > 2*time.Minute {
			t.Errorf("waited %v, %v", time.Since(began), err)
		}
		ctx, cancel := context.WithTimeout(t.Context(), time.Second)
		defer cancel()
		p.heard(Pace{RequestsLeft: 0, TokensLeft: -1, RequestsAgain: time.Minute})
		if err := p.enter(ctx, nil); !errors.Is(err, context.DeadlineExceeded) {
			t.Errorf("given up: %v", err)
		}
		p.heard(Pace{Requests: 100, RequestsLeft: 7, Tokens: -1, TokensLeft: -1})
		if err := p.enter(t.Context(), nil); err != nil || p.Learnt().RequestsLeft != 6 {
			t.Errorf("left: %+v, %v", p.Learnt(), err)
		}
	})
}

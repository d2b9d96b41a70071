package models

import (
	"context"
	"sync"
	"time"
)

// pacer holds back requests to a connection that would come faster than its owner
// or its server allows. It is safe for concurrent use.
type pacer struct {
	mu               sync.Mutex
	requests, tokens bucket
	now              func() time.Time
	learnt           Pace      // what the server last said
	until            time.Time // it said that there is no room before
}

// bucket fills with so much a minute, and holds a minute's worth.
type bucket struct {
	perMinute float64 // 0: no bound
	level     float64
	at        time.Time
}

func (b *bucket) set(perMinute int, now time.Time) {
	if b.perMinute != float64(perMinute) {
		b.perMinute, b.level, b.at = float64(perMinute), float64(perMinute), now
	}
}

// wait is how long until there is anything in it.
func (b *bucket) wait(now time.Time) time.Duration {
	if b.perMinute == 0 {
		return 0
	}
	b.level = min(b.perMinute, b.level+now.Sub(b.at).Minutes()*b.perMinute)
	b.at = now
	if b.level >= min(1, b.perMinute) {
		return 0
	}
	return time.Duration((min(1, b.perMinute) - b.level) / b.perMinute * float64(time.Minute))
}

func newPacer() *pacer {
	return &pacer{now: time.Now, learnt: Pace{Requests: -1, RequestsLeft: -1, Tokens: -1, TokensLeft: -1}}
}

// set takes an owner's bounds.
func (p *pacer) set(requests, tokens int) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.requests.set(requests, p.now())
	p.tokens.set(tokens, p.now())
}

// enter waits until another request may be sent, and takes it. told hears once of
// a wait and about how long it is; it may be nil.
func (p *pacer) enter(ctx context.Context, told func(time.Duration)) error {
	for {
		wait := p.take()
		if wait <= 0 {
			return nil
		}
		if told != nil {
			told(wait)
			told = nil
		}
		timer := time.NewTimer(min(wait, time.Second))
		select {
		case <-ctx.Done():
			timer.Stop()
			return context.Cause(ctx)
		case <-timer.C:
		}
	}
}

// take takes one request, or says how long to wait for it.
func (p *pacer) take() time.Duration {
	p.mu.Lock()
	defer p.mu.Unlock()
	now := p.now()
	wait := max(p.requests.wait(now), p.tokens.wait(now), p.until.Sub(now))
	if wait <= 0 {
		p.requests.level--
		if p.learnt.RequestsLeft > 0 {
			p.learnt.RequestsLeft-- // until it says anew
		}
	}
	return wait
}

// used says how many tokens a request took; the next ones wait for them.
func (p *pacer) used(tokens int) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.tokens.level -= float64(tokens)
}

// longestPaced is the longest that is waited because of what a server says: what
// takes longer is its quota, and it says so when it is asked.
const longestPaced = time.Minute

// heard takes what the server says.
func (p *pacer) heard(said Pace) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.learnt = said
	var again time.Duration
	if said.RequestsLeft == 0 {
		again = said.RequestsAgain
	}
	if said.TokensLeft == 0 {
		again = max(again, said.TokensAgain)
	}
	p.until = p.now().Add(min(again, longestPaced))
}

// Learnt is what the server last said of how fast it may be asked.
func (p *pacer) Learnt() Pace {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.learnt
}

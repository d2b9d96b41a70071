package account

import (
	"sync"
	"time"
)

// Attempts at signing in: so many that are wrong in a row, and then one more
// every while. What counts most is the name and the address together, so that
// nobody locks another out; all attempts of an address and, from addresses that
// never signed in with it, all at a name are slowed down as well.
const (
	mistakesTogether  = 8
	mistakesByAddress = 40
	mistakesByName    = 40
	mistakeEvery      = 2 * time.Minute
	// mostCounted is how many are remembered; then those that have recovered most
	// are forgotten.
	mostCounted = 20_000
)

// count is what is left of somebody's attempts, and when that was so.
type count struct {
	left float64
	at   time.Time
}

// patience counts attempts at signing in. The zero value is ready.
type patience struct {
	mu     sync.Mutex
	counts map[string]*count
	known  map[string]bool // names with addresses that signed in with them
}

// limits are the counts that an attempt is held against.
func (p *patience) limits(name, address string) map[string]float64 {
	together := name + "\x00" + address
	all := map[string]float64{"both " + together: mistakesTogether, "address " + address: mistakesByAddress}
	if !p.known[together] {
		all["name "+name] = mistakesByName
	}
	return all
}

// begin counts an attempt, before it is known whether it is right: attempts side
// by side count as many. If wait is not 0 it may not be made before that. right
// is called when it was right; then it does not count.
func (p *patience) begin(name, address string, now time.Time) (wait time.Duration, right func()) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.counts == nil {
		p.counts, p.known = map[string]*count{}, map[string]bool{}
	}
	limits := p.limits(name, address)
	for key, most := range limits {
		c := p.counts[key]
		if c == nil {
			c = &count{most, now}
			p.counts[key] = c
		}
		if past := now.Sub(c.at); past > 0 {
			c.left, c.at = min(most, c.left+past.Seconds()/mistakeEvery.Seconds()), now
		}
		if c.left < 1 {
			wait = max(wait, time.Duration((1-c.left)*float64(mistakeEvery)))
		}
	}
	if wait > 0 {
		return wait, func() {}
	}
	for key := range limits {
		p.counts[key].left--
	}
	p.forget()
	return 0, func() {
		p.mu.Lock()
		defer p.mu.Unlock()
		for key, most := range limits {
			if c := p.counts[key]; c != nil {
				c.left = min(most, c.left+1)
			}
		}
		delete(p.counts, "both "+name+"\x00"+address)
		if len(p.known) < mostCounted {
			p.known[name+"\x00"+address] = true
		}
	}
}

// forget makes room: first those that have their attempts back, then any. The
// caller holds mu.
func (p *patience) forget() {
	if len(p.counts) <= mostCounted {
		return
	}
	for _, least := range []float64{mistakesTogether - 1, mistakesTogether / 2, 1} {
		for key, c := range p.counts {
			if c.left >= least {
				delete(p.counts, key)
			}
			if len(p.counts) <= mostCounted/2 {
				return
			}
		}
	}
}

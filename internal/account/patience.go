package account

import (
	"sync"
	"time"

	"golang.org/x/time/rate"
)

// Attempts at signing in: so many mistakes in a row for each name and each
// address, and then one more every while.
const (
	mistakesByName    = 8
	mistakesByAddress = 40
	mistakeEvery      = 2 * time.Minute
)

// patience counts mistakes at signing in. The zero value is ready.
type patience struct {
	mu       sync.Mutex
	mistakes map[string]*rate.Limiter
}

// wait is how long somebody has to wait before another attempt; 0 if they need
// not.
func (p *patience) wait(name, address string, now time.Time) time.Duration {
	p.mu.Lock()
	defer p.mu.Unlock()
	var longest time.Duration
	for _, key := range []string{"name " + name, "address " + address} {
		l := p.mistakes[key]
		if l == nil || l.TokensAt(now) >= 1 {
			continue
		}
		longest = max(longest, time.Duration((1-l.TokensAt(now))*float64(mistakeEvery)))
	}
	return longest
}

// mistake counts a wrong password.
func (p *patience) mistake(name, address string, now time.Time) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.mistakes == nil || len(p.mistakes) > 10_000 {
		p.mistakes = map[string]*rate.Limiter{}
	}
	for key, most := range map[string]int{"name " + name: mistakesByName, "address " + address: mistakesByAddress} {
		if p.mistakes[key] == nil {
			p.mistakes[key] = rate.NewLimiter(rate.Every(mistakeEvery), most)
		}
		p.mistakes[key].AllowN(now, 1)
	}
}

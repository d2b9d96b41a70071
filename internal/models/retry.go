package models

import (
	"context"
	"errors"
	"time"
)

// Retry says how often and how fast a model is asked again.
type Retry struct {
	Tries int           // in all, the first included
	First time.Duration // the wait after the first failure; doubles each time
	Most  time.Duration // the longest wait that is worth it
	// Waking is how long to wait in all for a model that is being loaded,
	// and Nap how long at a time.
	Waking, Nap time.Duration
}

// DefaultRetry tries for some ten seconds.
var DefaultRetry = Retry{Tries: 5, First: 500 * time.Millisecond, Most: 30 * time.Second, Waking: 3 * time.Minute,
	Nap: 2 * time.Second}

// Do calls ask until it succeeds, fails for good, or has handed over the first
// text: what a visitor has read cannot be taken back. Before each wait it
// calls waiting with the failure and the wait's length.
func (r Retry) Do(ctx context.Context, ask func(started *bool) (Result, error),
	waiting func(*Error, time.Duration)) (Result, error) {
	var slept time.Duration
	for try := 1; ; try++ {
		started := false
		result, err := ask(&started)
		var failure *Error
		if err == nil || started || !errors.As(err, &failure) || !failure.MayPass() {
			return result, err
		}
		wait := max(r.First<<(try-1), failure.RetryAfter)
		if failure.Kind == Waking && slept < r.Waking {
			wait = max(r.Nap, min(failure.RetryAfter, r.Most))
			slept += wait
			try--
		} else if try >= r.Tries || wait > r.Most {
			return result, err
		}
		waiting(failure, wait)
		timer := time.NewTimer(wait)
		select {
		case <-ctx.Done():
			timer.Stop()
			return result, context.Cause(ctx)
		case <-timer.C:
		}
	}
}

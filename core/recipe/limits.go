package recipe

import (
	"fmt"
	"sync"
)

// Runaway is the error of a run that has used what it may.
type Runaway struct {
	What string // calls or tokens
	Most int
}

func (e *Runaway) Error() string {
	return fmt.Sprintf("the recipe has used the %d %s that a turn may take; raise limits: %s in the recipe if it "+
		"needs more", e.Most, e.What, e.What)
}

// meter counts what a run uses, all its steps together.
type meter struct {
	limits Limits

	mu            sync.Mutex
	calls, tokens int
}

func (m *meter) begin() error {
	m.mu.Lock()
	defer m.mu.Unlock()
	switch {
	case m.calls >= m.limits.Calls:
		return &Runaway{"calls", m.limits.Calls}
	case m.tokens >= m.limits.Tokens:
		return &Runaway{"tokens", m.limits.Tokens}
	}
	m.calls++
	return nil
}

func (m *meter) add(tokens int) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.tokens += tokens
}

package models

import (
	"context"
	"sync"
	"time"
)

// line lets so many requests at once through to a connection; the others wait
// in the order in which they came.
type line struct {
	mu      sync.Mutex
	most    int // 0: any number
	within  int
	waiting []chan struct{} // closed when it is one's turn
	moved   chan struct{}   // closed whenever the line has moved
	usual   time.Duration   // how long requests took lately
}

// Wait tells where in line a request stands.
type Wait struct {
	Place int           // 1 is next
	About time.Duration // how long it may take; 0 if that is not known
}

func newLine() *line { return &line{moved: make(chan struct{})} }

// enter waits until there is room and returns how to leave. told hears of the
// place whenever it changes, and not at all if there is room at once.
func (l *line) enter(ctx context.Context, told func(Wait)) (leave func(), err error) {
	l.mu.Lock()
	if l.most == 0 || l.within < l.most && len(l.waiting) == 0 {
		l.within++
		l.mu.Unlock()
		return l.leaver(), nil
	}
	turn := make(chan struct{})
	l.waiting = append(l.waiting, turn)
	for {
		wait, moved := l.place(turn), l.moved
		l.mu.Unlock()
		if wait.Place > 0 {
			told(wait)
		}
		select {
		case <-turn:
			return l.leaver(), nil
		case <-moved:
		case <-ctx.Done():
			l.giveUp(turn)
			return nil, context.Cause(ctx)
		}
		l.mu.Lock()
	}
}

// place finds out where turn stands. The caller holds mu.
func (l *line) place(turn chan struct{}) Wait {
	for i, t := range l.waiting {
		if t == turn {
			return Wait{Place: i + 1, About: l.usual * time.Duration(i+1) / time.Duration(max(1, l.most))}
		}
	}
	return Wait{}
}

func (l *line) giveUp(turn chan struct{}) {
	l.mu.Lock()
	defer l.mu.Unlock()
	for i, t := range l.waiting {
		if t == turn {
			l.waiting = append(l.waiting[:i], l.waiting[i+1:]...)
			l.stir()
			return
		}
	}
	l.within-- // its turn had just come
	l.admit()
}

func (l *line) leaver() func() {
	entered := time.Now()
	return sync.OnceFunc(func() {
		l.mu.Lock()
		defer l.mu.Unlock()
		l.within--
		took := time.Since(entered)
		if l.usual == 0 {
			l.usual = took
		}
		l.usual += (took - l.usual) / 4
		l.admit()
	})
}

// admit lets in who is next, as long as there is room. The caller holds mu.
func (l *line) admit() {
	for len(l.waiting) > 0 && (l.most == 0 || l.within < l.most) {
		l.within++
		close(l.waiting[0])
		l.waiting = l.waiting[1:]
	}
	l.stir()
}

func (l *line) stir() {
	close(l.moved)
	l.moved = make(chan struct{})
}

func (l *line) set(most int) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.most = most
	l.admit()
}

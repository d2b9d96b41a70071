package protocol

import (
	"sync/atomic"
	"time"
)

// silence notices that nothing has come for as long as patience lasts, at most
// an eighth of it late: hearing something is one store, not a timer set back
// for every token.
type silence struct {
	heard  atomic.Bool
	part   time.Duration
	quiet  int // parts without a sound, one after the other
	giveUp func()
	timer  *time.Timer
	over   atomic.Bool
}

const parts = 8

func listen(patience time.Duration, giveUp func()) *silence {
	s := &silence{part: patience / parts, giveUp: giveUp}
	s.heard.Store(true)
	s.timer = time.AfterFunc(time.Hour, s.look)
	s.timer.Reset(s.part)
	return s
}

func (s *silence) look() {
	if s.quiet++; s.heard.Swap(false) {
		s.quiet = 0
	}
	switch {
	case s.over.Load():
	case s.quiet >= parts:
		s.giveUp()
	default:
		s.timer.Reset(s.part)
	}
}

func (s *silence) stop() {
	s.over.Store(true)
	s.timer.Stop()
}

package service

import (
	"context"
	"runtime"
	"runtime/debug"
	"testing"
	"time"
)

func TestGarbageGathersByWhatIsHeld(t *testing.T) {
	for held, want := range map[uint64]int{0: 2400, 10 << 20: 240, 96 << 20: 25, 1 << 30: 25} {
		if got := percent(held); got != want {
			t.Errorf("%d MB: %d, want %d", held>>20, got, want)
		}
	}
}

// Once a collection has found much in use, less may gather.
func TestThePaceFollowsWhatIsHeld(t *testing.T) {
	t.Setenv("GOGC", "")
	before := debug.SetGCPercent(100)
	ctx, end := context.WithCancel(t.Context())
	t.Cleanup(func() { end(); debug.SetGCPercent(before) })
	paceCollector(ctx)
	large := make([]byte, 100<<20)
	for range 100 {
		runtime.GC()
		now := debug.SetGCPercent(100)
		debug.SetGCPercent(now)
		if now == share {
			runtime.KeepAlive(large)
			return
		}
		time.Sleep(10 * time.Millisecond)
	}
	t.Error("100 MB are held, and as much garbage gathers as before")
}

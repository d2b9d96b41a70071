package service

import (
	"context"
	"os"
	"runtime"
	"runtime/debug"
	"runtime/metrics"
)

const (
	// spare is how much garbage may gather however little is held: a small
	// service would collect a hundred times a second without it.
	spare = 24 << 20
	// share is how much may gather of what is held, in percent: less than is
	// usual, for thousands of replies are held at once.
	share = 25
)

// paceCollector has the garbage collector let as much gather as spare and share
// say, until ctx ends. It leaves alone what GOGC says.
func paceCollector(ctx context.Context) {
	if os.Getenv("GOGC") != "" {
		return
	}
	type ended struct{ _ [16]byte } // lives until the next collection ends
	var pace func(*ended)
	pace = func(*ended) {
		if ctx.Err() != nil {
			return
		}
		debug.SetGCPercent(percent(held()))
		runtime.SetFinalizer(new(ended), pace)
	}
	pace(nil)
}

// held is how many bytes the last collection found in use, stacks included:
// what the collector's percentage is of.
func held() uint64 {
	sample := []metrics.Sample{{Name: "/gc/heap/live:bytes"}, {Name: "/gc/scan/stack:bytes"},
		{Name: "/gc/scan/globals:bytes"}}
	metrics.Read(sample)
	sum := uint64(0)
	for _, s := range sample {
		sum += s.Value.Uint64()
	}
	return sum
}

// percent is that of what is held which may gather as garbage.
func percent(held uint64) int {
	return max(share, int(spare*100/max(held, 1<<20)))
}

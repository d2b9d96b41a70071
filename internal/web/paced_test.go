package web

import (
	"errors"
	"io"
	"strings"
	"testing"
	"time"
)

// A body that comes too slowly is given up, by a clock of the test's own; one
// that keeps its speed is read to its end, however long that takes.
func TestSlowBodiesAreGivenUp(t *testing.T) {
	for _, c := range []struct {
		name  string
		bytes int           // with every read
		every time.Duration // between reads
		whole bool
	}{
		{"a byte a minute", 1, time.Minute, false},
		{"a byte a second", 1, time.Second, false},
		{"just too slow", leastSpeed / 2, time.Second, false},
		{"slow enough to be borne", 2 * leastSpeed, time.Second, true},
		{"fast", 1 << 20, time.Second, true},
	} {
		now := time.Unix(0, 0)
		var until time.Time
		size := 200 * c.bytes
		from := inPieces(strings.NewReader(strings.Repeat("x", size)), c.bytes, func() { now = now.Add(c.every) })
		p := &paced{from: from, now: func() time.Time { return now }, began: now,
			deadline: func(at time.Time) error { until = at; return nil }}
		n, err := io.Copy(io.Discard, p)
		if whole := err == nil && n == int64(size); whole != c.whole {
			t.Errorf("%s: %d of %d bytes, %v", c.name, n, size, err)
		}
		if err != nil && !errors.Is(err, slowness) {
			t.Errorf("%s: %v", c.name, err)
		}
		if until.Sub(now) > patience {
			t.Errorf("%s: the connection may be silent for %v", c.name, until.Sub(now))
		}
		if !c.whole && now.Sub(time.Unix(0, 0)) > firstMoments+time.Minute {
			t.Errorf("%s was borne for %v", c.name, now.Sub(time.Unix(0, 0)))
		}
	}
}

type pieces struct {
	from   io.Reader
	size   int
	before func()
}

// inPieces reads in pieces, and calls before each.
func inPieces(from io.Reader, size int, before func()) io.Reader { return &pieces{from, size, before} }

func (p *pieces) Read(into []byte) (int, error) {
	p.before()
	return p.from.Read(into[:min(len(into), p.size)])
}

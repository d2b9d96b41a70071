package protocol

import (
	"testing"
	"time"
)

// Whoever is heard now and then is not given up before patience has run out
// since; nobody is after the end.
func TestSilence(t *testing.T) {
	const patience = 200 * time.Millisecond
	given := make(chan time.Time, 1)
	s := listen(patience, func() { given <- time.Now() })
	last, heard := time.Now(), time.NewTicker(patience/8)
	defer heard.Stop()
	for n := 0; ; {
		select {
		case <-heard.C:
			if n++; n <= 20 {
				last = time.Now()
				s.heard.Store(true)
			}
			continue
		case at := <-given:
			if quiet := at.Sub(last); quiet < patience*7/8 {
				t.Errorf("given up after %v of silence, heard %d times", quiet, n)
			}
		case <-time.After(time.Minute):
			t.Fatal("not given up")
		}
		break
	}

	s = listen(patience, func() { given <- time.Now() })
	s.stop()
	select {
	case <-given:
		t.Error("given up after the end")
	case <-time.After(2 * patience):
	}
}

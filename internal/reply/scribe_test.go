package reply

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5/pgconn"

	"juvalogos/internal/record"
)

// recorder keeps progress as the database would.
type recorder struct {
	mu       sync.Mutex
	replies  map[uuid.UUID]string
	states   map[uuid.UUID]record.State
	writes   int
	biggest  int
	fail     error // of the next writes
	failFor  int
	half     bool // a failing write happens all the same
	poisoned string
}

func (m *recorder) keep(_ context.Context, news []record.Progress) error {
	time.Sleep(2 * time.Millisecond) // as a database takes
	m.mu.Lock()
	defer m.mu.Unlock()
	m.writes++
	m.biggest = max(m.biggest, len(news))
	for _, p := range news {
		if m.poisoned != "" && strings.Contains(p.Text, m.poisoned) {
			return &pgconn.PgError{Code: "22021"}
		}
	}
	failing := m.failFor > 0
	if failing {
		m.failFor--
	}
	if !failing || m.half {
		for _, p := range news {
			if p.Whole {
				m.replies[p.Turn] = ""
			}
			m.replies[p.Turn] += p.Text
			m.states[p.Turn] = p.State
		}
	}
	if failing {
		return m.fail
	}
	return nil
}

func startScribe(t *testing.T, m *recorder) *scribe {
	m.replies, m.states = map[uuid.UUID]string{}, map[uuid.UUID]record.State{}
	s := newScribe(m.keep, slog.New(slog.DiscardHandler), time.Now)
	ctx, cancel := context.WithCancel(context.Background())
	ended := make(chan struct{})
	go func() { s.run(ctx); close(ended) }()
	t.Cleanup(func() { cancel(); <-ended })
	return s
}

func newReply() *Reply { return &Reply{Turn: uuid.New(), Attempt: 1} }

// settledWithin waits until a reply is on record.
func settledWithin(t *testing.T, r *Reply, limit time.Duration) {
	t.Helper()
	l := r.Listen()
	defer l.Close()
	timeout := time.After(limit)
	for !r.Settled() {
		select {
		case <-l.Wake:
		case <-timeout:
			t.Fatal("the reply was not settled")
		}
	}
}

func TestTheScribeKeepsGrowingRepliesWithinASecond(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		m := &recorder{}
		s := startScribe(t, m)
		r := newReply()
		s.follow(r, nil)
		r.add([]byte("so far"), time.Now)
		time.Sleep(time.Second)
		synctest.Wait()
		if kept := m.replies[r.Turn]; kept != "so far" {
			t.Fatalf("after a second it has %q", kept)
		}
		r.finish(End{State: record.Stopped})
		s.ended()
		settledWithin(t, r, time.Second)
		if m.states[r.Turn] != record.Stopped || m.replies[r.Turn] != "so far" {
			t.Errorf("kept %q as %s", m.replies[r.Turn], m.states[r.Turn])
		}
	})
}

func TestTheScribeWritesTogetherWhatEndsTogether(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		m := &recorder{}
		s := startScribe(t, m)
		var all sync.WaitGroup
		for range 500 {
			all.Go(func() {
				r := newReply()
				s.follow(r, nil)
				for range 20 {
					r.add([]byte("word "), time.Now)
				}
				r.finish(End{State: record.Done})
				s.ended()
				settledWithin(t, r, 20*time.Second)
			})
		}
		all.Wait()
		for turn, reply := range m.replies {
			if reply != strings.Repeat("word ", 20) || m.states[turn] != record.Done {
				t.Errorf("kept %q as %s", reply, m.states[turn])
			}
		}
		if len(m.replies) != 500 || m.writes > 100 {
			t.Errorf("%d replies in %d writes, at most %d together", len(m.replies), m.writes, m.biggest)
		}
	})
}

// A write of which nobody knows whether it happened must neither lose text nor
// double it.
func TestTheScribeSurvivesTheDatabaseGoingAway(t *testing.T) {
	for _, half := range []bool{false, true} {
		t.Run(fmt.Sprintf("half=%v", half), func(t *testing.T) {
			synctest.Test(t, func(t *testing.T) {
				m := &recorder{fail: errors.New("the connection was lost"), failFor: 2, half: half}
				s := startScribe(t, m)
				r := newReply()
				s.follow(r, nil)
				r.add([]byte("a"), time.Now)
				time.Sleep(keepAfter + 3*tick)
				r.add([]byte("b"), time.Now)
				r.finish(End{State: record.Done})
				s.ended()
				settledWithin(t, r, 20*time.Second)
				if m.replies[r.Turn] != "ab" || m.states[r.Turn] != record.Done {
					t.Errorf("kept %q as %s", m.replies[r.Turn], m.states[r.Turn])
				}
				if v := r.Since(0, nil); v.NoticeSeq != 2 || v.Notice.Kind != "saved" {
					t.Errorf("told %+v", v.Notice)
				}
			})
		})
	}
}

func TestOneTextThatCannotBeKeptDoesNotHoldUpTheOthers(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		m := &recorder{poisoned: "poison"}
		s := startScribe(t, m)
		var replies []*Reply
		for _, text := range []string{"good", "poison", "also good"} {
			r := newReply()
			s.follow(r, nil)
			r.add([]byte(text), time.Now)
			r.finish(End{State: record.Done})
			replies = append(replies, r)
		}
		s.ended()
		for _, r := range replies {
			settledWithin(t, r, 10*time.Second)
		}
		if m.replies[replies[0].Turn] != "good" || m.replies[replies[2].Turn] != "also good" {
			t.Errorf("kept %v", m.replies)
		}
	})
}

func TestAReplyReplacesWhatCannotBeKept(t *testing.T) {
	r := newReply()
	r.add([]byte("a\x00b\xffc"), time.Now)
	if got := string(r.Since(0, nil).Text); got != "a\uFFFDb\uFFFDc" {
		t.Errorf("got %q", got)
	}
}

func TestSince(t *testing.T) {
	r := newReply()
	r.add([]byte("aäb"), time.Now)
	for offset, want := range map[int]string{0: "aäb", 1: "äb", 3: "b", 4: "", 2: "aäb", 99: "aäb", -1: "aäb"} {
		if got := string(r.Since(offset, nil).Text); got != want {
			t.Errorf("since %d: %q, want %q", offset, got, want)
		}
	}
}

func TestATokenCostsNoAllocation(t *testing.T) {
	r := newReply()
	r.text = make([]byte, 0, 1<<20)
	l := r.Listen()
	defer l.Close()
	token, now := []byte(" bee"), time.Now
	if n := testing.AllocsPerRun(1000, func() { r.add(token, now) }); n > 0 {
		t.Errorf("%v allocations", n)
	}
}

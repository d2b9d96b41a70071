package reply

import (
	"context"
	"errors"
	"log/slog"
	"sync"
	"time"

	"github.com/jackc/pgx/v5/pgconn"

	"juvalogos/internal/record"
)

// The scribe keeps growing replies on record: each as soon as its oldest
// unrecorded text is keepAfter old, and when it has ended at once. It looks
// every tick and writes what is due in one statement; while one write is under
// way the next ones gather, so a busy service writes larger batches, not more.
type scribe struct {
	keep func(context.Context, []record.Progress) error
	log  *slog.Logger
	now  func() time.Time
	kick chan struct{} // a reply has ended

	mu      sync.Mutex
	replies map[*Reply]func() // what to do once the reply is settled
}

const (
	// keepAfter and tick leave room for a slow write within the promised second.
	keepAfter = 500 * time.Millisecond
	tick      = 100 * time.Millisecond
	keepLimit = 10 * time.Second
	// mostKept bounds a statement; more replies take several.
	mostKept = 1000
	// gather is for how long ends wait for others while there are crowd replies
	// and more: most of what a write costs does not depend on how much it is.
	gather = 25 * time.Millisecond
	crowd  = 16
)

func newScribe(keep func(context.Context, []record.Progress) error, log *slog.Logger, now func() time.Time) *scribe {
	return &scribe{keep: keep, log: log, now: now, kick: make(chan struct{}, 1), replies: map[*Reply]func(){}}
}

// follow keeps r from now on; settled is called once, when its end is on
// record.
func (s *scribe) follow(r *Reply, settled func()) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.replies[r] = settled
}

// ended asks for r's end to be written now.
func (s *scribe) ended() {
	select {
	case s.kick <- struct{}{}:
	default:
	}
}

// busy reports whether more replies are likely to end soon.
func (s *scribe) busy() bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return len(s.replies) >= crowd
}

// run writes until ctx ends, and then what is left, as long as the database
// takenBy it.
func (s *scribe) run(ctx context.Context) {
	ticker := time.NewTicker(tick)
	defer ticker.Stop()
	for {
		select {
		case <-ctx.Done():
			for range 20 {
				if s.write(everything) == nil {
					return
				}
				time.Sleep(5 * tick)
			}
			s.log.Error("replies could not be kept before the end of the service")
			return
		case <-ticker.C:
			if s.write(s.due) != nil {
				sleep(ctx, 4*tick)
			}
		case <-s.kick:
			if s.busy() {
				sleep(ctx, gather)
			}
			if s.write(nothing) != nil {
				sleep(ctx, 4*tick)
			}
		}
	}
}

// Which of the replies that are still growing to write.
func everything(*Reply) bool        { return true }
func nothing(*Reply) bool           { return false }
func (s *scribe) due(r *Reply) bool { return s.now().Sub(r.unsavedSince) >= keepAfter }

// write keeps what is new of the replies that have ended and of those growing
// ones that are chosen; choose is called under the reply's lock.
func (s *scribe) write(choose func(*Reply) bool) error {
	var news []record.Progress
	var replies []*Reply
	s.mu.Lock()
	for r := range s.replies {
		if p, ok := r.news(choose); ok {
			news, replies = append(news, p), append(replies, r)
		}
	}
	s.mu.Unlock()
	var failed error
	for len(news) > 0 {
		n := min(len(news), mostKept)
		if err := s.keepSome(news[:n], replies[:n]); err != nil {
			failed = err
		}
		news, replies = news[n:], replies[n:]
	}
	return failed
}

func (s *scribe) keepSome(news []record.Progress, replies []*Reply) error {
	ctx, cancel := context.WithTimeout(context.Background(), keepLimit)
	defer cancel()
	err := s.keep(ctx, news)
	var refused *pgconn.PgError
	if err != nil && errors.As(err, &refused) && refused.Code[:2] == "22" {
		// The database cannot hold one of these texts. The others are not
		// to suffer for it.
		if len(news) == 1 {
			s.log.Error("a reply cannot be kept", "turn", news[0].Turn, "error", err)
			s.settled(replies[0], news[0])
			return nil
		}
		for i := range news {
			err = s.keepSome(news[i:i+1], replies[i:i+1])
		}
		return err
	}
	if err != nil {
		s.log.Warn("replies are not on record yet; trying again", "replies", len(news), "error", err)
		for _, r := range replies {
			r.notKept()
		}
		return err
	}
	for i, r := range replies {
		s.settled(r, news[i])
	}
	return nil
}

func (s *scribe) settled(r *Reply, p record.Progress) {
	r.kept(p, s.now())
	if p.State == record.Running {
		return
	}
	s.mu.Lock()
	done := s.replies[r]
	delete(s.replies, r)
	s.mu.Unlock()
	if done != nil {
		done()
	}
	r.settle()
}

// news returns what of the reply is not on record.
func (r *Reply) news(choose func(*Reply) bool) (record.Progress, bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if !r.over && (len(r.text) == r.saved && !r.lanesGrew && !r.unsure || !choose(r)) {
		return record.Progress{}, false
	}
	p := record.Progress{Turn: r.Turn, Number: r.Attempt, State: record.Running, Whole: r.unsure}
	switch {
	case r.over && r.mended != nil:
		p.Text, p.Whole = string(r.mended), true
	case r.unsure:
		p.Text = string(r.text)
	default:
		p.Text = string(r.text[r.saved:])
	}
	if !r.firstAt.IsZero() {
		p.FirstAt = &r.firstAt
	}
	if r.lanesGrew {
		p.Lanes = encode(r.copyLanes(), false)
	}
	if r.over {
		e := r.end
		p.State, p.Finish, p.Problem, p.ProblemID = e.State, e.Finish, string(e.Problem), e.ProblemID
		p.PromptTokens, p.ReplyTokens, p.MemoryTokens = e.PromptTokens, e.ReplyTokens, e.memoryTokens
		p.EndedAt, p.Cost, p.Trace = &e.At, e.Cost, e.trace
		p.Parts = encode(e.Parts, len(e.Parts) == 0)
	}
	return p, true
}

func (r *Reply) kept(p record.Progress, now time.Time) {
	r.mu.Lock()
	if p.Whole {
		r.saved = 0
	}
	r.saved += len(p.Text)
	if p.Lanes != nil {
		r.lanesGrew = false // or has since: the end is written whole
	}
	if r.unsavedSince = (time.Time{}); len(r.text) > r.saved {
		r.unsavedSince = now // or a moment earlier
	}
	was := r.unsure
	r.unsure = false
	r.mu.Unlock()
	if was {
		r.tell(Notice{Kind: "saved"})
	}
}

func (r *Reply) notKept() {
	r.mu.Lock()
	was := r.unsure
	r.unsure = true
	r.mu.Unlock()
	if !was {
		r.tell(Notice{Kind: "unsaved"})
	}
}

func sleep(ctx context.Context, d time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(d):
	}
}

package desk

import (
	"context"
	"errors"
	"log/slog"
	"sync"
	"time"

	"github.com/jackc/pgx/v5/pgconn"

	"juvalogos/internal/store"
)

// The scribe keeps growing replies on record: all of them together at every
// tick, and those that have ended at once. While one write is under way the
// next ones gather, so a busy service writes larger batches, not more.
type scribe struct {
	keep func(context.Context, []store.Progress) error
	log  *slog.Logger
	now  func() time.Time
	kick chan struct{} // a reply has ended

	mu      sync.Mutex
	replies map[*Reply]func() // what to do once the reply is settled
}

const (
	// tick leaves room for a slow write within the promised second.
	tick      = 500 * time.Millisecond
	keepLimit = 10 * time.Second
	// mostKept bounds a statement; more replies take several.
	mostKept = 1000
)

func newScribe(keep func(context.Context, []store.Progress) error, log *slog.Logger, now func() time.Time) *scribe {
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

// run writes until ctx ends, and then what is left, as long as the database
// takes it.
func (s *scribe) run(ctx context.Context) {
	ticker := time.NewTicker(tick)
	defer ticker.Stop()
	for {
		select {
		case <-ctx.Done():
			for range 20 {
				if s.write(true) == nil {
					return
				}
				time.Sleep(tick)
			}
			s.log.Error("replies could not be kept before the end of the service")
			return
		case <-ticker.C:
			_ = s.write(true)
		case <-s.kick:
			if s.write(false) != nil {
				sleep(ctx, tick/2)
			}
		}
	}
}

// write keeps what is new: of all replies, or only of those that have ended.
func (s *scribe) write(all bool) error {
	var news []store.Progress
	var replies []*Reply
	s.mu.Lock()
	for r := range s.replies {
		if p, ok := r.news(all); ok {
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

func (s *scribe) keepSome(news []store.Progress, replies []*Reply) error {
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

func (s *scribe) settled(r *Reply, p store.Progress) {
	r.kept(p)
	if p.State == store.Running {
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
func (r *Reply) news(all bool) (store.Progress, bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if !r.over && (!all || len(r.text) == r.saved && !r.unsure) {
		return store.Progress{}, false
	}
	p := store.Progress{Turn: r.Turn, Number: r.Attempt, State: store.Running, Whole: r.unsure}
	if r.unsure {
		p.Text = string(r.text)
	} else {
		p.Text = string(r.text[r.saved:])
	}
	if !r.firstAt.IsZero() {
		p.FirstAt = &r.firstAt
	}
	if r.over {
		e := r.end
		p.State, p.Finish, p.Problem, p.ProblemID = e.State, e.Finish, string(e.Problem), e.ProblemID
		p.PromptTokens, p.ReplyTokens, p.MemoryTokens = e.PromptTokens, e.ReplyTokens, e.memoryTokens
		p.EndedAt = &e.At
	}
	return p, true
}

func (r *Reply) kept(p store.Progress) {
	r.mu.Lock()
	if p.Whole {
		r.saved = 0
	}
	r.saved += len(p.Text)
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

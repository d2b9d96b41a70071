package reply

import (
	"context"
	"errors"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5/pgconn"

	"juvalogos/internal/record"
)

// Every attempt that is running has an owner who lives: the instance that put it on
// record and makes it. One that its own instance does not make, because the answer of
// the database was lost, and one whose instance is no more, are interrupted.

const (
	// askingLimit is how long a question waits for the database before its visitor is
	// told that it cannot be kept.
	askingLimit = 4 * time.Second
	// doubtLimit is how long it is then looked for on record, in tries of a second.
	doubtLimit = 3 * time.Second
	// defaultMissing is for how long another instance may have no lock before it counts
	// as dead: it takes a new one where only its connection was lost.
	defaultMissing = 8 * time.Second
)

// inDoubt reports whether a statement that failed may have been done all the same:
// neither the database said no, nor was it never sent.
func inDoubt(err error) bool {
	var said *pgconn.PgError
	return err != nil && !errors.As(err, &said) && !errors.Is(err, record.ErrNotFound) &&
		!errors.Is(err, record.ErrDuplicate) && !pgconn.SafeToRetry(err)
}

// onRecordAfterAll looks for a question on record whose insertion is in doubt.
func (s *Service) onRecordAfterAll(ctx context.Context, r *Reply) bool {
	for began := time.Now(); time.Since(began) < doubtLimit; sleep(ctx, 200*time.Millisecond) {
		once, cancel := context.WithTimeout(ctx, time.Second)
		t, err := s.Store.Conversations.TurnByKey(once, r.key, r.visitor)
		cancel()
		if err == nil {
			return t.ID == r.Turn
		}
		if ctx.Err() != nil {
			break
		}
	}
	return false
}

// disown interrupts attempts that are on record as made here and are not, and stops those
// that another instance was asked to stop.
func (s *Service) disown(ctx context.Context) (interrupted int, err error) {
	all, err := s.Store.Replies.Unfinished(ctx, s.instance)
	if err != nil {
		return 0, err
	}
	for _, a := range all {
		s.mu.Lock()
		r := s.live[a.Turn]
		if r != nil && a.Stopping {
			r.cancel(errStopped)
		}
		s.mu.Unlock()
		if r != nil {
			continue
		}
		is, err := s.Store.Replies.Interrupt(ctx, a.Turn, a.Number, s.instance)
		if err != nil {
			return interrupted, err
		}
		if is {
			interrupted++
			s.Log.Warn("a question was on record that nobody answered; it is interrupted", "turn", a.Turn)
		}
	}
	return interrupted, nil
}

// Sweep interrupts what nobody makes any more: what dead instances left running, and what
// is on record as made here and is not.
func (s *Service) Sweep(ctx context.Context) error {
	_, err := s.sweep(ctx, s.Missing)
	return err
}

// sweep is Sweep where an instance counts as dead that has had no lock for so long; it
// returns how many were interrupted.
func (s *Service) sweep(ctx context.Context, missing time.Duration) (int, error) {
	n, err := s.disown(ctx)
	if err != nil {
		return n, err
	}
	dead, err := s.Store.Replies.Dead(ctx, s.instance)
	if err != nil {
		return n, err
	}
	now := time.Now()
	s.mu.Lock()
	since := map[int32]time.Time{}
	for _, i := range dead {
		since[i] = now
		if was, is := s.missing[i]; is {
			since[i] = was
		}
	}
	s.missing = since
	s.mu.Unlock()
	for i, at := range since {
		if now.Sub(at) < missing {
			continue
		}
		k, err := s.Store.Replies.InterruptAll(ctx, i)
		if err != nil {
			return n, err
		}
		if n += k; k > 0 {
			s.Log.Warn("replies were interrupted by the end of a service", "replies", k)
		}
	}
	return n, nil
}

// lost reports whether a conversation in which something is being written was blocked by
// what nobody writes any more.
func (s *Service) lost(ctx context.Context) bool {
	n, err := s.sweep(ctx, s.Missing)
	return err == nil && n > 0
}

// stopElsewhere has a turn stopped that is not made here, and ends it if nobody makes it.
func (s *Service) stopElsewhere(ctx context.Context, turn uuid.UUID) error {
	if err := s.Store.Replies.AskToStop(ctx, turn); err != nil {
		return err
	}
	_, err := s.disown(ctx)
	return err
}

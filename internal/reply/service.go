package reply

import (
	"cmp"
	"context"
	"crypto/rand"
	"encoding/binary"
	"errors"
	"log/slog"
	"sync"
	"time"

	"github.com/google/uuid"

	"juvalogos/core/steps"
	"juvalogos/internal/desk"
	"juvalogos/internal/limits"
	"juvalogos/internal/media"
	"juvalogos/internal/models"
	"juvalogos/internal/record"
	"juvalogos/internal/shelf"
	"juvalogos/internal/store"
	"juvalogos/internal/table"
)

// Options are what a Service of replies is made of.
type Options struct {
	Store  Record
	Desks  *desk.Service
	Models *models.Registry
	Log    *slog.Logger
	// Retry says how models are asked again; zero means models.DefaultRetry.
	Retry models.Retry
	// Now is the clock; nil means time.Now.
	Now func() time.Time
	// Programs and Web are what recipes may use of the world outside; nil:
	// nothing of it.
	Programs steps.Programs
	Web      steps.Web
	// Pages reads what addresses lead to, for a visitor of a desk; nil: none are read.
	Pages Pages
	// Shelves are what desks may answer from; nil: there are none.
	Shelves *shelf.Library
	// Tables are what documents hold as tables; nil: they are not asked.
	Tables *table.Service
	// Media are the pictures of conversations; nil: there are none.
	Media *media.Service
	// Instance is the number under which this service is registered; 0: one is
	// drawn.
	Instance int32
	// Collector gets the traces too; nil: nobody does.
	Collector Collector
	// Limits say how much may be asked; nil: any amount.
	Limits *limits.Table
	// Missing is for how long another instance may be without its lock before it counts
	// as dead; 0: eight seconds.
	Missing time.Duration
	// Gone is for how long nobody may listen to a reply that waits in line before
	// it counts as waited for by nobody; 0: 20 seconds.
	Gone time.Duration
}

// Record is what of the store replies need.
type Record struct {
	Replies       *store.Replies
	Conversations *store.Conversations
	Traces        *store.Traces
	Shelves       *store.Shelves // what was attached before the first question
	Kept          *store.Kept    // outputs of steps; nil: they are in memory alone
}

// Pages reads what addresses lead to.
type Pages interface {
	// ReadPage reads a page or a file for a visitor, within a conversation at the
	// desk with a slug.
	ReadPage(ctx context.Context, slug string, conversation uuid.UUID, visitor record.Visitor,
		address string) (steps.Page, error)
}

// Service is the replies of one running Juvalogos. It is safe for concurrent
// use. Close it, so that replies on their way are kept.
//
// Unless a method says otherwise it fails with *fault.Problem, whose sentence may
// be shown to whoever asked; what stands behind it is in its Cause and the log.
type Service struct {
	Options
	instance int32
	scribe   *scribe

	background sync.WaitGroup
	stop       context.CancelFunc // ends background work
	making     sync.WaitGroup
	makeCtx    context.Context // the replies' life; ends with errShutdown
	endMaking  context.CancelCauseFunc

	mu      sync.Mutex
	closing bool
	live    map[uuid.UUID]*Reply // by turn
	busy    map[uuid.UUID]*Reply // by conversation
	folding map[uuid.UUID]bool   // conversations whose summary is being made
	keys    *keyring
	kept    kept
	paces   paces
	missing map[int32]time.Time // other instances without their locks, since when
	fresh   []uuid.UUID         // turns whose replies have ended since Finished was called
}

var errShutdown = errors.New("the service is stopping")

// New starts a service: it registers this instance and marks what a dead one
// left unfinished. It fails if the store cannot be read.
func New(ctx context.Context, o Options) (*Service, error) {
	if o.Now == nil {
		o.Now = time.Now
	}
	o.Gone, o.Missing = cmp.Or(o.Gone, defaultGone), cmp.Or(o.Missing, defaultMissing)
	if o.Retry == (models.Retry{}) {
		o.Retry = models.DefaultRetry
	}
	s := &Service{
		Options:  o,
		instance: cmp.Or(o.Instance, RandomInstance()),
		live:     map[uuid.UUID]*Reply{},
		busy:     map[uuid.UUID]*Reply{},
		folding:  map[uuid.UUID]bool{},
		keys:     newKeyring(),
	}
	lease, err := o.Store.Replies.Register(ctx, s.instance)
	if err != nil {
		return nil, err
	}
	if _, err := s.sweep(ctx, 0); err != nil {
		lease.Close(ctx)
		return nil, err
	}
	s.scribe = newScribe(o.Store.Replies.Keep, o.Log, o.Now)
	s.makeCtx, s.endMaking = context.WithCancelCause(context.Background())
	background, stop := context.WithCancel(context.Background())
	s.stop = stop
	s.background.Go(func() { s.scribe.run(background) })
	s.background.Go(func() { s.holdLease(background, lease) })
	return s, nil
}

// Close takes no more questions, lets running replies finish until ctx ends,
// interrupts and keeps the rest, and returns when nothing of the service runs.
func (s *Service) Close(ctx context.Context) {
	s.mu.Lock()
	s.closing = true
	running := len(s.live)
	s.mu.Unlock()
	if running > 0 {
		s.Log.Info("letting replies finish", "running", running)
	}
	finished := make(chan struct{})
	go func() { s.making.Wait(); close(finished) }()
	select {
	case <-finished:
	case <-ctx.Done():
		s.endMaking(errShutdown)
		select {
		case <-finished:
		case <-time.After(5 * time.Second): // the database is away; the scribe tries on
		}
	}
	s.endMaking(errShutdown)
	s.stop()
	s.background.Wait()
}

// Closing reports whether it takes no more questions.
func (s *Service) Closing() bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.closing
}

// Running is how many replies are being made.
func (s *Service) Running() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return len(s.live)
}

// RandomInstance draws a number for an instance.
func RandomInstance() int32 {
	var b [4]byte
	_, _ = rand.Read(b[:]) // never fails
	return int32(binary.BigEndian.Uint32(b[:])&0x7fffffff | 1)
}

// renew returns the lease if it holds, else a new one, or nil if the database
// does not give one now.
func (s *Service) renew(ctx context.Context, lease *store.Instance) *store.Instance {
	ctx, cancel := context.WithTimeout(ctx, 5*time.Second)
	defer cancel()
	if lease != nil {
		if lease.Alive(ctx) {
			return lease
		}
		lease.Close(ctx)
	}
	lease, _ = s.Store.Replies.Register(ctx, s.instance)
	return lease
}

// holdLease keeps this instance registered whatever happens to the database,
// and marks what others have left running.
func (s *Service) holdLease(ctx context.Context, lease *store.Instance) {
	check, sweep := time.NewTicker(2*time.Second), time.NewTicker(time.Second)
	defer check.Stop()
	defer sweep.Stop()
	troubled := false
	for {
		select {
		case <-ctx.Done():
			if lease != nil {
				ctx, cancel := context.WithTimeout(context.Background(), time.Second)
				lease.Close(ctx)
				cancel()
			}
			return
		case <-check.C:
			lease = s.renew(ctx, lease)
		case <-sweep.C:
			once, cancel := context.WithTimeout(ctx, 5*time.Second)
			err := s.Sweep(once)
			cancel()
			if err != nil && ctx.Err() == nil && !troubled {
				s.Log.Warn("looking for interrupted replies", "error", err)
			}
			troubled = err != nil // told once
		}
	}
}

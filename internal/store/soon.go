package store

import (
	"context"
	"errors"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"

	"juvalogos/internal/record"
)

// soonLimit is what a statement may take for which somebody waits, and as long as it may
// wait for a connection.
const soonLimit = 4 * time.Second

// Soon is a context whose statements end soon even where the database hangs: each within
// seconds. Somebody waits for them.
func Soon(ctx context.Context) context.Context { return context.WithValue(ctx, record.SoonKey, true) }

// hurry bounds the statements of such contexts, and notes which cannot be kept.
type hurry struct {
	refused atomic.Pointer[refusal]
}

// refusal is a statement that could not be kept.
type refusal struct {
	why error
	at  time.Time
}

var (
	_ pgx.QueryTracer       = &hurry{}
	_ pgx.BatchTracer       = &hurry{}
	_ pgxpool.AcquireTracer = &hurry{}
)

// unkept is record.ErrFull or record.ErrReadOnly where an error of the database says so; nil otherwise.
func unkept(err error) error {
	var said *pgconn.PgError
	if errors.As(err, &said) {
		switch said.Code {
		case "53100":
			return record.ErrFull
		case "25006":
			return record.ErrReadOnly
		}
	}
	return nil
}

// refusedLately is for how long a statement that could not be kept speaks against others.
const refusedLately = 20 * time.Second

// Ready reports whether the database answers and keeps what it is given: nil, record.ErrFull,
// record.ErrReadOnly, or what the driver says.
func (s *Store) Ready(ctx context.Context) error {
	_, err := s.pool.Exec(ctx, `insert into beat (at) values (now()) on conflict (id) do update set at = now()`)
	if why := unkept(err); why != nil {
		return why
	}
	if r := s.hurry.refused.Load(); err == nil && r != nil && time.Since(r.at) < refusedLately {
		return r.why
	}
	return err
}

type endKey struct{}

func (*hurry) begin(ctx context.Context) context.Context {
	if ctx.Value(record.SoonKey) == nil {
		return ctx
	}
	ctx, cancel := context.WithTimeout(ctx, soonLimit)
	return context.WithValue(ctx, endKey{}, cancel)
}

func (*hurry) end(ctx context.Context) {
	if cancel, is := ctx.Value(endKey{}).(context.CancelFunc); is {
		cancel()
	}
}

func (h *hurry) TraceQueryStart(ctx context.Context, _ *pgx.Conn, _ pgx.TraceQueryStartData) context.Context {
	return h.begin(ctx)
}

func (h *hurry) TraceQueryEnd(ctx context.Context, _ *pgx.Conn, d pgx.TraceQueryEndData) {
	h.note(d.Err)
	h.end(ctx)
}

func (h *hurry) note(err error) {
	if why := unkept(err); why != nil {
		h.refused.Store(&refusal{why, time.Now()})
	}
}

func (h *hurry) TraceBatchStart(ctx context.Context, _ *pgx.Conn, _ pgx.TraceBatchStartData) context.Context {
	return h.begin(ctx)
}

func (*hurry) TraceBatchQuery(context.Context, *pgx.Conn, pgx.TraceBatchQueryData) {}

func (h *hurry) TraceBatchEnd(ctx context.Context, _ *pgx.Conn, d pgx.TraceBatchEndData) {
	h.note(d.Err)
	h.end(ctx)
}

func (h *hurry) TraceAcquireStart(ctx context.Context, _ *pgxpool.Pool,
	_ pgxpool.TraceAcquireStartData) context.Context {
	return h.begin(ctx)
}

func (h *hurry) TraceAcquireEnd(ctx context.Context, _ *pgxpool.Pool, _ pgxpool.TraceAcquireEndData) {
	h.end(ctx)
}

package service

import (
	"cmp"
	"context"
	"log/slog"
	"sync"
	"time"

	"juvalogos/core/steps"
	"juvalogos/internal/account"
	"juvalogos/internal/connection"
	"juvalogos/internal/conversation"
	"juvalogos/internal/desk"
	"juvalogos/internal/errand"
	"juvalogos/internal/exam"
	"juvalogos/internal/inside"
	"juvalogos/internal/limits"
	"juvalogos/internal/media"
	"juvalogos/internal/models"
	"juvalogos/internal/recording"
	"juvalogos/internal/reply"
	"juvalogos/internal/runs"
	"juvalogos/internal/shelf"
	"juvalogos/internal/source"
	"juvalogos/internal/standing"
	"juvalogos/internal/store"
	"juvalogos/internal/table"
	"juvalogos/internal/vault"
	"juvalogos/internal/web"
)

// RoomOptions are what Rooms are made of.
type RoomOptions struct {
	Store  *store.Store
	Models *models.Registry
	Log    *slog.Logger
	Vault  *vault.Vault // nil: no keys are kept
	// References are the keys that may be named from outside.
	References vault.References
	Retry      models.Retry    // zero: models.DefaultRetry
	Shelf      *shelf.Library  // nil: there are no shelves
	Reader     Reader          // of pictures and sound; nil: none are taken
	Currency   string          // that prices are in
	Tables     *table.Service  // what documents hold as tables; nil: they are not asked
	Visits     *source.Sources // where visitors may have something brought from; nil: nowhere
	Reach      Reach           // what recipes may use of the world outside
	Traces     reply.Collector // gets the traces too; nil: nobody does
	// ConnectionFile is the file that Models was read from; "": none. ProgramFolder
	// holds the programs that connections made while running may run; "": none.
	ConnectionFile, ProgramFolder string
	// Instance is the number under which this service is registered; 0: one is
	// drawn.
	Instance int32
	// Limits say how much may be asked; nil: any amount.
	Limits *limits.Table
	// Gone is for how long nobody may listen before a reply in line counts as
	// waited for by nobody; 0: 20 seconds.
	Gone time.Duration
	// Now is the clock; nil means time.Now.
	Now func() time.Time
}

// Reader reads pictures and sound where they can do no harm.
type Reader interface {
	media.Reader
	recording.Reader
}

// Reach is what recipes may use of the world outside; nil: nothing of it.
type Reach struct {
	Programs steps.Programs
	Web      steps.Web
}

// Rooms are the use cases of one running service, and what they do from time to
// time. Close them, so that replies on their way are kept.
type Rooms struct {
	web.Rooms
	stop       context.CancelFunc
	background sync.WaitGroup
}

// OpenRooms joins the use cases with the store and the models, takes up the
// connections and marks what a dead instance left unfinished. It fails if the
// store cannot be read.
func OpenRooms(ctx context.Context, o RoomOptions) (*Rooms, error) {
	connections := connection.New(connection.Options{Store: o.Store.Connections, Models: o.Models, Log: o.Log,
		Vault: o.Vault, References: o.References, File: o.ConnectionFile, Programs: o.ProgramFolder, Now: o.Now})
	if err := connections.TakeUp(ctx); err != nil {
		return nil, err
	}
	known := desk.Record{Desks: o.Store.Desks, Traces: o.Store.Traces}
	if o.Shelf != nil {
		known.Shelves = o.Store.Shelves
	}
	desks := desk.New(desk.Options{Store: known, Models: o.Models, Log: o.Log, Now: o.Now})
	connections.Naming = desks.Naming
	instance := cmp.Or(o.Instance, reply.RandomInstance())
	errands := errand.New(errand.Options{Store: o.Store.Errands, Desks: desks, Shelves: o.Shelf, Sources: o.Visits,
		Limits: o.Limits, Log: o.Log, Instance: instance, Now: o.Now})
	var pages reply.Pages
	if o.Visits != nil {
		pages = errands
	}
	var pictures *media.Service
	if o.Reader != nil {
		pictures = media.New(media.Options{Store: o.Store.Media, Files: o.Store.Shelves, Reader: o.Reader, Log: o.Log,
			Currency: o.Currency,
			Now:      o.Now})
	}
	if o.Tables != nil {
		o.Tables.Documents = o.Shelf
	}
	replies, err := reply.New(ctx, reply.Options{
		Store: reply.Record{
			Replies: o.Store.Replies, Conversations: o.Store.Conversations, Traces: o.Store.Traces,
			Shelves: o.Store.Shelves, Kept: o.Store.Kept,
		},
		Desks: desks, Models: o.Models, Log: o.Log, Retry: o.Retry, Now: o.Now, Programs: o.Reach.Programs,
		Web:     o.Reach.Web,
		Shelves: o.Shelf, Tables: o.Tables, Pages: pages, Media: pictures, Instance: instance, Collector: o.Traces,
		Limits: o.Limits,
		Gone:   o.Gone,
	})
	if err != nil {
		return nil, err
	}
	var recordings *recording.Service
	if o.Reader != nil {
		recordings = recording.New(recording.Options{Store: o.Store.Recordings, Files: o.Store.Shelves,
			Reader: o.Reader,
			Desks:  desks, Replies: replies, Shelves: o.Shelf, Limits: o.Limits, Log: o.Log, Instance: instance,
			Now: o.Now})
	}
	background, stop := context.WithCancel(context.Background())
	r := &Rooms{stop: stop, Rooms: web.Rooms{
		Accounts:    account.New(account.Options{Store: o.Store.Accounts, Log: o.Log, Now: o.Now}),
		Connections: connections,
		Conversations: conversation.New(conversation.Options{Store: o.Store.Conversations, Desks: desks,
			Replies: replies, Media: pictures, Log: o.Log, Now: o.Now}),
		Desks: desks,
		Inside: inside.New(inside.Options{
			Store: inside.Record{
				Traces: o.Store.Traces, Verdicts: o.Store.Verdicts, Replies: o.Store.Replies, Desks: o.Store.Desks,
			},
			Desks: desks, Replies: replies, Log: o.Log, Now: o.Now,
		}),
		Replies: replies,
		Shelves: o.Shelf,
		Errands: errands,
		Tables:  o.Tables,
		Exams:   &exam.Service{Store: o.Store.Quizzes, Limits: o.Limits, Log: o.Log, Now: o.Now},
		Standing: standing.New(standing.Options{Store: o.Store.Standing, Shelves: known.Shelves, Desks: desks,
			Replies: replies, Errands: errands, Log: o.Log, Instance: instance, Now: o.Now}),
		Runs: runs.New(runs.Options{Store: o.Store.Runs, Shelves: known.Shelves, Desks: desks, Replies: replies,
			Log: o.Log, Instance: instance, Now: o.Now}),
		Media: pictures, Recordings: recordings, Visits: o.Visits,
	}}
	r.background.Go(func() { r.rounds(background, o.Log) })
	return r, nil
}

// rounds does what has to be done again and again, until ctx ends.
func (r *Rooms) rounds(ctx context.Context, log *slog.Logger) {
	often, sweep, seldom := time.NewTicker(2*time.Second), time.NewTicker(time.Minute), time.NewTicker(time.Hour)
	defer often.Stop()
	defer sweep.Stop()
	defer seldom.Stop()
	r.Conversations.IndexRest(ctx)
	for {
		select {
		case <-ctx.Done():
			return
		case <-often.C:
			r.Conversations.Index(ctx)
			if err := r.Connections.TakeUp(ctx); err != nil && ctx.Err() == nil {
				log.Warn("reading the connections", "error", err)
			}
		case <-sweep.C:
			if r.Tables != nil {
				r.Tables.Sweep(ctx)
			}
		case <-seldom.C:
			r.Accounts.Purge(ctx)
			r.Conversations.Purge(ctx)
			r.Inside.Thin(ctx)
			r.Conversations.IndexRest(ctx)
			r.Replies.Purge(ctx)
		}
	}
}

// Close takes no more questions, lets running replies finish until ctx ends,
// interrupts and keeps the rest, and returns when nothing of the rooms runs.
func (r *Rooms) Close(ctx context.Context) {
	r.Standing.Close()
	r.Runs.Close() // before replies, so that what they ask is stopped and not interrupted
	r.Replies.Close(ctx)
	r.Errands.Close()
	if r.Recordings != nil {
		r.Recordings.Close()
	}
	r.stop()
	r.background.Wait()
}

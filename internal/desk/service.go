package desk

import (
	"log/slog"
	"time"

	"juvalogos/internal/models"
	"juvalogos/internal/store"
)

// Options are what a Service of desks is made of.
type Options struct {
	Store  Record
	Models *models.Registry
	Log    *slog.Logger
	// Now is the clock; nil means time.Now.
	Now func() time.Time
}

// Record is what of the store desks need.
type Record struct {
	Desks *store.Desks
	// Shelves are what desks may answer from; nil: there are none.
	Shelves *store.Shelves
	Traces  *store.Traces // what questions cost of late
}

// Service is the desks of one running Juvalogos. It is safe for concurrent use.
//
// Unless a method says otherwise it fails with *fault.Problem, whose sentence may
// be shown to whoever asked; what stands behind it is in its Cause and the log.
type Service struct {
	Options
	cache  deskCache
	folder folderState
}

// New returns a service of desks.
func New(o Options) *Service {
	if o.Now == nil {
		o.Now = time.Now
	}
	return &Service{Options: o}
}

// Package table keeps what documents hold as tables ready to be asked: it has the engine
// read them, keeps on record what was found out, makes the engine's files again where they
// are gone, and holds processes warm for those who ask.
//
//	found, err := s.Take(ctx, document, nil)
//	at, err := s.At(ctx, tabled)              // all that one may ask of at once
//	result, err := at.Ask(ctx, "SELECT count(*) FROM hives", 0, 100)
//
// An engine's file is a cache, named for the content that it was made of, and for how that
// was read: any instance can make it again.
package table

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"sync"
	"time"

	"github.com/google/uuid"
	"golang.org/x/sync/singleflight"

	"juvalogos/core/phrase"
	"juvalogos/core/tables"
	"juvalogos/internal/engine"
	"juvalogos/internal/record"
)

// Store keeps what was found out.
type Store interface {
	Keep(ctx context.Context, t record.Tabled) error
	Of(ctx context.Context, documents []int64) ([]record.Tabled, error)
	OnShelves(ctx context.Context, slugs []string) ([]record.Tabled, error)
	ByKeys(ctx context.Context, keys []string) ([]record.Tabled, error)
	Queries(ctx context.Context, turns []uuid.UUID) (map[uuid.UUID]string, error)
	Unused(ctx context.Context, keys []string) ([]string, error)
}

// Files are the bytes of documents.
type Files interface {
	Content(ctx context.Context, hash []byte) io.Reader
}

// Options are what a Service needs.
type Options struct {
	Store  Store
	Files  Files
	Engine *engine.Engine
	Folder string // of the engine's files
	Turns  Turns
	Log    *slog.Logger
	Now    func() time.Time
}

// Service keeps tables ready. It is safe for concurrent use.
type Service struct {
	Options
	Documents Documents // set before anybody asks
	making    singleflight.Group

	mu   sync.Mutex
	warm map[string]*held // sessions, by what they have open
}

// New returns a service whose folder is made if it is not there. It fails if it cannot be.
func New(o Options) (*Service, error) {
	if o.Now == nil {
		o.Now = time.Now
	}
	if err := os.MkdirAll(o.Folder, 0o755); err != nil {
		return nil, fmt.Errorf("make the folder of tables: %w", err)
	}
	return &Service{Options: o, warm: map[string]*held{}}, nil
}

// edition is that of how files are read into tables; it counts up when they are read
// otherwise.
const edition = 1

// keyOf is the name of what the engine makes of a file.
func keyOf(hash []byte, name string, given []record.GivenKind) string {
	text, err := json.Marshal([]any{edition, hash, name, given})
	if err != nil {
		panic(err) // cannot happen: texts marshal
	}
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:16])
}

func (s *Service) folder(key string) string { return filepath.Join(s.Folder, key) }

// Take has the tables of a document read and keeps on record what was found out, or why
// there is nothing. given are kinds of columns that somebody put right; nil: those that were
// before. The error is an *engine.Problem where it lies with the file.
func (s *Service) Take(ctx context.Context, d record.Document, given []record.GivenKind) (record.Tabled, error) {
	if given == nil {
		given = []record.GivenKind{}
		before, err := s.Store.Of(ctx, []int64{d.ID})
		if err != nil {
			return record.Tabled{}, err
		}
		for _, t := range before {
			given = append(given, t.Given...)
		}
	}
	t := record.Tabled{Document: d.ID, Name: d.Name, Hash: d.Hash, Given: given, TakenAt: s.Now(),
		Key: keyOf(d.Hash, d.Name, given)}
	all, err := s.make(ctx, t)
	var problem *engine.Problem
	switch {
	case errors.As(err, &problem):
		t.Key, t.Problem = "", problem.What
	case err != nil:
		return t, err
	}
	t.Tables = append([]tables.Table{}, all...)
	if keep := s.Store.Keep(ctx, t); keep != nil {
		return t, keep
	}
	return t, err
}

// Give says what kinds columns of a document have that is to be read. It fails as the store
// does.
func (s *Service) Give(ctx context.Context, document int64, given []record.GivenKind) error {
	return s.Store.Keep(ctx, record.Tabled{Document: document, Given: given, Tables: []tables.Table{},
		TakenAt: s.Now()})
}

// made is what was found out while a file was made; it lies beside it.
const made = "found.json"

// make makes the engine's file of a document if it is not there, once for all who want it.
func (s *Service) make(ctx context.Context, t record.Tabled) ([]tables.Table, error) {
	done := s.making.DoChan(t.Key, func() (any, error) {
		var all []tables.Table
		folder := s.folder(t.Key)
		if text, err := os.ReadFile(filepath.Join(folder, made)); err == nil && json.Unmarshal(text, &all) == nil {
			return all, nil
		}
		given := make([]engine.Given, len(t.Given))
		for i, g := range t.Given {
			given[i] = engine.Given(g)
		}
		// Others may wait for it too: it is not ended by one that goes away.
		all, err := s.Engine.Take(context.WithoutCancel(ctx), engine.File{Name: t.Name, Given: given,
			Open: func() io.Reader { return s.Files.Content(context.WithoutCancel(ctx), t.Hash) }}, folder)
		if err != nil {
			return nil, err
		}
		text, err := json.Marshal(all)
		if err != nil {
			return nil, err
		}
		return all, os.WriteFile(filepath.Join(folder, made), text, 0o600)
	})
	select {
	case <-ctx.Done():
		return nil, context.Cause(ctx)
	case r := <-done:
		all, _ := r.Val.([]tables.Table)
		return all, r.Err
	}
}

// PutRight reads a document's tables anew with the kind of a column as somebody says it
// is; the kind "" takes that back. The error is an *engine.Problem where it cannot be.
func (s *Service) PutRight(ctx context.Context, t record.Tabled, g record.GivenKind) (record.Tabled, error) {
	given := []record.GivenKind{}
	for _, other := range t.Given {
		if other.Table != g.Table || other.Column != g.Column {
			given = append(given, other)
		}
	}
	if g.Kind != "" {
		given = append(given, g)
	}
	known := false
	for _, one := range t.Tables {
		known = known || one.Name == g.Table && one.Named(g.Column) != nil
	}
	if !known {
		return t, &engine.Problem{What: phrase.Of("there is no column %s", g.Column)}
	}
	return s.Take(ctx, record.Document{ID: t.Document, Name: t.Name, Hash: t.Hash}, given)
}

// Sweep deletes the engine's files that no document has any more, and ends processes that
// nobody asked lately.
func (s *Service) Sweep(ctx context.Context) {
	s.endIdle()
	entries, err := os.ReadDir(s.Folder)
	if err != nil {
		return
	}
	var old []string
	for _, e := range entries {
		// What is being made is not on record yet.
		if info, err := e.Info(); err == nil && s.Now().Sub(info.ModTime()) > time.Minute {
			old = append(old, e.Name())
		}
	}
	unused, err := s.Store.Unused(ctx, old)
	if err != nil {
		s.Log.Warn("tables that are not needed any more could not be told", "error", err)
		return
	}
	for _, key := range unused {
		if info, err := os.Stat(s.folder(key)); err != nil || key[:min(7, len(key))] == "making-" &&
			s.Now().Sub(info.ModTime()) < time.Hour {
			continue
		}
		if err := os.RemoveAll(s.folder(key)); err != nil {
			s.Log.Warn("a table that is not needed any more could not be deleted", "key", key, "error", err)
		}
	}
}

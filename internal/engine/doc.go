// Package engine keeps tables in files of DuckDB and asks them, in confined processes:
// what reads a stranger's file, and what runs a query that a model wrote, can reach
// nothing but the one folder that it is handed.
//
//	e := engine.New()
//	defer e.Close()
//	found, err := e.Take(ctx, engine.File{Name: "hives.csv", Open: content}, folder)
//	s := e.Session([]engine.Source{{folder, found}}) // a process that is kept warm
//	result, err := s.Ask(ctx, "SELECT count(*) FROM hives", 0, 100)
//
// A program that uses it calls Child before all else.
package engine

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"syscall"
	"time"

	"juvalogos/core/phrase"
	"juvalogos/core/tables"
	"juvalogos/internal/confined"
)

// kind is what the processes are called.
const kind = "tables"

// What a table may take of a process.
const (
	mostMemory  = 520 << 20
	mostFiles   = 64
	mostAnswer  = 64 << 20
	mostOnDisk  = 16 << 30
	perStretch  = 30 * time.Second
	longestTake = 10 * time.Minute
	// longestAsk is how long a query may take of which nobody says otherwise.
	longestAsk = 20 * time.Second
	// engineMemory is what the engine itself allows itself.
	engineMemory = "300MB"
)

// Problem says what is wrong with a file or a query.
type Problem struct{ What phrase.Phrase }

func (p *Problem) Error() string { return p.What.String() }

// Engine starts processes. It is safe for concurrent use.
type Engine struct {
	pool *confined.Pool
	// Longest is how long a query may take.
	Longest time.Duration
}

// New returns an engine.
func New() *Engine {
	return &Engine{Longest: longestAsk, pool: confined.NewPool(kind, confined.Limits{Memory: mostMemory,
		Files: mostFiles, Answer: mostAnswer, FileSize: mostOnDisk, First: perStretch}, "GOMEMLIMIT=100MiB",
		"MALLOC_ARENA_MAX=2")}
}

// Close ends processes that wait. Sessions are closed by those who opened them.
func (e *Engine) Close() { e.pool.Close() }

// request is what a process is asked for.
type request struct {
	Do     string // take or ask
	Name   string `json:",omitempty"`
	Given  []Given
	Query  string           `json:",omitempty"`
	Tables [][]tables.Table `json:",omitempty"` // by the folder that they are in
	Skip   int64            `json:",omitempty"`
	// Behind is a row of the result whose rows are wanted, and Column of them.
	Behind []string      `json:",omitempty"`
	Column int           `json:",omitempty"`
	Within time.Duration `json:",omitempty"` // how long the query may take
	Most   int           `json:",omitempty"`
}

// Given is a kind of column that somebody put right.
type Given struct {
	Table  string      `json:"table"` // by its name
	Column string      `json:"column"`
	Kind   tables.Kind `json:"kind"`
	Format string      `json:"format,omitempty"` // of dates
}

type answer struct {
	Tables  []tables.Table `json:",omitempty"`
	Again   []Given        `json:",omitempty"`
	Result  *tables.Result `json:",omitempty"`
	Problem *phrase.Phrase `json:",omitempty"` // with the file
	Refused string         `json:",omitempty"` // of the query
	Failed  string         `json:",omitempty"`
}

// fileName is that of a table's file within its folder.
const fileName = "t.duckdb"

// File is a file that is to be taken in.
type File struct {
	Name string
	// Given are kinds of columns that somebody put right.
	Given []Given
	// Open opens its bytes, from the first on; they are read once or twice.
	Open func() io.Reader
}

// Take reads a file and writes what it holds into a folder, which is made. A file that
// cannot be read is a *Problem; other errors are the context's cause or lie with the
// machine.
func (e *Engine) Take(ctx context.Context, f File, folder string) (all []tables.Table, err error) {
	again, all, err := e.makeFolder(ctx, f, folder)
	if err == nil && again != nil { // some columns are not what they seemed to be at first
		f.Given = append(slices.Clone(f.Given), again...)
		_, all, err = e.makeFolder(ctx, f, folder)
	}
	return all, err
}

// makeFolder does it; again are columns that have to be read as another kind, and then
// there is no folder.
func (e *Engine) makeFolder(ctx context.Context, f File, folder string) (again []Given, all []tables.Table, err error) {
	making, err := os.MkdirTemp(filepath.Dir(folder), "making-")
	if err != nil {
		return nil, nil, err
	}
	defer os.RemoveAll(making)
	// Who reads it may be another user.
	if err := os.Chmod(making, 0o777); err != nil {
		return nil, nil, err
	}
	ctx, cancel := context.WithTimeout(ctx, longestTake)
	defer cancel()
	a, err := e.take(ctx, f, making)
	if err != nil || a.Again != nil {
		return a.Again, nil, err
	}
	if err := ours(making); err != nil {
		return nil, nil, err
	}
	if err := os.Rename(making, folder); err != nil {
		// Another one may have made it meanwhile.
		if _, there := os.Stat(filepath.Join(folder, fileName)); there != nil {
			return nil, nil, err
		}
	}
	return nil, a.Tables, nil
}

// ours makes a folder ours alone to write in.
func ours(folder string) error {
	file := filepath.Join(folder, fileName)
	if err := os.Chown(file, os.Geteuid(), os.Getegid()); err != nil {
		return err
	}
	if err := os.Chmod(file, 0o644); err != nil {
		return err
	}
	return os.Chmod(folder, 0o755)
}

func (e *Engine) take(ctx context.Context, f File, making string) (a answer, err error) {
	dir, err := os.Open(making)
	if err != nil {
		return a, err
	}
	defer dir.Close()
	from, to, err := os.Pipe()
	if err != nil {
		return a, err
	}
	sent := make(chan error, 1)
	go func() {
		_, err := io.CopyBuffer(onlyWriter{to}, f.Open(), make([]byte, 256<<10))
		to.Close()
		sent <- err
	}()
	text, err := json.Marshal(request{Do: "take", Name: f.Name, Given: f.Given})
	if err != nil {
		return a, err
	}
	a, err = e.do(ctx, func(understand func([]byte) error) error {
		return e.pool.DoWith(ctx, text, []*os.File{dir, from}, nil, understand)
	})
	from.Close() // ends what still sends
	wrong := <-sent
	if err == nil && wrong != nil && !errors.Is(wrong, syscall.EPIPE) {
		return a, fmt.Errorf("send the file to the engine: %w", wrong)
	}
	return a, err
}

// onlyWriter hides what else a file can do, so that copies go through their buffer.
type onlyWriter struct{ io.Writer }

// do has a process do something, and tells what went wrong.
func (e *Engine) do(ctx context.Context, ask func(understand func([]byte) error) error) (a answer, err error) {
	err = ask(func(text []byte) error { return json.Unmarshal(text, &a) })
	var killed *confined.Killed
	switch {
	case ctx.Err() != nil && context.Cause(ctx) != context.DeadlineExceeded:
		return a, context.Cause(ctx)
	case errors.As(err, &killed) && killed.TooLong() || ctx.Err() != nil:
		return a, &Problem{phrase.Of("it took too long; ask for less at once")}
	case errors.As(err, &killed):
		return a, &Problem{phrase.Of("it takes too much memory; ask for less at once")}
	case err != nil:
		return a, err
	case a.Problem != nil:
		return a, &Problem{*a.Problem}
	case a.Refused != "":
		return a, &tables.Refused{What: a.Refused}
	case a.Failed != "":
		return a, errors.New(a.Failed)
	}
	return a, nil
}

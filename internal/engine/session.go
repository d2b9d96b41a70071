package engine

import (
	"context"
	"encoding/json"
	"errors"
	"os"
	"sync"

	"juvalogos/core/tables"
	"juvalogos/internal/confined"
)

// Session is a process that has some folders of tables open, to read. One query runs at a
// time. A process that was killed is started again with the next query.
type Session struct {
	engine  *Engine
	sources []Source

	mu      sync.Mutex
	process *confined.Held
}

// Source is a folder that Take wrote, with those of its tables that may be read. No two
// tables of a session have the same name.
type Source struct {
	Folder string
	Tables []tables.Table
}

// Session is one for some tables. The process is started by Warm or by the first query.
func (e *Engine) Session(sources []Source) *Session { return &Session{engine: e, sources: sources} }

// Close ends the process.
func (s *Session) Close() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.end()
}

func (s *Session) end() {
	if s.process != nil {
		s.process.Close()
		s.process = nil
	}
}

// Warm starts the process and has it open its tables. Errors are those of Ask.
func (s *Session) Warm(ctx context.Context) error {
	_, err := s.do(ctx, request{Do: "open"})
	return err
}

// Ask runs a query, of which it returns so many rows after the first skip. The error is a
// *tables.Refused for a query that may not be run, that the engine cannot make sense of or
// that took too much, the context's cause, or lies with the machine.
func (s *Session) Ask(ctx context.Context, query string, skip int64, most int) (*tables.Result, error) {
	a, err := s.do(ctx, request{Do: "ask", Query: query, Skip: skip, Most: most, Within: s.engine.Longest})
	return a.Result, err
}

// Behind returns rows on which a row of a query's result rests, with their numbers in the
// file first; the column that one of its columns was worked out of is marked. Errors are
// those of Ask.
func (s *Session) Behind(ctx context.Context, query string, row []string, column int, skip int64, most int) (
	*tables.Result, error) {
	a, err := s.do(ctx, request{Do: "behind", Query: query, Behind: row, Column: column, Skip: skip, Most: most,
		Within: s.engine.Longest})
	return a.Result, err
}

func (s *Session) do(ctx context.Context, r request) (answer, error) {
	for _, source := range s.sources {
		r.Tables = append(r.Tables, source.Tables)
	}
	text, err := json.Marshal(r)
	if err != nil {
		return answer{}, err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.process == nil {
		if err := s.start(); err != nil {
			return answer{}, err
		}
	}
	a, err := s.engine.do(ctx, func(understand func([]byte) error) error {
		err := s.process.Do(ctx, text, understand)
		if err != nil {
			s.end()
		}
		return err
	})
	var problem *Problem
	if errors.As(err, &problem) {
		err = &tables.Refused{What: problem.What.String(), TooMuch: problem.What}
	}
	return a, err
}

func (s *Session) start() error {
	var dirs []*os.File
	defer func() {
		for _, d := range dirs {
			d.Close()
		}
	}()
	for _, f := range s.sources {
		d, err := os.Open(f.Folder)
		if err != nil {
			return err
		}
		dirs = append(dirs, d)
	}
	var err error
	s.process, err = s.engine.pool.Hold(dirs)
	return err
}

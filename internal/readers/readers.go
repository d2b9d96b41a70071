// Package readers has files read in confined processes: what is wrong with a file,
// or meant to be, ends there. The service itself opens none.
//
//	pool := readers.New(dataFolder)
//	defer pool.Close()
//	d, err := pool.Read(ctx, "handbook.pdf", body, reading.DefaultLimits)
//
// A program that uses it calls Child before all else.
package readers

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"sync"
	"time"

	"juvalogos/core/phrase"
	"juvalogos/core/picture"
	"juvalogos/core/reading"
	"juvalogos/internal/confined"
	"juvalogos/internal/pdfium"
)

// kind is what the processes are called.
const kind = "read"

// cacheVariable names the folder where PDFium is kept as it was compiled.
const cacheVariable = "JUVALOGOS_READER_CACHE"

// What a file may take of a process.
const (
	mostMemory = 1200 << 20
	mostFiles  = 64
	mostAnswer = 256 << 20
	// perFile is how long a file may take that has no pages, beside what its size
	// takes, and perStretch how long a page may.
	perFile    = 10 * time.Second
	perMB      = time.Second
	perStretch = 15 * time.Second
	// perRecognition is how long a page may take whose picture has to be read.
	perRecognition = 150 * time.Second
)

// Pool has files read. It is safe for concurrent use; how many are read at once is
// decided by whoever calls it.
type Pool struct {
	pool    *confined.Pool
	sounds  *confined.Pool
	cache   string
	prepare sync.Once
}

// New returns a pool that keeps what it compiled in a folder.
func New(folder string) *Pool {
	cache := filepath.Join(folder, "pdfium")
	return &Pool{cache: cache, sounds: newSoundPool(), pool: confined.NewPool(kind, confined.Limits{
		Memory: mostMemory, Files: mostFiles, Answer: mostAnswer, First: perStretch,
	}, cacheVariable+"="+cache, "GOMEMLIMIT="+fmt.Sprint(mostMemory*3/4), "OMP_THREAD_LIMIT=1")}
}

// Close ends the processes that wait for work.
func (p *Pool) Close() {
	p.pool.Close()
	p.sounds.Close()
}

// request is what a process is asked for.
type request struct {
	Do     string // read, draw, unpack, files, depict or words
	Name   string
	Format string `json:",omitzero"`
	Page   int    `json:",omitzero"`
	DPI    int    `json:",omitzero"`
	Limits reading.Limits
	Wanted []picture.Wanted `json:",omitzero"`
}

// answer is what it says; Problem is what is wrong with the file.
type answer struct {
	Document reading.Document `json:",omitzero"`
	Picture  []byte           `json:",omitzero"`
	Entry    *reading.Entry   `json:",omitzero"`
	Depicted *depicted        `json:",omitzero"`
	Words    string           `json:",omitzero"`
	Problem  *reading.Problem `json:",omitzero"`
	Failed   string           `json:",omitzero"` // what is wrong with the process or what it needs
}

// GivenUp is what is wrong with a file over which processes were killed.
var GivenUp = phrase.Of("it could not be read: reading it took too long or too much memory; save it in another " +
	"format or in parts, and add it again")

// do has a process do something, once more if it was killed over it: what fails
// twice that way is given up.
func (p *Pool) do(ctx context.Context, r request, body []byte, parts func(answer) error) (answer, error) {
	text, err := json.Marshal(r)
	if err != nil {
		return answer{}, err
	}
	var killed *confined.Killed
	for range 2 {
		begun := false
		var a answer
		err := p.pool.Do(ctx, text, body, func(part []byte) error {
			begun = true
			var a answer
			if err := json.Unmarshal(part, &a); err != nil {
				return &confined.Killed{Why: err.Error()}
			}
			return parts(a)
		}, func(said []byte) error { return json.Unmarshal(said, &a) })
		switch {
		case err == nil && a.Problem != nil:
			a.Problem.File = r.Name
			return a, a.Problem
		case err == nil && a.Failed != "":
			return a, errors.New(a.Failed)
		case err == nil:
			return a, nil
		}
		if !errors.As(err, &killed) {
			return answer{}, err
		}
		if begun || r.Do == depicting && killed.TooLong() {
			break // what came is not to come twice; somebody waits for a picture
		}
	}
	return answer{}, &reading.Problem{File: r.Name, What: GivenUp}
}

// Read is reading.Read in a confined process. A file over which two processes were
// killed is a *reading.Problem too; other errors are the context's cause or lie with
// the machine.
func (p *Pool) Read(ctx context.Context, name string, body []byte, l reading.Limits) (reading.Document, error) {
	if bytes.Contains(body[:min(len(body), 1024)], []byte("%PDF-")) {
		p.ready()
	}
	a, err := p.do(ctx, request{Do: "read", Name: name, Limits: l}, body, nil)
	return a.Document, err
}

// Draw draws a page of a PDF or picture as a PNG of so many dots per inch. Errors
// are those of Read.
func (p *Pool) Draw(ctx context.Context, name string, body []byte, format string, page, dpi int) ([]byte, error) {
	p.ready()
	a, err := p.do(ctx, request{Do: "draw", Name: name, Format: format, Page: page, DPI: dpi}, body, nil)
	return a.Picture, err
}

// Unpack is reading.Unpack in a confined process. Errors are those of Read and what
// each returned.
func (p *Pool) Unpack(ctx context.Context, name string, packed []byte, l reading.Limits,
	each func(reading.Entry) error, bad func(*reading.Problem)) error {
	_, err := p.do(ctx, request{Do: "unpack", Name: name, Limits: l}, packed, func(a answer) error {
		switch {
		case a.Entry != nil:
			return each(*a.Entry)
		case a.Problem != nil:
			bad(a.Problem)
		}
		return nil
	})
	return err
}

// ready has PDFium compiled once, by a process that may write where it is kept and
// gets no foreign bytes. Where that cannot be done every process compiles it anew.
func (p *Pool) ready() {
	p.prepare.Do(func() {
		if os.Geteuid() != 0 {
			return // processes run as we do, and keep what they compile
		}
		if there, _ := filepath.Glob(filepath.Join(p.cache, "*", "*")); len(there) > 0 {
			return
		}
		engine := pdfium.New(p.cache)
		defer engine.Close()
		if engine.Warm() == nil {
			readable(p.cache)
		}
	})
}

// readable lets everybody read what is in a folder.
func readable(folder string) {
	_ = filepath.WalkDir(folder, func(path string, d os.DirEntry, err error) error {
		if err != nil {
			return nil
		}
		mode := os.FileMode(0o644)
		if d.IsDir() {
			mode = 0o755
		}
		_ = os.Chmod(path, mode)
		return nil
	})
}

// Child does a confined process's work if this is one; else it returns.
func Child() {
	confined.Child(kind, said)
	confined.Child(soundKind, soundSaid)
}

// said is what a confined process answers to a task.
func said(t *confined.Task) []byte {
	text, err := json.Marshal(work(t))
	if err != nil {
		text, _ = json.Marshal(answer{Failed: err.Error()})
	}
	return text
}

// engine is the confined process's own, from the first page that it opens.
var engine = sync.OnceValue(func() *pdfium.Engine { return pdfium.New(os.Getenv(cacheVariable)) })

// warm has PDFium compiled, which is no fault of the file: where what was compiled
// cannot be kept, or has not been yet, it takes a while that does not count for it.
func warm(t *confined.Task) {
	warmOnce.Do(func() {
		t.GoOn(perRecognition)
		_ = engine().Warm() // Open says what is wrong
	})
	t.GoOn(perFile + time.Duration(len(t.Body)>>20)*perMB)
}

var warmOnce sync.Once

// work does what is asked for, in the confined process.
func work(t *confined.Task) (a answer) {
	var r request
	if err := json.Unmarshal(t.Request, &r); err != nil {
		return answer{Failed: err.Error()}
	}
	ctx := context.Background()
	var err error
	switch r.Do {
	case "read":
		t.GoOn(perFile + time.Duration(len(t.Body)>>20)*perMB)
		a.Document, err = reading.Read(ctx, r.Name, t.Body, steady{engine(), t}, r.Limits)
	case "draw":
		a.Picture, err = draw(ctx, t, r)
	case depicting:
		a.Depicted, err = depict(t, r)
	case "files":
		err = files(t)
	case "words":
		a.Words, err = words(ctx, t, r)
	case "unpack":
		part := func(a answer) {
			if text, err := json.Marshal(a); err == nil {
				t.Part(text)
			}
		}
		err = reading.Unpack(r.Name, t.Body, r.Limits, func(e reading.Entry) error {
			part(answer{Entry: &e})
			t.GoOn(perStretch)
			return nil
		}, func(p *reading.Problem) { part(answer{Problem: p}) })
	default:
		return answer{Failed: fmt.Sprintf("nothing is known of %q", r.Do)}
	}
	var problem *reading.Problem
	if errors.As(err, &problem) {
		return answer{Problem: problem}
	}
	if err != nil {
		return answer{Failed: err.Error()}
	}
	return a
}

func draw(ctx context.Context, t *confined.Task, r request) ([]byte, error) {
	warm(t)
	pages, err := engine().Open(ctx, r.Name, t.Body, r.Format)
	if err != nil {
		return nil, err
	}
	defer pages.Close()
	return pages.Draw(r.Page, r.DPI)
}

// steady is an engine that says with every page that it gets on.
type steady struct {
	reading.Engine
	task *confined.Task
}

func (s steady) Open(ctx context.Context, name string, body []byte, format string) (reading.Pages, error) {
	if format != "picture" {
		warm(s.task)
	}
	pages, err := s.Engine.Open(ctx, name, body, format)
	if err != nil {
		return nil, err
	}
	return steadyPages{pages, s.task}, nil
}

type steadyPages struct {
	reading.Pages
	task *confined.Task
}

func (s steadyPages) Again(ctx context.Context) (reading.Pages, bool) {
	pages, ok := s.Pages.Again(ctx)
	return steadyPages{pages, s.task}, ok
}

func (s steadyPages) Page(ctx context.Context, n int) (reading.Page, error) {
	s.task.GoOn(perStretch)
	return s.Pages.Page(ctx, n)
}

func (s steadyPages) Recognise(ctx context.Context, n int) (reading.Page, error) {
	s.task.GoOn(perRecognition)
	defer s.task.GoOn(perStretch)
	return s.Pages.Recognise(ctx, n)
}

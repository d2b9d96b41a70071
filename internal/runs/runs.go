// Package runs puts a set of questions to candidates: models at desks, with settings and with
// this or that at hand. A run is on record from its beginning, goes on after a crash, asks
// nothing twice that was asked before, and every answer is a turn whose trace can be read.
//
//	r, err := s.Begin(ctx, runs.Order{Content: q, Times: 3, By: "maker", Candidates: []quiz.Candidate{
//		{Desk: "exam", Model: "heather-2", AtHand: quiz.HasNothing},
//		{Desk: "exam", Model: "heather-2", AtHand: quiz.HasText}}})
//
// Unless a method says otherwise it fails with *fault.Problem, whose sentence may be shown to
// whoever asked.
package runs

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"

	"juvalogos/core/deskfile"
	"juvalogos/core/phrase"
	"juvalogos/core/quiz"
	"juvalogos/internal/desk"
	"juvalogos/internal/fault"
	"juvalogos/internal/record"
	"juvalogos/internal/reply"
	"juvalogos/internal/store"
)

// Options are what a Service of runs is made of.
type Options struct {
	Store *store.Runs
	// Shelves are what desks may answer from; nil: there are none.
	Shelves  *store.Shelves
	Desks    *desk.Service
	Replies  *reply.Service
	Log      *slog.Logger
	Instance int32
	Now      func() time.Time // nil: time.Now
}

// Service is the runs of one running Juvalogos. It is safe for concurrent use.
type Service struct {
	Options
	background context.Context
	stop       context.CancelFunc
	all        sync.WaitGroup
	mu         sync.Mutex
	running    map[uuid.UUID]context.CancelFunc
}

// New returns a service of runs, which goes on with those that another instance left.
func New(o Options) *Service {
	if o.Now == nil {
		o.Now = time.Now
	}
	s := &Service{Options: o, running: map[uuid.UUID]context.CancelFunc{}}
	s.background, s.stop = context.WithCancel(context.Background())
	s.all.Go(s.rounds)
	return s
}

// Close leaves the runs that go on here to the next instance.
func (s *Service) Close() {
	s.stop()
	s.all.Wait()
}

// Bounds of a run.
const (
	MostCandidates = 8
	MostTimes      = 20
	MostAnswers    = 5000
)

// Order is a run that is wanted.
type Order struct {
	Quiz       uuid.UUID // that was given; zero: out of a file
	Content    quiz.Quiz
	Candidates []quiz.Candidate
	Times      int  // zero: once
	Anew       bool // ask also what was asked before
	By         string
}

// Begin begins a run.
func (s *Service) Begin(ctx context.Context, o Order) (record.Run, error) {
	r := record.Run{ID: uuid.Must(uuid.NewV7()), Quiz: o.Quiz, Content: o.Content, Candidates: o.Candidates,
		Times: max(o.Times, 1), Anew: o.Anew, State: record.RunGoesOn, MadeBy: o.By, MadeAt: s.Now()}
	if err := o.Content.Wrong(); err != nil {
		return r, &fault.Problem{Code: fault.Invalid,
			Sentence: phrase.Of("This quiz cannot be used: %s.", strings.ReplaceAll(err.Error(), "\n", "; "))}
	}
	answers := len(r.Candidates) * len(r.Content.Questions) * r.Times
	switch {
	case len(r.Candidates) == 0 || len(r.Candidates) > MostCandidates:
		return r, fault.Say(fault.Invalid, "Name 1 to %d candidates.", MostCandidates)
	case r.Times > MostTimes:
		return r, fault.Say(fault.Invalid, "A candidate sits it at most %d times.", MostTimes)
	case answers > MostAnswers:
		return r, fault.Say(fault.Invalid,
			"These are %d questions to ask; at most %d are asked in one run. Take fewer "+
				"candidates, or fewer times.", answers, MostAnswers)
	}
	for i := range r.Candidates {
		if err := s.ready(ctx, &r.Candidates[i], r.Content); err != nil {
			return r, err
		}
	}
	if err := s.Store.Begin(ctx, r, s.Instance); err != nil {
		return r, s.away("begin a run", err)
	}
	s.launch(r)
	return r, nil
}

// ready holds a candidate against what there is, and gives it a name if it has none.
func (s *Service) ready(ctx context.Context, c *quiz.Candidate, q quiz.Quiz) error {
	if c.AtHand == "" {
		c.AtHand = quiz.HasDesk
	}
	if err := bounded(c.Sampling); err != nil {
		return err
	}
	d, err := s.posed(ctx, *c)
	if err != nil {
		return err
	}
	switch {
	case d.Entry.Name != "" && !d.Entry.Able("chat"):
		return fault.Say(fault.Invalid, "The model %s does not chat, so it cannot be asked.", d.Entry.Name)
	case c.AtHand == quiz.HasShelves && len(d.Settings.Shelves) == 0:
		return fault.Say(fault.Invalid, "The desk %s has no shelves; choose another, or what else is at hand.", c.Desk)
	case c.AtHand == quiz.HasText && !hasTexts(q):
		return fault.Say(fault.Invalid, "No question of this quiz says which text it was made of; choose what else is "+
			"at hand.")
	}
	c.Title = record.OneLine(c.Title, longestTitle)
	if c.Title == "" {
		c.Title = titleOf(*c, d)
	}
	return nil
}

// longestTitle of a candidate, in characters.
const longestTitle = 80

// bounded holds settings against the bounds that desk files have.
func bounded(s *deskfile.Sampling) error {
	switch {
	case s == nil:
		return nil
	case s.Temperature != nil && (*s.Temperature < 0 || *s.Temperature > 2):
		return fault.Say(fault.Invalid, "A temperature is from 0 to 2.")
	case s.TopP != nil && (*s.TopP < 0 || *s.TopP > 1):
		return fault.Say(fault.Invalid, "top_p is from 0 to 1.")
	case s.MaxTokens < 0 || s.MaxTokens > 1_000_000:
		return fault.Say(fault.Invalid, "max_tokens is from 1 to 1000000.")
	case len(s.Stop) > 4:
		return fault.Say(fault.Invalid, "There are at most 4 texts at which a model stops.")
	}
	return nil
}

func titleOf(c quiz.Candidate, d *desk.Desk) string {
	name := d.Entry.Name
	if name == "" {
		name = "no model"
	}
	title := name + ", " + map[quiz.AtHand]string{quiz.HasNothing: "out of its head",
		quiz.HasShelves: "with the shelves", quiz.HasText: "with the text", quiz.HasDesk: "at " + c.Desk}[c.AtHand]
	if c.Sampling != nil && c.Sampling.Temperature != nil {
		title += fmt.Sprintf(", temperature %g", *c.Sampling.Temperature)
	}
	return title
}

func hasTexts(q quiz.Quiz) bool {
	for i := range q.Questions {
		if textOf(&q.Questions[i]) != "" {
			return true
		}
	}
	return false
}

// textOf is the part of a text that a question was made of; "": it says none.
func textOf(q *quiz.Question) string {
	if q.Source == nil {
		return ""
	}
	return q.Source.Passage.Text
}

// poses are the recipes that candidates answer by, by what they have at hand.
var poses = map[quiz.AtHand]string{quiz.HasDesk: "", quiz.HasNothing: "converse", quiz.HasText: "converse",
	quiz.HasShelves: "consult"}

func poseOf(c quiz.Candidate) desk.Pose {
	return desk.Pose{Model: c.Model, Sampling: c.Sampling, Recipe: poses[c.AtHand]}
}

// posed opens a candidate's desk as the candidate sits at it.
func (s *Service) posed(ctx context.Context, c quiz.Candidate) (*desk.Desk, error) {
	if _, known := poses[c.AtHand]; !known {
		return nil, fault.Say(fault.Invalid, "What a candidate has at hand is desk, nothing, shelves or text, not %q.",
			string(c.AtHand))
	}
	d, err := s.Desks.Open(ctx, c.Desk)
	var p *fault.Problem
	if errors.As(err, &p) && p.Code == fault.NoDesk {
		return nil, fault.Say(fault.Invalid, "There is no published desk %q.", c.Desk)
	}
	if err != nil {
		return nil, err
	}
	return s.Desks.Posed(d, poseOf(c))
}

// Runs are those of a quiz that was given, or with the zero id all, the newest first.
func (s *Service) Runs(ctx context.Context, quiz uuid.UUID) ([]record.Run, error) {
	all, err := s.Store.Runs(ctx, quiz)
	return all, s.away("list runs", err)
}

// Run is a run with its answers so far, by question, candidate and time.
func (s *Service) Run(ctx context.Context, id uuid.UUID) (record.Run, []record.RunAnswer, error) {
	r, err := s.Store.Run(ctx, id)
	if err != nil {
		return r, nil, s.missing(err)
	}
	answers, err := s.Store.Answers(ctx, id)
	return r, answers, s.away("read a run", err)
}

// Stop ends a run; the answers so far stay. Stopping what is over does nothing.
func (s *Service) Stop(ctx context.Context, id uuid.UUID) error {
	err := s.Store.End(ctx, id, record.RunStopped, s.Now())
	s.leave(id)
	if errors.Is(err, record.ErrNotFound) {
		_, err = s.Store.Run(ctx, id)
	}
	return s.missing(err)
}

// Resume goes on with a run that was stopped, or asks again what failed.
func (s *Service) Resume(ctx context.Context, id uuid.UUID) error {
	err := s.Store.Resume(ctx, id, s.Instance)
	r, readErr := s.Store.Run(ctx, id)
	switch {
	case readErr != nil:
		return s.missing(readErr)
	case errors.Is(err, record.ErrNotFound):
		return nil // it goes on
	case err == nil:
		s.launch(r)
	}
	return s.away("go on with a run", err)
}

// Remove removes a run with its answers, and how they were made.
func (s *Service) Remove(ctx context.Context, id uuid.UUID) error {
	if err := s.Stop(ctx, id); err != nil {
		return err
	}
	return s.missing(s.Store.Remove(ctx, id, asks(id)))
}

// asks is the visitor as which a run asks: nobody can be it.
func asks(run uuid.UUID) record.Visitor {
	var v record.Visitor
	copy(v[:], "run ")
	copy(v[4:], run[:])
	return v
}

// runs reports whether a run goes on here.
func (s *Service) runs(id uuid.UUID) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.running[id] != nil
}

func (s *Service) leave(id uuid.UUID) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if cancel := s.running[id]; cancel != nil {
		cancel()
	}
}

func (s *Service) away(doing string, err error) error {
	if err == nil {
		return nil
	}
	return fault.Logged(s.Log, doing, fault.New(fault.NoRecords, err))
}

func (s *Service) missing(err error) error {
	if errors.Is(err, record.ErrNotFound) {
		return fault.Say(fault.NotHere, "There is no such run.")
	}
	return s.away("run", err)
}

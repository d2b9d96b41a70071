package runs

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"sync"
	"time"

	"juvalogos/core/phrase"
	"juvalogos/core/quiz"
	"juvalogos/internal/fair"
	"juvalogos/internal/fault"
	"juvalogos/internal/record"
	"juvalogos/internal/reply"
)

const (
	askedAtOnce = 4 // questions of one run
	resumeEvery = 5 * time.Second
	// mostTries is how often a question is asked whose reply was interrupted.
	mostTries = 10
	// mostInARow is after how many failures, one after the other, a candidate is asked no more.
	mostInARow = 5
)

// rounds takes up the runs of instances that are no more.
func (s *Service) rounds() {
	for {
		left, err := s.Store.Orphans(s.background)
		if err != nil && s.background.Err() == nil {
			s.Log.Warn("runs that were left could not be looked for", "error", err)
		}
		for _, r := range left {
			if s.runs(r.ID) {
				continue // the database lost sight of this instance for a moment
			}
			if claimed, err := s.Store.Claim(s.background, r.ID, s.Instance); err == nil && claimed {
				s.launch(r)
			}
		}
		select {
		case <-s.background.Done():
			return
		case <-time.After(resumeEvery):
		}
	}
}

// launch runs a run in the background.
func (s *Service) launch(r record.Run) {
	// It is nobody's question: only what the models' lines let through bounds it.
	ctx, cancel := context.WithCancel(fair.With(s.background, fair.Party{}))
	s.mu.Lock()
	s.running[r.ID] = cancel
	s.mu.Unlock()
	s.all.Go(func() {
		defer func() {
			cancel()
			s.mu.Lock()
			delete(s.running, r.ID)
			s.mu.Unlock()
		}()
		if err := s.run(ctx, r); err != nil && ctx.Err() == nil {
			s.Log.Warn("a run ended before its time", "run", r.ID, "error", err)
		}
	})
}

// job is one answer that is wanted.
type job struct{ candidate, question, time int }

// round is a run on its way.
type round struct {
	*Service
	record.Run

	mu     sync.Mutex
	failed []int // in a row, by candidate
}

// run asks what has not been answered yet, and says that the run is over.
func (s *Service) run(ctx context.Context, r record.Run) error {
	answers, err := s.Store.Answers(ctx, r.ID)
	if err != nil {
		return err
	}
	there := map[job]bool{}
	for _, a := range answers {
		there[job{a.Candidate, a.Question, a.Time}] = true
	}
	run := &round{Service: s, Run: r, failed: make([]int, len(r.Candidates))}
	jobs := make(chan job)
	var asking sync.WaitGroup
	for range askedAtOnce {
		asking.Go(func() {
			for j := range jobs {
				run.answer(ctx, j)
			}
		})
	}
	// All candidates keep step: what is there so far can be compared.
	for time := range r.Times {
		for question := range r.Content.Questions {
			for candidate := range r.Candidates {
				if j := (job{candidate, question, time}); !there[j] && ctx.Err() == nil {
					jobs <- j
				}
			}
		}
	}
	close(jobs)
	asking.Wait()
	if ctx.Err() != nil {
		return nil // stopped, which is on record, or left to the next instance
	}
	err = s.Store.End(ctx, r.ID, record.RunDone, s.Now())
	if errors.Is(err, record.ErrNotFound) {
		return nil // stopped elsewhere meanwhile
	}
	return err
}

// answer asks one question of one candidate and puts on record what came of it.
func (r *round) answer(ctx context.Context, j job) {
	if ctx.Err() != nil {
		return
	}
	if goes, err := r.Store.Goes(ctx, r.ID, r.Instance); err == nil && !goes {
		r.leave(r.ID) // stopped through another instance
		return
	}
	r.mu.Lock()
	failed := r.failed[j.candidate]
	r.mu.Unlock()
	a := record.RunAnswer{Candidate: j.candidate, Question: j.question, Time: j.time, Chosen: -1}
	if failed >= mostInARow {
		a.Problem = phrase.Of("Not asked, since %s questions before had failed one after the other.",
			fmt.Sprint(failed))
	} else {
		r.ask(ctx, j, &a)
	}
	if ctx.Err() != nil {
		return // it is asked when the run goes on
	}
	r.mu.Lock()
	if r.failed[j.candidate]++; a.Problem.Form == "" {
		r.failed[j.candidate] = 0
	}
	r.mu.Unlock()
	for wait := time.Second; ctx.Err() == nil; wait = min(2*wait, time.Minute) {
		err := r.Store.Answer(ctx, r.ID, a)
		if err == nil {
			return
		}
		r.Log.Warn("an answer could not be put on record; it is tried again", "run", r.ID, "error", err)
		select {
		case <-ctx.Done():
		case <-time.After(wait):
		}
	}
}

// ask fills an answer in: from what is kept, or by asking.
func (r *round) ask(ctx context.Context, j job, a *record.RunAnswer) {
	candidate, question := r.Candidates[j.candidate], &r.Content.Questions[j.question]
	// Every candidate gets the options in the same order, another one each time.
	order := quiz.Order(fmt.Sprint("time ", j.time), j.question, len(question.Options))
	text := question.Asked(order)
	if candidate.AtHand == quiz.HasText && textOf(question) != "" {
		text = "Read this first.\n\n" + textOf(question) + "\n\n" + text
	}
	key, err := r.key(ctx, candidate, text, j.time)
	if err != nil {
		a.Problem = fault.Told(err)
		return
	}
	kept, err := r.Store.KeptAnswer(ctx, key)
	if err == nil && (!r.Anew || kept.MadeAt.After(r.MadeAt)) {
		a.Said, a.Turn, a.Kept, a.Tokens, a.Seconds = kept.Said, &kept.Turn, true, kept.Tokens, kept.Seconds
	} else if ctx.Err() == nil {
		r.say(ctx, j, text, a)
	}
	if a.Problem.Form != "" || a.Turn == nil {
		return
	}
	a.Chosen = question.Answered(a.Said, order)
	if !a.Kept {
		err := r.Store.KeepAnswer(ctx, key, record.KeptAnswer{Said: a.Said, Turn: *a.Turn, Tokens: a.Tokens,
			Seconds: a.Seconds, MadeAt: r.Now()})
		if err != nil && ctx.Err() == nil {
			r.Log.Warn("an answer could not be kept for later runs", "run", r.ID, "error", err)
		}
	}
}

// key is what an answer depends on: who is asked, with what, and the how manieth time.
func (r *round) key(ctx context.Context, c quiz.Candidate, text string, time int) ([]byte, error) {
	d, err := r.posed(ctx, c)
	if err != nil {
		return nil, err
	}
	depends := []any{c.AtHand, d.Entry.Path(), d.Settings.Sampling, d.Settings.Brief, d.Settings.Recipe,
		d.Settings.OwnRecipe,
		d.RecipeSettings, text, time}
	if c.AtHand == quiz.HasDesk {
		depends = append(depends, d.File)
	}
	if r.Shelves != nil && (c.AtHand == quiz.HasDesk || c.AtHand == quiz.HasShelves) {
		content, err := r.Shelves.Fingerprint(ctx, d.Settings.Shelves)
		if err != nil {
			return nil, r.away("run", err)
		}
		depends = append(depends, content)
	}
	plain, err := json.Marshal(depends)
	sum := sha256.Sum256(plain)
	return sum[:], err
}

// say has the candidate's desk asked.
func (r *round) say(ctx context.Context, j job, text string, a *record.RunAnswer) {
	c := r.Candidates[j.candidate]
	for try := range mostTries {
		began := r.Now()
		// Not broken off on its way to the record: nobody would know whether it is there.
		made, err := r.Replies.Ask(context.WithoutCancel(ctx), reply.Question{Slug: c.Desk, Visitor: asks(r.ID),
			Channel: "run", Text: text,
			Pose: poseOf(c), Key: fmt.Sprintf("%s/%d/%d/%d/%d/%d", r.ID, r.Resumed, j.candidate, j.question, j.time,
				try)})
		if err == nil {
			err = made.Wait(ctx)
		}
		if err != nil {
			if made != nil && ctx.Err() != nil { // the run is stopped: what it asked is too
				_ = r.Replies.Stop(context.WithoutCancel(ctx), asks(r.ID), made.Turn)
			}
			a.Problem = fault.Told(err)
			return
		}
		v := made.Since(0, nil)
		turn := made.Turn
		a.Said, a.Turn, a.Tokens, a.Cost = string(v.Text), &turn, v.End.PromptTokens+v.End.ReplyTokens, v.End.Cost
		if v.Mended != nil {
			a.Said = string(v.Mended)
		}
		a.Seconds = v.End.At.Sub(began).Seconds()
		switch v.End.State {
		case record.Done:
			return
		case record.Interrupted, record.Stopped: // with the instance, or the run, that asked before
			continue
		}
		a.Problem = fault.Sentence(v.End.Problem)
		return
	}
	a.Problem = phrase.Of("The reply was interrupted each time it was written.")
}

package runs_test

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/google/uuid"

	"juvalogos/core/deskfile"
	"juvalogos/core/evidence"
	"juvalogos/core/quiz"
	"juvalogos/internal/fault"
	"juvalogos/internal/record"
	"juvalogos/internal/runs"
	"juvalogos/internal/testbed"
)

func TestMain(m *testing.M) { testbed.Main(m) }

// feeding has questions of which the first two say which text they were made of.
func feeding() quiz.Quiz {
	q := quiz.Quiz{Title: "Feeding"}
	for i := range 4 {
		one := quiz.Question{Text: fmt.Sprint("Question ", i), Options: []quiz.Option{
			{Text: fmt.Sprint("good ", i), Right: true}, {Text: fmt.Sprint("bad ", i)}, {Text: fmt.Sprint("worse ",
				i)}}}
		if i < 2 {
			one.Source = &quiz.Source{Passage: evidence.Passage{Text: fmt.Sprint("It is good ", i, ".")}}
		}
		q.Questions = append(q.Questions, one)
	}
	return q
}

// pupil is a model that knows what it may read, and of the rest the last question; it counts
// how often it is asked.
type pupil struct {
	asked   atomic.Int32
	waiting atomic.Int32
	refuse  atomic.Bool
	hold    chan struct{} // nil: it answers at once
}

var rightLetter = regexp.MustCompile(`(?m)^([A-C])\) good`)

func (p *pupil) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	var b struct {
		Messages    []struct{ Content string }
		Temperature *float64
	}
	if json.NewDecoder(r.Body).Decode(&b) != nil || len(b.Messages) == 0 {
		http.Error(w, "{}", http.StatusNotFound)
		return
	}
	p.asked.Add(1)
	if p.refuse.Load() {
		http.Error(w, `{"error":{"message":"your key is not allowed"}}`, http.StatusUnauthorized)
		return
	}
	p.waiting.Add(1)
	defer p.waiting.Add(-1)
	if p.hold != nil {
		select {
		case <-p.hold:
		case <-r.Context().Done():
			return
		}
	}
	text := b.Messages[len(b.Messages)-1].Content
	answer := "I cannot tell."
	if m := rightLetter.FindStringSubmatch(text); m != nil && (strings.Contains(text, "It is good") ||
		strings.Contains(text, "Question 3")) {
		answer = m[1]
	}
	w.Header().Set("Content-Type", "text/event-stream")
	fmt.Fprintf(w, "data: {\"choices\":[{\"index\":0,\"delta\":{\"content\":%q}}]}\n\n"+
		"data: {\"choices\":[{\"index\":0,\"delta\":{},\"finish_reason\":\"stop\"}]}\n\ndata: [DONE]\n\n", answer)
}

func newBed(t *testing.T, p *pupil) *testbed.Bed {
	t.Helper()
	b := testbed.New(t, testbed.Options{})
	model := httptest.NewServer(p)
	t.Cleanup(func() { model.CloseClientConnections(); model.Close() })
	b.ServeModelsFrom(model.URL)
	return b
}

// over waits for the end of a run.
func over(t *testing.T, s *runs.Service, id uuid.UUID) (record.Run, []record.RunAnswer, []runs.Tally) {
	t.Helper()
	var r record.Run
	var answers []record.RunAnswer
	testbed.Until(t, "the run is over", func() bool {
		var err error
		if r, answers, err = s.Run(t.Context(), id); err != nil {
			t.Fatal(err)
		}
		return r.State != record.RunGoesOn
	})
	return r, answers, runs.Tallies(r, answers)
}

var warm = 0.9

func headAndText() []quiz.Candidate {
	return []quiz.Candidate{{Desk: "helper", AtHand: quiz.HasNothing}, {Desk: "helper", AtHand: quiz.HasText}}
}

// Two candidates sit a quiz three times: what reading brought is told, every answer is a turn
// with its trace, and the next run asks only what it has not asked before.
func TestCandidatesSitAQuiz(t *testing.T) {
	p := &pupil{}
	b := newBed(t, p)
	r, err := b.Runs.Begin(t.Context(), runs.Order{Content: feeding(), Times: 3, By: "maker",
		Candidates: headAndText()})
	if err != nil {
		t.Fatal(err)
	}
	r, answers, tallies := over(t, b.Runs, r.ID)
	if r.State != record.RunDone || len(answers) != 24 || p.asked.Load() != 24 {
		t.Fatalf("%s with %d answers, %d asked", r.State, len(answers), p.asked.Load())
	}
	head, text := tallies[0], tallies[1]
	if head.Right != 3 || head.Untold != 9 || text.Right != 9 || text.Knew[0] != 3 || text.Knew[2] != 0 {
		t.Errorf("out of its head %+v, with the text %+v", head, text)
	}
	if text.Beside != 0 || text.Gained.Share != 0.5 || head.Beside != -1 || len(text.ByTime) != 3 ||
		text.ByTime[0] != 0.75 {
		t.Errorf("gained %+v beside %d; by time %v", text.Gained, text.Beside, text.ByTime)
	}
	// Wholly certain answers are worth four, not twelve.
	if text.Known.Share != 0.75 || text.Known.From > 0.35 {
		t.Errorf("%+v", text.Known)
	}
	in, err := b.Inside.Inside(t.Context(), *answers[0].Turn, 1)
	if err != nil || in.Recipe != "converse" || !strings.Contains(in.Question, "Answer with its letter alone") {
		t.Errorf("%v: recipe %q", err, in.Recipe)
	}
	listed, err := b.Client.Conversations(t.Context(), "helper")
	if err == nil && len(listed) != 0 {
		t.Errorf("what a run asked stands among what visitors asked: %+v", listed)
	}

	// Another setting is asked; the rest is there.
	more := append(headAndText(), quiz.Candidate{Desk: "helper", AtHand: quiz.HasNothing,
		Sampling: &deskfile.Sampling{Temperature: &warm}})
	r, err = b.Runs.Begin(t.Context(), runs.Order{Content: feeding(), Times: 4, Candidates: more})
	if err != nil {
		t.Fatal(err)
	}
	_, _, tallies = over(t, b.Runs, r.ID)
	if p.asked.Load() != 24+2*4+4*4 || tallies[0].Kept != 12 || tallies[2].Kept != 0 || tallies[2].Beside != -1 {
		t.Errorf("%d asked, %d and %d kept", p.asked.Load(), tallies[0].Kept, tallies[2].Kept)
	}
	if all, err := b.Runs.Runs(t.Context(), uuid.Nil); err != nil || len(all) != 2 || all[0].ID != r.ID {
		t.Errorf("%v: %d runs are listed", err, len(all))
	}
	if of, err := b.Runs.Runs(t.Context(), uuid.New()); err != nil || len(of) != 0 {
		t.Errorf("%v: %d runs of another quiz", err, len(of))
	}
	before := p.asked.Load()
	r, err = b.Runs.Begin(t.Context(), runs.Order{Content: feeding(), Anew: true, Candidates: headAndText()})
	if err != nil {
		t.Fatal(err)
	}
	if over(t, b.Runs, r.ID); p.asked.Load() != before+8 {
		t.Errorf("asked anew, %d are", p.asked.Load()-before)
	}
	if err := b.Runs.Remove(t.Context(), r.ID); err != nil {
		t.Fatal(err)
	}
	if _, _, err := b.Runs.Run(t.Context(), r.ID); err == nil {
		t.Error("a run that was removed is there")
	}
}

// A run is stopped, gone on with, and taken up by another instance: nothing is asked twice that
// was answered.
func TestARunGoesOn(t *testing.T) {
	p := &pupil{hold: make(chan struct{})}
	b := newBed(t, p)
	b.Runs.Close()
	o := b.Runs.Options
	o.Instance = 77 // of a service that nobody knows to run
	first := runs.New(o)
	r, err := first.Begin(t.Context(), runs.Order{Content: feeding(), Times: 2, Candidates: headAndText()})
	if err != nil {
		t.Fatal(err)
	}
	answered := func() int {
		r, err := b.Store.Runs.Run(t.Context(), r.ID)
		if err != nil {
			t.Fatal(err)
		}
		return r.Answered
	}
	for range 3 {
		p.hold <- struct{}{}
	}
	testbed.Until(t, "three are answered", func() bool { return answered() == 3 })
	testbed.Until(t, "four more are asked", func() bool { return p.asked.Load() == 7 })
	if err := first.Stop(t.Context(), r.ID); err != nil {
		t.Fatal(err)
	}
	if stopped, _, _ := over(t, first, r.ID); stopped.State != record.RunStopped || answered() != 3 {
		t.Errorf("%s with %d answers", stopped.State, answered())
	}
	testbed.Until(t, "what was asked is broken off", func() bool { return p.waiting.Load() == 0 })
	if err := first.Resume(t.Context(), r.ID); err != nil {
		t.Fatal(err)
	}
	for range 2 {
		p.hold <- struct{}{}
	}
	testbed.Until(t, "five are answered", func() bool { return answered() == 5 })
	first.Close() // as when the service ends
	if answered() != 5 {
		t.Errorf("%d answers when the service has ended", answered())
	}
	testbed.Until(t, "what was asked is broken off", func() bool { return p.waiting.Load() == 0 })
	close(p.hold)
	next := runs.New(b.Runs.Options)
	t.Cleanup(next.Close)
	done, answers, tallies := over(t, next, r.ID)
	if done.State != record.RunDone || len(answers) != 16 || tallies[0].Failed+tallies[1].Failed != 0 {
		t.Errorf("%s, %d answers, %+v", done.State, len(answers), tallies)
	}
	// Three and two were answered, four were broken off each time, and asked again.
	if asked := p.asked.Load(); asked > 16+8 {
		t.Errorf("%d asked for 16 answers", asked)
	}
}

// A model that refuses everything is not asked to the end, and what failed is asked again when
// the run is gone on with.
func TestAModelThatRefuses(t *testing.T) {
	p := &pupil{}
	p.refuse.Store(true)
	b := newBed(t, p)
	r, err := b.Runs.Begin(t.Context(), runs.Order{Content: feeding(), Times: 5, Candidates: headAndText()[:1]})
	if err != nil {
		t.Fatal(err)
	}
	_, answers, tallies := over(t, b.Runs, r.ID)
	if tallies[0].Failed != 20 || tallies[0].Answered != 0 || p.asked.Load() > 12 {
		t.Errorf("asked %d times; %+v", p.asked.Load(), tallies[0])
	}
	for _, a := range answers {
		if a.Problem.Form == "" {
			t.Errorf("no reason is given: %+v", a)
		}
	}
	p.refuse.Store(false)
	if err := b.Runs.Resume(t.Context(), r.ID); err != nil {
		t.Fatal(err)
	}
	_, _, tallies = over(t, b.Runs, r.ID)
	if tallies[0].Failed != 0 || tallies[0].Answered != 20 || tallies[0].Right != 5 {
		t.Errorf("gone on with: %+v", tallies[0])
	}
}

// What cannot be run is refused with a sentence before anything is asked.
func TestWhatCannotBeRun(t *testing.T) {
	p := &pupil{}
	b := newBed(t, p)
	one := quiz.Candidate{Desk: "helper", AtHand: quiz.HasNothing}
	plain := feeding()
	for i := range plain.Questions {
		plain.Questions[i].Source = nil
	}
	for what, o := range map[string]runs.Order{
		"no candidate":  {Content: feeding()},
		"too many":      {Content: feeding(), Candidates: make([]quiz.Candidate, 9)},
		"too often":     {Content: feeding(), Candidates: []quiz.Candidate{one}, Times: 21},
		"no question":   {Content: quiz.Quiz{Title: "x"}, Candidates: []quiz.Candidate{one}},
		"no such desk":  {Content: feeding(), Candidates: []quiz.Candidate{{Desk: "nowhere"}}},
		"no such model": {Content: feeding(), Candidates: []quiz.Candidate{{Desk: "helper", Model: "none"}}},
		"a model that draws": {Content: feeding(),
			Candidates: []quiz.Candidate{{Desk: "helper", Model: "alder-brush"}}},
		"too hot": {Content: feeding(), Candidates: []quiz.Candidate{{Desk: "helper",
			Sampling: &deskfile.Sampling{Temperature: new(9.0)}}}},
		"no shelves": {Content: feeding(), Candidates: []quiz.Candidate{{Desk: "helper",
			AtHand: quiz.HasShelves}}},
		"no texts":           {Content: plain, Candidates: []quiz.Candidate{{Desk: "helper", AtHand: quiz.HasText}}},
		"at hand, who knows": {Content: feeding(), Candidates: []quiz.Candidate{{Desk: "helper", AtHand: "luck"}}},
	} {
		_, err := b.Runs.Begin(t.Context(), o)
		var problem *fault.Problem
		if !errors.As(err, &problem) || problem.Sentence.String() == "" || problem.Code == fault.NoRecords {
			t.Errorf("%s: %v", what, err)
		}
	}
	if p.asked.Load() != 0 {
		t.Errorf("%d questions were asked", p.asked.Load())
	}
	for _, do := range []func() error{
		func() error { return b.Runs.Stop(t.Context(), uuid.New()) },
		func() error { return b.Runs.Resume(t.Context(), uuid.New()) },
		func() error { return b.Runs.Remove(t.Context(), uuid.New()) },
	} {
		var problem *fault.Problem
		if err := do(); !errors.As(err, &problem) || problem.Code != fault.NotHere {
			t.Errorf("a run that is not there: %v", err)
		}
	}
}

package runs

import (
	"slices"

	"juvalogos/core/quiz"
	"juvalogos/core/scoring"
	"juvalogos/internal/record"
)

// Tally is how a candidate did.
type Tally struct {
	Right, Answered int // answers; those that failed are not among them
	// Known is the share of right ones, with where the truth lies at 95 %.
	Known scoring.Estimate
	// ByTime is the share at each time that it sat, of those at which it answered everything.
	ByTime  []float64
	Knew    []int // by question, how often
	Asked   []int // by question, how often it answered
	Untold  int   // answers of which it cannot be told what they chose; they count as wrong
	Failed  int
	Kept    int // answers of earlier runs, which cost nothing
	Tokens  int
	Cost    float64 // of this run
	Seconds float64 // an answer takes, on average
	// Gained is by how much more it knew than another candidate of the same model with the same
	// settings that answered out of its head, Beside; -1: there is none.
	Gained scoring.Estimate
	Beside int
}

// Tallies are how the candidates of a run did, by what they answered.
func Tallies(r record.Run, answers []record.RunAnswer) []Tally {
	all := make([]Tally, len(r.Candidates))
	n := len(r.Content.Questions)
	for i := range all {
		all[i] = Tally{Knew: make([]int, n), Asked: make([]int, n), ByTime: []float64{}, Beside: -1}
	}
	right, asked := map[job]int{}, map[job]int{} // by candidate and time
	for _, a := range answers {
		if a.Candidate >= len(all) || a.Question >= n {
			continue // cannot happen
		}
		t := &all[a.Candidate]
		t.Cost += a.Cost
		if a.Problem.Form != "" {
			t.Failed++
			continue
		}
		t.Answered++
		t.Asked[a.Question]++
		t.Tokens += a.Tokens
		t.Seconds += a.Seconds
		if a.Kept {
			t.Kept++
		}
		if a.Chosen < 0 {
			t.Untold++
		}
		at := job{candidate: a.Candidate, time: a.Time}
		asked[at]++
		if a.Chosen >= 0 && a.Chosen == r.Content.Questions[a.Question].Right() {
			t.Right++
			t.Knew[a.Question]++
			right[at]++
		}
	}
	for i := range all {
		t := &all[i]
		t.Known = scoring.Known(t.Knew, t.Asked)
		if t.Answered > 0 {
			t.Seconds /= float64(t.Answered)
		}
		for time := range r.Times {
			if at := (job{candidate: i, time: time}); asked[at] == n {
				t.ByTime = append(t.ByTime, float64(right[at])/float64(n))
			}
		}
	}
	for i, c := range r.Candidates {
		if c.AtHand == quiz.HasNothing {
			continue
		}
		all[i].Beside = slices.IndexFunc(r.Candidates, func(o quiz.Candidate) bool {
			return o.AtHand == quiz.HasNothing && o.Model == c.Model && sameSettings(o, c)
		})
		if b := all[i].Beside; b >= 0 {
			all[i].Gained = scoring.Gain(all[b].Knew, all[b].Asked, all[i].Knew, all[i].Asked)
		}
	}
	return all
}

func sameSettings(a, b quiz.Candidate) bool {
	if a.Sampling == nil || b.Sampling == nil {
		return a.Sampling == b.Sampling
	}
	x, y := a.Sampling.Temperature, b.Sampling.Temperature
	return x == y || x != nil && y != nil && *x == *y
}

package main

import (
	"math"
	"testing"

	"juvalogos/core/retrieval"
)

func near(t *testing.T, what string, got, want float64) {
	t.Helper()
	if math.Abs(got-want) > 1e-9 {
		t.Errorf("%s: %v, want %v", what, got, want)
	}
}

// The right pages stand second and fourth, and a third one is missed.
func TestFigures(t *testing.T) {
	var f figures
	right := map[string]bool{"b": true, "d": true, "z": true}
	f.judge([]string{"a", "b", "c", "d", "e", "f"}, right)
	m := f.mean()
	near(t, "nDCG", m.ndcg, (1/math.Log2(3)+1/math.Log2(5))/(1+1/math.Log2(3)+1/math.Log2(4)))
	near(t, "recall", m.recall, 2.0/3)
	near(t, "reciprocal rank", m.mrr, 0.5)
	f.judge(nil, right)
	near(t, "mean with one that finds nothing", f.mean().mrr, 0.25)
}

func TestArea(t *testing.T) {
	near(t, "told apart", area([]float64{0.9, 0.8}, []float64{0.1, 0.2}), 1)
	near(t, "the wrong way round", area([]float64{0.1}, []float64{0.2, 0.3}), 0)
	near(t, "all the same", area([]float64{0.5, 0.5}, []float64{0.5}), 0.5)
	near(t, "three of four pairs", area([]float64{0.9, 0.4}, []float64{0.1, 0.6}), 0.75)
}

// Evidence that tells gets a weight, what does not or speaks the wrong way gets
// none, and the likelihoods come out as often as they are right.
func TestRegress(t *testing.T) {
	var set []judged
	for i := range 200 {
		yes := i%2 == 0
		e := retrieval.Features{Exact: float64(i%7) / 7, Native: 1, Missing: 0.5}
		if yes != (i%10 < 2) { // four of five times
			e.Covered = 1
		}
		if !yes {
			e.Near, e.Missing = 0.8, 0.9
		}
		set = append(set, judged{i % 2, e, yes, 1})
	}
	balance(set)
	w, b := regress(set)
	if w.Covered <= 0 || w.Near != 0 || w.Missing >= 0 || w.Native > 1e-6 {
		t.Errorf("%+v", w)
	}
	sum, count := 0.0, 0.0
	for _, j := range set {
		sum += j.weight / (1 + math.Exp(-odds(j.evidence, w, b)))
		if j.answered {
			count += j.weight
		}
	}
	if math.Abs(sum-count) > 0.01*count {
		t.Errorf("%.3f are likely, %.3f are answered", sum, count)
	}
	if got := told(set, func(e retrieval.Features) float64 { return odds(e, w, b) }); got < 0.9 {
		t.Errorf("told apart by %.2f", got)
	}
}

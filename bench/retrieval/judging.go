package main

import (
	"fmt"
	"math"
	"slices"

	"juvalogos/core/retrieval"
)

// judged is a question with the evidence that something found answers it.
type judged struct {
	corpus   int
	evidence retrieval.Features
	answered bool
	weight   float64
}

// judge sets what each piece of evidence counts, on the lay questions of all
// corpora, and measures what would be set without one corpus each on that one.
func judge(all []*developed) {
	var set []judged
	for i, d := range all {
		for _, q := range d.lay {
			_, r := d.b.search(q.text, retrieval.DefaultOptions)
			set = append(set, judged{i, r.Evidence, len(q.right) > 0, 1})
		}
	}
	balance(set)
	for i, d := range all {
		is := func(j judged) bool { return j.corpus == i }
		on := slices.DeleteFunc(slices.Clone(set), func(j judged) bool { return !is(j) })
		w, b := regress(slices.DeleteFunc(slices.Clone(set), is))
		fmt.Printf("set without %s: %.3f on it; as it is: %.3f\n", d.name,
			told(on, func(e retrieval.Features) float64 { return odds(e, w, b) }), told(on, retrieval.Features.Likely))
	}
	w, b := regress(set)
	fmt.Printf("all: judgement %+.2v, doubt %.2f\n", w, b)
}

// balance lets the answered and the others of each corpus count the same.
func balance(set []judged) {
	type kind struct {
		corpus   int
		answered bool
	}
	counts := map[kind]float64{}
	for _, j := range set {
		counts[kind{j.corpus, j.answered}]++
	}
	for i, j := range set {
		set[i].weight = 1 / counts[kind{j.corpus, j.answered}]
	}
}

func odds(e, w retrieval.Features, b float64) float64 {
	weights := w.Values()
	for i, v := range e.Values() {
		b += *v * *weights[i]
	}
	return b
}

// told is the area under the ROC curve.
func told(set []judged, score func(retrieval.Features) float64) float64 {
	var yes, no []float64
	for _, j := range set {
		if j.answered {
			yes = append(yes, score(j.evidence))
		} else {
			no = append(no, score(j.evidence))
		}
	}
	return area(yes, no)
}

// regress goes down the slope of the logistic loss. The evidence is measured in
// units of how far it spreads, so that holding the weights small lets all of it
// count about the same: the questions are few and the evidence is alike. More
// of any may only speak for an answer, but of what is missing.
func regress(set []judged) (w retrieval.Features, b float64) {
	const rate, steps, hold = 0.3, 3000, 0.5
	weights := w.Values()
	total, mean, spread := 0.0, make([]float64, len(weights)), make([]float64, len(weights))
	for _, j := range set {
		total += j.weight
		for i, v := range j.evidence.Values() {
			mean[i] += j.weight * *v
			spread[i] += j.weight * *v * *v
		}
	}
	for i := range mean {
		mean[i] /= total
		spread[i] = math.Sqrt(max(0, spread[i]/total-mean[i]*mean[i])) + 1e-6
	}
	for range steps {
		slope, slopes := 0.0, make([]float64, len(weights))
		for _, j := range set {
			at, values := b, j.evidence.Values()
			for i, v := range values {
				at += *weights[i] * (*v - mean[i]) / spread[i]
			}
			p := 1 / (1 + math.Exp(-at))
			if j.answered {
				p--
			}
			p *= j.weight / total
			slope += p
			for i, v := range values {
				slopes[i] += p * (*v - mean[i]) / spread[i]
			}
		}
		b -= rate * slope
		for i, s := range slopes {
			*weights[i] -= rate * (s + hold**weights[i])
			if weights[i] != &w.Missing {
				*weights[i] = max(0, *weights[i])
			}
		}
	}
	for i, v := range weights {
		*v /= spread[i]
		b -= *v * mean[i]
	}
	return sharpen(set, w, b)
}

// sharpen makes likelihoods of odds that were held small (Platt, "Probabilistic
// Outputs for Support Vector Machines", 1999).
func sharpen(set []judged, w retrieval.Features, b float64) (retrieval.Features, float64) {
	times, plus := 1.0, 0.0
	for range 20_000 {
		byTimes, byPlus, total := 0.0, 0.0, 0.0
		for _, j := range set {
			o := odds(j.evidence, w, b)
			p := 1 / (1 + math.Exp(-times*o-plus))
			if j.answered {
				p--
			}
			byTimes, byPlus, total = byTimes+j.weight*p*o, byPlus+j.weight*p, total+j.weight
		}
		times, plus = times-byTimes/total, plus-byPlus/total
	}
	for _, v := range w.Values() {
		*v *= times
	}
	return w, b*times + plus
}

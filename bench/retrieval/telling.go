package main

import (
	"fmt"
	"math"
	"slices"

	"juvalogos/core/retrieval"
)

// tellings are questions with the evidence that something answers them, by corpus:
// those that packages ask, on their shelf, on another one, and on their own with the
// answer taken away; and lay questions.
func tellings(shelves []*shelved, all []*developed) (set []telling) {
	for i, s := range shelves {
		other := shelves[(i+1)%len(shelves)]
		for _, q := range s.asked {
			right := s.right(q)
			if len(right) == 0 {
				continue
			}
			set = append(set, telling{"harvested", "there", true, s.b.ask(q.text, 10,
				retrieval.DefaultOptions).Evidence})
			if other != s {
				set = append(set, telling{"harvested", "elsewhere", false, other.b.ask(q.text, 10,
					retrieval.DefaultOptions).Evidence})
			}
			var own, without []retrieval.Entry
			for _, key := range s.by[q.page] {
				own = append(own, s.b.entries[key])
				if !right[key] && !right[key-1] && !right[key+1] {
					without = append(without, s.b.entries[key])
				}
			}
			s.b.index.Replace(int64(q.page), without)
			set = append(set, telling{"harvested", "taken away", false, s.b.ask(q.text, 10,
				retrieval.DefaultOptions).Evidence})
			s.b.index.Replace(int64(q.page), own)
		}
	}
	// What others ask, on the corpora of lay questions.
	for _, d := range all {
		for i := 0; i < len(shelves); i++ {
			for _, q := range everyNatural(shelves[i].asked, 2) {
				set = append(set, telling{d.name, "elsewhere", false, d.b.ask(q.text, 10,
					retrieval.DefaultOptions).Evidence})
			}
		}
	}
	for _, d := range all {
		for _, q := range d.lay {
			kind := "lay, not there"
			if len(q.right) > 0 {
				kind = "there"
			}
			set = append(set, telling{d.name, kind, len(q.right) > 0, d.b.ask(q.text, 10,
				retrieval.DefaultOptions).Evidence})
		}
	}
	return set
}

type telling struct {
	corpus, kind string
	answered     bool
	evidence     retrieval.Features
}

// fitTelling is a regression of which evidence tells; each corpus's answered and others
// count the same, and each corpus so much.
func fitTelling(set []telling, weigh map[string]float64, mask func(i int) bool, hold float64) (w []float64, b float64) {
	n := len(new(retrieval.Features).Values())
	w = make([]float64, n)
	counts := map[string]float64{}
	key := func(t telling) string { return t.corpus + fmt.Sprint(t.answered) }
	for _, t := range set {
		counts[key(t)]++
	}
	mean, spread, total := make([]float64, n), make([]float64, n), 0.0
	weights := make([]float64, len(set))
	values := make([][]float64, len(set))
	for i, t := range set {
		weights[i] = weigh[t.corpus] / counts[key(t)]
		total += weights[i]
		for _, v := range t.evidence.Values() {
			values[i] = append(values[i], *v)
		}
		for k, v := range values[i] {
			mean[k] += weights[i] * v
			spread[k] += weights[i] * v * v
		}
	}
	for k := range mean {
		mean[k] /= total
		spread[k] = math.Sqrt(max(0, spread[k]/total-mean[k]*mean[k])) + 1e-6
	}
	for range 4000 {
		slopes, slope := make([]float64, n), 0.0
		for i, t := range set {
			at := b
			for k, v := range values[i] {
				at += w[k] * (v - mean[k]) / spread[k]
			}
			p := 1 / (1 + math.Exp(-at))
			if t.answered {
				p--
			}
			p *= weights[i] / total
			slope += p
			for k, v := range values[i] {
				slopes[k] += p * (v - mean[k]) / spread[k]
			}
		}
		b -= 0.5 * slope
		for k := range w {
			w[k] -= 0.5 * (slopes[k] + hold*w[k])
			speaksAgainst := k == 7 || k == 15 // Missing, Named
			if !mask(k) || (w[k] < 0) != speaksAgainst {
				w[k] = 0
			}
		}
	}
	for k := range w {
		w[k] /= spread[k]
		b -= w[k] * mean[k]
	}
	return sharpen(set, weights, w, b)
}

// sharpen makes likelihoods of odds that were held small (Platt, "Probabilistic
// Outputs for Support Vector Machines", 1999).
func sharpen(set []telling, weights, w []float64, b float64) ([]float64, float64) {
	times, plus := 1.0, 0.0
	for range 5_000 {
		byTimes, byPlus, total := 0.0, 0.0, 0.0
		for i, t := range set {
			o := oddsOf(t.evidence, w, b)
			p := 1 / (1 + math.Exp(-times*o-plus))
			if t.answered {
				p--
			}
			byTimes, byPlus, total = byTimes+weights[i]*p*o, byPlus+weights[i]*p, total+weights[i]
		}
		times, plus = times-byTimes/total, plus-byPlus/total
	}
	for k := range w {
		w[k] *= times
	}
	return w, b*times + plus
}

func oddsOf(e retrieval.Features, w []float64, b float64) float64 {
	for k, v := range e.Values() {
		b += *v * w[k]
	}
	return b
}

// tellApart learns what tells whether anything answers, without one corpus each too.
func tellApart(shelves, chosen []*shelved, all []*developed) {
	set := tellings(shelves, all)
	for _, t := range tellings(chosen, nil) {
		t.corpus = "chosen"
		set = append(set, t)
	}
	names := []string{"Covered", "Exact", "Near", "Title", "Page", "Absent", "Native", "Missing", "Score", "Scores",
		"Evenly", "Cosines", "Close", "Sense", "Senses", "Named"}
	old := func(k int) bool { return k < 12 }
	every := func(int) bool { return true }
	corpora := []string{"harvested", "chosen"}
	for _, d := range all {
		corpora = append(corpora, d.name)
	}
	show := func(name string, score func(retrieval.Features) float64) {
		fmt.Printf("%-40s", name)
		for _, c := range corpora {
			kinds := map[string]bool{}
			for _, t := range set {
				if t.corpus == c && !t.answered {
					kinds[t.kind] = true
				}
			}
			for _, kind := range sorted(kinds) {
				var yes, no []float64
				for _, t := range set {
					switch {
					case t.corpus != c:
					case t.answered:
						yes = append(yes, score(t.evidence))
					case t.kind == kind:
						no = append(no, score(t.evidence))
					}
				}
				fmt.Printf("  %s/%s %.3f, %.2f", c, kind, area(yes, no), declined(yes, no))
			}
		}
		fmt.Println()
	}
	show("as it is", retrieval.Features.Likely)
	in := func(not ...string) (some []telling) {
		for _, t := range set {
			if !slices.Contains(not, t.corpus) && t.kind != "taken away" && (t.corpus == "harvested" ||
				t.corpus == "chosen" || t.kind != "elsewhere") {
				some = append(some, t)
			}
		}
		return some
	}
	lay := map[string]float64{"harvested": 1, "chosen": 1, "git": 1, "gimp": 1, "postgresql": 1}
	for _, hold := range []float64{0.01, 0.03, 0.1, 0.3} {
		w, b := fitTelling(in("chosen"), lay, every, hold)
		show(fmt.Sprintf("all, hold %.3f", hold), func(e retrieval.Features) float64 { return oddsOf(e, w, b) })
	}
	w, b := fitTelling(in("chosen"), lay, old, 0.01)
	show("without what is new", func(e retrieval.Features) float64 { return oddsOf(e, w, b) })
	for _, c := range corpora {
		w, b := fitTelling(in("chosen", c), lay, every, 0.1)
		show("without "+c, func(e retrieval.Features) float64 { return oddsOf(e, w, b) })
	}
	w, b = fitTelling(in("chosen"), lay, every, 0.1)
	judgeThreshold(set, corpora, w, b)
	for k, n := range names {
		fmt.Printf("%s: %.2f, ", n, w[k])
	}
	fmt.Printf("doubt %.2f\n", b)
}

// declined is how many of those that nothing answers are declined where 8 % of the
// answered are.
func declined(yes, no []float64) float64 {
	if len(yes) == 0 || len(no) == 0 {
		return 0
	}
	sortedYes := slices.Clone(yes)
	slices.Sort(sortedYes)
	limit := sortedYes[len(sortedYes)*8/100]
	n := 0
	for _, v := range no {
		if v < limit {
			n++
		}
	}
	return float64(n) / float64(len(no))
}

// judgeThreshold prints what one threshold for all corpora refuses and declines in each,
// as the odds are and measured from what others' questions come to on each corpus.
func judgeThreshold(set []telling, corpora []string, w []float64, b float64) {
	for _, measured := range []bool{false, true} {
		score := map[string]func(retrieval.Features) float64{}
		for _, c := range corpora {
			mean, squares, n := 0.0, 0.0, 0.0
			for _, t := range set {
				if t.corpus == c && t.kind == "elsewhere" {
					o := oddsOf(t.evidence, w, b)
					mean, squares, n = mean+o, squares+o*o, n+1
				}
			}
			mean /= max(1, n)
			spread := math.Sqrt(squares/max(1, n) - mean*mean)
			score[c] = func(e retrieval.Features) float64 {
				if measured && n > 0 {
					return (oddsOf(e, w, b) - mean) / spread
				}
				return oddsOf(e, w, b)
			}
		}
		var yes []float64
		for _, t := range set {
			if t.answered && t.corpus != "harvested" && t.corpus != "chosen" {
				yes = append(yes, score[t.corpus](t.evidence))
			}
		}
		slices.Sort(yes)
		limit := yes[len(yes)*8/100]
		fmt.Printf("measured from others' questions: %v, threshold %.2f:", measured, limit)
		for _, c := range corpora {
			refused, answered, declined, others, far, farAll := 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
			for _, t := range set {
				low := score[c](t.evidence) < limit
				switch {
				case t.corpus != c:
				case t.answered:
					answered++
					refused += one(low)
				case t.kind == "elsewhere":
					farAll++
					far += one(low)
				case t.kind != "taken away":
					others++
					declined += one(low)
				}
			}
			fmt.Printf("  %s refused %.2f, declined %.2f, elsewhere %.2f", c, refused/answered, declined/max(1,
				others), far/max(1, farAll))
		}
		fmt.Println()
	}
}

func one(is bool) float64 {
	if is {
		return 1
	}
	return 0
}

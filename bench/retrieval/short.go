package main

import (
	"context"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"juvalogos/core/evidence"
	"juvalogos/core/reading"
	"juvalogos/core/retrieval"
	"juvalogos/core/spotting"
)

// shortQuestion is a question that a few words answer.
type shortQuestion struct {
	text     string
	right    []string // none: the documents do not say
	passages []evidence.Passage
	sure     float64
}

const (
	shortFile   = "bench/retrieval/short.tsv"
	shortFolder = "demo/shelves/handbook"
)

// readShort reads the questions and finds passages for each.
func readShort() (tuning, held []shortQuestion, err error) {
	files, err := filepath.Glob(shortFolder + "/*.md")
	if err != nil {
		return nil, nil, err
	}
	var pages []page
	for _, f := range files {
		body, err := os.ReadFile(f)
		if err != nil {
			return nil, nil, err
		}
		d, err := reading.Read(context.Background(), f, body, nil, reading.DefaultLimits)
		if err != nil {
			return nil, nil, err
		}
		pages = append(pages, page{filepath.Base(f), d})
	}
	b, err := build(pages, nil)
	if err != nil {
		return nil, nil, err
	}
	text, err := os.ReadFile(shortFile)
	if err != nil {
		return nil, nil, err
	}
	for _, line := range strings.Split(strings.TrimSpace(string(text)), "\n") {
		parts := strings.Split(line, "\t")
		if strings.HasPrefix(line, "#") || len(parts) < 3 {
			continue
		}
		q := shortQuestion{text: parts[1]}
		if parts[2] != "" {
			q.right = strings.Split(parts[2], "|")
		}
		r := b.ask(q.text, 6, retrieval.DefaultOptions)
		q.sure = r.Answers
		for _, h := range r.Hits {
			e := b.entries[h.Key]
			q.passages = append(q.passages, evidence.Passage{Title: e.Title, Path: e.Path, Text: e.Text})
		}
		if parts[0] == "tune" {
			tuning = append(tuning, q)
		} else {
			held = append(held, q)
		}
	}
	return tuning, held, nil
}

// says reports whether an answer is one of those that count as right.
func (q shortQuestion) says(answer string) bool {
	plain := func(s string) string {
		words := strings.FieldsFunc(strings.ToLower(s),
			func(r rune) bool { return strings.ContainsRune(" ,.;:\n\t", r) })
		return strings.Join(slices.DeleteFunc(words,
			func(w string) bool { return w == "the" || w == "a" || w == "an" }), " ")
	}
	return slices.ContainsFunc(q.right, func(r string) bool { return plain(r) == plain(answer) })
}

// measureShort asks all questions and says how many first answers are right,
// and how far their confidence can be believed.
func measureShort(r *report, show bool) error {
	tuning, held, err := readShort()
	if err != nil {
		return err
	}
	fmt.Fprintf(r, "## Short answers\n\n| questions | that are answered | first answer right | among the first five "+
		"| confidence: mean | confidence: error (Brier) | right above wrong (area) | right where confidence ≥ 0.5 |\n"+
		"|---|---|---|---|---|---|---|---|\n")
	for _, set := range []struct {
		name string
		all  []shortQuestion
	}{{"for tuning", tuning}, {"held out", held}} {
		var answered, first, five, bold, boldRight int
		var brier, mean float64
		var right, wrong []float64
		for _, q := range set.all {
			found := spotting.Find(q.text, q.passages, q.sure, 5)
			if len(q.right) > 0 {
				answered++
			}
			hit := len(found) > 0 && q.says(found[0].Text)
			if hit {
				first++
			}
			if slices.ContainsFunc(found, func(a spotting.Answer) bool { return q.says(a.Text) }) {
				five++
			}
			c, goal := 0.0, 0.0
			if len(found) > 0 {
				c = found[0].Confidence
			}
			if hit {
				goal = 1
				right = append(right, c)
			} else {
				wrong = append(wrong, c)
			}
			mean += c
			brier += (c - goal) * (c - goal)
			if c >= 0.5 {
				bold++
				if hit {
					boldRight++
				}
			}
			if show && !hit && set.name != "held out" {
				fmt.Printf("%s\n  wanted %q, sure %.2f\n", q.text, q.right, q.sure)
				for _, a := range found[:min(3, len(found))] {
					fmt.Printf("  %.2f %5.2f %-30q %s %+v\n", a.Confidence, a.Score, a.Text, a.Kind, a.Signs)
				}
			}
		}
		n := float64(len(set.all))
		fmt.Fprintf(r, "| %s, %d | %d | %d | %d | %.2f (right: %.2f) | %.3f | %.2f | %d of %d |\n", set.name,
			len(set.all), answered, first, five, mean/n, float64(first)/n, brier/n, area(right, wrong), boldRight, bold)
	}
	fmt.Fprintln(r)
	return nil
}

// shortPool is what one question could be answered with.
type shortPool struct {
	signs []spotting.Signs
	right []bool
}

// tuneShort sets the weights by going up, one after the other, and then the
// calibration, on the questions for tuning.
func tuneShort() error {
	all, _, err := readShort()
	if err != nil {
		return err
	}
	w, best := climbShort(poolsOf(all))
	fmt.Printf("weights %+v, score %.3f\n", w, best)
	spotting.Weights = w
	fmt.Printf("calibration %+v\n", calibrate(all))
	return nil
}

// poolsOf gathers the stretches of all questions that have a right one.
func poolsOf(all []shortQuestion) (pools []shortPool) {
	for _, q := range all {
		var p shortPool
		for _, a := range spotting.Gather(q.text, q.passages) {
			p.signs, p.right = append(p.signs, a.Signs), append(p.right, q.says(a.Text))
		}
		if slices.Contains(p.right, true) {
			pools = append(pools, p)
		} else if len(q.right) > 0 {
			fmt.Println("no stretch is right:", q.text)
		}
	}
	return pools
}

// scoreShort is the mean log likelihood of the right stretches, less a little
// for weights far from where they stand: few questions must not move them far.
func scoreShort(pools []shortPool, w, start spotting.Weighing) float64 {
	sum := 0.0
	for _, p := range pools {
		var in, whole float64
		for i, s := range p.signs {
			e := math.Exp(1.5 * w.Score(s))
			whole += e
			if p.right[i] {
				in += e
			}
		}
		sum += math.Log(in / whole)
	}
	sum /= float64(len(pools))
	a, b := (*spotting.Signs)(&w).Values(), (*spotting.Signs)(&start).Values()
	for i := range a {
		sum -= 0.02 * (*a[i] - *b[i]) * (*a[i] - *b[i])
	}
	return sum
}

// climbShort changes one weight after the other, in ever smaller steps.
func climbShort(pools []shortPool) (w spotting.Weighing, best float64) {
	start := spotting.Weights
	w, best = start, scoreShort(pools, start, start)
	for step := 0.8; step > 0.05; {
		better := false
		for i := range (*spotting.Signs)(&w).Values() {
			for _, d := range []float64{step, -step} {
				try := w
				v := (*spotting.Signs)(&try).Values()[i]
				if *v = math.Round((*v+d)*100) / 100; *v < 0 {
					continue
				}
				if s := scoreShort(pools, try, start); s > best+1e-5 {
					best, w, better = s, try, true
				}
			}
		}
		if !better {
			step /= 2
		}
	}
	return w, best
}

// calibrate fits how sure an answer is to how often such answers are right.
func calibrate(all []shortQuestion) [4]float64 {
	var rows [][4]float64
	var goals []float64
	for _, q := range all {
		found := spotting.Find(q.text, q.passages, q.sure, 5)
		for i, a := range found {
			rival := found[0].Score
			if i == 0 && len(found) > 1 {
				rival = found[1].Score
			}
			goal := 0.0
			if q.says(a.Text) {
				goal = 1
			}
			rows, goals = append(rows, [4]float64{1, a.Score, a.Score - rival, q.sure}), append(goals, goal)
		}
	}
	return logistic(rows, goals)
}

// logistic fits by going down the slope, with a little weight on small numbers.
func logistic(rows [][4]float64, goals []float64) (c [4]float64) {
	for range 200_000 {
		var slope [4]float64
		for i, x := range rows {
			sum := 0.0
			for k := range x {
				sum += c[k] * x[k]
			}
			miss := 1/(1+math.Exp(-sum)) - goals[i]
			for k := range x {
				slope[k] += miss * x[k]
			}
		}
		for k := range c {
			lean := 0.002 * c[k]
			if k == 0 {
				lean = 0
			}
			c[k] -= 0.05 * (slope[k]/float64(len(rows)) + lean)
		}
	}
	return c
}

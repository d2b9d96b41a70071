package main

import (
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"strings"

	"juvalogos/core/retrieval"
)

// reportHarvested asks the packages that nothing was chosen on what they ask
// themselves, tells their questions from those of others, and holds claims made of
// their sentences against these.
func reportHarvested(packages []*harvested, enc *encoding, r *report) error {
	shelves, err := shelve(packages, enc)
	if err != nil {
		return err
	}
	pages, passages, asked := 0, 0, 0
	for _, s := range shelves {
		pages, passages, asked = pages+len(s.b.pages), passages+len(s.b.entries), asked+len(s.asked)
	}
	r.line("\n## Questions that documents ask themselves\n\n%d packages, %d pages, %d passages on %d shelves.\n",
		len(packages),
		pages, passages, len(shelves))
	row := func(format string, a ...any) { fmt.Fprintf(r, format+"\n", a...) }
	row("| way | first | MRR@10 | among %d | against BM25, 95 %% |\n|---|---|---|---|---|", handedOver)
	full := retrieval.DefaultOptions
	lexical := full
	lexical.VectorWeight, lexical.SenseWeight, lexical.Candidates, lexical.Expand = 0, 0, 0, 0
	sense := lexical
	sense.SenseWeight = 1e6
	fused := lexical
	fused.SenseWeight = 1
	without := full
	without.SenseWeight, without.Weights.Sense = 0, 0
	var base []float64
	for _, way := range []struct {
		name string
		o    retrieval.Options
	}{{"BM25 of passages", lexical}, {"encoder alone", sense}, {"BM25 and encoder, fused", fused},
		{"all but the encoder", without}, {"all", full}} {
		f, each := askAll(shelves, way.o)
		against := ""
		if base == nil {
			base = each
		} else {
			low, high := interval(each, base)
			against = fmt.Sprintf("%+.3f to %+.3f", low, high)
		}
		n := float64(f.n)
		row("| %s | %.3f | %.3f | %.3f | %s |", way.name, f.first/n, f.rr/n, f.among/n, against)
	}
	var yes []float64
	no := map[string][]float64{}
	for _, t := range tellings(shelves, nil) {
		if t.answered {
			yes = append(yes, t.evidence.Likely())
		} else {
			no[t.kind] = append(no[t.kind], t.evidence.Likely())
		}
	}
	row("\n%d questions that the shelf answers, told from others:\n\n| others | area "+
		"| declined where 8 %% of the answered are refused "+
		"| declined below 0.35 |\n|---|---|---|---|", len(yes))
	for _, kind := range sorted(no) {
		below := 0.0
		for _, v := range no[kind] {
			below += one(v < 0.35)
		}
		row("| %s, %d | %.3f | %.2f | %.2f |", kind, len(no[kind]), area(yes, no[kind]), declined(yes, no[kind]),
			below/float64(len(no[kind])))
	}
	refused := 0.0
	for _, v := range yes {
		refused += one(v < 0.35)
	}
	if err := thresholds(calibrated, len(packages), yes, no["elsewhere"]); err != nil {
		return err
	}
	r.line("\nBelow 0.35, which is usual, %.2f of the answered are refused.", refused/float64(len(yes)))
	return nil
}

// calibrated is what the product tells of thresholds.
const calibrated = "core/retrieval/calibration.csv"

// thresholds writes what thresholds refuse of what is answered, and let through of what
// is not.
func thresholds(file string, packages int, yes, no []float64) error {
	var b strings.Builder
	fmt.Fprintf(&b,
		"# Of %d questions that %d packages ask themselves, and %d that others do (bench/retrieval -report):\n"+
			"# how likely something found has to answer, what that refuses, what it lets through.\n",
		len(yes), packages, len(no))
	for at := 5; at <= 95; at += 5 {
		least := float64(at) / 100
		refused, through := 0.0, 0.0
		for _, v := range yes {
			refused += one(v < least) / float64(len(yes))
		}
		for _, v := range no {
			through += one(v >= least) / float64(len(no))
		}
		fmt.Fprintf(&b, "%.2f,%.3f,%.3f\n", least, refused, through)
	}
	return os.WriteFile(file, []byte(b.String()), 0o644)
}

// askAll asks all questions one way; each is the reciprocal rank of every one.
func askAll(shelves []*shelved, o retrieval.Options) (f found, each []float64) {
	for _, s := range shelves {
		for _, q := range s.asked {
			right := s.right(q)
			if len(right) == 0 {
				continue
			}
			before := f.rr
			f.judge(s.b.ask(q.text, 20, o).Hits, right)
			each = append(each, f.rr-before)
		}
	}
	return f, each
}

// interval is where the mean difference lies, by drawing questions again and again.
func interval(a, b []float64) (low, high float64) {
	r := rand.New(rand.NewPCG(1, 2))
	means := make([]float64, 2000)
	for i := range means {
		for range a {
			k := r.IntN(len(a))
			means[i] += (a[k] - b[k]) / float64(len(a))
		}
	}
	slices.Sort(means)
	return means[50], means[1949]
}

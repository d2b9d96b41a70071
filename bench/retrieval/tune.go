package main

import (
	"cmp"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"

	"juvalogos/core/retrieval"
)

// pool are a question's candidates with their signs.
type pool struct {
	right map[string]bool
	pages []string
	signs []retrieval.Signs
}

// gather are the candidates of questions that have an answer.
func (d *developed) gather(all []question) (pools []pool) {
	o := retrieval.DefaultOptions
	o.Distinct = false
	found := 0
	for _, q := range all {
		if len(q.right) == 0 {
			continue
		}
		r := d.b.ask(q.text, 400, o)
		p := pool{right: q.right}
		there := false
		for _, h := range r.Hits {
			p.pages = append(p.pages, d.b.pages[h.Document].path)
			p.signs = append(p.signs, h.Signs)
			there = there || q.right[d.b.pages[h.Document].path]
		}
		if there {
			found++
		}
		pools = append(pools, p)
	}
	fmt.Printf("%s: a right page is among the candidates of %d of %d\n", d.name, found, len(pools))
	return pools
}

// tuning is what the weights of the last stage are measured on: pools of
// questions, each set with the name of its corpus.
type tuning struct {
	sets  [][]pool
	names []string
}

// tune sets the weights of the last stage by going up, one weight after the
// other, as long as the questions of all corpora and the entries of their
// indexes together find their pages better. Weights are also set without one
// corpus each and measured on it.
func tune(all []*developed) {
	var t tuning
	for _, d := range all {
		t.add(d.name, d.gather(d.lay))
		if len(d.entries) > 0 {
			t.add(d.name, d.gather(d.entries))
		}
	}
	t.showSigns()
	var wg sync.WaitGroup
	results := make([]string, len(all))
	for i, d := range all {
		wg.Go(func() {
			results[i] = fmt.Sprintf("without %s: %.3f", d.name, t.each(t.up(d.name)))
		})
	}
	wg.Wait()
	fmt.Println(strings.Join(results, "\n"))
	w := t.up("")
	fmt.Printf("all: %.3f\n%+v\n", t.each(w), w)
}

func (t *tuning) add(name string, set []pool) {
	t.sets, t.names = append(t.sets, set), append(t.names, name)
}

// showSigns prints what each sign is worth alone, and the rest without it.
func (t *tuning) showSigns() {
	fmt.Printf("now: %.3f\n", t.each(retrieval.DefaultWeights))
	for i := range new(retrieval.Signs).Values() {
		var alone retrieval.Signs
		*alone.Values()[i] = 1
		without := retrieval.DefaultWeights
		*without.Values()[i] = 0
		fmt.Printf("sign %2d alone %.3f, without %.3f\n", i, t.each(alone), t.each(without))
	}
}

// ndcg is nDCG@10 of a set under weights.
func ndcg(w retrieval.Signs, set []pool) float64 {
	var f figures
	for _, p := range set {
		f.judge(p.rank(w), p.right)
	}
	return f.mean().ndcg
}

// each is nDCG@10 of every set under weights.
func (t *tuning) each(w retrieval.Signs) (figures []float64) {
	for _, set := range t.sets {
		figures = append(figures, ndcg(w, set))
	}
	return figures
}

// score is what is made greater: the sum over all sets but one corpus's, less
// a little for weights that do nothing.
func (t *tuning) score(w retrieval.Signs, without string) float64 {
	sum := 0.0
	for i, set := range t.sets {
		if t.names[i] != without {
			sum += ndcg(w, set)
		}
	}
	for _, v := range w.Values() {
		sum -= 0.003 * *v
	}
	return sum
}

// up goes up from several places near the weights as they are. The mean of
// several ways is less bent to these questions than the best.
func (t *tuning) up(without string) retrieval.Signs {
	var mean retrieval.Signs
	const runs = 4
	r := rand.New(rand.NewPCG(1, 1))
	for range runs {
		w := retrieval.DefaultWeights
		for _, v := range w.Values() {
			*v += r.Float64() * 0.5
		}
		t.climb(&w, without)
		for i, v := range w.Values() {
			*mean.Values()[i] += *v / runs
		}
	}
	return mean
}

// climb changes one weight after the other, in ever smaller steps, until none
// makes the score greater.
func (t *tuning) climb(w *retrieval.Signs, without string) {
	s := t.score(*w, without)
	for step := 0.8; step > 0.09; {
		better := false
		for _, v := range w.Values() {
			before := *v
			for _, to := range []float64{before + step, max(0, before-step)} {
				*v = to
				if n := t.score(*w, without); n > s+1e-6 {
					s, before, better = n, to, true
				}
			}
			*v = before
		}
		if !better {
			step /= 2
		}
	}
}

func (p pool) rank(w retrieval.Signs) []string {
	type page struct {
		path  string
		score float64
	}
	best := map[string]float64{}
	for i, path := range p.pages {
		if s := p.signs[i].Score(w); s > best[path] {
			best[path] = s
		}
	}
	var all []page
	for path, s := range best {
		all = append(all, page{path, s})
	}
	slices.SortFunc(all, func(a, b page) int {
		return cmp.Or(cmp.Compare(b.score, a.score),
			cmp.Compare(a.path, b.path))
	})
	var ranked []string
	for _, pg := range all[:min(10, len(all))] {
		ranked = append(ranked, pg.path)
	}
	return ranked
}

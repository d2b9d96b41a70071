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

// tune sets the weights of the last stage by going up, one weight after the
// other, as long as the questions of all corpora and the entries of their
// indexes together find their pages better. Weights are also set without one
// corpus each and measured on it.
func tune(all []*developed) {
	var sets [][]pool
	var names []string
	for _, d := range all {
		sets, names = append(sets, d.gather(d.lay)), append(names, d.name)
		if len(d.entries) > 0 {
			sets, names = append(sets, d.gather(d.entries)), append(names, d.name)
		}
	}
	measure := func(w retrieval.Signs, set []pool) float64 {
		var f figures
		for _, p := range set {
			f.judge(p.rank(w), p.right)
		}
		return f.mean().ndcg
	}
	each := func(w retrieval.Signs) (figures []float64) {
		for _, set := range sets {
			figures = append(figures, measure(w, set))
		}
		return figures
	}
	up := func(without string) retrieval.Signs {
		score := func(w retrieval.Signs) float64 {
			sum := 0.0
			for i, set := range sets {
				if names[i] != without {
					sum += measure(w, set)
				}
			}
			for _, v := range w.Values() { // weights that do nothing are better left small
				sum -= 0.003 * *v
			}
			return sum
		}
		var mean retrieval.Signs
		const runs = 4
		r := rand.New(rand.NewPCG(1, 1))
		for range runs {
			w := retrieval.DefaultWeights
			for _, v := range w.Values() {
				*v += r.Float64() * 0.5
			}
			s := score(w)
			for step := 0.8; step > 0.09; {
				better := false
				for _, v := range w.Values() {
					before := *v
					for _, to := range []float64{before + step, max(0, before-step)} {
						*v = to
						if n := score(w); n > s+1e-6 {
							s, before, better = n, to, true
						}
					}
					*v = before
				}
				if !better {
					step /= 2
				}
			}
			for i, v := range w.Values() { // the mean of several ways up is less bent to these questions than the best
				*mean.Values()[i] += *v / runs
			}
		}
		return mean
	}
	fmt.Printf("now: %.3f\n", each(retrieval.DefaultWeights))
	for i := range new(retrieval.Signs).Values() {
		var alone retrieval.Signs
		*alone.Values()[i] = 1
		without := retrieval.DefaultWeights
		*without.Values()[i] = 0
		fmt.Printf("sign %2d alone %.3f, without %.3f\n", i, each(alone), each(without))
	}
	var wg sync.WaitGroup
	results := make([]string, len(all))
	for i, d := range all {
		wg.Go(func() {
			w := up(d.name)
			results[i] = fmt.Sprintf("without %s: %.3f", d.name, each(w))
		})
	}
	wg.Wait()
	fmt.Println(strings.Join(results, "\n"))
	w := up("")
	fmt.Printf("all: %.3f\n%+v\n", each(w), w)
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
	slices.SortFunc(all, func(a, b page) int { return cmp.Or(cmp.Compare(b.score, a.score), cmp.Compare(a.path, b.path)) })
	var ranked []string
	for _, pg := range all[:min(10, len(all))] {
		ranked = append(ranked, pg.path)
	}
	return ranked
}

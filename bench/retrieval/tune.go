package main

import (
	"cmp"
	"fmt"
	"math/rand/v2"
	"slices"

	"juvalogos/core/retrieval"
)

// pool are a question's candidates with their signs.
type pool struct {
	right map[string]bool
	pages []string
	signs []retrieval.Signs
}

// tune sets the weights of the last stage by going up, one weight after the
// other, as long as the questions and the entries of the index together find
// their pages better. It is run on a corpus that is not reported on.
func tune(b *built, lay, entries []question) {
	gather := func(all []question) (pools []pool) {
		o := retrieval.DefaultOptions
		o.Distinct = false
		found := 0
		for _, q := range all {
			if len(q.right) == 0 {
				continue
			}
			r := b.ask(q.text, 400, o)
			p := pool{right: q.right}
			there := false
			for _, h := range r.Hits {
				p.pages = append(p.pages, b.pages[h.Document].path)
				p.signs = append(p.signs, h.Signs)
				there = there || q.right[b.pages[h.Document].path]
			}
			if there {
				found++
			}
			pools = append(pools, p)
		}
		fmt.Printf("a right page is among the candidates of %d of %d\n", found, len(pools))
		return pools
	}
	sets := [][]pool{gather(lay), gather(entries)}
	score := func(w retrieval.Signs) (float64, []float64) {
		sum := 0.0
		var each []float64
		for _, set := range sets {
			var f figures
			for _, p := range set {
				f.judge(p.rank(w), p.right)
			}
			m := f.mean()
			sum += m.ndcg
			each = append(each, m.ndcg)
		}
		// Weights that do nothing are better left small.
		for _, v := range w.Values() {
			sum -= 0.002 * *v
		}
		return sum, each
	}
	for i := range new(retrieval.Signs).Values() {
		var alone retrieval.Signs
		*alone.Values()[i] = 1
		_, each := score(alone)
		without := retrieval.DefaultWeights
		*without.Values()[i] = 0
		_, less := score(without)
		fmt.Printf("sign %2d alone %.3f, without %.3f\n", i, each, less)
	}
	r := rand.New(rand.NewPCG(1, 1))
	var mean retrieval.Signs
	const runs = 10
	for range runs {
		w := retrieval.DefaultWeights
		for _, v := range w.Values() {
			*v += r.Float64() * 0.5
		}
		s, _ := score(w)
		for step := 0.5; step > 0.04; {
			better := false
			for _, v := range w.Values() {
				before := *v
				for _, to := range []float64{before + step, max(0, before-step)} {
					*v = to
					if n, _ := score(w); n > s+1e-6 {
						s, before, better = n, to, true
					}
				}
				*v = before
			}
			if !better {
				step /= 2
			}
		}
		_, each := score(w)
		fmt.Printf("%.4f %.3f %+v\n", s, each, w)
		for i, v := range w.Values() {
			*mean.Values()[i] += *v / runs
		}
	}
	// The mean of several ways up is less bent to these questions than the best.
	_, each := score(mean)
	fmt.Printf("mean: %.3f %+v\n", each, mean)
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

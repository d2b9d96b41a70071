package main

import (
	"cmp"
	"math"
	"slices"
)

// figures are what a way of searching scores over some questions.
type figures struct {
	ndcg, recall, mrr float64
	n                 int
}

// judge scores a ranking of pages: nDCG at 10 and recall at 5 with every right
// page counting the same, and the reciprocal rank of the first right one.
func (f *figures) judge(ranked []string, right map[string]bool) {
	f.n++
	gain, ideal, in5 := 0.0, 0.0, 0
	first := 0
	for i, p := range ranked {
		if !right[p] {
			continue
		}
		if first == 0 {
			first = i + 1
		}
		if i < 10 {
			gain += 1 / math.Log2(float64(i)+2)
		}
		if i < 5 {
			in5++
		}
	}
	for i := range min(10, len(right)) {
		ideal += 1 / math.Log2(float64(i)+2)
	}
	f.ndcg += gain / ideal
	f.recall += float64(in5) / float64(min(5, len(right)))
	if first > 0 {
		f.mrr += 1 / float64(first)
	}
}

func (f figures) mean() figures {
	n := float64(max(1, f.n))
	return figures{f.ndcg / n, f.recall / n, f.mrr / n, f.n}
}

// area is the area under the ROC curve: how often a question that is answered
// scores higher than one that is not.
func area(answered, not []float64) float64 {
	type one struct {
		score float64
		yes   bool
	}
	var all []one
	for _, s := range answered {
		all = append(all, one{s, true})
	}
	for _, s := range not {
		all = append(all, one{s, false})
	}
	slices.SortFunc(all, func(a, b one) int { return cmp.Compare(a.score, b.score) })
	sum := 0.0
	for i := 0; i < len(all); {
		j := i
		for j < len(all) && all[j].score == all[i].score {
			j++
		}
		for k := i; k < j; k++ {
			if all[k].yes {
				sum += float64(i+j+1) / 2 // ranks that are shared count their mean
			}
		}
		i = j
	}
	p, n := float64(len(answered)), float64(len(not))
	return (sum - p*(p+1)/2) / (p * n)
}

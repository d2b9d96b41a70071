package main

import (
	"fmt"
	"maps"
	"slices"

	"juvalogos/core/retrieval"
)

// shelved are packages' documents on one shelf, with what they ask.
type shelved struct {
	b     *built
	asked []natural // pages count on the shelf
	of    []int     // the package of each page
	froms []int     // that of each question
	by    [][]int64 // passages of each page
}

// fewestPages is how many pages a shelf has at least, as long as there are
// packages.
const fewestPages = 40

// shelve puts packages on shelves, several on one where they are small.
func shelve(all []*harvested, enc *encoding) (shelves []*shelved, err error) {
	for len(all) > 0 {
		s := &shelved{}
		var pages []page
		n := 0
		for ; n < len(all) && len(pages) < fewestPages; n++ {
			for _, q := range all[n].asked {
				q.page += len(pages)
				s.asked, s.froms = append(s.asked, q), append(s.froms, n)
			}
			for _, p := range all[n].pages {
				pages, s.of = append(pages, p), append(s.of, n)
			}
		}
		all = all[n:]
		if s.b, err = build(pages, enc); err != nil {
			return nil, err
		}
		s.by = make([][]int64, len(pages))
		for _, e := range s.b.entries {
			s.by[e.Document] = append(s.by[e.Document], e.Key)
		}
		shelves = append(shelves, s)
	}
	return shelves, nil
}

// right are the passages that answer a question.
func (s *shelved) right(q natural) map[int64]bool {
	right := map[int64]bool{}
	for _, key := range s.by[q.page] {
		if q.answers(s.b.chunks[key], s.b.pages[q.page].doc) {
			right[key] = true
		}
	}
	return right
}

// found is how a set of questions was answered by passages.
type found struct {
	n                int
	first, rr, among float64
}

const handedOver = 8 // passages

func (f *found) judge(hits []retrieval.Hit, right map[int64]bool) {
	f.n++
	for i, h := range hits {
		if right[h.Key] {
			if i == 0 {
				f.first++
			}
			if i < 10 {
				f.rr += 1 / float64(i+1)
			}
			if i < handedOver {
				f.among++
			}
			return
		}
	}
}

func (f found) String() string {
	n := float64(f.n)
	return fmt.Sprintf("%4d questions: first %.3f, MRR@10 %.3f, among %d %.3f", f.n, f.first/n, f.rr/n, handedOver,
		f.among/n)
}

func compareHarvested(all map[string][]*harvested, o options) error {
	for _, use := range []string{"learn", "choose"} {
		shelves, err := shelve(all[use], o.encoding)
		if err != nil {
			return err
		}
		ways := map[string]retrieval.Options{}
		full := retrieval.DefaultOptions
		lexical := full
		lexical.VectorWeight, lexical.SenseWeight, lexical.Candidates, lexical.Expand = 0, 0, 0, 0
		ways["1 lexical"] = lexical
		sense := lexical
		sense.SenseWeight = 1e6
		ways["2 sense"] = sense
		for _, w := range []float64{0.3, 0.6, 1, 1.5, 2} {
			f := lexical
			f.SenseWeight = w
			ways[fmt.Sprintf("3 fused %.1f", w)] = f
		}
		ways["4 full"] = full
		without := full
		without.SenseWeight = 0
		ways["5 full without sense"] = without
		for _, v := range []float64{1, 2, 4, 8} {
			f := full
			f.Weights.Sense = v
			ways[fmt.Sprintf("6 full, sense %.0f", v)] = f
		}
		for _, name := range sorted(ways) {
			var f found
			for _, s := range shelves {
				for _, q := range s.asked {
					if right := s.right(q); len(right) > 0 {
						f.judge(s.b.ask(q.text, 20, ways[name]).Hits, right)
					}
				}
			}
			fmt.Printf("%-8s %-24s %s\n", use, name, f)
		}
	}
	return nil
}

func sorted[V any](m map[string]V) []string { return slices.Sorted(maps.Keys(m)) }

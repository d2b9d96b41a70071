package main

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"juvalogos/core/retrieval"
)

// list is a question's candidates with their signs, and which are right.
type list struct {
	corpus string
	signs  [][]float64
	right  []bool
	pages  []int64 // of each; right is a matter of pages if byPage
	byPage bool
}

// lists are those of the questions that packages ask, and of lay questions.
func listsOf(shelves []*shelved, all []*developed) (lists []list) {
	o := retrieval.DefaultOptions
	o.Distinct = false
	for _, s := range shelves {
		for _, q := range s.asked {
			if right := s.right(q); len(right) > 0 {
				lists = append(lists, listOf("harvested", s.b.ask(q.text, 200, o).Hits,
					func(h retrieval.Hit) bool { return right[h.Key] }, false))
			}
		}
	}
	for _, d := range all {
		for corpus, set := range map[string][]question{d.name: d.lay, "terms": d.entries} {
			for _, q := range set {
				if len(q.right) > 0 {
					lists = append(lists, listOf(corpus, d.b.ask(q.text, 200, o).Hits,
						func(h retrieval.Hit) bool { return q.right[d.b.pages[h.Document].path] }, true))
				}
			}
		}
	}
	return lists
}

func listOf(corpus string, hits []retrieval.Hit, right func(retrieval.Hit) bool, byPage bool) list {
	l := list{corpus: corpus, byPage: byPage}
	for _, h := range hits {
		var v []float64
		for _, s := range h.Signs.Values() {
			v = append(v, *s)
		}
		l.signs, l.right, l.pages = append(l.signs, v), append(l.right, right(h)), append(l.pages, h.Document)
	}
	return l
}

// learnt goes down the slope of the listwise loss: how unlikely the right ones are
// among all, as the weights have it. Weights are held small.
func learnt(lists []list, hold float64, mask []bool) []float64 {
	n := len(lists[0].signs[0])
	w := make([]float64, n)
	counts := map[string]float64{}
	for _, l := range lists {
		if slices.Contains(l.right, true) {
			counts[l.corpus]++
		}
	}
	rate, speed := 0.5, make([]float64, n)
	for step := range 600 {
		slope := make([]float64, n)
		for _, l := range lists {
			if !slices.Contains(l.right, true) {
				continue
			}
			weight := 1 / counts[l.corpus] / float64(len(counts))
			p, q := shares(l, w)
			for i, v := range l.signs {
				for k := range v {
					slope[k] += weight * (p[i] - q[i]) * v[k]
				}
			}
		}
		for k := range w {
			g := slope[k] + hold*w[k]
			speed[k] = 0.9*speed[k] + 0.1*g
			w[k] -= rate * 20 * speed[k] / (1 + float64(step)/300)
			if w[k] < 0 || mask != nil && !mask[k] {
				w[k] = 0
			}
		}
	}
	return w
}

// shares are how likely each is among all, and among the right ones.
func shares(l list, w []float64) (p, q []float64) {
	p, q = make([]float64, len(l.signs)), make([]float64, len(l.signs))
	most := math.Inf(-1)
	for i, v := range l.signs {
		for k := range v {
			p[i] += v[k] * w[k]
		}
		most = max(most, p[i])
	}
	total, right := 0.0, 0.0
	for i := range p {
		p[i] = math.Exp(p[i] - most)
		total += p[i]
		if l.right[i] {
			q[i] = p[i]
			right += p[i]
		}
	}
	for i := range p {
		p[i] /= total
		q[i] /= right
	}
	return p, q
}

// measureLists is the mean reciprocal rank within ten, and how often a right one is
// among the first eight.
func measureLists(lists []list, w []float64, corpus string) (mrr, among float64, n int) {
	for _, l := range lists {
		if l.corpus != corpus {
			continue
		}
		n++
		order := make([]int, len(l.signs))
		score := make([]float64, len(l.signs))
		for i, v := range l.signs {
			order[i] = i
			for k := range v {
				score[i] += v[k] * w[k]
			}
		}
		slices.SortStableFunc(order, func(a, b int) int {
			switch {
			case score[a] > score[b]:
				return -1
			case score[a] < score[b]:
				return 1
			}
			return 0
		})
		seen, rank := map[int64]bool{}, 0
		for place, i := range order {
			if l.byPage && seen[l.pages[i]] {
				continue
			}
			seen[l.pages[i]] = true
			rank++
			if l.right[i] {
				if rank <= 10 {
					mrr += 1 / float64(rank)
				}
				if place < handedOver {
					among++
				}
				break
			}
		}
	}
	return mrr / float64(n), among / float64(n), n
}

func names() []string {
	return strings.Fields("Lexical Covered Evenly Exact Title Titled Headed Lead Close Near " +
		"Cosine About Named Whole Meaning Sense Page Document")
}

// showFused prints the mean reciprocal ranks by reciprocal rank fusion of some signs.
func showFused(lists []list, corpora []string, name string, of ...string) {
	fmt.Printf("%-34s", name)
	for _, c := range corpora {
		mrr, n := 0.0, 0
		for _, l := range lists {
			if l.corpus == c {
				n++
				mrr += l.fusedRank(of)
			}
		}
		fmt.Printf("  %s(%d) %.3f", c, n, mrr/float64(n))
	}
	fmt.Println()
}

// learnLast learns the weights of the last stage, also without one corpus each, which
// is then measured.
func learnLast(shelves []*shelved, chosen []*shelved, all []*developed) {
	lists := listsOf(shelves, all)
	for _, l := range listsOf(chosen, nil) {
		l.corpus = "chosen"
		lists = append(lists, l)
	}
	corpora := []string{"harvested", "chosen"}
	for _, d := range all {
		corpora = append(corpora, d.name)
	}
	show := func(name string, w []float64) {
		fmt.Printf("%-34s", name)
		for _, c := range corpora {
			mrr, among, n := measureLists(lists, w, c)
			fmt.Printf("  %s(%d) %.3f/%.3f", c, n, mrr, among)
		}
		fmt.Println()
	}
	vec := func(s retrieval.Signs) (w []float64) {
		for _, v := range s.Values() {
			w = append(w, *v)
		}
		return w
	}
	for _, l := range lists { // those that share hardly a word with what answers them
		if c := l.sharesLittle(); c && l.corpus == "chosen" {
			l.corpus = "chosen, few words"
			lists = append(lists, l)
		} else if c && l.byPage {
			l.corpus = "lay, few words"
			lists = append(lists, l)
		}
	}
	corpora = append(corpora, "terms", "chosen, few words", "lay, few words")
	show("as it is", vec(retrieval.DefaultWeights))
	showFused(lists, corpora, "page BM25", "Page")
	showFused(lists, corpora, "page sense", "Sense")
	showFused(lists, corpora, "page BM25 and sense", "Page", "Sense")
	showFused(lists, corpora, "page BM25, passage and sense", "Page", "Lexical", "Sense")
	var onlyLexical retrieval.Signs
	onlyLexical.Lexical = 1
	show("lexical", vec(onlyLexical))
	withoutSense := make([]bool, len(names()))
	for i, n := range names() {
		withoutSense[i] = n != "Sense"
	}
	in := func(not ...string) (some []list) {
		for _, l := range lists {
			if !slices.Contains(not, l.corpus) {
				some = append(some, l)
			}
		}
		return some
	}
	for _, hold := range []float64{0.003} {
		show(fmt.Sprintf("learnt, hold %.3f", hold), learnt(in("chosen", "chosen, few words", "lay, few words"), hold,
			nil))
	}
	show("learnt without sense, hold 0.003", learnt(in("chosen", "chosen, few words", "lay, few words"), 0.003,
		withoutSense))
	show("harvested only, hold 0.003", learnt(in("chosen", "chosen, few words", "lay, few words", "git", "gimp",
		"postgresql"), 0.003, nil))
	for _, c := range corpora {
		w := learnt(in("chosen", "chosen, few words", "lay, few words", c), 0.003, nil)
		mrr, among, _ := measureLists(lists, w, c)
		fmt.Printf("without %s, on it: %.3f/%.3f\n", c, mrr, among)
	}
	w := learnt(in("chosen", "chosen, few words", "lay, few words"), 0.003, nil)
	for i, n := range names() {
		fmt.Printf("%s: %.2f, ", n, w[i])
	}
	fmt.Println()
}

// learnFrom learns from packages and, where they are unpacked, the corpora of lay
// questions.
func learnFrom(all map[string][]*harvested, o options) error {
	shelves, err := shelve(all["learn"], o.encoding)
	if err != nil {
		return err
	}
	chosen, err := shelve(all["choose"], o.encoding)
	if err != nil {
		return err
	}
	var lay []*developed
	if o.develop != "" {
		if lay, err = develop(o.develop, o.encoding); err != nil {
			return err
		}
	}
	learnLast(shelves, chosen, lay)
	tellApart(shelves, chosen, lay)
	return nil
}

// sharesLittle reports whether no right candidate has two fifths of the question's words.
func (l list) sharesLittle() bool {
	at := slices.Index(names(), "Exact")
	for i, v := range l.signs {
		if l.right[i] && v[at] > 0.4 {
			return false
		}
	}
	return true
}

// fusedRank is the reciprocal rank, within ten, of pages or passages by reciprocal rank
// fusion of some signs.
func (l list) fusedRank(of []string) float64 {
	best := map[int64][]float64{} // by page or passage
	right := map[int64]bool{}
	for i, v := range l.signs {
		key := int64(i)
		if l.byPage {
			key = l.pages[i]
		}
		if best[key] == nil {
			best[key] = make([]float64, len(of))
		}
		for k, name := range of {
			best[key][k] = max(best[key][k], v[slices.Index(names(), name)])
		}
		right[key] = right[key] || l.right[i]
	}
	keys := make([]int64, 0, len(best))
	for k := range best {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	score := map[int64]float64{}
	for k := range of {
		slices.SortStableFunc(keys, func(a, b int64) int { return cmp.Compare(best[b][k], best[a][k]) })
		for r, key := range keys {
			score[key] += 1 / float64(60+r+1)
		}
	}
	slices.SortStableFunc(keys, func(a, b int64) int { return cmp.Compare(score[b], score[a]) })
	for r, key := range keys[:min(10, len(keys))] {
		if right[key] {
			return 1 / float64(r+1)
		}
	}
	return 0
}

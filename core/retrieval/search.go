package retrieval

import (
	"cmp"
	"math"
	"slices"
	"sync"
)

// Search finds the passages that answer a question best.
func (x *Index) Search(q Query, o Options) Result {
	x.mu.RLock()
	defer x.mu.RUnlock()
	if len(x.passages) == x.dead {
		return Result{}
	}
	question := x.read(q.Text, "", o.Expand)
	pool := max(q.Limit*3, o.Candidates, 50)
	found := x.lexical(question, o, pool, q.Only)
	hits := make(map[uint32]*candidate, 2*len(found))
	get := func(at uint32) *candidate {
		c := hits[at]
		if c == nil {
			p := &x.passages[at]
			c = &candidate{at: at, Hit: Hit{Key: p.key, Document: p.document, Number: int(p.number)}}
			hits[at] = c
		}
		return c
	}
	for i, f := range found {
		c := get(f.at)
		c.Lexical, c.LexicalRank, c.page = f.score, i+1, f.page
	}
	weight := o.VectorWeight
	if near := x.nearest(&x.meanings, q.Meaning, pool, q.Only); o.MeaningWeight > 0 && len(near) > 0 {
		weight = o.MeaningWeight
		for i, n := range near {
			c := get(n.at)
			c.Alike, c.VectorRank = float64(n.cosine), i+1
		}
	} else if o.VectorWeight > 0 && q.Vector != nil {
		for i, n := range x.nearest(&x.vectors, q.Vector, pool, q.Only) {
			c := get(n.at)
			c.Cosine, c.VectorRank = float64(n.cosine), i+1
		}
	}
	if q.Sense != nil && o.SenseWeight > 0 {
		for i, n := range x.senses.nearest(q.Sense, pool, x.may(q.Only)) {
			c := get(n.at)
			c.Sense, c.SenseRank = float64(n.cosine), i+1
		}
	}
	all := make([]*candidate, 0, len(hits))
	for _, c := range hits {
		c.Score = fuse(c, weight, o.SenseWeight)
		all = append(all, c)
	}
	order(all)
	for i, c := range all {
		c.FusedRank = i + 1
	}
	result := Result{}
	if o.Candidates > 0 {
		all = all[:min(len(all), o.Candidates+pagesBeside)]
		for _, c := range all {
			c.Cosine = cosine(&x.vectors, c.at, q.Vector, c.Cosine)
			c.Alike = cosine(&x.meanings, c.at, q.Meaning, c.Alike)
			if q.Sense != nil && c.Sense == 0 {
				c.Sense, _ = x.senses.best(c.at, q.Sense)
			}
		}
		m := x.matcher(question)
		defer m.done()
		x.weigh(m, q.Text, q.Vector, all, o)
		order(all)
		if e, any := x.answers(m, all, q, o); any {
			result.Evidence, result.Answers = e, e.Likely()
		}
	}
	if o.Distinct {
		all = x.distinct(all, q.Limit)
	}
	for _, c := range all[:min(len(all), q.Limit)] {
		result.Hits = append(result.Hits, c.Hit)
	}
	return result
}

// nearest are the passages with the nearest vectors, of some documents only if
// only is not nil.
func (x *Index) nearest(v *vectors, q []float32, most int, only map[int64]bool) []neighbour {
	if only == nil {
		return v.nearest(q, most)
	}
	var all []neighbour
	for document := range only {
		doc, there := x.byDoc[document]
		if !there {
			continue
		}
		for _, at := range x.documents[doc].passages {
			if of := v.of(at); len(of) == len(q) && len(q) > 0 {
				all = append(all, neighbour{at, float32(dot(of, q))})
			}
		}
	}
	slices.SortFunc(all, func(a, b neighbour) int {
		if a.cosine != b.cosine {
			return cmp.Compare(b.cosine, a.cosine)
		}
		return x.inOrder(a.at, b.at)
	})
	return all[:min(most, len(all))]
}

// may tells whether a passage is of the documents asked for; nil: all are.
func (x *Index) may(only map[int64]bool) func(at uint32) bool {
	if only == nil {
		return nil
	}
	return func(at uint32) bool { return only[x.passages[at].document] }
}

// cosine is that of a passage's vector with q, unless it is known already.
func cosine(v *vectors, at uint32, q []float32, known float64) float64 {
	if known != 0 || q == nil {
		return known
	}
	if of := v.of(at); len(of) == len(q) {
		return dot(of, q)
	}
	return 0
}

// candidate is a hit on its way.
type candidate struct {
	Hit
	at   uint32
	page float64 // BM25F of its document
}

func order(all []*candidate) {
	slices.SortFunc(all, func(a, b *candidate) int {
		return cmp.Or(cmp.Compare(b.Score, a.Score), cmp.Compare(a.Document, b.Document),
			cmp.Compare(a.Number, b.Number))
	})
}

// fuse is weighted reciprocal rank fusion (Cormack, Clarke and Büttcher, 2009).
func fuse(c *candidate, vectorWeight, senseWeight float64) (score float64) {
	const k = 60
	if c.LexicalRank > 0 {
		score += 1 / float64(k+c.LexicalRank)
	}
	if c.VectorRank > 0 {
		score += vectorWeight / float64(k+c.VectorRank)
	}
	if c.SenseRank > 0 {
		score += senseWeight / float64(k+c.SenseRank)
	}
	return score
}

type scored struct {
	at          uint32
	score, page float64
}

// scratch are arrays as long as the index, kept between searches.
type scratch struct {
	scores, frequency []float32
	touched, group    []uint32
	pages, said       []float32 // as long as there are documents
	pagesTouched      []uint32
	pageGroup         []uint32
}

// marks are numbers by term that are forgotten all at once; they are kept
// between searches.
type marks struct {
	round uint32
	seen  []uint32 // the round in which a term was last met
	value []uint64
}

var markPool = sync.Pool{New: func() any { return &marks{} }}

// newMarks returns marks for so many terms, none of which was met. Give them
// back to markPool.
func newMarks(terms int) *marks {
	m := markPool.Get().(*marks)
	if len(m.seen) < terms {
		m.seen, m.value, m.round = make([]uint32, terms*5/4), make([]uint64, terms*5/4), 0
	}
	if m.round++; m.round == 0 { // all numbers were used
		clear(m.seen)
		m.round = 1
	}
	return m
}

func (m *marks) of(id uint32) (value uint64, met bool) {
	return m.value[id], m.seen[id] == m.round
}

func (m *marks) set(id uint32, value uint64) { m.seen[id], m.value[id] = m.round, value }

var scratches = sync.Pool{New: func() any { return &scratch{} }}

// alikeWeight is what a word counts that stands for the one that was asked.
const alikeWeight = 0.5

// lexical finds passages by their words: BM25 with fields (Robertson, Zaragoza
// and Taylor, "Simple BM25 extension to multiple weighted fields", 2004). Words
// that mean the same count as one word said more often.
func (x *Index) lexical(question []wanted, o Options, most int, only map[int64]bool) []scored {
	s := scratches.Get().(*scratch)
	defer scratches.Put(s)
	s.fit(len(x.passages), len(x.documents))
	m := bm25{x: x, s: s, o: o, only: only}
	n := float64(len(x.passages) - x.dead)
	m.average = lengths{max(1, x.total.text/n), max(1, x.total.path/n), max(1, x.total.title/n)}
	m.long = max(1, x.total.text/float64(max(1, len(x.byDoc))))
	// What says most comes first. Once the rest cannot bring another passage
	// among the best, it counts only for those that are there already: words
	// that every passage has are many.
	byWeight, rest := make([]int, len(question)), 0.0
	for i, w := range question {
		byWeight[i] = i
		rest += w.weight
	}
	slices.SortStableFunc(byWeight, func(a, b int) int { return cmp.Compare(question[b].weight, question[a].weight) })
	for _, i := range byWeight {
		w := &question[i]
		m.closed = m.closed || s.reached(most, rest*(o.K1+1))
		rest -= w.weight
		m.word(w)
	}
	found := make([]scored, 0, len(s.touched))
	for _, at := range s.touched {
		found = append(found, scored{at, float64(s.scores[at]), float64(s.pages[x.passages[at].doc])})
	}
	chosen := best(found, most, x.inOrder)
	if o.Candidates > 0 {
		chosen = append(slices.Clip(chosen), x.ofBestPages(s, chosen)...)
	}
	s.clear()
	return chosen
}

// bm25 adds up the scores of one search.
type bm25 struct {
	x       *Index
	s       *scratch
	o       Options
	only    map[int64]bool
	average lengths // of the passages
	long    float64 // how long the documents are on average
	closed  bool    // only what has a score already gets more
}

// word adds what a word of the question brings, with those that mean the same.
func (m *bm25) word(w *wanted) {
	s, x := m.s, m.x
	s.group, s.pageGroup = s.group[:0], s.pageGroup[:0]
	if w.known {
		m.gather(w.id, 1)
	}
	for _, a := range w.alike {
		if a.form {
			m.gather(a.id, a.similar)
		} else {
			m.gather(a.id, alikeWeight*a.similar)
		}
	}
	k1, b := m.o.K1, m.o.B
	for _, at := range s.group {
		f := float64(s.frequency[at])
		s.frequency[at] = 0
		if m.only != nil && !m.only[x.passages[at].document] {
			continue
		}
		if s.scores[at] == 0 {
			s.touched = append(s.touched, at)
		}
		s.scores[at] += float32(w.weight * f * (k1 + 1) / (k1 + f))
	}
	for _, d := range s.pageGroup {
		f := float64(s.said[d]) / (1 - b + b*x.documents[d].text/m.long)
		s.said[d] = 0
		if s.pages[d] == 0 {
			s.pagesTouched = append(s.pagesTouched, d)
		}
		s.pages[d] += float32(w.weight * f * (k1 + 1) / (k1 + f))
	}
}

// gather adds up how often a term is said, by passage and by document.
func (m *bm25) gather(id uint32, weight float64) {
	s, x := m.s, m.x
	for _, p := range x.postings[id] {
		if m.closed && s.scores[p.at] == 0 {
			continue
		}
		shape := x.shapes[p.at]
		d := shape.doc
		if d == gone {
			continue
		}
		if s.frequency[p.at] == 0 {
			s.group = append(s.group, p.at)
		}
		s.frequency[p.at] += float32(weight * frequency(p, shape, m.average, m.o))
		if s.said[d] == 0 {
			s.pageGroup = append(s.pageGroup, d)
		}
		said := float64(p.text) + m.o.PathWeight*float64(p.path)
		if p.title > 0 {
			said += m.o.TitleWeight * float64(p.title) / float64(max(1, len(x.documents[d].passages)))
		}
		s.said[d] += float32(weight * said)
	}
}

// fit makes room for so many passages and documents.
func (s *scratch) fit(passages, documents int) {
	if len(s.scores) < passages {
		s.scores, s.frequency = make([]float32, passages*5/4), make([]float32, passages*5/4)
	}
	if len(s.pages) < documents {
		s.pages, s.said = make([]float32, documents*5/4), make([]float32, documents*5/4)
	}
	s.touched, s.pagesTouched = s.touched[:0], s.pagesTouched[:0]
}

// clear leaves it as the next search wants it.
func (s *scratch) clear() {
	for _, at := range s.touched {
		s.scores[at] = 0
	}
	for _, d := range s.pagesTouched {
		s.pages[d] = 0
	}
}

// reached reports whether so many passages have a score of at least least.
func (s *scratch) reached(most int, least float64) bool {
	if len(s.touched) < most {
		return false
	}
	n := 0
	for _, at := range s.touched {
		if float64(s.scores[at]) > least {
			if n++; n >= most {
				return true
			}
		}
	}
	return false
}

// pagesBeside is how many documents give their best passage to the candidates
// whether or not it is among the best of all.
const pagesBeside = 30

// ofBestPages returns the best passage of each of the best documents that has
// none among those chosen.
func (x *Index) ofBestPages(s *scratch, chosen []scored) (more []scored) {
	there := map[uint32]bool{}
	for _, c := range chosen {
		there[x.passages[c.at].doc] = true
	}
	documents := make([]scored, 0, len(s.pagesTouched))
	for _, d := range s.pagesTouched {
		documents = append(documents, scored{at: d, score: float64(s.pages[d])})
	}
	for _, d := range best(documents, pagesBeside,
		func(a, b uint32) int { return cmp.Compare(x.documents[a].id, x.documents[b].id) }) {
		if there[d.at] {
			continue
		}
		top := scored{page: d.score}
		for _, at := range x.documents[d.at].passages {
			if v := float64(s.scores[at]); v > top.score {
				top.at, top.score = at, v
			}
		}
		if top.score > 0 {
			more = append(more, top)
		}
	}
	return more
}

// frequency is how often a passage says a term, its fields weighed and each
// held against its usual length.
func frequency(p posting, d shape, average lengths, o Options) float64 {
	held := func(n float64, length uint16, usual float64) float64 {
		return n / (1 - o.B + o.B*float64(length)/usual)
	}
	f := 0.0
	if p.text > 0 {
		f += held(float64(p.text), d.text, average.text)
	}
	if p.path > 0 {
		f += o.PathWeight * held(float64(p.path), uint16(d.path), average.path)
	}
	if p.title > 0 {
		f += o.TitleWeight * held(float64(p.title), uint16(d.title), average.title)
	}
	return f
}

// inOrder is the order of passages as documents were added, whatever the order
// in which the index came to know them.
func (x *Index) inOrder(a, b uint32) int {
	p, q := &x.passages[a], &x.passages[b]
	return cmp.Or(cmp.Compare(p.document, q.document), cmp.Compare(p.number, q.number))
}

// best returns the highest scores in their order, those that are the same in
// another.
func best(all []scored, most int, order func(a, b uint32) int) []scored {
	byScore := func(a, b scored) int {
		if a.score != b.score {
			return cmp.Compare(b.score, a.score)
		}
		return order(a.at, b.at)
	}
	if len(all) > 4*most { // what cannot be among them need not be sorted
		threshold := quickThreshold(all, most)
		kept := all[:0]
		for _, s := range all {
			if s.score >= threshold {
				kept = append(kept, s)
			}
		}
		all = kept
	}
	slices.SortFunc(all, byScore)
	return all[:min(most, len(all))]
}

// quickThreshold is a score that at least most of all reach, and few more.
func quickThreshold(all []scored, most int) float64 {
	low, high := math.Inf(1), 0.0
	for _, s := range all {
		low, high = min(low, s.score), max(high, s.score)
	}
	const buckets = 1024
	if high == low {
		return low
	}
	var counts [buckets + 1]int
	for _, s := range all {
		counts[int((s.score-low)/(high-low)*buckets)]++
	}
	sum := 0
	for b := buckets; b >= 0; b-- {
		if sum += counts[b]; sum >= most {
			return low + float64(b)*(high-low)/buckets*(1-1e-9)
		}
	}
	return low
}

func dot(a, b []float32) float64 {
	sum := 0.0
	for i := range a {
		sum += float64(a[i]) * float64(b[i])
	}
	return sum
}

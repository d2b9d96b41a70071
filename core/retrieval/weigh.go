package retrieval

import (
	"cmp"
	"math"
	mathbits "math/bits"
	"slices"
)

// DefaultWeights are the mean of what was learnt from questions that documents ask
// themselves and from lay questions, and of what had been set on terms before; on
// other documents than those that docs/retrieval.md reports on.
var DefaultWeights = Signs{Lexical: 0.65, Covered: 0.35, Evenly: 1.5, Exact: 0.5, Title: 0.45, Titled: 0.3,
	Headed: 0.45,
	Lead:   0.8, Close: 1, Near: 1.55, Cosine: 2.05, About: 2.1, Named: 0.75, Whole: 1.35, Meaning: 2, Sense: 1.7,
	Page:     0.5,
	Document: 0.8}

// weigh sets the candidates' scores anew.
func (x *Index) weigh(m *matcher, text string, vector []float32, all []*candidate, o Options) {
	w := x.weighing(m, text, vector, all)
	if w.total == 0 {
		return
	}
	for _, c := range all {
		p := &x.passages[c.at]
		w.words(c, p)
		w.vectors(c, p)
		w.ranks(c)
		c.Score = c.Signs.Score(o.Weights)
	}
}

// weighing is what the candidates of one question are weighed against.
type weighing struct {
	*matcher
	vector        []float32 // of the question, as passages have theirs
	asked         []float32 // of the question, as titles have theirs; nil: none
	total, evenly float64   // weights of the question's words, and their roots
	leads         map[uint32][]float64
	// The best of all candidates.
	lexical, page, document float64
	evidence                map[int64]float64 // of each document's passages
	least, span             float64           // of the model's cosines
}

func (x *Index) weighing(m *matcher, text string, vector []float32, all []*candidate) *weighing {
	w := &weighing{matcher: m, vector: vector, leads: map[uint32][]float64{}, evidence: map[int64]float64{}}
	for _, q := range m.question {
		w.total += q.weight
		w.evenly += math.Sqrt(q.weight)
	}
	if v, known := x.words.Vector(text); known {
		w.asked = v[:]
	}
	documents := map[int64][]float64{}
	for _, c := range all {
		w.lexical, w.page = max(w.lexical, c.Lexical), max(w.page, c.page)
		documents[c.Document] = append(documents[c.Document], c.Lexical)
	}
	for d, scores := range documents {
		slices.SortFunc(scores, func(a, b float64) int { return cmp.Compare(b, a) })
		for i, s := range scores[:min(len(scores), 4)] {
			w.evidence[d] += s / float64(int(1)<<i)
		}
		w.document = max(w.document, w.evidence[d])
	}
	w.least, w.span = meant(all)
	return w
}

// words weighs how much of the question a passage says, and where.
func (w *weighing) words(c *candidate, p *passage) {
	s := &c.Signs
	title, path := p.head[:p.titles], p.head[p.titles:]
	lead, known := w.leads[p.doc]
	if !known {
		lead = w.best(w.x.passages[w.x.documents[p.doc].passages[0]].sequence)
		w.leads[p.doc] = lead
	}
	inTitle, inPath := w.best(title), w.best(path)
	said := w.matches(p.sequence) // until the next one is asked for
	inText := w.bestOf(said)
	s.Near, s.Close = w.near(said), w.close(said)
	for i, q := range w.question {
		b := max(inText[i], inTitle[i], inPath[i])
		s.Covered += q.weight * b / w.total
		s.Evenly += math.Sqrt(q.weight) * b / w.evenly
		s.Title += q.weight * inTitle[i] / w.total
		s.Headed += q.weight * inPath[i] / w.total
		s.Lead += math.Sqrt(q.weight) * max(lead[i], inTitle[i]) / w.evenly
		if b >= 1 && q.weight > 0 {
			s.Exact += q.weight / w.total
			c.Matched = append(c.Matched, q.surface)
		}
	}
	s.Titled = w.told(title)
}

// vectors weighs how near in meaning a passage and its document are.
func (w *weighing) vectors(c *candidate, p *passage) {
	s, d := &c.Signs, &w.x.documents[p.doc]
	s.Cosine, s.Sense = max(0, c.Cosine), max(0, c.Sense)
	if d.title != nil && w.asked != nil {
		s.Named = max(0, dot(d.title, w.asked))
	}
	if len(d.sum) == len(w.vector) && len(w.vector) > 0 {
		s.Whole = max(0, dot(d.sum, w.vector)/math.Sqrt(dot(d.sum, d.sum)+1e-9))
	}
	if v := w.x.vectors.of(d.passages[0]); v != nil && len(v) == len(w.vector) {
		s.About = max(0, dot(v, w.vector))
	}
	if w.span > 0 && c.meant() {
		s.Meaning = (c.Alike - w.least) / w.span
	}
}

// ranks weighs how a passage and its document stand to the best ones.
func (w *weighing) ranks(c *candidate) {
	part := func(of, best float64) float64 {
		if best <= 0 {
			return 0
		}
		return of / best
	}
	c.Signs.Lexical = part(c.Lexical, w.lexical)
	c.Signs.Page = part(c.page, w.page)
	c.Signs.Document = part(w.evidence[c.Document], w.document)
}

// meant is the least cosine of the model's vectors among candidates, and how
// far the highest lies above it: models differ much in both.
func meant(all []*candidate) (least, span float64) {
	least = math.Inf(1)
	most := 0.0
	for _, c := range all {
		if c.meant() {
			least, most = min(least, c.Alike), max(most, c.Alike)
		}
	}
	return least, most - least
}

// meant reports whether the passage has a model's vector.
func (c *candidate) meant() bool { return c.Alike != 0 || c.VectorRank > 0 }

// matcher holds the words of passages against those of a question, and
// remembers what it found.
type matcher struct {
	x        *Index
	question []wanted
	seen     *marks // by term, which of found it has, from 1; 0: none
	said     []match
	found    [][]float64 // how well it covers each word of the question
}

func (x *Index) matcher(question []wanted) *matcher {
	return &matcher{x: x, question: question, seen: newMarks(len(x.names))}
}

// done gives back what the matcher holds.
func (m *matcher) done() { markPool.Put(m.seen) }

// softWeight is how well a word covers another one at most that means the same.
const softWeight = 0.6

// of tells how well a term covers each word of the question; nil: none at all.
func (m *matcher) of(id uint32) []float64 {
	if at, met := m.seen.of(id); met {
		if at == 0 {
			return nil
		}
		return m.found[at-1]
	}
	var found []float64
	set := func(i int, v float64) {
		if v > 0 {
			if found == nil {
				found = make([]float64, len(m.question))
			}
			found[i] = v
		}
	}
	word := m.x.surfaces[id]
	for i, w := range m.question {
		switch {
		case w.known && w.id == id:
			set(i, 1)
		case w.word >= 0 && word >= 0 && bitsApart(w.mark, m.x.marks[id]) <= mostBitsCovered:
			set(i, max(covers(w.kin[id]), softWeight*similarity(m.x.words.Cosine(w.word, word))))
		case w.kin != nil:
			set(i, covers(w.kin[id]))
		}
	}
	if found == nil {
		m.seen.set(id, 0)
		return nil
	}
	m.found = append(m.found, found)
	m.seen.set(id, uint64(len(m.found)))
	return found
}

// covers is how well kin covers a word: other forms as they are, what means the same
// less.
func covers(kin float64) float64 {
	if kin >= kinForms {
		return kin
	}
	return softWeight * kin
}

// match is a term of a passage that covers words of the question.
type match struct {
	at  int // its place in the passage
	how []float64
}

// matches are those of a passage's terms that cover anything, in their order,
// until the next call.
func (m *matcher) matches(sequence []uint32) []match {
	m.said = m.said[:0]
	for at, id := range sequence {
		if how := m.of(id); how != nil {
			m.said = append(m.said, match{at, how})
		}
	}
	return m.said
}

// best tells how well some terms cover each word of the question.
func (m *matcher) best(terms []uint32) []float64 { return m.bestOf(m.matches(terms)) }

func (m *matcher) bestOf(said []match) []float64 {
	all := make([]float64, len(m.question))
	for _, n := range said {
		for i, v := range n.how {
			all[i] = max(all[i], v)
		}
	}
	return all
}

// told is how much of some terms the question says, weighed by their rarity.
func (m *matcher) told(terms []uint32) float64 {
	told, total := 0.0, 0.0
	for _, id := range terms {
		weight := m.x.idf(id)
		total += weight
		b := 0.0
		for i, v := range m.of(id) {
			if m.question[i].weight > 0 && !m.x.saysLittle(m.question[i].surface) {
				b = max(b, v)
			}
		}
		told += weight * b
	}
	if total == 0 {
		return 0
	}
	return told / total
}

// close is how much of the question, its words counting nearly the same, the
// best stretch of a few sentences covers.
func (m *matcher) close(matches []match) float64 {
	const stretch = 40
	total := 0.0
	for _, w := range m.question {
		total += math.Sqrt(w.weight)
	}
	if total == 0 {
		return 0
	}
	most := 0.0
	best := make([]float64, len(m.question))
	for i := range matches {
		if i > 0 && matches[i].at-matches[i-1].at < 4 {
			continue // the stretch before had nearly all of this one
		}
		clear(best)
		for _, n := range matches[i:] {
			if n.at-matches[i].at > stretch {
				break
			}
			for k, v := range n.how {
				best[k] = max(best[k], v)
			}
		}
		sum := 0.0
		for k, w := range m.question {
			sum += math.Sqrt(w.weight) * best[k]
		}
		most = max(most, sum/total)
	}
	return most
}

// near tells how near to each other words stand that stand together in the
// question, little ones left out.
func (m *matcher) near(said []match) float64 {
	const far = 12
	var content []int
	for i, w := range m.question {
		if !m.x.saysLittle(w.surface) {
			content = append(content, i)
		}
	}
	if len(content) < 2 {
		return 0
	}
	last := make([]int, len(m.question))
	for i := range last {
		last[i] = -far * 2
	}
	strength := make([]float64, len(m.question))
	pairs := make([]float64, len(content)-1)
	for _, n := range said {
		at := n.at
		for i, v := range n.how {
			if v < 0.3 {
				continue
			}
			for k := range pairs {
				a, b := content[k], content[k+1]
				if other := a + b - i; (i == a || i == b) && at-last[other] < far && at > last[other] {
					pairs[k] = max(pairs[k], v*strength[other]/math.Sqrt(float64(at-last[other])))
				}
			}
			last[i], strength[i] = at, v
		}
	}
	sum, total := 0.0, 0.0
	for k, p := range pairs {
		weight := min(m.question[content[k]].weight, m.question[content[k+1]].weight)
		sum += weight * p
		total += weight
	}
	if total == 0 {
		return 0
	}
	return sum / total
}

// distinct drops candidates that say nearly what a better one says.
func (x *Index) distinct(all []*candidate, most int) []*candidate {
	const compared = 64 // of those that are kept, each a bit
	var kept []*candidate
	var sizes []int // how many terms each has
	has := newMarks(len(x.names))
	defer markPool.Put(has)
	for _, c := range all {
		if len(kept) >= most {
			break
		}
		sequence := x.passages[c.at].sequence
		var shared [compared]int
		for _, id := range sequence {
			bits, met := has.of(id)
			for met && bits != 0 {
				shared[mathbits.TrailingZeros64(bits)]++
				bits &= bits - 1
			}
		}
		same := false
		for i, size := range sizes {
			// Neighbours overlap on purpose, and are joined.
			neighbours := kept[i].Document == c.Document && abs(kept[i].Number-c.Number) == 1
			if !neighbours && len(sequence) > 10 && float64(shared[i]) > 0.95*float64(len(sequence)) &&
				float64(size) < 1.5*float64(len(sequence)) {
				same = true
			}
		}
		if same {
			continue
		}
		if len(sizes) < compared {
			size := 0
			bit := uint64(1) << len(sizes)
			for _, id := range sequence {
				bits, met := has.of(id)
				if !met {
					bits = 0
				}
				if bits&bit == 0 {
					has.set(id, bits|bit)
					size++
				}
			}
			sizes = append(sizes, size)
		}
		kept = append(kept, c)
	}
	return kept
}

func abs(n int) int { return max(n, -n) }

package retrieval

import (
	"math"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"juvalogos/core/embedding"
)

// Features is what tells whether anything that was found answers a question,
// each about 0 to 1 unless it says otherwise.
type Features struct {
	// Of the five best candidates, the most that one has:
	// of the question, by its words or such as mean the same; words that are in no document count
	// fully, other than in ranking
	Covered float64
	Exact   float64 // of the question, by its very words
	Near    float64 // as in Signs
	Title   float64 // as in Signs
	// Of the five best documents, the most that one has:
	Page   float64 // BM25 of the whole, against the most that the question could have
	Absent float64 // of the question, by words that these documents are not about and this one does not have; below 0
	// Of all the documents:
	Native  float64 // how much more often they say the question's words than the language does; -1.5 to 1
	Missing float64 // of the question, by words that none has
	// Of the best candidate, and the means of the ten best:
	Score   float64 // against the most there could be
	Scores  float64
	Evenly  float64 // as in Signs
	Cosines float64 // of the ten nearest
	Close   float64 // as in Signs, the most of the five best
	// Of the encoder:
	Sense  float64 // cosine of the nearest window among the five best
	Senses float64 // mean of the five nearest passages
	Named  float64 // of the names and numbers of the question, those that the best passages do not have; 0 to 1
}

// Values are the features in their order.
func (e *Features) Values() []*float64 {
	return []*float64{&e.Covered, &e.Exact, &e.Near, &e.Title, &e.Page, &e.Absent, &e.Native, &e.Missing, &e.Score,
		&e.Scores, &e.Evenly, &e.Cosines, &e.Close, &e.Sense, &e.Senses, &e.Named}
}

// judgement is what each piece of evidence counts in the logarithm of the odds,
// and where these begin: a logistic regression on questions about other
// documents than those that docs/retrieval.md reports on.
var (
	judgement = Features{Covered: 0.85, Exact: 0.6, Near: 0.75, Title: 0.5, Page: 1, Absent: 1.2, Native: 0.35,
		Missing: -1.25, Score: 0.9, Evenly: 1.2, Cosines: 0.4, Close: 0.45, Senses: 1.35, Named: -0.6}
	doubt = -3.05
)

// UsuallyEnough is how likely something found must answer to count as an answer where
// nobody says otherwise; Calibration tells what that means.
const UsuallyEnough = 0.35

// Likely makes a likelihood of the features, 0 to 1.
func (e Features) Likely() float64 {
	odds := doubt
	w := judgement.Values()
	for i, v := range e.Values() {
		odds += *v * *w[i]
	}
	return 1 / (1 + math.Exp(-odds))
}

// asked is a question's words as evidence looks at them.
type asked struct {
	weights []float64 // how much each says; 0: little
	total   float64
	native  []float64 // how much more often the documents say it than the language does
	tells   []float64 // how much it says in the language; 0: unknown
	told    float64
}

func (x *Index) asked(question []wanted) asked {
	n := len(question)
	a := asked{weights: make([]float64, n), native: make([]float64, n), tells: make([]float64, n)}
	for i, w := range question {
		if x.saysLittle(w.surface) {
			continue
		}
		a.weights[i] = x.rarest()
		if w.known {
			a.weights[i] = x.idf(w.id)
		}
		if w.word >= 0 {
			a.tells[i] = embedding.Tells(w.word)
			a.weights[i] *= a.tells[i]
			a.native[i] = x.overSaid(w)
			a.told += a.tells[i]
		}
		a.total += a.weights[i]
	}
	return a
}

// overSaid is how much more often passages say a word than texts as long as
// they are do at large, in the decimal logarithm, from -1.5 to 1.
func (x *Index) overSaid(w wanted) float64 {
	const unsaid = 0.2 // times that a word counts as said that is not there
	rank, said := w.word, unsaid
	if w.known {
		if s := x.surfaces[w.id]; s >= 0 {
			rank = min(rank, s)
		}
		said += float64(x.alive[w.id])
	}
	passages := float64(len(x.passages) - x.dead)
	here := said / (passages + 1)
	anywhere := 1 - math.Exp(-x.total.text/max(1, passages)*embedding.Frequency(rank))
	return min(1, max(-1.5, math.Log10(here/anywhere)))
}

// answers gathers the evidence that one of the candidates, the best first,
// answers the question; false if nothing was asked or found.
func (x *Index) answers(m *matcher, all []*candidate, q Query, o Options) (e Features, any bool) {
	question := m.question
	a := x.asked(question)
	if a.total == 0 || len(all) == 0 {
		return e, false
	}
	for i, w := range question {
		if !w.known {
			e.Missing += a.weights[i] / a.total
		}
		if a.told > 0 {
			e.Native += a.tells[i] * a.native[i] / a.told
		}
	}
	for _, c := range all[:min(len(all), 5)] {
		p := &x.passages[c.at]
		covered, exact := a.covered(m.best(p.sequence), m.best(p.head))
		e.Covered, e.Exact = max(e.Covered, covered), max(e.Exact, exact)
		e.Near, e.Title, e.Close = max(e.Near, c.Signs.Near), max(e.Title, c.Signs.Title), max(e.Close, c.Signs.Close)
	}
	x.pages(&e, a, m, all)
	e.Page /= reachable(question, o)
	e.means(all, o)
	x.sensed(&e, all, q)
	x.named(&e, m, all, q.Text)
	return e, true
}

// covered is how much of the question two texts have together, by words that
// mean the same too and by its very words.
func (a asked) covered(one, other []float64) (covered, exact float64) {
	for i, weight := range a.weights {
		b := max(one[i], other[i])
		covered += weight * b / a.total
		if b >= 1 {
			exact += weight / a.total
		}
	}
	return covered, exact
}

// reachable is more than BM25 gives to any text.
func reachable(question []wanted, o Options) float64 {
	most := 1e-9
	for _, w := range question {
		most += w.weight * (o.K1 + 1)
	}
	return most
}

// longestLooked is how many passages of a document are looked through.
const longestLooked = 100

// pages gathers what the best documents say as a whole.
func (x *Index) pages(e *Features, a asked, m *matcher, all []*candidate) {
	for _, c := range all {
		e.Page = max(e.Page, c.page)
	}
	e.Absent = math.Inf(-1)
	seen := map[uint32]bool{}
	for _, c := range all {
		doc := x.passages[c.at].doc
		if seen[doc] {
			continue
		}
		if seen[doc] = true; len(seen) > 5 {
			break
		}
		has := m.best(x.passages[c.at].head)
		passages := x.documents[doc].passages
		for _, at := range passages[:min(len(passages), longestLooked)] {
			for _, n := range m.matches(x.passages[at].sequence) {
				for i, v := range n.how {
					has[i] = max(has[i], v)
				}
			}
		}
		absent := 0.0
		for i, b := range has {
			if a.told > 0 {
				absent += a.tells[i] * min(0, a.native[i]) * (1 - b) / a.told
			}
		}
		e.Absent = max(e.Absent, absent)
	}
}

// means gathers what the best candidates are like.
func (e *Features) means(all []*candidate, o Options) {
	most := 1e-9
	for _, v := range o.Weights.Values() {
		most += *v
	}
	e.Score = all[0].Score / most
	var cosines []float64
	for _, c := range all {
		cosines = append(cosines, c.Signs.Cosine)
	}
	slices.Sort(cosines)
	slices.Reverse(cosines)
	n := min(len(all), 10)
	for i := range n {
		e.Scores += all[i].Score / most / float64(n)
		e.Evenly += all[i].Signs.Evenly / float64(n)
		e.Cosines += cosines[i] / float64(n)
	}
}

// usualSenses is what Senses is on average.
const usualSenses = 0.6

// sensed gathers what the encoder says.
func (x *Index) sensed(e *Features, all []*candidate, q Query) {
	if q.Sense == nil || len(x.senses.has) == 0 {
		e.Senses = usualSenses // neither for nor against
		return
	}
	var cosines []float64
	for i, c := range all {
		if i < 5 {
			e.Sense = max(e.Sense, c.Sense)
		}
		cosines = append(cosines, c.Sense)
	}
	slices.Sort(cosines)
	slices.Reverse(cosines)
	n := min(5, len(cosines))
	for _, c := range cosines[:n] {
		e.Senses += c / float64(n)
	}
}

// named gathers which names and numbers of the question the best passages lack: words
// with a capital within it, and what has digits.
func (x *Index) named(e *Features, m *matcher, all []*candidate, text string) {
	names := namesOf(text)
	total, missing := 0.0, 0.0
	for i, w := range m.question {
		if !names[w.surface] {
			continue
		}
		total++
		there := false
		for _, c := range all[:min(len(all), 5)] {
			p := &x.passages[c.at]
			there = there || m.best(p.sequence)[i] >= 1 || m.best(p.head)[i] >= 1
		}
		if !there {
			missing++
		}
	}
	if total > 0 {
		e.Named = missing / total
	}
}

// namesOf are the words of a question, in lower case, that name something.
func namesOf(text string) map[string]bool {
	names := map[string]bool{}
	for i, w := range strings.FieldsFunc(text, func(r rune) bool {
		return !unicode.IsLetter(r) &&
			!unicode.IsDigit(r)
	}) {
		first, _ := utf8.DecodeRuneInString(w)
		if strings.ContainsFunc(w, unicode.IsDigit) || i > 0 && len(w) > 1 && unicode.IsUpper(first) {
			names[strings.ToLower(w)] = true
		}
	}
	return names
}

package citing

import (
	"math"
	"regexp"
	"slices"
	"strings"

	"juvalogos/core/embedding"
	"juvalogos/core/encoder"
	"juvalogos/core/evidence"
	"juvalogos/core/language"
	"juvalogos/core/lexicon"
)

// judge holds sentences against passages.
type judge struct {
	vectors  *embedding.Words
	lexicon  *lexicon.Lexicon
	passages []evidence.Passage
	question string
	foreign  bool                // the reply is in another language than the passages
	places   [][]*place          // of each passage: its sentences, then every two that follow each other
	all      int                 // places
	by       map[string][]*place // sentences by the stems of what they say
	around   []map[string]bool   // stems of each passage, its title and headings
	known    map[[2]string]lexicon.Relation
	told     []Told // what a model says
	taken    int    // of it
}

func newJudge(passages []evidence.Passage) *judge {
	j := &judge{vectors: embedding.Load(), lexicon: lexicon.Load(), passages: passages,
		known: map[[2]string]lexicon.Relation{}, by: map[string][]*place{}}
	for n, passage := range passages {
		places := j.placesOf(n, passage)
		j.places, j.all = append(j.places, places), j.all+len(places)
		around := map[string]bool{}
		for _, said := range append([]string{passage.Title}, passage.Path...) {
			for _, stem := range stemsOf(said) {
				around[stem] = true
			}
		}
		for _, p := range places {
			for _, stem := range p.stems {
				around[stem] = true
				if by := j.by[stem]; !p.two && (len(by) == 0 || by[len(by)-1] != p) {
					j.by[stem] = append(by, p)
				}
			}
		}
		j.around = append(j.around, around)
	}
	return j
}

// relation is what two words have to do with each other.
func (j *judge) relation(a, b string) lexicon.Relation {
	key := [2]string{a, b}
	r, known := j.known[key]
	if !known {
		r = j.lexicon.Between(a, b, 2)
		j.known[key] = r
	}
	return r
}

var (
	saysNothing = regexp.MustCompile(`(?i)\b(documents?|passages?|handbook|text|sources?|shelf)\b.{0,60}\b(do(es)? not|don't|doesn't|nothing|no )|\b(nothing|no information|not (mentioned|stated|said|covered))\b.{0,60}\b(documents?|passages?|sources?)\b|\bi (do not|don't|cannot|can't) (know|find|tell)\b`)
	asks        = regexp.MustCompile(`(?i)\b(who|whom|whose|what|which|when|where|why|how( (many|much|long|often|far|old|big|high))?)\b`)
	markup      = regexp.MustCompile("^\\s*([-*+]|\\d+[.)]|#+|>)\\s+|\\*\\*|__|`")
)

// claim reads a sentence; nil if it claims nothing.
func (j *judge) claim(sentence string) *text {
	sentence = markup.ReplaceAllString(sentence, "")
	if strings.HasSuffix(strings.TrimSpace(sentence), "?") || saysNothing.MatchString(sentence) {
		return nil
	}
	c := j.read(sentence)
	if said := len(c.words) + len(c.numbers); said < 3 {
		if said == 0 || j.question == "" {
			return nil
		}
		// "Four days." says what the question leaves open.
		if c = j.read(asks.ReplaceAllString(strings.TrimRight(j.question, "? "),
			"") + ": " + sentence); len(c.words)+len(c.numbers) < 3 {
			return nil
		}
	}
	return c
}

// signs are what tells whether a place says a claim.
type signs struct {
	Covered  float64 // of the claim's words, by what they weigh
	Nouns    float64 // of its nouns and names, that the place has not
	Strange  float64 // such nouns, where all around them is said
	Verbs    float64 // of its other words
	Names    float64 // names that the place has not
	Numbers  float64 // numbers that the place has not
	Other    float64 // numbers that the place says otherwise
	Denied   float64 // one says that it is so, the other that it is not
	Excluded float64 // words that exclude one of the place's
	Swapped  float64 // who does what to whom, the other way round
	Stronger float64 // it says must, all or only where the place does not
	Replaced float64 // nouns in whose stead the place has another word, those around it being the same
	Changed  float64 // other words of which that is so
	Topic    float64 // of the claim's words, without its numbers; says what a place speaks of, and counts nothing
	Alike    float64 // the encoder's cosine above 0.6, where nothing else decides
}

// values are the signs in their order.
func (s *signs) values() []*float64 {
	return []*float64{&s.Covered, &s.Nouns, &s.Strange, &s.Verbs, &s.Names, &s.Numbers, &s.Other, &s.Denied,
		&s.Excluded, &s.Swapped,
		&s.Stronger, &s.Replaced, &s.Changed, &s.Alike}
}

// weights are what the signs count in the logarithm of the odds that a place
// supports a claim; docs/retrieval.md says what they were set on.
var (
	weights = signs{Covered: 9, Nouns: -2.2, Strange: -2.5, Verbs: -0.5, Names: -6, Numbers: -4, Other: -6, Denied: -6,
		Excluded: -6,
		Swapped:  -7, Stronger: -6, Replaced: -4, Changed: -1.2, Alike: 24}
	doubt = -4.6
)

// likely is how likely a place with these signs supports.
func (s signs) likely() float64 {
	odds := doubt
	w := weights.values()
	for i, v := range s.values() {
		odds += *v * *w[i]
	}
	return 1 / (1 + math.Exp(-odds))
}

// against says that the place speaks of the same and says otherwise.
func (s signs) against() bool {
	return s.Topic >= 0.6 && (s.Other > 0 || s.Denied > 0 || s.Excluded > 0 || s.Swapped > 0)
}

// enough is how likely a place has to support.
const enough = 0.5

// match is how a place has a word of a claim.
type match struct {
	how       float64 // 0 to 1
	by        int     // the place's word; -1: none
	excluding int     // a word of the place that excludes it; -1: none
}

// matches finds how a place has each word of a claim. A word of the place that says
// one of the claim's stands for no other.
func (j *judge) matches(c, place *text) []match {
	all := make([]match, len(c.words))
	used := make([]bool, len(place.words))
	for i, w := range c.words {
		all[i] = match{0, -1, -1}
		for k := range place.words {
			if p := &place.words[k]; p.stem == w.stem || j.relation(w.said, p.said) == lexicon.Same {
				all[i] = match{1, k, -1}
				used[k] = true
				break
			}
		}
	}
	for i := range c.words {
		if all[i].by < 0 {
			all[i] = j.roughly(c.words[i], c, place, used)
		}
	}
	for i := range c.words {
		if all[i].by >= 0 && all[i].excluding < 0 {
			all[i].excluding = j.elsewhere(i, c, place, all)
		}
	}
	return all
}

// elsewhere finds what excludes a word of the claim in the clause of the place that has
// another word of the claim's clause, while the word itself stands in another one:
// glass in the blue bin is not said by "paper in the blue bin, glass in the green one".
func (j *judge) elsewhere(i int, c, place *text, all []match) int {
	w, own := c.words[i], place.words[all[i].by].part
	for k, m := range all {
		if m.by < 0 || m.how < 0.8 || c.words[k].part != w.part {
			continue
		}
		other := place.words[m.by].part
		if other == own || place.parts[own].goesOn && other == own-1 || place.parts[other].goesOn && own == other-1 &&
			c.words[k].noun && !place.excludesIn(j, w, other) {
			continue
		}
		for n := range place.words {
			if p := &place.words[n]; p.part == other && !c.has(p) && j.excludes(w, p) {
				return n
			}
		}
	}
	return -1
}

func (t *text) excludesIn(j *judge, w word, part int) bool {
	return slices.ContainsFunc(t.words, func(p word) bool { return p.part == part && j.excludes(w, &p) })
}

// excludes reports whether one word excludes another one.
func (j *judge) excludes(w word, p *word) bool {
	return j.relation(w.said, p.said) == lexicon.Opposite || language.Contrasts(w.stem)[p.stem] || negates(w.said,
		p.said)
}

// roughly finds a word that means about the same, or one that excludes it.
func (j *judge) roughly(w word, c, place *text, used []bool) match {
	m := match{0, -1, -1}
	for k := range place.words {
		p := &place.words[k]
		r := j.relation(w.said, p.said)
		switch {
		case j.excludes(w, p):
			if !c.has(p) {
				m.excluding = k
			}
			continue
		case used[k] || w.small || p.small:
			continue
		}
		how := 0.0
		switch r {
		case lexicon.Synonym, lexicon.Made:
			how = 0.9
		case lexicon.Broader:
			how = 0.5
		case lexicon.Narrower:
			how = 0.8
		case lexicon.None:
			if w.vector >= 0 && p.vector >= 0 && !w.name && j.vectors.Cosine(w.vector, p.vector) >= alikeEnough {
				how = 0.6
			}
		}
		if how > m.how {
			m.how, m.by = how, k
		}
	}
	if m.how >= 0.9 {
		m.excluding = -1
	}
	return m
}

// negates reports whether one word is the other with a no before it: used, misused.
func negates(a, b string) bool {
	if len(a) > len(b) {
		a, b = b, a
	}
	first, is := strings.CutSuffix(b, a)
	return is && len(a) > 3 && slices.Contains(noes, first)
}

// noes are beginnings that hardly ever mean anything else: import is not the opposite of
// port, and what "in", "dis" and "mis" deny the lexicon knows.
var noes = []string{"un", "non"}

// alikeEnough is the cosine from which a word stands for another.
const alikeEnough = 0.6

func (t *text) has(p *word) bool {
	return slices.ContainsFunc(t.words, func(w word) bool { return w.stem == p.stem })
}

// holds finds the place of a passage that says most of a claim, and the one that
// speaks most against it.
func (j *judge) holds(c *text, n int) (most float64, quote string, against *contrary) {
	alone := 0.0 // of the claim, by one sentence
	var single []signs
	if !c.sought {
		c.sought, c.near = true, j.near(c)
	}
	for k, p := range j.places[n] {
		if p.two && alone >= wellCovered {
			break
		}
		if c.near != nil && !c.near[p] && !(p.two && (c.near[j.places[n][k-len(single)]] ||
			c.near[j.places[n][k-len(single)+1]])) {
			if !p.two {
				single = append(single, signs{})
			}
			continue
		}
		if !p.about(c) {
			if !p.two {
				single = append(single, signs{})
			}
			continue
		}
		place := p.read()
		s := j.signs(c, place, n)
		if p.two {
			s.besides(single[k-len(single)], single[k-len(single)+1])
		} else {
			single = append(single, s)
			alone = max(alone, s.Covered)
		}
		score := s.likely()
		if s.open() && score < enough {
			s.Alike = max(0, j.alike(c, place)-0.6)
			score = s.likely()
		}
		if score > most || score == most && len(place.all) < len(quote) {
			most, quote = score, place.all
		}
		if s.against() && (against == nil || s.Topic > against.covered) {
			against = &contrary{s.Topic, place.all}
		}
	}
	return most, quote, against
}

// open says that nothing speaks against, and some for it.
func (s signs) open() bool {
	return s.Covered >= 0.2 &&
		s.Numbers+s.Other+s.Denied+s.Excluded+s.Swapped+s.Stronger+s.Names+s.Replaced+s.Nouns == 0
}

// alike is how near a claim and a place lie to each other by what they mean.
func (j *judge) alike(c, place *text) float64 {
	e := encoder.Load()
	for _, t := range []*text{c, place} {
		if t.vector == nil {
			t.vector = e.Encode(t.all)
		}
	}
	if c.vector == nil || place.vector == nil {
		return 0
	}
	return float64(embedding.Dot(c.vector, place.vector))
}

// wellCovered is how much of a claim one sentence says so that two are not looked at
// together: they say more between them than each says.
const wellCovered = 0.75

// besides takes over what speaks against in one of two sentences that says half of a
// claim already: what the other says does not undo it.
func (s *signs) besides(sentences ...signs) {
	for _, one := range sentences {
		if one.Covered < 0.4 {
			continue
		}
		for i, v := range one.values() {
			switch own := s.values()[i]; own {
			case &s.Other, &s.Denied, &s.Excluded, &s.Swapped, &s.Replaced:
				*own = max(*own, *v)
			}
		}
	}
}

// contrary is a place that says otherwise.
type contrary struct {
	covered float64
	quote   string
}

// signs compares a claim with a place.
func (j *judge) signs(c, place *text, n int) (s signs) {
	total := 0.0
	found := j.matches(c, place)
	by, excluding := make([]int, len(c.words)), make([]int, len(c.words))
	opposed := 0
	for i, w := range c.words {
		m := found[i]
		total += w.weight
		s.Covered += w.weight * m.how
		by[i], excluding[i] = m.by, m.excluding
		if m.excluding >= 0 {
			opposed++
		}
		if m.how >= 0.5 || w.small {
			continue
		}
		switch {
		case w.name && j.around[n][w.stem]:
			s.Names += 0.3
		case w.name:
			s.Names++
		case w.noun && j.around[n][w.stem]:
			s.Nouns += 0.5
		case w.noun:
			s.Nouns++
		default:
			s.Verbs += 0.5 + w.weight/2
		}
	}
	if total > 0 {
		s.Topic = s.Covered / total
	}
	for _, number := range c.numbers {
		total += 1.5
		switch j.against(number, place.numbersFor(number, c, by)) {
		case said:
			s.Covered += 1.5
		case otherwise:
			s.Other++
		default:
			s.Numbers++
		}
	}
	if total > 0 {
		s.Covered /= total
	}
	if s.Covered >= 0.8 {
		s.Strange = s.Nouns
	}
	s.Excluded = float64(opposed)
	s.Replaced, s.Changed = replaced(c, place, by)
	no := false
	for k, m := range c.inParts(place, by, excluding) {
		if m < 0 {
			continue
		}
		no = no || c.parts[k].no%2 != place.parts[m].no%2
		s.Stronger = max(s.Stronger, stronger(c.parts[k], place.parts[m]))
	}
	switch {
	case no && opposed > 0: // not open is closed
		s.Excluded = 0
	case no:
		s.Denied = 1
	}
	if j.swapped(c, place, by) || transposed(c, by) {
		s.Swapped = 1
	}
	return s
}

// inParts are the clauses of a place that have most of each of the claim's; -1:
// none has any of it.
func (t *text) inParts(place *text, by, excluding []int) []int {
	found := make([]int, len(t.parts))
	for k := range found {
		found[k] = -1
		weights, most := make([]float64, len(place.parts)), 0.0
		for i, w := range t.words {
			if w.part != k {
				continue
			}
			at := max(by[i], excluding[i])
			if at < 0 {
				continue
			}
			m := place.words[at].part
			if weights[m] += w.weight; weights[m] > most {
				found[k], most = m, weights[m]
			}
		}
	}
	return found
}

// stronger is how much more a claim says than its place: must for may, all for
// some, only where nothing says so.
func stronger(c, place part) (how float64) {
	if c.strict && !place.strict && place.free {
		how++
	}
	if c.all && place.some && !place.all {
		how++
	}
	if c.only && !place.only {
		how += 0.5
	}
	if place.only && !c.only {
		how += 0.3
	}
	return how
}

// numbersFor are the numbers of a place that one of a claim is compared with: of two
// sentences those of the one that has more of the claim's words, if it has any.
func (t *text) numbersFor(n number, c *text, by []int) []number {
	if !t.two || len(t.parts) < 2 {
		return t.numbers
	}
	weights := map[bool]float64{}
	for i, at := range by {
		if at >= 0 && c.words[i].part == n.part {
			weights[t.parts[t.words[at].part].begins >= t.second] += c.words[i].weight
		}
	}
	if weights[true] == weights[false] {
		return t.numbers
	}
	later := weights[true] > weights[false]
	var own []number
	for _, p := range t.numbers {
		if (t.parts[p.part].begins >= t.second) == later {
			own = append(own, p)
		}
	}
	if len(own) == 0 {
		return t.numbers
	}
	return own
}

// swapped reports whether a claim has the other way round what stands before and
// behind a verb of the place.
func (j *judge) swapped(c, place *text, by []int) bool {
	near := func(i, step int) int { // where the place has the next word that is no verb
		for k := i + step; k >= 0 && k < len(c.words) && c.words[k].part == c.words[i].part; k += step {
			if by[k] >= 0 && !c.words[k].verb {
				return by[k]
			}
		}
		return -1
	}
	for i, w := range c.words {
		if !w.verb || by[i] < 0 {
			continue
		}
		before, behind := near(i, -1), near(i, 1)
		if before < 0 || behind < 0 || place.words[before].part != place.words[behind].part {
			continue
		}
		crossed := before > by[i] && behind < by[i]
		straight := before < by[i] && behind > by[i]
		if crossed && c.passive == place.passive || straight && c.passive != place.passive {
			return true
		}
	}
	return false
}

// transposed reports whether two nouns of a claim stand in each other's place, with
// something between them, and all else in order.
func transposed(c *text, by []int) bool {
	var order []int // words of the claim that the place has
	for i := range by {
		if by[i] >= 0 {
			order = append(order, i)
		}
	}
	if len(order) < 4 {
		return false
	}
	first, last := -1, -1
	at := slices.Clone(order)
	slices.SortFunc(at, func(a, b int) int { return by[a] - by[b] })
	for k := range order {
		if at[k] == order[k] {
			continue
		}
		if first < 0 {
			first = k
		}
		last = k
	}
	if first < 0 || last-first < 2 {
		return false
	}
	a, b := order[first], order[last]
	if at[first] != b || at[last] != a || !c.words[a].noun || !c.words[b].noun {
		return false
	}
	for k := first + 1; k < last; k++ {
		if at[k] != order[k] {
			return false
		}
	}
	return true
}

// replaced counts words of a claim that the place does not have, where it has
// another one between the same words instead.
func replaced(c, place *text, by []int) (nouns, others float64) {
	used := make([]bool, len(place.words))
	for _, at := range by {
		if at >= 0 {
			used[at] = true
		}
	}
	for i := range c.words {
		if by[i] >= 0 || c.words[i].small {
			continue
		}
		before, behind := -1, len(place.words)
		if i > 0 {
			before = by[i-1]
		}
		if i+1 < len(by) && by[i+1] >= 0 {
			behind = by[i+1]
		}
		switch {
		case i > 0 && before < 0 || behind-before != 2 || used[before+1]:
		case i == 0 && behind != 1:
		case c.words[i].noun || c.words[i].name:
			nouns++
		default:
			others++
		}
	}
	return nouns, others
}

// best finds the passage that says most of a claim, and what speaks most against it.
func (j *judge) best(c *text) (at int, most float64, quote string, against *contrary, contrarily int) {
	for n := range j.places {
		score, q, a := j.holds(c, n)
		if score > most {
			at, most, quote = n, score, q
		}
		if a != nil && (against == nil || a.covered > against.covered) {
			against, contrarily = a, n
		}
	}
	return at, most, quote, against, contrarily
}

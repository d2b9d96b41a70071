package spotting

import (
	"cmp"
	"math"
	"slices"
	"strings"

	"juvalogos/core/embedding"
	"juvalogos/core/evidence"
	"juvalogos/core/language"
)

// Find answers a question from passages: at most so many answers that differ,
// the best first. sure is how likely the passages are to answer at all, 0 to 1.
func Find(question string, passages []evidence.Passage, sure float64, most int) []Answer {
	all := Gather(question, passages)
	for i := range all {
		all[i].Score = Weights.Score(all[i].Signs)
	}
	slices.SortStableFunc(all, func(a, b Answer) int { return cmp.Compare(b.Score, a.Score) })
	var out []Answer
	for _, a := range all {
		if len(out) == most {
			break
		}
		if !slices.ContainsFunc(out, func(b Answer) bool { return same(a, b) }) {
			out = append(out, a)
		}
	}
	for i := range out {
		rival := 0.0
		if i == 0 && len(out) > 1 {
			rival = out[1].Score
		} else if i > 0 {
			rival = out[0].Score
		}
		out[i].Confidence = confidence(out[i], rival, sure)
	}
	return out
}

// Factual reports whether a question asks for a fact that a few words can tell;
// why and how do not.
func Factual(question string) bool { return len(ask(question, embedding.Load()).kinds) > 0 }

// Gather returns all stretches of passages that could be an answer, not scored.
func Gather(question string, passages []evidence.Passage) (all []Answer) {
	words := embedding.Load()
	q := ask(question, words)
	if len(q.kinds) == 0 {
		return nil
	}
	for n, p := range passages {
		all = append(all, q.read(p, n, words)...)
	}
	return all
}

// same reports whether two answers say the same, or one is part of the other
// at the same place.
func same(a, b Answer) bool {
	if strings.EqualFold(a.Text, b.Text) {
		return true
	}
	return a.Passage == b.Passage && a.From < b.To && b.From < a.To
}

// read weighs the stretches of a passage.
func (q question) read(p evidence.Passage, rank int, words *embedding.Words) []Answer {
	above := q.covered(tokensOf(p.Title+" "+strings.Join(p.Path, " ")), words)
	var all []Answer
	sentences := lines(p.Text)
	matched := make([][]float64, len(sentences))
	tokens := make([][]token, len(sentences))
	for i, s := range sentences {
		tokens[i] = tokensOf(p.Text[s[0]:s[1]])
		matched[i] = q.covered(tokens[i], words)
	}
	for i, s := range sentences {
		covered, around := 0.0, 0.0
		before := 0.6
		if len(tokens[i]) > 0 && pronouns[tokens[i][0].lower] { // it goes on about the same
			before = 0.9
		}
		for k, t := range q.terms {
			own := matched[i][k]
			best := max(own, 0.8*above[k])
			if i > 0 {
				best = max(best, before*matched[i-1][k])
				if before > 0.6 {
					own = max(own, before*matched[i-1][k])
				}
			}
			covered += t.weight * own
			if i+1 < len(sentences) {
				best = max(best, 0.4*matched[i+1][k])
			}
			around += t.weight * best
		}
		if around == 0 || q.total == 0 {
			continue
		}
		alike := q.alike(tokens[i], words)
		for _, c := range q.stretches(tokens[i]) {
			a := Answer{Passage: rank, From: s[0] + tokens[i][c.from].from, To: s[0] + tokens[i][c.to-1].to,
				Sentence: s, Kind: c.kind}
			a.Text = p.Text[a.From:a.To]
			if a.Signs = q.weigh(c, tokens[i], alike, words); a.Signs.Apart == 0 {
				continue // it only repeats the question
			}
			a.Signs.Covered, a.Signs.Around, a.Signs.Rank = covered/q.total, around/q.total, 1/(1+0.25*float64(rank))
			all = append(all, a)
		}
	}
	return all
}

// lines are the sentences of a text; no sentence goes over the end of a line.
func lines(text string) (all [][2]int) {
	begin := 0
	for _, line := range strings.SplitAfter(text, "\n") {
		for _, s := range language.Sentences(line) {
			all = append(all, [2]int{begin + s[0], begin + s[1]})
		}
		begin += len(line)
	}
	return all
}

// alike is how much each token is like each term of the question, 0 to 1.
func (q question) alike(all []token, words *embedding.Words) [][]float64 {
	out := make([][]float64, len(q.terms))
	for k, t := range q.terms {
		out[k] = make([]float64, len(all))
		for i, w := range all {
			out[k][i] = t.like(w.lower, words)
		}
	}
	return out
}

// leastLike is the cosine from which words count as meaning the same.
const leastLike = 0.6

func (t term) like(lower string, words *embedding.Words) float64 {
	if stem(lower) == t.stem {
		return 1
	}
	if t.word < 0 || stopWords[lower] {
		return 0
	}
	if n, ok := words.Find(lower); ok {
		if c := float64(words.Cosine(t.word, n)); c >= leastLike {
			return 0.8 * c
		}
	}
	return 0
}

// covered is how well each term of the question is met among tokens.
func (q question) covered(all []token, words *embedding.Words) []float64 {
	out := make([]float64, len(q.terms))
	for k, t := range q.terms {
		for _, w := range all {
			out[k] = max(out[k], t.like(w.lower, words))
		}
	}
	return out
}

func (q question) weigh(c stretch, all []token, alike [][]float64, words *embedding.Words) (s Signs) {
	s.Kind = q.kinds[c.kind]
	fresh, said := 0, 0
	for i := c.from; i < c.to; i++ {
		if stopWords[all[i].lower] || c.kind == Amount && !all[i].number && q.counts(all[i].lower) {
			continue
		}
		said++
		if !q.words[stem(all[i].lower)] {
			fresh++
		}
	}
	if said > 0 {
		s.Apart = float64(fresh) / float64(said)
	}
	s.Short = math.Exp(-float64(max(0, c.to-c.from-3)) / 4)
	for i := c.from; i < c.to; i++ {
		if i > c.from && rates[all[i-1].lower] && !q.often {
			continue // one A YEAR is not how long
		}
		for _, u := range q.units {
			s.Unit = max(s.Unit, u.like(all[i].lower, words))
			if u.stem == "month" && months[all[i].lower] || u.stem == "day" && weekdays[all[i].lower] ||
				u.stem == "year" && year(all[i]) {
				s.Unit = 1
			}
		}
	}
	// What it counts may stand just behind.
	if c.to < len(all) && !all[c.to].gap {
		for _, u := range q.units {
			s.Unit = max(s.Unit, 0.7*u.like(all[c.to].lower, words))
		}
	}
	if c.kind == Amount && len(q.units) > 0 && s.Unit < 0.5 {
		s.Kind *= 0.5 // it counts something else
	}
	for k, t := range q.terms {
		best := 0.0
		for i, v := range alike[k] {
			if v == 0 || i >= c.from && i < c.to {
				continue
			}
			far := c.from - i
			if i >= c.to {
				far = i - c.to + 1
			}
			best = max(best, v*math.Exp(-float64(far-1)/6))
		}
		s.Near += t.weight * best
	}
	if q.total > 0 {
		s.Near /= q.total
	}
	s.Whole = q.whole(c, all)
	return s
}

// counts reports whether a word is what the question has counted.
func (q question) counts(lower string) bool {
	for _, u := range q.units {
		if u.stem == stem(lower) {
			return true
		}
	}
	return false
}

// whole tells a phrase from a piece of one.
func (q question) whole(c stretch, all []token) float64 {
	switch c.kind {
	case Amount:
		if c.to < len(all) && !all[c.to].gap && !stopWords[all[c.to].lower] && !clauseEnds[all[c.to].lower] &&
			all[c.to-1].number {
			return 0 // what it counts is left out
		}
		if c.to+1 < len(all) && !all[c.to].gap && rates[all[c.to].lower] && measured[stem(all[c.to+1].lower)] {
			return 0 // twice A YEAR
		}
		return 1
	case Thing:
		if c.from == 0 || all[c.from].gap {
			return 0.3 // often a verb
		}
		if c.to < len(all) && !all[c.to].gap && q.counts(all[c.to].lower) {
			return 0.3 // formic ACID, where an acid is asked for
		}
		if verbsFollow[all[c.from-1].lower] {
			return 0
		}
		return 1
	}
	return 1
}

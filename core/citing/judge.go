package citing

import (
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"juvalogos/core/embedding"
	"juvalogos/core/evidence"
	"juvalogos/core/language"
)

// enough is how much of a sentence a passage has to say to support it. What
// comes of it on labelled pairs is in docs/retrieval.md.
const enough = 0.62

// half is how much of a sentence's words a place has to say, whatever numbers it has.
const half = 0.5

// otherwise is what is taken off where one says that something is so and the other that it is
// not: the same words then speak against it.
const otherwise = 0.4

// alikeEnough is the cosine from which a word stands for another.
const alikeEnough = 0.6

// judge holds sentences against passages.
type judge struct {
	words    *embedding.Words
	passages []evidence.Passage
	windows  [][]window // of each passage
}

// window is one sentence of a passage, or two that follow each other.
type window struct {
	text    string
	stems   map[string]bool
	words   []int32
	numbers map[string]bool
	clauses []clause
}

// clause is a part of a sentence that says something by itself.
type clause struct {
	stems   map[string]bool // and numbers
	negated bool
}

// claim is what a sentence says that can be held against passages.
type claim struct {
	stems   []string
	weights []float64
	words   []int32 // vectors of each, or -1
	names   []bool  // written with a capital within the sentence
	numbers []string
	negated bool
}

func newJudge(passages []evidence.Passage) *judge {
	j := &judge{words: embedding.Load(), passages: passages}
	for _, passage := range passages {
		p := passage.Text
		var windows []window
		sentences := stretches(p)
		for i, s := range sentences {
			windows = append(windows, j.window(p[s[0]:s[1]]))
			if i+1 < len(sentences) {
				windows = append(windows, j.window(p[s[0]:sentences[i+1][1]]))
			}
		}
		j.windows = append(j.windows, windows)
	}
	return j
}

var (
	negation    = regexp.MustCompile(`(?i)\b(not|never|no|nobody|nothing|none|without|cannot|neither|nor)\b|n['’]t\b`)
	bound       = regexp.MustCompile(`(?i)\b(no|not|never)\b(\s+\w+){0,3}\s+(later|earlier|more|less|fewer|nearer|closer|longer|shorter|sooner|older|younger|higher|lower)\b|\bnot only\b`)
	clauseEnd   = regexp.MustCompile(`(?i)[,;:.!?()–—]+(\s|$)|\s\b(but|and|unless|if|because|which|who|when|while|until|so that|although)\b`)
	saysNothing = regexp.MustCompile(`(?i)\b(documents?|passages?|handbook|text|sources?|shelf)\b.{0,60}\b(do(es)? not|don't|doesn't|nothing|no )|\b(nothing|no information|not (mentioned|stated|said|covered))\b.{0,60}\b(documents?|passages?|sources?)\b|\bi (do not|don't|cannot|can't) (know|find|tell)\b`)
	markup      = regexp.MustCompile("^\\s*([-*+]|\\d+[.)]|#+|>)\\s+|\\*\\*|__|`")
)

// stopWords are words that claim nothing by themselves.
var stopWords = language.Union(language.StopWords("en"), language.Quantifiers,
	language.Set(`because while during after before again once
	according passage passages document documents says said say mention mentions mentioned however therefore thus
	usually often please`))

// cut takes numbers with what stands in them, and words up to their apostrophe.
var cut = language.Cutter{Apart: true, Joins: func(first, sign, next rune) bool {
	if unicode.IsDigit(first) {
		return strings.ContainsRune(".,:", sign) && unicode.IsDigit(next)
	}
	return sign == '\'' || sign == '’'
}}.Ready()

// tokens hands over the words and the numbers of a text. Where no spaces stand
// between words, pairs of characters stand for them.
func tokens(text string, word func(w string, capital bool, first bool), number func(string)) {
	first := true
	cut.Each(text, func(w language.Word) bool {
		opens := first
		first = false
		switch {
		case w.Number:
			number(strings.Trim(strings.ReplaceAll(w.Text, ",", "."), "."))
			return true
		case w.Unspaced:
			language.Bigrams(w.Text, func(from, to int) { word(w.Text[from:to], false, opens) })
			return true
		}
		lower, _, _ := strings.Cut(strings.ToLower(strings.ReplaceAll(w.Text, "’", "'")), "'")
		if n, is := language.Numeral(lower); is && lower != "one" {
			number(n)
			return true
		}
		capital, _ := utf8.DecodeRuneInString(w.Text)
		word(lower, unicode.IsUpper(capital), opens)
		return true
	})
}

func (j *judge) window(text string) window {
	w := window{text: text, stems: map[string]bool{}, numbers: map[string]bool{}, clauses: clausesOf(text)}
	tokens(text, func(word string, _, _ bool) {
		if stopWords[word] {
			return
		}
		w.stems[language.Stem("en", word)] = true
		if n, known := j.words.Find(word); known && !slices.Contains(w.words, n) {
			w.words = append(w.words, n)
		}
	}, func(n string) { w.numbers[n] = true })
	return w
}

// clausesOf are the clauses of a text, with whether each says no.
func clausesOf(text string) (all []clause) {
	at := 0
	for _, end := range append(clauseEnd.FindAllStringIndex(text, -1), []int{len(text), len(text)}) {
		part := text[at:end[0]]
		at = end[1]
		c := clause{stems: map[string]bool{}, negated: denies(part)}
		tokens(part, func(word string, _, _ bool) {
			if !stopWords[word] {
				c.stems[language.Stem("en", word)] = true
			}
		}, func(n string) { c.stems[n] = true })
		if len(c.stems) > 0 || c.negated {
			all = append(all, c)
		}
	}
	return all
}

// denies reports whether words say no; "not later than" is a bound and none.
func denies(text string) bool {
	return negation.MatchString(bound.ReplaceAllString(text, ""))
}

// deniesAsAWhole reports whether the clause that says most says no.
func deniesAsAWhole(clauses []clause) bool {
	most, no := -1, false
	for _, c := range clauses {
		if len(c.stems) > most {
			most, no = len(c.stems), c.negated
		}
	}
	return no
}

// denies reports whether the clause says no that says most of a claim.
func (w *window) denies(c *claim) bool {
	most, no := -1, false
	for _, one := range w.clauses {
		n := 0
		for _, stem := range append(c.stems[:len(c.stems):len(c.stems)], c.numbers...) {
			if one.stems[stem] {
				n++
			}
		}
		if n > most {
			most, no = n, one.negated
		}
	}
	return no
}

// excludes reports whether a place says something in a word's stead that excludes it: blue
// where a claim says red, and the claim does not say blue.
func (w *window) excludes(stem string, c *claim) bool {
	for other := range language.Contrasts(stem) {
		if w.stems[other] && !slices.Contains(c.stems, other) {
			return true
		}
	}
	return false
}

// claim reads a sentence; nil if it claims nothing.
func (j *judge) claim(text string) *claim {
	text = markup.ReplaceAllString(text, "")
	if strings.HasSuffix(strings.TrimSpace(text), "?") || saysNothing.MatchString(text) {
		return nil
	}
	c := &claim{negated: deniesAsAWhole(clausesOf(text))}
	tokens(text, func(word string, capital, first bool) {
		if stopWords[word] || len(word) < 2 {
			return
		}
		stem := language.Stem("en", word)
		if slices.Contains(c.stems, stem) {
			return
		}
		n, known := j.words.Find(word)
		weight := 1.0
		if !known {
			n, weight = -1, 1.3
		} else if n < 300 {
			weight = 0.5
		}
		name := capital && !first
		if name {
			weight = 1.5
		}
		c.stems, c.words, c.weights, c.names = append(c.stems, stem), append(c.words, n), append(c.weights, weight),
			append(c.names, name)
	}, func(n string) {
		if !slices.Contains(c.numbers, n) {
			c.numbers = append(c.numbers, n)
		}
	})
	if len(c.stems)+len(c.numbers) < 3 {
		return nil
	}
	return c
}

// holds tells how much of a claim a passage says in one place, 0 to 1, and the
// words of that place. A number that is not there weighs heavily, and so does a
// no where there was none.
func (j *judge) holds(c *claim, n int) (most float64, quote string) {
	for _, w := range j.windows[n] {
		sum, total := 0.0, 0.0
		for i, stem := range c.stems {
			total += c.weights[i]
			switch {
			case w.stems[stem]:
				sum += c.weights[i]
			case w.excludes(stem, c):
				sum -= 1.5 * c.weights[i]
				total += c.weights[i]
			case c.words[i] >= 0 && !c.names[i] && j.alike(c.words[i], w.words):
				sum += 0.6 * c.weights[i]
			}
		}
		spoken, words := sum, total // of words alone
		for _, number := range c.numbers {
			total += 2
			if w.numbers[number] {
				sum += 2
			} else {
				sum -= 1.5
			}
		}
		score := sum / total
		if words > 0 && spoken/words < half {
			score = min(score, spoken/words) // the numbers stand there, of something else
		}
		if c.negated != w.denies(c) {
			score -= otherwise
		}
		// Of two places that say as much the shorter one is quoted.
		if score > most || score == most && len(w.text) < len(quote) {
			most, quote = score, w.text
		}
	}
	return most, quote
}

func (j *judge) alike(word int32, others []int32) bool {
	for _, o := range others {
		if j.words.Cosine(word, o) >= alikeEnough {
			return true
		}
	}
	return false
}

// best finds the passage that says most of a claim.
func (j *judge) best(c *claim) (at int, most float64, quote string) {
	for n := range j.windows {
		if score, q := j.holds(c, n); score > most {
			at, most, quote = n, score, q
		}
	}
	return at, most, quote
}

package quiz

import (
	"fmt"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"juvalogos/core/evidence"
	"juvalogos/core/language"
	"juvalogos/core/words"
)

// Flaw is something wrong with a question, in a sentence that a model or a maker can act on.
type Flaw string

// Check holds questions against the sections that they come from, and against each other. It
// returns the flaws of each; one that has none may be asked. What a question says is compared
// by words and numbers: that an option says the same in wholly other words is not seen.
func Check(all []Question) [][]Flaw {
	flaws := make([][]Flaw, len(all))
	for i := range all {
		flaws[i] = all[i].flaws()
		for j := range i {
			if len(flaws[j]) == 0 && all[i].asksLike(&all[j]) {
				flaws[i] = append(flaws[i], Flaw(fmt.Sprintf("question %d asks the same; ask something else", j+1)))
				break
			}
		}
	}
	return flaws
}

// flaws are those of a question by itself.
func (q *Question) flaws() (all []Flaw) {
	if err := q.wrong(); err != nil {
		return []Flaw{Flaw(err.Error())}
	}
	right := q.Right()
	for i := range q.Options {
		for j := range i {
			if saysSame(q.Options[i].Text, q.Options[j].Text) {
				all = append(all, Flaw(fmt.Sprintf("the options %q and %q say the same", q.Options[j].Text,
					q.Options[i].Text)))
			}
		}
	}
	if f := q.givenAway(right); f != "" {
		all = append(all, f)
	}
	if q.Source == nil {
		return all
	}
	return append(all, q.againstText(right)...)
}

// givenAway says how one could tell the right option without knowing it.
func (q *Question) givenAway(right int) Flaw {
	length := func(i int) int { return utf8.RuneCountInString(q.Options[i].Text) }
	longest, shortest := 0, math.MaxInt
	for i := range q.Options {
		if i != right {
			longest, shortest = max(longest, length(i)), min(shortest, length(i))
		}
	}
	switch n := length(right); {
	case n*2 > longest*3 && n-longest > 12:
		return "the right option is much longer than the others; make them of about one length"
	case n*2 < shortest && shortest-n > 12:
		return "the right option is much shorter than the others; make them of about one length"
	}
	said := contentOf(q.Text)
	if own := contentOf(q.Options[right].Text); len(own.words) > 0 && own.within(said) {
		others := 0
		for i := range q.Options {
			if i != right && contentOf(q.Options[i].Text).within(said) {
				others++
			}
		}
		if others == 0 {
			return "the question itself says the right option"
		}
	}
	return ""
}

// againstText holds the options against the words that the question rests on.
func (q *Question) againstText(right int) (all []Flaw) {
	text := q.Source.Passage.Text
	at, end := find(text, q.Quote)
	if at < 0 {
		return []Flaw{"the words under quote do not stand in the text; copy one sentence of it as it is"}
	}
	if q.Translated {
		return nil
	}
	quote, stem := contentOf(text[at:end]), contentOf(q.Text)
	own := contentOf(q.Options[right].Text)
	switch {
	case len(own.words) == 0 && len(own.numbers) == 0:
		all = append(all,
			Flaw(fmt.Sprintf("whether %q is right cannot be told from words of the text; ask for something "+
				"that the text names", q.Options[right].Text)))
	case !own.supported(quote, stem):
		all = append(all, Flaw(fmt.Sprintf("the quoted words do not say that %q is right", q.Options[right].Text)))
	case !stem.touches(quote):
		all = append(all, "the quoted words are not about what is asked")
	}
	for i, o := range q.Options {
		if i == right {
			continue
		}
		if other := contentOf(o.Text); other.supported(quote, stem) && !other.opposed(own, quote) {
			all = append(all, Flaw(fmt.Sprintf("%q is right too by the quoted words", o.Text)))
			continue
		}
		for _, s := range language.Sentences(text) {
			sentence := contentOf(text[s[0]:s[1]])
			if stem.mostly(sentence) && contentOf(o.Text).supported(sentence, stem) &&
				len(contentOf(o.Text).words) > 0 {
				all = append(all, Flaw(fmt.Sprintf("%q is right too: the text says %q", o.Text,
					clipped(text[s[0]:s[1]]))))
				break
			}
		}
	}
	return all
}

func clipped(s string) string {
	s = strings.Join(strings.Fields(s), " ")
	if r := []rune(s); len(r) > 160 {
		return string(r[:159]) + "…"
	}
	return s
}

// asksLike reports whether two questions ask the same.
func (q *Question) asksLike(o *Question) bool {
	a, b := contentOf(q.Text), contentOf(o.Text)
	if !slices.Equal(a.numbers, b.numbers) || len(a.words) == 0 {
		return false
	}
	both := 0
	for w := range a.words {
		if b.words[w] {
			both++
		}
	}
	like := float64(both) / float64(len(a.words)+len(b.words)-both)
	r, s := q.Right(), o.Right()
	same := r >= 0 && s >= 0 && saysSame(q.Options[r].Text, o.Options[s].Text)
	return like >= 0.95 || like >= 0.5 && same // what row A pays is not what row B pays
}

// content is what of a text says something: stems of its words, and its numbers.
type content struct {
	words   map[string]bool
	numbers []float64
	not     bool
}

var numberIn = regexp.MustCompile(`\d[\d,]*(?:\.\d+)?`)

func contentOf(text string) content {
	c := content{words: map[string]bool{}}
	for _, n := range numberIn.FindAllString(text, -1) {
		if v, err := strconv.ParseFloat(strings.ReplaceAll(n, ",", ""), 64); err == nil {
			c.numbers = append(c.numbers, v)
		}
	}
	common := language.StopWords("en")
	for _, w := range words.Of(text) {
		if negations[w] {
			c.not = true
			continue
		}
		if digits, is := language.Numeral(w); is {
			if v, err := strconv.ParseFloat(digits, 64); err == nil {
				c.numbers = append(c.numbers, v)
				continue
			}
		}
		if _, err := strconv.ParseFloat(w, 64); err == nil || common[w] {
			continue
		}
		c.words[language.Stem("en", w)] = true
	}
	slices.Sort(c.numbers)
	return c
}

var negations = language.Set("not no never none neither nor cannot without nobody nothing")

// within reports whether all that c says stands in another.
func (c content) within(o content) bool {
	for w := range c.words {
		if !o.words[w] {
			return false
		}
	}
	return c.hasNumbers(o)
}

func (c content) hasNumbers(o content) bool {
	for _, n := range c.numbers {
		if !slices.Contains(o.numbers, n) {
			return false
		}
	}
	return true
}

// supported reports whether words say an option: its numbers, and most of what it says beyond
// the question.
func (c content) supported(quote, stem content) bool {
	if !c.hasNumbers(quote) || c.not != quote.not && c.not {
		return false
	}
	own, found := 0, 0
	for w := range c.words {
		if stem.words[w] && len(c.words) > 1 {
			continue
		}
		own++
		if quote.words[w] {
			found++
		}
	}
	if own == 0 {
		return len(c.numbers) > 0
	}
	return float64(found) >= supportedFrom*float64(own)
}

// supportedFrom is the part of an option's words that the quoted ones have to have.
const supportedFrom = 0.7

// opposed reports whether an option that has the quoted words says less of them than the right
// one does: an option that is only a part of it.
func (c content) opposed(right, quote content) bool {
	return c.within(right) && len(c.words) < len(right.words) && len(c.numbers) == len(right.numbers) ||
		c.not && !quote.not
}

// touches reports whether two texts have a word in common.
func (c content) touches(o content) bool {
	for w := range c.words {
		if o.words[w] {
			return true
		}
	}
	return len(c.words) == 0
}

// mostly reports whether most of what c says stands in another.
func (c content) mostly(o content) bool {
	found := 0
	for w := range c.words {
		if o.words[w] {
			found++
		}
	}
	return len(c.words) > 0 && 10*found >= 7*len(c.words) && c.hasNumbers(o)
}

// saysSame reports whether two texts say the same in the same words.
func saysSame(a, b string) bool {
	x, y := contentOf(a), contentOf(b)
	if len(x.words) == 0 && len(x.numbers) == 0 {
		return strings.EqualFold(strings.Join(words.Of(a), " "), strings.Join(words.Of(b), " "))
	}
	return x.not == y.not && slices.Equal(x.numbers, y.numbers) && x.within(y) && y.within(x)
}

// find is where a quote stands in a text, in bytes: white space and the kind of quotation
// marks aside; -1: nowhere.
func find(text, quote string) (from, to int) {
	parts := strings.Fields(strings.Trim(quote, " \t\n\"'“”‘’…."))
	if len(parts) < 2 {
		return -1, -1
	}
	for i, p := range parts {
		p = regexp.QuoteMeta(p)
		for _, marks := range []string{`["“”]`, `['‘’]`, `[-‐–—]`} {
			p = regexp.MustCompile(marks).ReplaceAllLiteralString(p, marks)
		}
		parts[i] = p
	}
	at := regexp.MustCompile(`(?i)` + strings.Join(parts, `\s+`)).FindStringIndex(text)
	if at == nil {
		return -1, -1
	}
	return at[0], at[1]
}

// Locate puts into a question where its words stand in the section it was made from; they
// have none where they do not stand there.
func (q *Question) Locate() {
	if q.Source == nil {
		return
	}
	q.Source.Marks = []evidence.Offsets{}
	from, to := find(q.Source.Passage.Text, q.Quote)
	if from < 0 {
		return
	}
	q.Quote = q.Source.Passage.Text[from:to]
	if q.Source.Passage.Consistent() {
		note := q.Source.Passage.Note(q.Quote)
		q.Source.Place, q.Source.Marks = note.Place, note.Marks
	}
}

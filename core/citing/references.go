package citing

import (
	"regexp"
	"slices"
	"strconv"
	"strings"

	"juvalogos/core/evidence"
	"juvalogos/core/language"
)

// otherForms are references as models write them that were not told how, or did not
// listen: 【2】, 【2†a.pdf】, [1-3], [Passage 2], (source 2), [^2], [1 and 2].
var otherForms = regexp.MustCompile(`(?i)【\s*((?:passages?|sources?|documents?|docs?|refs?)?[\s:.#]*\d{1,3}[^】]{0,60})】` +
	`|\[\^(\d{1,3})\]` +
	`|[\[(]((?:passages?|sources?|documents?|docs?|refs?|references?|no\.?|#)[\s:.#]*\d{1,3}(?:\s*(?:,|;|-|–|and|&)\s*\d{1,3})*)[\])]` +
	`|\[(\d{1,3}(?:\s*(?:,|;|-|–|and|&)\s*\d{1,3})+)\]`)

var numberOrRange = regexp.MustCompile(`(\d{1,3})(?:\s*[-–]\s*(\d{1,3}))?`)

// plainReferences writes references in one form, [1][2], outside code.
func plainReferences(reply string, passages int) string {
	code := fence.FindAllStringIndex(reply, -1)
	var b strings.Builder
	last := 0
	for _, at := range otherForms.FindAllStringSubmatchIndex(reply, -1) {
		if slices.ContainsFunc(code, func(c []int) bool { return at[0] < c[1] && at[1] > c[0] }) {
			continue
		}
		inner := ""
		for g := 2; g < len(at); g += 2 {
			if at[g] >= 0 {
				inner = reply[at[g]:at[g+1]]
			}
		}
		inner, _, _ = strings.Cut(inner, "†") // the name of a file follows
		var refs strings.Builder
		for _, m := range numberOrRange.FindAllStringSubmatch(inner, -1) {
			from, _ := strconv.Atoi(m[1])
			to, err := strconv.Atoi(m[2])
			if err != nil || to < from || to > passages {
				to = from
			}
			for n := from; n <= to; n++ {
				refs.WriteString("[" + strconv.Itoa(n) + "]")
			}
		}
		b.WriteString(reply[last:at[0]] + refs.String())
		last = at[1]
	}
	return b.String() + reply[last:]
}

// foreign reports whether a reply is in another language than the passages: what it
// says cannot be compared by its words then.
func foreign(reply string, passages []evidence.Passage) bool {
	own := language.Of(func(yield func(string) bool) { yield(reply) })
	theirs := language.Of(func(yield func(string) bool) {
		for _, p := range passages {
			if !yield(p.Text) {
				return
			}
		}
	})
	return own != "" && theirs != "" && own != theirs
}

// nearest is the sentence of a passage that shares most names and numbers with a
// claim in another language; the first where none does.
func (j *judge) nearest(c *text, n int) (quote string) {
	most := -1
	for _, p := range j.places[n] {
		if p.two {
			break
		}
		place := p.read()
		shared := 0
		for _, number := range c.numbers {
			if j.against(number, place.numbers) == said {
				shared += 2
			}
		}
		for _, w := range c.words {
			if place.has(&w) {
				shared++
			}
		}
		if shared > most {
			most, quote = shared, place.all
		}
	}
	return quote
}

// Numbered counts the passages that a reply rests on from 1, in the order in which it
// comes to them, and hands over the passages in that order, those it does not rest on
// behind them.
func (c Checked) Numbered(passages []evidence.Passage) (Checked, []evidence.Passage) {
	to := map[int]int{}
	ordered := make([]evidence.Passage, 0, len(passages))
	take := func(n int) {
		if _, known := to[n]; !known && n >= 1 && n <= len(passages) {
			to[n] = len(to) + 1
			p := passages[n-1]
			p.Number = to[n]
			ordered = append(ordered, p)
		}
	}
	for _, s := range c.Sentences {
		for _, m := range reference.FindAllStringSubmatch(c.Text[s.From:s.To], -1) {
			for _, n := range digits.FindAllString(m[1], -1) {
				number, _ := strconv.Atoi(n)
				take(number)
			}
		}
		for _, n := range s.Notes {
			take(n.Passage)
		}
	}
	for i := range passages {
		take(i + 1)
	}
	var b strings.Builder
	last := 0
	sentences := make([]evidence.Sentence, len(c.Sentences))
	for i, s := range c.Sentences {
		b.WriteString(c.Text[last:s.From])
		last = s.To
		text := reference.ReplaceAllStringFunc(c.Text[s.From:s.To], func(ref string) string {
			return digits.ReplaceAllStringFunc(ref, func(n string) string {
				number, _ := strconv.Atoi(n)
				if own, known := to[number]; known {
					return strconv.Itoa(own)
				}
				return n
			})
		})
		s.From = b.Len()
		b.WriteString(text)
		s.To = b.Len()
		notes := make([]evidence.Note, len(s.Notes))
		for k, n := range s.Notes {
			n.Passage = to[n.Passage]
			notes[k] = n
		}
		s.Notes = notes
		sentences[i] = s
	}
	b.WriteString(c.Text[last:])
	c.Text, c.Sentences = b.String(), sentences
	return c, ordered
}

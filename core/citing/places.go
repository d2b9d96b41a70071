package citing

import (
	"cmp"
	"slices"
	"strings"

	"juvalogos/core/evidence"
	"juvalogos/core/language"
)

// place is a sentence of a passage, or two that follow each other. It is read once a
// claim comes near it: texts of hundreds of pages are held against, too.
type place struct {
	j       *judge
	passage int
	said    string
	stems   []string // of what it says
	two     bool
	second  int   // where the second begins, or the white space before it
	text    *text // nil: it was not read yet
}

func (p *place) read() *text {
	if p.text == nil {
		p.text = p.j.read(p.said)
		p.text.two, p.text.second = p.two, p.second
	}
	return p.text
}

// placesOf are the sentences of a passage, then every two that follow each other.
func (j *judge) placesOf(n int, p evidence.Passage) (all []*place) {
	sentences := stretches(p.Text)
	for _, s := range sentences {
		said := p.Text[s[0]:s[1]]
		all = append(all, &place{j: j, passage: n, said: said, stems: stemsOf(said)})
	}
	for i := range max(0, len(sentences)-1) {
		all = append(all, &place{j: j, passage: n, said: p.Text[sentences[i][0]:sentences[i+1][1]],
			stems: slices.Concat(all[i].stems, all[i+1].stems), two: true,
			second: sentences[i+1][0] - sentences[i][0] - 2})
	}
	return all
}

// stemsOf are those of the words of a text, and its numbers as they stand there.
func stemsOf(text string) (stems []string) {
	cut.Each(text, func(w language.Word) bool {
		lower, _, _ := strings.Cut(strings.ToLower(strings.ReplaceAll(w.Text, "’", "'")), "'")
		if !little[lower] {
			stems = append(stems, language.Stem("en", lower))
		}
		return true
	})
	return stems
}

// fewPlaces are all looked at; of more, the nearPlaces that share most with a claim.
const (
	fewPlaces  = 600
	nearPlaces = 80
)

// near are the places that are held against a claim; nil: all.
func (j *judge) near(c *text) map[*place]bool {
	if j.all <= fewPlaces {
		return nil
	}
	shared := map[*place]int{}
	for _, stem := range stemsOf(c.all) {
		if by := j.by[stem]; len(by) <= j.all/4 { // others say nothing
			for _, p := range by {
				shared[p]++
			}
		}
	}
	all := make([]*place, 0, len(shared))
	for p := range shared {
		all = append(all, p)
	}
	slices.SortFunc(all, func(a, b *place) int {
		return cmp.Or(cmp.Compare(shared[b], shared[a]), cmp.Compare(a.passage, b.passage), cmp.Compare(a.said, b.said))
	})
	near := map[*place]bool{}
	for _, p := range all[:min(len(all), nearPlaces)] {
		near[p] = true
	}
	return near
}

package citing

import (
	"slices"
	"strings"
	"unicode"

	"juvalogos/core/evidence"
	"juvalogos/core/language"
)

// Told is what a model says of a sentence of a reply. Nothing of it is taken on trust:
// its words have to stand in the passage, and what numbers, names, a no and who did
// what say has to fit as anywhere else.
type Told struct {
	Sentence  int    // its place among those that were checked, from 0
	Passage   int    // from 1
	Words     string // of the passage, that say so
	Otherwise bool   // they say something else
}

// fewestTold are how many words have to be quoted, and leastTopic how much of the
// sentence has to be said there at all, by what it is about.
const (
	fewestTold    = 3
	leastTopic    = 0.1
	leastOpposite = 0.4
)

// CheckTold holds a reply against passages as Check does, and reads what a model says
// of its sentences where our own judgement finds nothing; taken is how many of these
// sayings hold.
func CheckTold(reply, question string, passages []evidence.Passage, told []Told) (out Checked, taken int) {
	j := newJudge(passages)
	j.question, j.foreign, j.told = question, foreign(reply, passages), told
	out = j.check(reply)
	return out, j.taken
}

// toldOf is what a model says of the sentence that comes next and what holds of it: a
// quote that is where it says, and nothing there that speaks against the claim, or
// enough of its topic if it is said to be otherwise.
func (j *judge) toldOf(n int, claim *text) (passage int, quote string, otherwise, any bool) {
	for _, t := range j.told {
		if t.Sentence != n || t.Passage < 1 || t.Passage > len(j.passages) {
			continue
		}
		quote := around(j.passages[t.Passage-1].Text, t.Words)
		if quote == "" || len(strings.Fields(t.Words)) < fewestTold {
			continue
		}
		s := j.signs(claim, j.read(quote), t.Passage-1)
		if t.Otherwise && s.Topic >= leastOpposite || !t.Otherwise && s.Topic >= leastTopic && s.fits() {
			j.taken++
			return t.Passage, quote, t.Otherwise, true
		}
	}
	return 0, "", false, false
}

// fits says that nothing speaks against: no number or name that the place has not, no
// no, no opposite, nobody else who did it.
func (s *signs) fits() bool {
	return s.Numbers+s.Other+s.Denied+s.Excluded+s.Swapped+s.Stronger+s.Names == 0
}

// around are the sentences of a text in which words stand, whatever is between them;
// "" if they do not stand there.
func around(text, words string) string {
	wanted := wordsOf(words)
	all := []language.Word{}
	cut.Each(text, func(w language.Word) bool {
		all = append(all, w)
		return true
	})
	if len(wanted) == 0 {
		return ""
	}
	for i := 0; i+len(wanted) <= len(all); i++ {
		if !slices.EqualFunc(wanted, all[i:i+len(wanted)], func(a string, b language.Word) bool {
			return a == strings.ToLower(b.Text)
		}) {
			continue
		}
		from, to := all[i].From, all[i+len(wanted)-1].To
		begin, end := from, to
		for _, s := range stretches(text) {
			if s[0] <= from && from < s[1] {
				begin = s[0]
			}
			if s[0] < to && to <= s[1] {
				end = s[1]
			}
		}
		return strings.TrimFunc(text[begin:end], unicode.IsSpace)
	}
	return ""
}

func wordsOf(text string) (words []string) {
	cut.Each(text, func(w language.Word) bool {
		words = append(words, strings.ToLower(w.Text))
		return true
	})
	return words
}

package spotting

import (
	"strings"

	"juvalogos/core/language"
)

// stretch is a run of tokens that may be an answer.
type stretch struct {
	from, to int // tokens
	kind     AnswerKind
}

// stretches gathers what in a sentence may be an answer.
func (q question) stretches(all []token) []stretch {
	var out []stretch
	seen := map[[2]int]AnswerKind{}
	add := func(from, to int, kind AnswerKind) {
		for from < to && (all[from].lower == "the" || all[from].lower == "a" || all[from].lower == "an") {
			from++
		}
		if from >= to {
			return
		}
		if k, is := seen[[2]int{from, to}]; is && k == kind {
			return
		}
		seen[[2]int{from, to}] = kind
		out = append(out, stretch{from, to, kind})
	}
	for i := range all {
		amounts(all, i, add)
		whens(all, i, add)
		names(all, i, add)
		q.things(all, i, add)
		wheres(all, i, add)
	}
	return out
}

// amounts adds a number that begins at i, alone and with what it counts.
func amounts(all []token, i int, add func(from, to int, kind AnswerKind)) {
	if !all[i].number || all[i].lower == "once" && i > 0 && all[i-1].lower == "at" || i > 0 && all[i-1].number &&
		!all[i].gap {
		return
	}
	j := i + 1
	for j < len(all) && !all[j].gap && (all[j].number || j+1 < len(all) && all[j+1].number &&
		(all[j].lower == "to" || all[j].lower == "or" || all[j].lower == "and")) {
		j++
	}
	add(i, j, Amount)
	for k := j; k < len(all) && k < j+2 && !all[k].gap; k++ {
		if w := all[k].lower; stopWords[w] && !(w == "of" && k == j) || clauseEnds[w] || all[k].number {
			break
		}
		add(i, k+1, Amount)
	}
	// once a week, four times a year
	for k := j; k < j+2 && k+1 < len(all) && !all[k].gap && !all[k+1].gap; k++ {
		if w := all[k].lower; w == "a" || w == "an" || w == "per" || w == "every" || w == "each" {
			add(i, k+2, Amount)
			break
		}
	}
	if i > 0 && !all[i].gap && all[i-1].lower == "every" && j < len(all) && !all[j].gap {
		add(i-1, j+1, Amount)
	}
}

func strong(t token) bool {
	return months[t.lower] && (t.lower != "may" && t.lower != "march" || t.capital && !t.opens) || weekdays[t.lower] ||
		seasons[t.lower] || year(t)
}

func year(t token) bool {
	return len(t.lower) == 4 && (t.lower[0] == '1' || t.lower[0] == '2') && strings.Trim(t.lower, "0123456789") == ""
}

var joinsTimes = language.Set("of the and to in on at between from until till by every each first second third " +
	"fourth last next middle end beginning start early late since before after about around or past o'clock half " +
	"only once day week")

// whens adds the time that begins at i.
func whens(all []token, i int, add func(from, to int, kind AnswerKind)) {
	weak := func(t token) bool { return joinsTimes[t.lower] || t.number }
	if !strong(all[i]) && !weak(all[i]) || i > 0 && !all[i].gap && (strong(all[i-1]) || weak(all[i-1])) {
		return
	}
	last, j := -1, i
	for j < len(all) && (j == i || !all[j].gap) && (strong(all[j]) || weak(all[j])) {
		// An hour is a time of the day where it follows past or at.
		if strong(all[j]) || all[j].number && j > i &&
			(all[j-1].lower == "past" || all[j-1].lower == "at" || all[j-1].lower == "to" && j > i+1 &&
				all[j-2].number) {
			last = j
		}
		j++
	}
	if last < 0 {
		return
	}
	for i < last && leading[all[i].lower] {
		i++
	}
	add(i, last+1, Time)
	// Each time within it, as well.
	for k := i; k <= last; k++ {
		if strong(all[k]) && (i != k || k != last) {
			add(k, k+1, Time)
		}
	}
}

// names adds the name that begins at i.
func names(all []token, i int, add func(from, to int, kind AnswerKind)) {
	if !all[i].capital || i > 0 && all[i-1].capital && !all[i].gap {
		return
	}
	j := i + 1
	for j < len(all) && !all[j].gap && (all[j].capital || j+1 < len(all) && all[j].lower == "of" && all[j+1].capital) {
		j++
	}
	for i < j && (stopWords[all[i].lower] || strong(all[i])) {
		i++
	}
	if i == j {
		return
	}
	if all[i].opens && j == i+1 && !title[all[i].lower] {
		return // the first word of a sentence is no name for that
	}
	if months[all[i].lower] || weekdays[all[i].lower] || j == i+1 && stopWords[all[i].lower] {
		return
	}
	if title[all[i].lower] {
		add(i, j, Person)
		return
	}
	add(i, j, Name)
	if j-i == 2 || j-i == 3 {
		add(i, j, Person)
	}
	add(i, j, Place)
}

// things adds phrases that begin at i: words that say something, joined by of
// and by and.
func (q question) things(all []token, i int, add func(from, to int, kind AnswerKind)) {
	if stopWords[all[i].lower] || clauseEnds[all[i].lower] {
		return
	}
	begins := i == 0 || all[i].gap || stopWords[all[i-1].lower] || clauseEnds[all[i-1].lower]
	for j := i + 1; j <= len(all) && j <= i+7; j++ {
		w := all[j-1]
		if j-1 > i && w.gap {
			return
		}
		ends := j == len(all) || all[j].gap || stopWords[all[j].lower] && all[j].lower != "of" ||
			clauseEnds[all[j].lower] || placing[all[j].lower] ||
			q.words[stem(all[j].lower)] // the YELLOW form
		if stopWords[w.lower] && w.lower != "of" && w.lower != "the" && w.lower != "a" && w.lower != "and" ||
			clauseEnds[w.lower] && w.lower != "and" {
			return
		}
		if ends && !stopWords[w.lower] && !clauseEnds[w.lower] && (begins || j-i <= 2) {
			add(i, j, Thing)
		}
	}
}

// wheres adds what begins at i with a word of place.
func wheres(all []token, i int, add func(from, to int, kind AnswerKind)) {
	if !placing[all[i].lower] {
		return
	}
	said := false
	for j := i + 1; j <= len(all) && j <= i+10; j++ {
		w := all[j-1]
		if j-1 > i && w.gap {
			return
		}
		if strong(w) {
			return
		}
		said = said || j-1 > i && !stopWords[w.lower]
		ends := j == len(all) || all[j].gap || clauseEnds[all[j].lower] || placing[all[j].lower]
		if ends && said && !stopWords[w.lower] {
			add(i, j, Place)
		}
	}
}

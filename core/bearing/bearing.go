// Package bearing tells which of several things that a conversation rests on a
// question bears on, so that what one article says is not given for the answer to a
// question about another.
//
// A question bears on what it names. One that names nothing goes on about what was
// spoken of last: what the question before it bore on, or what was brought since
// then. One that compares bears on all:
//
//	things := []bearing.Thing{{Names: []string{"Heather honey"}}, {Names: []string{"Sun hive"}}}
//	bearing.On(things, []string{"Who made the sun hive?"}, "And when?", "") // [1]
//
// Names are compared by the stems of their words; what stands in parentheses, and
// what is so common that it names nothing, is left out. Nothing here asks a model:
// what a question bears on is the same every time, and can be shown.
package bearing

import (
	"regexp"
	"slices"
	"strings"

	"juvalogos/core/language"
	"juvalogos/core/words"
)

// Thing is something that a conversation rests on.
type Thing struct {
	// Names are what it is called: its title, and what was asked for.
	Names []string
	// Language is that of its text, by ISO 639-1; "" is taken for English.
	Language string
	// After is how many questions had been asked when it came.
	After int
}

// On returns which things, by their numbers, a question bears on. earlier are the
// questions before it, the first one first; alone is the question in words that
// stand alone, "" if that is not known. Nil means that there are no things.
func On(things []Thing, earlier []string, question, alone string) []int {
	if len(things) == 0 {
		return nil
	}
	all := make([]int, len(things))
	for i := range things {
		all[i] = i
	}
	named := namer(things)
	if compares(question) {
		if some := named(question, len(earlier)); len(some) > 1 {
			return some
		}
		return all
	}
	if some := named(question, len(earlier)); some != nil {
		return some
	}
	// Spoken of last, as far as there was something to speak of.
	var last []int
	for n := 0; n <= len(earlier); n++ {
		if fresh := cameAfter(things, n); fresh != nil {
			last = fresh
		}
		if n == len(earlier) {
			break
		}
		switch some := named(earlier[n], n); {
		case some != nil:
			last = some
		case compares(earlier[n]):
			last = nil
		}
	}
	if last == nil {
		last = all
	}
	// Whoever put it in words that stand alone may know better; not than what came.
	if some := named(alone, len(earlier)); cameAfter(things, len(earlier)) == nil && some != nil {
		return some
	} else if within := both(some, last); within != nil {
		return within
	}
	return last
}

// both are the numbers in both lists.
func both(a, b []int) (some []int) {
	for _, i := range a {
		if slices.Contains(b, i) {
			some = append(some, i)
		}
	}
	return some
}

// cameAfter are the things that came when so many questions had been asked.
func cameAfter(things []Thing, n int) (some []int) {
	for i, t := range things {
		if t.After == n {
			some = append(some, i)
		}
	}
	return some
}

// compares reports whether a question asks for several things at once.
func compares(question string) bool {
	for _, w := range words.Of(question) {
		if comparing[w] {
			return true
		}
	}
	return false
}

// comparing are words that ask for more than one thing, in the languages that have
// sentences split here.
var comparing = language.Set("both either each compare compared comparison versus disagree disagrees differ differs " +
	"difference differences contradict contradicts beide beiden vergleich vergleiche unterschied unterschiede " +
	"widersprechen deux comparer différence différences contredisent ambos comparar diferencia diferencias entrambi " +
	"confronta differenza vergelijk verschil verschillen")

// A name is named by all of its words if these are few, else by a part of them.
const shortName, mostOf = 4, 0.5

// namer returns what tells the things that a text names, of those that had come after
// so many questions; nil: none.
func namer(things []Thing) func(text string, asked int) []int {
	type name struct {
		thing int
		words []string
		in    string
	}
	var all []name
	for i, t := range things {
		for _, n := range t.Names {
			if w := content(t.Language, n); len(w) > 0 {
				all = append(all, name{i, w, t.Language})
			}
		}
	}
	return func(text string, asked int) (some []int) {
		said := map[string]map[string]bool{}
		strength := make([]int, len(things))
		for _, n := range all {
			if things[n.thing].After > asked {
				continue
			}
			if said[n.in] == nil {
				said[n.in] = map[string]bool{}
				for _, w := range words.Of(text) {
					said[n.in][language.Stem(n.in, w)] = true
				}
			}
			hits := 0
			for _, w := range n.words {
				if said[n.in][w] {
					hits++
				}
			}
			if hits == len(n.words) || len(n.words) > shortName && float64(hits) >= mostOf*float64(len(n.words)) {
				strength[n.thing] = max(strength[n.thing], hits)
			}
		}
		for i, s := range strength {
			if s > 0 {
				some = append(some, i)
			}
		}
		return withoutParts(some, strength, things)
	}
}

// withoutParts leaves out what is named only because its name is part of a longer one
// that is named too, as "heather" in "heather honey".
func withoutParts(some []int, strength []int, things []Thing) (kept []int) {
	for _, i := range some {
		part := false
		for _, k := range some {
			if strength[k] <= strength[i] {
				continue
			}
			for _, long := range things[k].Names {
				for _, short := range things[i].Names {
					part = part || contains(content(things[k].Language, long), content(things[i].Language, short))
				}
			}
		}
		if !part {
			kept = append(kept, i)
		}
	}
	return kept
}

func contains(long, short []string) bool {
	if len(short) == 0 || len(short) >= len(long) {
		return false
	}
	there := map[string]bool{}
	for _, w := range long {
		there[w] = true
	}
	for _, w := range short {
		if !there[w] {
			return false
		}
	}
	return true
}

var aside = regexp.MustCompile(`\([^)]*\)`)

// content are the stems of the words that a name consists of, without those that
// name nothing.
func content(in, name string) (stems []string) {
	short := strings.TrimSpace(aside.ReplaceAllString(name, " "))
	if short == "" {
		short = name
	}
	stop := language.StopWords(orEnglish(in))
	for _, w := range words.Of(short) {
		if !stop[w] {
			stems = append(stems, language.Stem(in, w))
		}
	}
	return stems
}

func orEnglish(in string) string {
	if in == "" {
		return "en"
	}
	return in
}

package spotting

import (
	"slices"
	"strings"

	"juvalogos/core/embedding"
	"juvalogos/core/language"
)

// question is a question taken apart.
type question struct {
	kinds map[AnswerKind]float64 // what it asks for, the best 1
	terms []term
	total float64 // of their weights
	units []term  // how many KILOGRAMS, which COLOUR
	words map[string]bool
	often bool // it asks how often
}

// term is a word that says something.
type term struct {
	stem   string
	word   int32 // its vector's number, -1 if it has none
	weight float64
}

// measures are the units that a kind of amount comes in.
var measures = map[string][]string{
	"long":   fields("second minute hour day week month year metre meter centimetre millimetre kilometre cm mm m km"),
	"old":    fields("day week month year"),
	"often":  fields("time day week month year daily weekly once twice"),
	"far":    fields("metre meter kilometre mile cm mm m km step"),
	"high":   fields("metre meter centimetre millimetre cm mm m km foot"),
	"tall":   fields("metre meter centimetre millimetre cm mm m foot"),
	"wide":   fields("metre meter centimetre millimetre cm mm m finger"),
	"deep":   fields("metre meter centimetre millimetre cm mm m"),
	"thick":  fields("metre centimetre millimetre cm mm"),
	"large":  fields("metre centimetre millimetre cm mm m percent hectare litre"),
	"big":    fields("metre centimetre millimetre cm mm m percent hectare litre"),
	"heavy":  fields("kilogram gram tonne kg g pound"),
	"warm":   fields("degree °c °f"),
	"hot":    fields("degree °c °f"),
	"cold":   fields("degree °c °f"),
	"fast":   fields("metre kilometre second hour"),
	"cost":   fields("crown euro dollar pound franc cent penny € $ £"),
	"strong": fields("percent %"),
	"soon":   fields("second minute hour day week month"),
	"late":   fields("minute hour day week month"),
	"near":   fields("metre meter kilometre mile cm mm m km step"),
	"close":  fields("metre meter kilometre mile cm mm m km step"),
}

var (
	shares     = language.Set("percentage share proportion percent fraction")
	quantities = language.Set("number amount weight height length width age size temperature price fee cost distance " +
		"speed depth")
)

// costs are words that ask for money.
var costs = language.Set("cost price pay fee paid charge charged worth deposit expensive sell buy")

// asking is a question being taken apart.
type asking struct {
	question
	tokens []token
	vector *embedding.Words
	form   map[int]bool // the places of words that are the question's form
}

// ask reads a question.
func ask(text string, words *embedding.Words) question {
	a := asking{
		question: question{kinds: map[AnswerKind]float64{}, words: map[string]bool{}},
		tokens:   tokensOf(text), vector: words, form: map[int]bool{},
	}
	if !a.findForm() { // a heading rather than a question
		for _, k := range []AnswerKind{Thing, Amount, Time, Name, Place, Person} {
			a.kinds[k] = 1
		}
	}
	a.gatherTerms()
	return a.question
}

// findForm looks for the word that asks, and reports whether there is one.
func (a *asking) findForm() bool {
	for i, t := range a.tokens {
		switch t.lower {
		case "who", "whom", "whose":
			a.wants(Person, Name, Thing)
		case "when":
			a.wants(Time, Amount)
		case "where", "whither", "whence":
			a.wants(Place, Name, Thing)
		case "why": // no few words tell it
		case "how":
			a.readHow(i)
		case "what", "which":
			a.readWhat(i)
		default:
			continue
		}
		a.form[i] = true
		return true
	}
	return false
}

// wants notes the kinds of thing that are asked for, the likeliest first.
func (a *asking) wants(kinds ...AnswerKind) {
	for k, kind := range kinds {
		a.kinds[kind] = max(a.kinds[kind], 1-0.35*float64(k))
	}
}

// readHow reads "how many KILOGRAMS" and "how LONG"; HOW itself stands at i.
func (a *asking) readHow(i int) {
	next := ""
	if i+1 < len(a.tokens) {
		next = a.tokens[i+1].lower
	}
	switch {
	case next == "many" || next == "much":
		a.wants(Amount)
		a.form[i+1] = true
		a.unitsFrom(i + 2)
		if next == "much" {
			a.addMoney()
		}
	case measures[next] != nil:
		a.often = next == "often"
		a.wants(Amount, Time)
		a.form[i+1] = true
		a.addUnits(measures[next]...)
	}
}

// readWhat reads "what COLOUR is it" and "what is the PRICE of it", and not
// "what GIVES it"; WHAT itself stands at i.
func (a *asking) readWhat(i int) {
	switch head := a.head(i); {
	case times[stem(head)]:
		a.wants(Time, Amount)
	case shares[head]:
		a.wants(Amount)
		a.addUnits("percent", "%")
	case quantities[head]:
		a.wants(Amount, Thing)
		a.addMoney()
	case head == "person" || head == "people":
		a.wants(Person, Name, Thing)
	case head == "place" || head == "town" || head == "room" || head == "country" || head == "address":
		a.wants(Place, Name, Thing)
	default:
		a.wants(Thing, Name, Amount)
		if a.addMoney() { // what does it cost, what is the fee
			a.kinds[Amount] = 1
		}
	}
}

// head is the noun that WHAT or WHICH at i asks for, "" if there is none.
func (a *asking) head(i int) string {
	all, at := a.tokens, i+1
	if at >= len(all) || stopWords[all[at].lower] {
		for at < len(all) && stopWords[all[at].lower] {
			at++
		}
		if at < len(all) {
			return all[at].lower
		}
		return ""
	}
	head := ""
	for k := at; k < min(len(all), at+4) && head == ""; k++ {
		if stopWords[all[k].lower] {
			head = all[k-1].lower
		}
	}
	if head != "" || all[i].lower == "which" {
		a.unitsFrom(at)
	}
	return head
}

// unitsFrom takes up to three words from a place on as units.
func (a *asking) unitsFrom(from int) {
	for i := from; i < len(a.tokens) && i < from+3; i++ {
		w := a.tokens[i].lower
		if stopWords[w] || asks[w] {
			return
		}
		a.units = append(a.units, termOf(w, a.vector))
	}
}

// addUnits adds units by their names.
func (a *asking) addUnits(names ...string) {
	for _, n := range names {
		a.units = append(a.units, term{stem: stem(n), word: -1, weight: 1})
	}
}

// addMoney adds what money comes in, if the question is about a price, and
// reports whether it is.
func (a *asking) addMoney() bool {
	about := slices.ContainsFunc(a.tokens, func(t token) bool { return costs[stem(t.lower)] || costs[t.lower] })
	if about {
		a.addUnits(measures["cost"]...)
	}
	return about
}

// gatherTerms takes the words that say something.
func (a *asking) gatherTerms() {
	for i, t := range a.tokens {
		a.words[stem(t.lower)] = true
		if a.form[i] || stopWords[t.lower] || asks[t.lower] {
			continue
		}
		x := termOf(t.lower, a.vector)
		a.terms = append(a.terms, x)
		a.total += x.weight
	}
}

func termOf(lower string, words *embedding.Words) term {
	x := term{stem: stem(lower), word: -1, weight: 1}
	if n, ok := words.Find(lower); ok {
		x.word, x.weight = n, embedding.Tells(n)
	}
	return x
}

func fields(text string) []string { return strings.Fields(text) }

package spotting

import (
	"strings"

	"juvalogos/core/embedding"
	"juvalogos/core/language"
)

// question is a question taken apart.
type question struct {
	kinds map[Kind]float64 // what it asks for, the best 1
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
	quantities = language.Set("number amount weight height length width age size temperature price fee cost distance speed depth")
)

// costs are words that ask for money.
var costs = language.Set("cost price pay fee paid charge charged worth deposit expensive sell buy")

// ask reads a question.
func ask(text string, words *embedding.Words) question {
	q := question{kinds: map[Kind]float64{}, words: map[string]bool{}}
	all := tokensOf(text)
	skip := map[int]bool{} // words that are the question's form
	unit := func(from int) {
		for i := from; i < len(all) && i < from+3; i++ {
			w := all[i].lower
			if little[w] || asks[w] {
				break
			}
			q.units = append(q.units, termOf(w, words))
		}
	}
	money := func() {
		for _, t := range all {
			if costs[stem(t.lower)] || costs[t.lower] {
				for _, m := range measures["cost"] {
					q.units = append(q.units, term{stem: stem(m), word: -1, weight: 1})
				}
				return
			}
		}
	}
	found := false
	is := func(i int, kinds ...Kind) {
		found, skip[i] = true, true
		for k, kind := range kinds {
			q.kinds[kind] = max(q.kinds[kind], 1-0.35*float64(k))
		}
	}
	for i, t := range all {
		if found {
			break
		}
		next := ""
		if i+1 < len(all) {
			next = all[i+1].lower
		}
		switch t.lower {
		case "who", "whom", "whose":
			is(i, Person, Name, Thing)
		case "when":
			is(i, Time, Amount)
		case "where", "whither", "whence":
			is(i, Place, Name, Thing)
		case "why":
			is(i) // no few words tell it
		case "how":
			switch {
			case next == "many" || next == "much":
				is(i, Amount)
				skip[i+1] = true
				unit(i + 2)
				if next == "much" {
					money()
				}
			case measures[next] != nil:
				q.often = next == "often"
				is(i, Amount, Time)
				skip[i+1] = true
				for _, m := range measures[next] {
					q.units = append(q.units, term{stem: stem(m), word: -1, weight: 1})
				}
			default:
				is(i)
			}
		case "what", "which":
			// What COLOUR is it, what is the PRICE of it; not what GIVES it.
			head, at := "", i+1
			if at < len(all) && !little[all[at].lower] {
				for k := at; k < min(len(all), at+4) && head == ""; k++ {
					if little[all[k].lower] {
						head = all[k-1].lower
					}
				}
				if head != "" || t.lower == "which" {
					unit(at)
				}
			} else {
				for at < len(all) && little[all[at].lower] {
					at++
				}
				if at < len(all) {
					head = all[at].lower
				}
			}
			switch {
			case times[stem(head)]:
				is(i, Time, Amount)
			case shares[head]:
				is(i, Amount)
				q.units = append(q.units, term{stem: "percent", word: -1, weight: 1}, term{stem: "%", word: -1, weight: 1})
			case quantities[head]:
				is(i, Amount, Thing)
				money()
			case head == "person" || head == "people":
				is(i, Person, Name, Thing)
			case head == "place" || head == "town" || head == "room" || head == "country" || head == "address":
				is(i, Place, Name, Thing)
			default:
				is(i, Thing, Name, Amount)
				before := len(q.units)
				if money(); len(q.units) > before { // what does it cost, what is the fee
					q.kinds[Amount] = 1
				}
			}
		}
	}
	if !found { // a heading rather than a question
		for _, k := range []Kind{Thing, Amount, Time, Name, Place, Person} {
			q.kinds[k] = 1
		}
	}
	for i, t := range all {
		q.words[stem(t.lower)] = true
		if skip[i] || little[t.lower] || asks[t.lower] {
			continue
		}
		x := termOf(t.lower, words)
		q.terms = append(q.terms, x)
		q.total += x.weight
	}
	return q
}

func termOf(lower string, words *embedding.Words) term {
	x := term{stem: stem(lower), word: -1, weight: 1}
	if n, ok := words.Find(lower); ok {
		x.word, x.weight = n, embedding.Tells(n)
	}
	return x
}

func fields(text string) []string { return strings.Fields(text) }

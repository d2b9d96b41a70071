package retrieval

import "juvalogos/core/embedding"

// wanted is a word of a question.
type wanted struct {
	surface string
	term    string
	id      uint32
	known   bool    // some passage has it
	weight  float64 // how much it says
	word    int32   // its vector's number, or -1
	mark    [2]uint64
	alike   []alike
	kin     map[uint32]float64 // terms that stand for it by the lexicon, and how well
}

// weightOfParts is what the parts of an identifier count that is itself in the
// index.
const weightOfParts = 0.3

// littleWeight is what words count that every question has.
const littleWeight = 0.1

// read takes a question apart.
func (x *Index) read(text, language string, expand int) []wanted {
	var all []wanted
	var tokens []token
	x.stems.tokens(text, language, func(t token) {
		if !t.single {
			tokens = append(tokens, t)
		}
	})
	says := false // whether there is any word that is not little
	for _, t := range tokens {
		says = says || !x.saysLittle(t.surface)
	}
	wholeKnown := false
	for _, t := range tokens {
		id, known := x.known(t.term)
		for language := range x.languages { // a question is in one of the documents' languages
			if known || t.whole {
				break
			}
			if language == "" || language == "en" {
				continue // as it was looked for already
			}
			term := x.stems.of(language, t.surface)
			if id, known = x.known(term); known {
				t.term = term
			}
		}
		if t.whole {
			if wholeKnown = known; !known {
				continue // its parts stand for it
			}
		} else if !t.part {
			wholeKnown = false
		}
		w := wanted{surface: t.surface, term: t.term, id: id, known: known, word: -1}
		if known {
			w.weight = x.idf(id)
		} else {
			w.weight = x.rarest()
		}
		if t.part && wholeKnown {
			w.weight *= weightOfParts
		}
		if x.saysLittle(t.surface) && says {
			w.weight *= littleWeight
		} else if n, ok := x.words.Find(t.surface); ok && !t.whole {
			w.word, w.mark = n, x.words.Signature(n)
			w.weight *= embedding.Tells(n)
			if found := x.alike(n, t.term); expand > 0 {
				w.alike = found[:min(expand, len(found))]
			}
		}
		if expand > 0 && !t.whole && !x.saysLittle(t.surface) && x.inEnglish() {
			x.related(&w)
		}
		again := false
		for i := range all {
			if all[i].term == w.term {
				again = true
			}
		}
		if !again {
			all = append(all, w)
		}
	}
	// A word that nobody wrote may still be meant by those that are like it.
	for i := range all {
		if w := &all[i]; !w.known && len(w.alike) > 0 {
			w.weight = 0
			for _, a := range w.alike {
				w.weight = max(w.weight, x.idf(a.id)*a.similar)
			}
		}
	}
	return all
}

// known returns a term's number; false if no passage has it.
func (x *Index) known(term string) (uint32, bool) {
	id, ok := x.terms[term]
	return id, ok && x.alive[id] > 0
}

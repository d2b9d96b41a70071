package language

import (
	"iter"
	"strings"
	"unicode"
)

// frequent are words that every text of a language is full of.
var frequent = map[string]string{
	"en": "the of and to in is that it was for on are with as be this by not or from at have which but you can they",
	"de": "der die das und ist nicht ein eine zu den von mit sich auf für im dem des auch es an werden aus er hat " +
		"dass sie",
	"fr": "le la les de des et est un une dans que qui pour pas sur au avec ce il par plus ne sont en du cette",
	"es": "el la los las de y es en que un una por con para no se su del al lo como más pero sus le",
	"it": "il la di e che è un una per non con del della in sono si da come le dei al nel più anche gli",
	"nl": "de het een en van is niet dat in op te voor met zijn aan er ook als maar om uit bij door naar",
	"sv": "och att det som en på är av för med till den har inte om ett men jag var sig så från vi kan",
	"no": "og det som en på er av for med til den har ikke om et men jeg var seg så fra vi kan å",
	"pt": "o a os as de e é em que um uma por com para não se do da no na mais como mas ao dos",
	"cy": "y yn a i o yr ar mae ei am wedi gan fel bod i'r ac nid oedd eu hyn sydd dim wrth chi",
	"ru": "и в не на что с по это как из он она для от но все за так его же",
	"hu": "a az és hogy nem is egy van ez meg de csak mint már ha vagy még volt lehet",
}

// Of guesses the language of some texts from their most frequent words, or from
// their script; "" if it cannot tell.
func Of(texts iter.Seq[string]) string {
	counts := map[string]int{}
	said := map[string]map[string]bool{} // which of them, by language
	total := 0
	of := map[string][]string{}
	for language, list := range frequent {
		for w := range strings.FieldsSeq(list) {
			of[w] = append(of[w], language)
		}
	}
	for text := range texts {
		for w := range strings.FieldsFuncSeq(strings.ToLower(text), between) {
			total++
			for _, language := range of[w] {
				if said[language] == nil {
					said[language] = map[string]bool{}
				}
				if counts[language]++; len(w) > 1 { // single letters number and name things
					said[language][w] = true
				}
			}
			if language := scriptOf(w); language != "" {
				counts[language]++
				said[language] = nil
			}
		}
		if total > enoughWords {
			break
		}
	}
	best, second := "", 0
	for language, n := range counts {
		if n > counts[best] || n == counts[best] && language < best {
			best = language
		}
	}
	for language, n := range counts {
		if language != best {
			second = max(second, n)
		}
	}
	if counts[best]*12 < total || counts[best] == second {
		return ""
	}
	if words, byWords := said[best]; byWords && words != nil && len(words) < fewestSaid {
		return "" // by chance
	}
	return best
}

// fewestSaid is how many different frequent words, of more than a letter, tell a
// language.
const fewestSaid = 2

// enoughWords is after how many words no more texts are looked at.
const enoughWords = 5000

func between(r rune) bool { return !unicode.IsLetter(r) && r != '\'' }

// scriptOf is the language of a word whose script tells it.
func scriptOf(word string) string {
	found := ""
	for _, r := range word {
		switch {
		case r < 0x0E00:
			return ""
		case unicode.In(r, unicode.Hiragana, unicode.Katakana):
			return "ja" // though Chinese signs stand among them
		case unicode.Is(unicode.Han, r):
			found = "zh"
		case unicode.Is(unicode.Thai, r):
			found = "th"
		}
	}
	return found
}

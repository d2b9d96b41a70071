// Package words finds words in texts of any language: what a search looks for,
// and where it found it. It is the search through conversations, which people
// make of a word or two that they remember; retrieval, which has to find what
// answers a question, is a package of its own.
//
// Words are compared as runs of letters and digits in lower case, in Unicode's
// composed form, without stems: somebody who types "feed" and finds "feeding"
// has it because a word that was typed is the beginning of one that is looked
// for. Where a language has no spaces between words, pairs of characters stand
// in for words.
package words

import (
	"hash/maphash"
	"math/bits"
	"slices"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"

	"juvalogos/core/language"
)

// longest is how many bytes of a word count; what is longer is no word.
const longest = 100

// Of returns the different words of a text in the form in which they are
// compared: runs of letters and digits in lower case, in Unicode's composed
// form. They stand in the order in which the text has them.
func Of(text string) []string {
	text = strings.ToLower(text) // once for all, not word by word
	all := make([]string, 0, len(text)/8)
	// Places in all by hash, from 1; a word that meets another goes on to the
	// next free one. Never more than half full.
	places := make([]int32, 1<<bits.Len(uint(len(text)/4)))
	put := func(n int32, word string) bool {
		i := int(maphash.String(seed, word)) & (len(places) - 1)
		for ; places[i] != 0; i = (i + 1) & (len(places) - 1) {
			if all[places[i]-1] == word {
				return false
			}
		}
		places[i] = n
		return true
	}
	each(text, func(_, _ int, word string) bool {
		if !put(int32(len(all)+1), word) {
			return true
		}
		if all = append(all, word); 2*len(all) >= len(places) {
			places = make([]int32, 4*len(places))
			for i, word := range all {
				put(int32(i+1), word)
			}
		}
		return true
	})
	return all
}

var seed = maphash.MakeSeed()

// Query returns the words that somebody typed, in their order, at most most.
func Query(typed string, most int) (query []string) {
	end := 0
	each(typed, func(_, to int, word string) bool {
		// The last character of a run is in the pair before it.
		if to != end && !slices.Contains(query, word) {
			query = append(query, word)
		}
		end = to
		return len(query) < most
	})
	return query
}

// cut takes runs of letters, digits and marks.
var cut = language.Cutter{}.Ready()

// each hands over the words of a text with the bytes they take in it, until do
// says no. Of a run without spaces these are its pairs of characters, and the
// last character by itself: so each is the beginning of one.
func each(text string, do func(from, to int, word string) bool) {
	cut.Each(text, func(w language.Word) bool {
		if !w.Unspaced {
			return do(w.From, w.To, form(w.Text))
		}
		goesOn, last := true, 0
		language.Bigrams(w.Text, func(from, to int) {
			goesOn = goesOn && do(w.From+from, w.From+to, form(w.Text[from:to]))
			last = from
		})
		language.Characters(w.Text, func(from, to int) {
			if from > last && to == len(w.Text) {
				goesOn = goesOn && do(w.From+from, w.To, form(w.Text[from:to]))
			}
		})
		return goesOn
	})
}

// form is that in which a word is compared.
func form(word string) string {
	if len(word) <= longest && plain(word) {
		return word
	}
	word = strings.ToLower(norm.NFC.String(word))
	if len(word) > longest {
		word = strings.ToValidUTF8(word[:longest], "")
	}
	return word
}

// plain reports whether a word is nothing but digits and a to z.
func plain(word string) bool {
	for i := range len(word) {
		if b := word[i]; b >= utf8.RuneSelf || 'A' <= b && b <= 'Z' {
			return false
		}
	}
	return true
}

// Piece is a part of an excerpt; Hit says that it is what was looked for.
type Piece struct {
	Text string
	Hit  bool
}

// around is how many words an excerpt has at most.
const around = 24

// Excerpt cuts out of a text the stretch that has most of a query's words, each
// as the beginning of a word; nil if it has none of them.
func Excerpt(text string, query []string) []Piece {
	type place struct{ from, to, of int } // of: which word of the query, -1 for none
	var places []place
	each(text, func(from, to int, word string) bool {
		of := slices.IndexFunc(query, func(q string) bool { return strings.HasPrefix(word, q) })
		places = append(places, place{from, to, of})
		return true
	})
	best, bestScore := -1, 0
	counts := make([]int, len(query))
	score := 0
	for i, p := range places { // the window that ends with i
		if p.of >= 0 {
			if counts[p.of]++; counts[p.of] == 1 {
				score++
			}
		}
		if i >= around {
			if old := places[i-around]; old.of >= 0 {
				if counts[old.of]--; counts[old.of] == 0 {
					score--
				}
			}
		}
		if score > bestScore {
			best, bestScore = i, score
		}
	}
	if best < 0 {
		return nil
	}
	// The stretch goes from a few words before the first hit on.
	start := max(0, best-around+1)
	for start < best && places[start].of < 0 {
		start++
	}
	start = max(0, start-4)
	end := min(len(places), start+around)
	var pieces []Piece
	say := func(text string, hit bool) {
		if text = strings.Join(strings.FieldsFunc(text,
			func(r rune) bool { return r == '\n' || r == '\r' || r == '\t' }), " "); text != "" {
			pieces = append(pieces, Piece{text, hit})
		}
	}
	at := places[start].from
	if start > 0 {
		say("… ", false)
	}
	for _, p := range places[start:end] {
		if from := max(at, p.from); p.of >= 0 && from < p.to { // pairs of characters overlap
			say(text[at:from], false)
			say(text[from:p.to], true)
			at = p.to
		}
	}
	say(text[at:max(at, places[end-1].to)], false)
	if end < len(places) {
		say(" …", false)
	}
	return pieces
}

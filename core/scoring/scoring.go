// Package scoring measures how far what a recogniser wrote is from what was said, and how
// sure a share of right answers is.
//
//	e := scoring.Words("Light the smoker.", "light a smoker")
//	fmt.Println(e.Rate()) // 0.333…
//
// Rates are edit distances (Levenshtein 1966) over the length of the truth: words or
// characters that are other, missing or too many. Before that both texts are normalised:
// Unicode NFKC, small letters, no punctuation and no marks between words; hyphens part
// words, apostrophes do not. Numbers stay as they are written.
package scoring

import (
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"
)

// Errors are how a text differs from the truth, in the fewest changes.
type Errors struct {
	Other, Missing, More int // words or characters
	Of                   int // of the truth
}

// Rate is the errors over the length of the truth; of an empty truth it is their number.
func (e Errors) Rate() float64 { return float64(e.Other+e.Missing+e.More) / float64(max(e.Of, 1)) }

// Add adds up errors of several texts.
func (e Errors) Add(o Errors) Errors {
	return Errors{e.Other + o.Other, e.Missing + o.Missing, e.More + o.More, e.Of + o.Of}
}

// Words are the errors in words. Time and memory grow with the product of the lengths.
func Words(truth, text string) Errors {
	return distance(strings.Fields(Normal(truth)), strings.Fields(Normal(text)))
}

// Characters are the errors in characters, a space between words being one.
func Characters(truth, text string) Errors {
	return distance(strings.Split(Normal(truth), ""), strings.Split(Normal(text), ""))
}

// Normal is a text as it is compared.
func Normal(text string) string {
	var b strings.Builder
	for _, r := range norm.NFKC.String(text) {
		switch {
		case unicode.IsLetter(r), unicode.IsDigit(r), unicode.IsMark(r):
			b.WriteRune(unicode.ToLower(r))
		case r == '\'' || r == '’':
		default:
			b.WriteByte(' ')
		}
	}
	return strings.Join(strings.Fields(b.String()), " ")
}

// way is the fewest changes that lead to a place.
type way struct{ other, missing, more int32 }

func (w way) all() int32 { return w.other + w.missing + w.more }

func distance(truth, text []string) Errors {
	row := make([]way, len(text)+1)
	for j := range row {
		row[j].more = int32(j)
	}
	for i, want := range truth {
		before := row[0]
		row[0].missing = int32(i + 1)
		for j, got := range text {
			best := before
			if want != got {
				best.other++
			}
			if up := row[j+1]; up.all()+1 < best.all() {
				best = up
				best.missing++
			}
			if left := row[j]; left.all()+1 < best.all() {
				best = left
				best.more++
			}
			before, row[j+1] = row[j+1], best
		}
	}
	end := row[len(text)]
	return Errors{int(end.other), int(end.missing), int(end.more), len(truth)}
}

package language

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// Word is a word or a number of a text as it stands there.
type Word struct {
	Text     string
	From, To int  // bytes of the text
	Number   bool // it begins with a digit
	Unspaced bool // a run of a script that sets no spaces between words
}

// A Cutter cuts texts into words: runs of letters, digits and marks. What else
// belongs to a word, its fields say. The zero value cuts at everything else.
// Make it Ready once; a ready one may be used by many at once.
type Cutter struct {
	// Signs belong to words as letters do.
	Signs string
	// Joins reports whether a sign joins the word before it, which begins with
	// first, to next, which stands directly behind it; next is 0 at the end. nil:
	// none does.
	Joins func(first, sign, next rune) bool
	// Apart makes letters and digits that meet words of their own.
	Apart bool

	ascii [utf8.RuneSelf]class
}

// class is what a sign is to a Cutter.
type class byte

const (
	other class = iota
	letter
	digit
	unspaced
)

// Ready returns a cutter that can be used.
func (c Cutter) Ready() *Cutter {
	for r := range c.ascii {
		c.ascii[r] = c.classOf(rune(r))
	}
	return &c
}

func (c *Cutter) classOf(r rune) class {
	switch {
	case unicode.IsDigit(r):
		return digit
	case Unspaced(r):
		return unspaced
	case unicode.IsLetter(r), unicode.IsMark(r), strings.ContainsRune(c.Signs, r):
		return letter
	}
	return other
}

func (c *Cutter) class(r rune) class {
	if r < utf8.RuneSelf {
		return c.ascii[r]
	}
	return c.classOf(r)
}

// Each hands over the words of a text in their order, until do returns false.
func (c *Cutter) Each(text string, do func(Word) bool) {
	from, was := -1, other // where a word began, and with what
	first := rune(0)
	end := func(to int) bool {
		if from < 0 {
			return true
		}
		w := Word{Text: text[from:to], From: from, To: to, Number: was == digit, Unspaced: was == unspaced}
		from = -1
		return do(w)
	}
	for i := 0; i < len(text); {
		r, width := rune(text[i]), 1
		if r >= utf8.RuneSelf {
			r, width = utf8.DecodeRuneInString(text[i:])
		}
		is := c.class(r)
		switch {
		case is == other:
			if from >= 0 && c.Joins != nil {
				next, _ := utf8.DecodeRuneInString(text[i+width:])
				if i+width == len(text) {
					next = 0
				}
				if was != unspaced && c.Joins(first, r, next) {
					break
				}
			}
			if !end(i) {
				return
			}
		case from >= 0 && c.parts(was, is, r):
			if !end(i) {
				return
			}
			from, was, first = i, is, r
		case from < 0:
			from, was, first = i, is, r
		}
		i += width
	}
	end(len(text))
}

// parts reports whether a word ends before a sign that is no other.
func (c *Cutter) parts(was, is class, r rune) bool {
	if unicode.IsMark(r) {
		return false // it belongs to what it stands on
	}
	if was == unspaced || is == unspaced {
		return was != is
	}
	return c.Apart && was != is
}

// unspacedScripts set no spaces between words.
var unspacedScripts = []*unicode.RangeTable{
	unicode.Han, unicode.Hiragana, unicode.Katakana, unicode.Thai, unicode.Lao, unicode.Khmer, unicode.Myanmar,
}

// Unspaced reports whether a sign is a letter of a script that sets no spaces
// between words.
func Unspaced(r rune) bool {
	const longVowel = 'ー' // of Japanese, which Unicode counts to no script
	return r >= 0x0E00 && (r == longVowel || unicode.In(r, unspacedScripts...)) && !unicode.IsDigit(r)
}

// Bigrams hands over the pairs of characters that stand side by side in a run
// without spaces, as from and to in bytes; of a single one that one. A
// character is a letter with the marks on it.
func Bigrams(run string, do func(from, to int)) {
	at := characters(run)
	if len(at) == 2 {
		do(at[0], at[1])
	}
	for i := 0; i+2 < len(at); i++ {
		do(at[i], at[i+2])
	}
}

// Characters hands over the characters of a run, as Bigrams pairs them.
func Characters(run string, do func(from, to int)) {
	at := characters(run)
	for i := 0; i+1 < len(at); i++ {
		do(at[i], at[i+1])
	}
}

// characters is where the characters of a run begin, and its end.
func characters(run string) []int {
	at := make([]int, 0, len(run)/3+1)
	for i, r := range run {
		if i == 0 || !unicode.IsMark(r) {
			at = append(at, i)
		}
	}
	return append(at, len(run))
}

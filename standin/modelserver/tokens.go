package modelserver

import (
	"unicode"
	"unicode/utf8"
)

// Lengths, in characters, of the longest tokens.
const (
	longestLetters = 6
	longestDigits  = 3
)

// split cuts text into tokens: pieces of words with the space before them,
// groups of digits, single marks. Joined they are the text again.
func split(text string) []string {
	var tokens []string
	for len(text) > 0 {
		n := tokenLength(text)
		tokens = append(tokens, text[:n])
		text = text[n:]
	}
	return tokens
}

func count(text string) int {
	n := 0
	for len(text) > 0 {
		text = text[tokenLength(text):]
		n++
	}
	return n
}

// tokenLength is the number of bytes of the first token of text.
func tokenLength(text string) int {
	at := 0
	if text[0] == ' ' && len(text) > 1 {
		at = 1
	}
	r, size := utf8.DecodeRuneInString(text[at:])
	class, longest := unicode.IsLetter, longestLetters
	switch {
	case unicode.IsDigit(r):
		class, longest = unicode.IsDigit, longestDigits
	case !unicode.IsLetter(r):
		return at + size
	}
	n := 0
	for at < len(text) && n < longest {
		r, size = utf8.DecodeRuneInString(text[at:])
		if !class(r) {
			break
		}
		at += size
		n++
	}
	return at
}

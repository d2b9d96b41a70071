package record

import (
	"bytes"
	"strings"
)

// Clean is a text with what PostgreSQL cannot hold replaced: NUL, and what is
// not UTF-8.
func Clean(text []byte) []byte {
	return bytes.ReplaceAll(bytes.ToValidUTF8(text, []byte("\uFFFD")), []byte{0}, []byte("\uFFFD"))
}

// OneLine makes one line of what somebody typed, of at most so many characters;
// 0 is any number.
func OneLine(text string, most int) string {
	text = strings.Join(strings.Fields(string(Clean([]byte(text)))), " ")
	if runes := []rune(text); most > 0 && len(runes) > most {
		text = string(runes[:most])
	}
	return text
}

// PageLimit is how long a page of a list is: as asked for, 100 if nothing was,
// and 200 at most.
func PageLimit(asked int) int {
	const usual, most = 100, 200
	if asked <= 0 {
		return usual
	}
	return min(asked, most)
}

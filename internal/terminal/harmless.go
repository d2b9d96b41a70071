package terminal

import (
	"fmt"
	"strings"
	"unicode"
)

// Harmless is a text as it may be written to a terminal, whoever wrote it: what
// would move the cursor, change settings or turn the order of letters is shown as
// a sign instead. Line ends and tabs stay.
func Harmless(text string) string {
	if strings.IndexFunc(text, harmful) < 0 {
		return text
	}
	var b strings.Builder
	for _, r := range text {
		switch {
		case !harmful(r):
			b.WriteRune(r)
		case r < 0x20:
			b.WriteRune(0x2400 + r) // the control pictures of Unicode
		case r == 0x7f:
			b.WriteRune(0x2421)
		default:
			fmt.Fprintf(&b, "⟨U+%04X⟩", r)
		}
	}
	return b.String()
}

// harmful are control characters, and those that turn or hide what stands beside
// them.
func harmful(r rune) bool {
	switch {
	case r == '\n' || r == '\t':
		return false
	case unicode.IsControl(r):
		return true
	case r >= 0x202a && r <= 0x202e, r >= 0x2066 && r <= 0x2069, r == 0x200e, r == 0x200f, r == 0x061c:
		return true // they turn the order of letters
	case r == 0x2028, r == 0x2029, r >= 0xe0000 && r <= 0xe007f:
		return true
	}
	return false
}

package terminal

import (
	"strings"
	"testing"
	"unicode"
)

// Whatever a model says: nothing of it drives the terminal.
func FuzzHarmless(f *testing.F) {
	f.Add("a\x1b[2Jb\u202ec\r\n\td")
	f.Fuzz(func(t *testing.T, text string) {
		for _, r := range Harmless(text) {
			if unicode.IsControl(r) && !strings.ContainsRune("\n\t", r) || unicode.Is(unicode.Bidi_Control, r) {
				t.Errorf("%q keeps %q", text, r)
			}
		}
	})
}

package terminal

import (
	"strings"
	"testing"
	"unicode"
)

// What a model, a document or a visitor wrote does nothing to a terminal.
func TestHarmless(t *testing.T) {
	for text, want := range map[string]string{
		"plain, ünïcödé, 日本\n\ttab ☃": "plain, ünïcödé, 日本\n\ttab ☃",
		"\x1b[2J\x1b]0;title\x07":     "␛[2J␛]0;title␇",
		"\x1b]52;c;aGk=\x1b\\\\":      "␛]52;c;aGk=␛\\\\",
		"safe\rrm -rf":                "safe␍rm -rf", "a\x08\x08b\x7f": "a␈␈b␡", "\u009b31m": "⟨U+009B⟩31m",
		"user\u202egnp.exe": "user⟨U+202E⟩gnp.exe", "a\u2066b\u2069": "a⟨U+2066⟩b⟨U+2069⟩", "x\x00y": "x␀y",
	} {
		if got := Harmless(text); got != want {
			t.Errorf("%q became %q, want %q", text, got, want)
		}
	}
}

// A reply that is set piece by piece does nothing either, however it is cut.
func TestRepliesDoNothingToTheTerminal(t *testing.T) {
	reply := "See \x1b[2J **bold\x1b]0;x\x07** and `code\x1b[31m`\n\n```\n\x1b[0;0H raw\n```\n# head\x9b\u202e\r\n" +
		"- item\x08\n"
	for size := 1; size < 9; size++ {
		var out strings.Builder
		w := NewWriter(&out, 40)
		for rest := []rune(reply); len(rest) > 0; rest = rest[min(size, len(rest)):] {
			if err := w.Write(string(rest[:min(size, len(rest))])); err != nil {
				t.Fatal(err)
			}
		}
		if err := w.Close(); err != nil {
			t.Fatal(err)
		}
		own := strings.NewReplacer(bold, "", notBold, "", italic, "", notItalic, "", dim, "").Replace(out.String())
		if at := strings.IndexFunc(own, func(r rune) bool {
			return r != '\n' &&
				(unicode.IsControl(r) || r == 0x202e)
		}); at >= 0 {
			t.Errorf("in pieces of %d: %q", size, own[at:])
		}
	}
}

package jsontext

import (
	"strings"
	"testing"
)

// Characters that come in two are put together, and what cannot be is said so.
func FuzzJoiner(f *testing.F) {
	f.Add("wäx 🐝", uint8(3))
	f.Add("\xED\xA0\xBD\xED\xB0\x9D", uint8(2))
	f.Fuzz(func(t *testing.T, text string, cut uint8) {
		whole := func(pieces ...string) string {
			var j Joiner
			said := ""
			for _, p := range pieces {
				said += string(j.Join([]byte(p)))
			}
			return said + string(j.Rest())
		}
		at := int(cut) % (len(text) + 1)
		one := whole(text)
		if two := whole(text[:at], text[at:]); one != two {
			t.Errorf("%q cut at %d: %q and %q", text, at, one, two)
		}
		if strings.ToValidUTF8(one, "?") != one {
			t.Errorf("%q became %q", text, one)
		}
	})
}

// Halves that JSON escapes alone come through a parser as they are, whole pairs and
// escaped backslashes stay.
func TestHalves(t *testing.T) {
	for text, want := range map[string]string{
		`"Bee \ud83d"`: "\"Bee \xED\xA0\xBD\"", `"\ud83d\udc1d"`: `"\ud83d\udc1d"`, `"\\ud83d"`: `"\\ud83d"`,
		`"\uD83D\u0020"`: "\"\xED\xA0\xBD\\u0020\"", `"\udc1d"`: "\"\xED\xB0\x9D\"", `plain`: `plain`, `"\ud8"`: `"\ud8"`,
	} {
		if got := string(Halves([]byte(text))); got != want {
			t.Errorf("%s: %q, want %q", text, got, want)
		}
	}
}

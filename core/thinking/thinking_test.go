package thinking

import (
	"strings"
	"testing"
)

func split(thinksFirst bool, pieces ...string) (said, thought string) {
	s := NewSplitter(func(b []byte) { said += string(b) }, func(b []byte) { thought += string(b) }, thinksFirst)
	for _, p := range pieces {
		s.Write([]byte(p))
	}
	s.Close()
	return said, thought
}

func TestSplitting(t *testing.T) {
	for _, c := range []struct {
		text          string
		first         bool
		said, thought string
	}{
		{"Light it with dry wood.", false, "Light it with dry wood.", ""},
		{"<think>Smoke first.</think>\n\nLight it.", false, "Light it.", "Smoke first."},
		{"\n <think>\nSmoke.\n</think>Light it.", false, "Light it.", "\nSmoke.\n"},
		{"[THINK]a < b[/THINK]Yes: a < b [1].", false, "Yes: a < b [1].", "a < b"},
		{"Smoke first.</think>Light it.", true, "Light it.", "Smoke first."},
		{"<thinking>one</thinking><think>two</think>Three", false, "Three", "onetwo"},
		{"One.\n<think>more</think>\nTwo.", false, "One.\nTwo.", "more"},
		{"A tag like <think> is text here.", false, "A tag like <think> is text here.", ""},
		{"Write:\n```\n<think>\nthis\n</think>\n```\ndone", false, "Write:\n```\n<think>\nthis\n</think>\n```\ndone", ""},
		{"One.\n<think>never closed", false, "One.\n<think>never closed", "never closed"},
		{"<think>never closed", false, "", "never closed"},
		{"<th", false, "<th", ""},
		{"<b>bold</b>", false, "<b>bold</b>", ""},
		{"", false, "", ""},
	} {
		for name, pieces := range map[string][]string{"whole": {c.text}, "by byte": strings.Split(c.text, "")} {
			if said, thought := split(c.first, pieces...); said != c.said || thought != c.thought {
				t.Errorf("%q %s: said %q, thought %q; want %q and %q", c.text, name, said, thought, c.said, c.thought)
			}
		}
	}
}

// However a text is cut, the same is said and thought, and without thinking
// nothing but marks and the space about them is lost.
func FuzzSplitter(f *testing.F) {
	f.Add("a\n<think>b</think>c", uint8(3))
	f.Add("```\n<think>\n```\n[THINK]x", uint8(1))
	f.Fuzz(func(t *testing.T, text string, size uint8) {
		said, thought := split(false, text)
		var pieces []string
		for rest := text; rest != ""; {
			n := min(len(rest), int(size%7)+1)
			pieces, rest = append(pieces, rest[:n]), rest[n:]
		}
		if s, th := split(false, pieces...); s != said || th != thought {
			t.Errorf("%q cut by %d: said %q and %q, thought %q and %q", text, size%7+1, s, said, th, thought)
		}
		if thought == "" && !strings.Contains(text, "<") && !strings.Contains(text, "[") &&
			strings.TrimLeft(text, " \t\r\n") != said {
			t.Errorf("%q became %q", text, said)
		}
	})
}

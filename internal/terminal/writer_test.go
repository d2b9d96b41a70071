package terminal

import (
	"regexp"
	"strings"
	"testing"
	"unicode/utf8"
)

// set writes text in pieces of a size and returns what a terminal gets.
func set(text string, width, piece int) string {
	var b strings.Builder
	w := NewWriter(&b, width)
	runes := []rune(text)
	for len(runes) > 0 {
		n := min(piece, len(runes))
		_ = w.Write(string(runes[:n]))
		runes = runes[n:]
	}
	_ = w.Close()
	return b.String()
}

func TestWriter(t *testing.T) {
	for _, c := range []struct {
		text  string
		width int
		want  string
	}{
		{"two words", 0, "two words\n"},
		{"one two three", 8, "one two\nthree\n"},
		{"- one two three", 8, "- one\n  two\n  three\n"},
		{"12. one two three", 10, "12. one\n    two\n    three\n"},
		{"**bold** and *leaning*.", 0, bold + "bold" + notBold + " and " + italic + "leaning" + notItalic + ".\n"},
		{"a **b c** d", 0, "a " + bold + "b c" + notBold + " d\n"},
		{"`a*b*c`", 0, dim + "a*b*c" + notBold + "\n"},
		{"## A heading\ntext", 0, bold + " A heading" + notBold + "\ntext\n"},
		{"```go\nx := a * b\n```\nend", 0, dim + "```go" + notBold + "\n" + dim + "x := a * b" + notBold + "\n" + dim +
			"```" + notBold + "\nend\n"},
		{"| a | b |\n|---|---|", 4, "| a | b |" + notBold + "\n|---|---|" + notBold + "\n"},
		{"averyveryverylongword x", 6, "averyveryverylongword\nx\n"},
		{"a\n\nb\n", 0, "a\n\nb\n"},
		{"", 10, ""},
	} {
		for _, piece := range []int{1, 3, 1000} {
			if got := set(c.text, c.width, piece); got != c.want {
				t.Errorf("%q at %d in pieces of %d:\n%q, want\n%q", c.text, c.width, piece, got, c.want)
			}
		}
	}
}

var styles = regexp.MustCompile("\x1b\\[[0-9]+m")

// Nothing that is written gets lost, but for what would drive the terminal, and no line of prose is too long.
func FuzzWriter(f *testing.F) {
	f.Add("- a **b** `c`\n# d\n```\ne\n```\n| f |", 7, 2)
	f.Fuzz(func(t *testing.T, text string, width, piece int) {
		if !utf8.ValidString(text) || strings.ContainsAny(text, "\x1b\r") || width < 0 || width > 200 || piece < 1 ||
			!strings.Contains(text, " ") {
			return
		}
		letters := func(s string) string {
			return strings.Map(func(r rune) rune {
				if strings.ContainsRune(" \n*`#", r) {
					return -1
				}
				return r
			}, s)
		}
		if got := styles.ReplaceAllString(set(text, width, piece), ""); letters(got) != letters(Harmless(text)) {
			t.Errorf("%q became %q", text, got)
		}
	})
}

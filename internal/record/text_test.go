package record

import (
	"strings"
	"testing"
	"unicode/utf8"
)

func TestClean(t *testing.T) {
	for from, want := range map[string]string{
		"": "", "bees": "bees", "a\x00b": "a\uFFFDb", "a\xffb": "a\uFFFDb", "ü\x00": "ü\uFFFD",
		"\x00\x00": "\uFFFD\uFFFD",
	} {
		if got := string(Clean([]byte(from))); got != want {
			t.Errorf("%q becomes %q", from, got)
		}
	}
}

func FuzzClean(f *testing.F) {
	f.Add([]byte("a\x00\xff\xfeb"))
	f.Fuzz(func(t *testing.T, text []byte) {
		got := Clean(text)
		if !utf8.Valid(got) || strings.IndexByte(string(got), 0) >= 0 {
			t.Errorf("%q becomes %q, which cannot be kept", text, got)
		}
		if utf8.Valid(text) && strings.IndexByte(string(text), 0) < 0 && string(got) != string(text) {
			t.Errorf("%q was sound, and became %q", text, got)
		}
	})
}

func TestOneLine(t *testing.T) {
	for _, c := range []struct {
		text string
		most int
		want string
	}{
		{"  two\n\twords ", 0, "two words"}, {"Bienenstöcke", 6, "Bienen"}, {"höher", 2, "hö"},
		{"a\x00b", 0, "a\uFFFDb"},
		{"short", 60, "short"}, {" \n ", 5, ""},
	} {
		if got := OneLine(c.text, c.most); got != c.want {
			t.Errorf("%q becomes %q", c.text, got)
		}
	}
}

func TestPageLimit(t *testing.T) {
	for asked, want := range map[int]int{-1: 100, 0: 100, 1: 1, 200: 200, 201: 200, 1 << 30: 200} {
		if got := PageLimit(asked); got != want {
			t.Errorf("asked for %d, got %d", asked, got)
		}
	}
}

package language

import (
	"strings"
	"testing"
	"unicode/utf8"
)

var texts = []string{
	"Dr. Holm weighs 18.5 kg at 9 a.m. Then she rests! Does she? Yes.",
	"Die Mitglieder haben z. B. zwölf Völker. Der Honig wird im August geschleudert.",
	"蜜蜂在冬天需要蜂蜜。它们在春天离开。", "ミツバチは冬に蜂蜜が必要です。", "ผึ้งต้องการน้ำผึ้ง", "Пчёлы улетают в мае. Матка тоже.",
	"", " ", "...", "no full stop", "Ünïcödé! 🐝 Bees? 🐝🐝", "a\u0301 combined", "tabs\tand\nlines\n\nand more",
}

// Sentences lie in the text, in order, not over each other, on the borders of
// characters, and what is between them is white space.
func TestSentencesCoverTheText(t *testing.T) {
	for _, text := range texts {
		end := 0
		for _, s := range Sentences(text) {
			if s[0] < end || s[1] <= s[0] || s[1] > len(text) || !utf8.ValidString(text[s[0]:s[1]]) {
				t.Errorf("%q: a sentence at %v after %d", text, s, end)
				break
			}
			if strings.TrimSpace(text[end:s[0]]) != "" {
				t.Errorf("%q: %q is in no sentence", text, text[end:s[0]])
			}
			end = s[1]
		}
		if strings.TrimSpace(text[end:]) != "" {
			t.Errorf("%q: the end %q is in no sentence", text, text[end:])
		}
	}
}

func FuzzSentences(f *testing.F) {
	for _, text := range texts {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		end := 0
		for _, s := range Sentences(text) {
			if s[0] < end || s[1] <= s[0] || s[1] > len(text) {
				t.Fatalf("%q: a sentence at %v after %d", text, s, end)
			}
			end = s[1]
		}
	})
}

// A stem has a stem of its own only where Snowball says so: looking the same
// word up twice finds the same, in every language, and nothing becomes empty.
func TestStemsAreSteady(t *testing.T) {
	for language := range stemmers {
		for _, word := range []string{"bees", "mitglieder", "abeilles", "pčela", "пчёлы", "蜜蜂", "a", "über", "naïve"} {
			first := Stem(language, word)
			if first == "" || first != Stem(language, word) || !utf8.ValidString(first) {
				t.Errorf("%s: %q becomes %q", language, word, first)
			}
		}
		if !HasStems(language) {
			t.Errorf("%s has a stemmer and no stems", language)
		}
	}
	if got := Stem("cy", "gwenyn"); got != "gwenyn" || HasStems("cy") {
		t.Errorf("a language without a stemmer makes %q of a word", got)
	}
}

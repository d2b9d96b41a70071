package main

import (
	"math"
	"math/rand/v2"
	"regexp"
	"strings"
)

// order is how many words the longest runs have that the model learns.
const order = 4

// model is a language model of n-grams: how often which word followed which run of up
// to order-1 words. A run that it has not seen is shortened until it has, at a
// discount ("stupid back-off": Brants and others, Large Language Models in Machine
// Translation, 2007).
type model struct {
	after map[string]map[string]int // run → word → how often
	words int                       // that it has read
}

// discount is what a shorter run's counts are worth.
const discount = 0.4

// A word is letters with what binds them, a number, or one mark.
var wordOrMark = regexp.MustCompile(`[\p{L}\p{M}]+(?:['’-][\p{L}\p{M}]+)*|\p{N}+(?:[.,:]\p{N}+)*|[.,;:!?()]`)

// begin stands before the first word of a paragraph.
const begin = "\x02"

func wordsOf(text string) []string { return wordOrMark.FindAllString(text, -1) }

// train reads a text, paragraph by paragraph.
func train(text string) *model {
	m := &model{after: map[string]map[string]int{}}
	for _, paragraph := range strings.Split(text, "\n\n") {
		words := append([]string{begin}, wordsOf(paragraph)...)
		for i := 1; i < len(words); i++ {
			m.words++
			for n := 0; n < order && n <= i; n++ {
				run := strings.Join(words[i-n:i], " ")
				if m.after[run] == nil {
					m.after[run] = map[string]int{}
				}
				m.after[run][words[i]]++
			}
		}
	}
	return m
}

// likely is how much each word is to be expected after some; the sum is not 1.
func (m *model) likely(before []string) map[string]float64 {
	scores := map[string]float64{}
	weight := 1.0
	for n := min(order-1, len(before)); n >= 0; n-- {
		counts := m.after[strings.Join(before[len(before)-n:], " ")]
		total := 0
		for _, c := range counts {
			total += c
		}
		for word, c := range counts {
			if _, known := scores[word]; !known {
				scores[word] = weight * float64(c) / float64(total)
			}
		}
		if len(counts) > 0 {
			weight *= discount
		}
	}
	return scores
}

// choose draws a word; temperature above 1 makes the unlikely likelier, 0 takes the
// likeliest. Words in the order of the alphabet make a seed repeatable.
func choose(scores map[string]float64, temperature float64, chance *rand.Rand) string {
	words := sortedWords(scores)
	if temperature < 0.05 {
		best := ""
		for _, w := range words {
			if best == "" || scores[w] > scores[best] {
				best = w
			}
		}
		return best
	}
	total := 0.0
	for _, w := range words {
		total += math.Pow(scores[w], 1/temperature)
	}
	at := chance.Float64() * total
	for _, w := range words {
		if at -= math.Pow(scores[w], 1/temperature); at <= 0 {
			return w
		}
	}
	return ""
}

// goOn continues a text by up to most words, and hands over each as it is chosen. It
// ends at the end of a sentence once it has least words. It reports whether it ended
// there.
func (m *model) goOn(text string, least, most int, temperature float64, chance *rand.Rand,
	say func(string) bool) (whole bool) {
	before := wordsOf(text)
	fresh := len(before) == 0 || ends(before[len(before)-1])
	for n := 0; n < most; n++ {
		word := choose(m.likely(before), temperature, chance)
		if word == "" || word == begin {
			return true
		}
		piece := word
		if closes := strings.ContainsAny(word[:1], ".,;:!?)"); !closes && (n > 0 || text != "") {
			piece = " " + word
		}
		if fresh {
			piece = raised(piece)
		}
		if !say(piece) {
			return false
		}
		before = append(before, word)
		if fresh = ends(word); fresh && n+1 >= least {
			return true
		}
	}
	return false
}

func ends(word string) bool { return word == "." || word == "!" || word == "?" }

// raised is a word with a capital.
func raised(piece string) string {
	trimmed := strings.TrimLeft(piece, " ")
	for i, r := range trimmed {
		if i == 0 {
			return piece[:len(piece)-len(trimmed)] + strings.ToUpper(string(r)) + trimmed[len(string(r)):]
		}
	}
	return piece
}

package main

import (
	"cmp"
	"math"
	"slices"
	"strings"
	"unicode"

	"github.com/kljensen/snowball/english"
)

// plain is BM25 over whole pages as the textbook has it (k1 1.2, b 0.75), with
// stems and nothing else: what ours is held against. It shares no code with it.
type plain struct {
	pages   []map[string]int
	lengths []int
	df      map[string]int
	average float64
}

func newPlain(pages []page) *plain {
	p := &plain{df: map[string]int{}}
	total := 0
	for _, pg := range pages {
		counts := map[string]int{}
		n := 0
		for _, w := range plainWords(textOf(pg)) {
			counts[w]++
			n++
		}
		for w := range counts {
			p.df[w]++
		}
		p.pages = append(p.pages, counts)
		p.lengths = append(p.lengths, n)
		total += n
	}
	p.average = float64(total) / float64(len(pages))
	return p
}

func textOf(pg page) string {
	var b strings.Builder
	b.WriteString(pg.doc.Title + "\n")
	for _, block := range pg.doc.Blocks {
		b.WriteString(block.Text + "\n")
	}
	return b.String()
}

func plainWords(text string) []string {
	words := strings.FieldsFunc(strings.ToLower(text),
		func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) && r != '_' })
	for i, w := range words {
		words[i] = english.Stem(w, false)
	}
	return words
}

func (p *plain) search(text string, pages []page) []string {
	const k1, b = 1.2, 0.75
	scores := make([]float64, len(p.pages))
	for _, w := range plainWords(text) {
		df := float64(p.df[w])
		if df == 0 {
			continue
		}
		idf := math.Log(1 + (float64(len(p.pages))-df+0.5)/(df+0.5))
		for i, counts := range p.pages {
			if tf := float64(counts[w]); tf > 0 {
				scores[i] += idf * tf * (k1 + 1) / (tf + k1*(1-b+b*float64(p.lengths[i])/p.average))
			}
		}
	}
	order := make([]int, len(scores))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(x, y int) int { return cmp.Compare(scores[y], scores[x]) })
	var ranked []string
	for _, i := range order[:min(10, len(order))] {
		if scores[i] > 0 {
			ranked = append(ranked, pages[i].path)
		}
	}
	return ranked
}

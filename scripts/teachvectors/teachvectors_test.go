package main

import (
	"fmt"
	"testing"

	"juvalogos/core/embedding"
)

// Pairs whose halves share no word come together, and their loss falls.
func TestLearningBringsPairsTogether(t *testing.T) {
	words := embedding.Load()
	g := &gatherer{words: words}
	var batch []pair
	for _, p := range [][2]string{
		{"throw away", "remove the directory from the disk"}, {"squeeze", "compress files into an archive"},
		{"by chance", "random numbers and samples"},
		{"letter", "send electronic mail to a server"}, {"picture", "draw graphics upon the canvas"},
		{"slow", "measure the performance of code"},
	} {
		batch = append(batch, pair{g.bag(p[0], 40), g.bag(p[1], 40)})
	}
	l := begin(words)
	before, _ := l.compare(batch, 20).judge()
	for range 40 {
		l.step(batch, 0.1, 20)
	}
	after, right := l.compare(batch, 20).judge()
	if after > before/4 || right < 0.99 {
		t.Errorf("loss %.3f, then %.3f; right %.2f", before, after, right)
	}
}

// The step follows the slope of the loss: a vector's number that would raise it
// when made larger becomes smaller.
func TestStepsGoDown(t *testing.T) {
	words := embedding.Load()
	g := &gatherer{words: words}
	batch := []pair{{g.bag("bees", 9), g.bag("honey and wax", 9)}, {g.bag("ships", 9), g.bag("harbour and sea", 9)},
		{g.bag("music", 9), g.bag("violin and drum", 9)}}
	bees, _ := words.Find("bees")
	for k := range 20 {
		l := begin(words)
		was := l.of(bees)[k]
		loss := func(at float32) float64 {
			l.of(bees)[k] = at
			v, _ := l.compare(batch, 20).judge()
			return v
		}
		slope := (loss(was+1e-2) - loss(was-1e-2)) / 2e-2
		l.of(bees)[k] = was
		l.step(batch, 1e-3, 20)
		if moved := float64(l.of(bees)[k] - was); slope*moved > 0 && (slope > 1e-2 || slope < -1e-2) {
			t.Errorf("number %d: the slope is %.3f, and it moved by %.4f", k, slope, moved)
		}
	}
}

func TestWithout(t *testing.T) {
	b := bag{[]int32{1, 2, 3, 4}, []float32{1, 2, 3, 4}}
	if got := without(b, bag{words: []int32{2, 9}}); fmt.Sprint(got) != "{[1 3 4] [1 3 4]}" {
		t.Error(got)
	}
	if got := without(b, bag{words: []int32{2, 3}}); len(got.words) != 4 {
		t.Errorf("too little was left: %v", got)
	}
}

func TestNumbersOfDictd(t *testing.T) {
	for text, want := range map[string]int{"A": 0, "B": 1, "/": 63, "BA": 64, "BAA": 4096, "b": 27} {
		if got := number(text); got != want {
			t.Errorf("%s: %d, want %d", text, got, want)
		}
	}
}

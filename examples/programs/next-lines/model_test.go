package main

import (
	"math/rand/v2"
	"strings"
	"testing"
)

const learnt = "Light the smoker with dry wood. Let it burn for a minute.\n\nThe hive is quiet in winter. " +
	"Feed the hive with syrup in autumn. The smoker calms the bees."

func continued(text string, seed uint64, temperature float64, most int) (string, bool) {
	said := ""
	whole := train(learnt).goOn(text, 1, most, temperature, rand.New(rand.NewPCG(seed, 1)),
		func(piece string) bool { said += piece; return true })
	return said, whole
}

// It has learnt what follows what, and nothing else.
func TestItGoesOnAsItHasRead(t *testing.T) {
	if said, whole := continued("We light the smoker with", 1, 0, 20); said != " dry wood." || !whole {
		t.Errorf("%q, %v", said, whole)
	}
	if said, whole := continued("The hive is", 1, 0, 2); said != " quiet in" || whole {
		t.Errorf("cut: %q, %v", said, whole)
	}
	if said, _ := continued("It is over.", 3, 0.5, 5); !strings.HasPrefix(said, " ") ||
		strings.ToUpper(said[1:2]) != said[1:2] {
		t.Errorf("a new sentence: %q", said)
	}
	known := map[string]bool{}
	for _, w := range wordsOf(strings.ToLower(learnt)) {
		known[w] = true
	}
	said, _ := continued("Quantum zebras", 7, 1.5, 30)
	for _, w := range wordsOf(strings.ToLower(said)) {
		if !known[w] {
			t.Errorf("it said %q, which it has not read", w)
		}
	}
}

// Marks stand at the word before them; a number with a mark in it is a word.
func TestNumbersStandApart(t *testing.T) {
	m := train("It pays up to 200,000 crowns.")
	said := ""
	m.goOn("It pays up to", 1, 3, 0, rand.New(rand.NewPCG(1, 1)), func(p string) bool { said += p; return true })
	if said != " 200,000 crowns." {
		t.Errorf("%q", said)
	}
}

func TestASeedMakesItRepeatable(t *testing.T) {
	one, _ := continued("The", 5, 1, 30)
	again, _ := continued("The", 5, 1, 30)
	different := false
	for seed := range uint64(20) {
		other, _ := continued("The", seed, 1, 30)
		different = different || other != one
	}
	if one != again || !different {
		t.Errorf("%q and %q", one, again)
	}
}

package quiz

import (
	"fmt"
	"strings"
	"testing"

	"juvalogos/core/evidence"
)

const feeding = `Feed sugar syrup in August, two parts of sugar to one of water. A colony needs 15 kg of stores for the winter.
Never feed honey of unknown origin. Wooden feeders hold four litres; plastic feeders hold two litres.`

func question(text, quote string, options ...string) Question {
	q := Question{Text: text, Quote: quote, Source: &Source{Passage: evidence.Passage{Text: feeding}}}
	for i, o := range options {
		q.Options = append(q.Options, Option{o, i == 0})
	}
	return q
}

// A question that holds, and one for each thing that can be wrong with it.
func TestCheck(t *testing.T) {
	const stores = "A colony needs 15 kg of stores for the winter."
	const hold = "Wooden feeders hold four litres; plastic feeders hold two litres."
	for _, c := range []struct {
		name string
		q    Question
		flaw string // "": none
	}{
		{"holds", question("How much stores does a colony need for the winter?", stores, "15 kg", "5 kg", "25 kg",
			"50 kg"), ""},
		{"in words", question("How many litres do wooden feeders hold?", hold, "Four litres", "Six litres",
			"Nine litres"), ""},
		{"of names", question("What is fed in August?", "Feed sugar syrup in August", "Sugar syrup", "Fresh pollen",
			"Clear water only"), ""},
		{"wrong key", question("How much stores does a colony need for the winter?", stores, "25 kg", "15 kg",
			"50 kg"), "do not say that"},
		{"two right", question("What is fed in August?",
			"Feed sugar syrup in August, two parts of sugar to one of water.", "Sugar syrup",
			"Syrup of sugar and water", "Fondant"), "right too"},
		{"same options", question("How much stores does a colony need?", stores, "15 kg", "20 kg", "20 kg.", "30 kg"),
			"say the same"},
		{"invented quote", question("How much stores does a colony need?", "A colony needs 15 kg of honey.", "15 kg",
			"20 kg"), "do not stand in the text"},
		{"quote of something else", question("What do drones eat?", stores, "15 kg", "20 kg"),
			"not about what is asked"},
		{"long", question("What is never fed?", "Never feed honey of unknown origin.",
			"Honey of unknown origin, which may carry spores", "Syrup", "Sugar"), "much longer"},
		{"said", question("What is syrup of sugar made of, if not of sugar?", "Feed sugar syrup in August", "Sugar",
			"Salt", "Flour"), "question itself"},
		{"cannot be told", question("Is honey of unknown origin fed?", "Never feed honey of unknown origin.", "No",
			"Yes"), "cannot be told"},
		{"two keys", Question{Text: "What?", Options: []Option{{"a", true}, {"b", true}}}, "exactly one"},
		{"no key", Question{Text: "What?", Options: []Option{{"a", false}, {"b", false}}}, "exactly one"},
		{"one option", Question{Text: "What?", Options: []Option{{"a", true}}}, "1 options"},
		{"empty option", Question{Text: "What?", Options: []Option{{"a", true}, {" ", false}}}, "empty"},
	} {
		flaws := Check([]Question{c.q})[0]
		switch said := fmt.Sprint(flaws); {
		case c.flaw == "" && len(flaws) > 0:
			t.Errorf("%s: %s", c.name, said)
		case c.flaw != "" && !strings.Contains(said, c.flaw):
			t.Errorf("%s: %s, and not %q", c.name, said, c.flaw)
		}
	}
}

// The same question is asked once.
func TestCheckAgainstEachOther(t *testing.T) {
	a := question("How much stores does a colony need for the winter?",
		"A colony needs 15 kg of stores for the winter.",
		"15 kg", "5 kg", "25 kg")
	b := question("For the winter, how much stores does a colony need?",
		"A colony needs 15 kg of stores for the winter.",
		"15 kg", "9 kg", "12 kg")
	c := question("How many litres do wooden feeders hold?", "Wooden feeders hold four litres", "Four litres",
		"Six litres")
	flaws := Check([]Question{a, c, b})
	if len(flaws[0])+len(flaws[1]) > 0 || len(flaws[2]) != 1 || !strings.Contains(string(flaws[2][0]), "question 1") {
		t.Errorf("%q", flaws)
	}
}

// Over many sittings every option stands equally often at every place, and independently of
// the question; one sitting has the same order again.
func TestOrderIsFair(t *testing.T) {
	const sittings, options = 4000, 4
	var at [options][options]int
	both := map[[2]int]int{}
	for s := range sittings {
		order, next := Order(fmt.Sprint("s", s), 3, options), Order(fmt.Sprint("s", s), 4, options)
		if fmt.Sprint(order) != fmt.Sprint(Order(fmt.Sprint("s", s), 3, options)) {
			t.Fatal("a sitting has two orders")
		}
		for place, option := range order {
			at[option][place]++
		}
		both[[2]int{order[0], next[0]}]++
	}
	for option := range at {
		for place, n := range at[option] {
			if n < sittings/options*85/100 || n > sittings/options*115/100 {
				t.Errorf("option %d stands %d times at place %d", option, n, place)
			}
		}
	}
	for pair, n := range both {
		if n < sittings/16*7/10 || n > sittings/16*13/10 {
			t.Errorf("the first options of two questions are %v %d times", pair, n)
		}
	}
}

// Scores add up: over all ways to answer, each question is right once for each option.
func TestScore(t *testing.T) {
	q := Quiz{Title: "Feeding", Questions: []Question{
		question("a", "", "1", "2", "3"), question("b", "", "1", "2"), question("c", "", "1", "2", "3")}}
	q.Questions[1].Options[0].Right, q.Questions[1].Options[1].Right = false, true
	total := 0
	for i := -1; i < 3; i++ {
		for j := -1; j < 2; j++ {
			for k := -1; k < 3; k++ {
				total += q.Score([]int{i, j, k})
			}
		}
	}
	if want := 3*4 + 4*4 + 4*3; total != want {
		t.Errorf("%d, want %d", total, want)
	}
	if q.Score(nil) != 0 || q.Score([]int{0, 1, 0, 5}) != 3 {
		t.Error("answers that are missing or too many")
	}
}

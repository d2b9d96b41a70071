package quiz

import (
	"math"
	"testing"
)

// What models say is read as they mean it; where they name several, or none, nothing is.
func TestAnswered(t *testing.T) {
	q := question("How much?", "", "15 kg", "5 kg", "25 kg")
	order := []int{2, 0, 1} // A is 25 kg, B is 15 kg, C is 5 kg
	for reply, want := range map[string]int{"B": 0, "b": -1, "B.": 0, "**B**": 0, "B) 15 kg": 0, "(C)": 1,
		"The answer is A.": 2,
		"The right option is B, since a colony needs much.": 0, "Answer: C": 1, "I think it is 15 kg.": 0,
		"A) or B)": -1, "Either 5 kg or 25 kg": -1, "I do not know.": -1, "": -1, "D": -1, "A hive needs 5 kg.": 2} {
		if got := q.Answered(reply, order); got != want {
			t.Errorf("%q: %d, want %d", reply, got, want)
		}
	}
}

// The interval holds what is so, and narrows with more.
func TestShare(t *testing.T) {
	if p, from, to := Share(8, 10); p != 0.8 || math.Abs(from-0.490) > 0.002 || math.Abs(to-0.943) > 0.002 {
		t.Errorf("%f, %f to %f", p, from, to)
	}
	for _, c := range [][2]int{{0, 10}, {10, 10}, {0, 0}, {3, 1000}} {
		if p, from, to := Share(c[0], c[1]); from < 0 || to > 1 || p < from-1e-9 || p > to+1e-9 {
			t.Errorf("%v: %f, %f to %f", c, p, from, to)
		}
	}
}

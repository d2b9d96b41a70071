package quiz

import "testing"

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

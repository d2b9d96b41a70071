package reply

import "testing"

// Whoever is to shorten a question is told a round number that is not too large.
func TestNumbersForPeopleAreRound(t *testing.T) {
	for n, want := range map[int]int{4579: 4500, 12345: 12000, 100: 100, 99: 99, 7: 7, 0: 1, 1999: 1900} {
		if got := roughly(n); got != want {
			t.Errorf("%d is about %d, want %d", n, got, want)
		}
	}
}

package scoring_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"juvalogos/core/scoring"
)

func ExampleKnown() {
	once := []int{1, 1, 1, 1, 1, 1, 1, 1, 1, 1}
	e := scoring.Known([]int{1, 1, 1, 1, 1, 1, 1, 1, 0, 0}, once)
	fmt.Printf("%.2f, %.2f to %.2f\n", e.Share, e.From, e.To)
	// Output: 0.80, 0.49 to 0.94
}

func ExampleGain() {
	once := []int{1, 1, 1, 1, 1, 1}
	e := scoring.Gain([]int{0, 0, 0, 1, 0, 1}, once, []int{1, 1, 0, 1, 1, 1}, once)
	fmt.Printf("%.2f, %.2f to %.2f\n", e.Share, e.From, e.To)
	// Output: 0.50, -0.11 to 0.86
}

// Answers that are the same each time are worth no more than one of them.
func TestRepeatingTellsNothingNewOfWhatIsCertain(t *testing.T) {
	once := scoring.Known([]int{1, 1, 0, 1, 0}, []int{1, 1, 1, 1, 1})
	often := scoring.Known([]int{20, 20, 0, 20, 0}, []int{20, 20, 20, 20, 20})
	if math.Abs(once.From-often.From) > 1e-9 || math.Abs(once.To-often.To) > 1e-9 {
		t.Errorf("%+v once, %+v twenty times", once, often)
	}
	chance := scoring.Known([]int{10, 11, 9, 10, 10}, []int{20, 20, 20, 20, 20})
	if chance.To-chance.From > 0.25 {
		t.Errorf("a hundred answers by chance are worth a hundred: %+v", chance)
	}
	if e := scoring.Known(nil, nil); e != (scoring.Estimate{To: 1}) {
		t.Errorf("without answers: %+v", e)
	}
	if e := scoring.Known([]int{3, 3}, []int{3, 3}); e.To < 1-1e-9 || e.From > 0.5 {
		t.Errorf("two questions, always right: %+v", e)
	}
}

// The intervals hold the truth about as often as they say, also where questions differ and
// each is asked several times.
func TestIntervalsHoldTheTruth(t *testing.T) {
	chance := rand.New(rand.NewPCG(1, 2))
	const rounds, n, times = 2000, 20, 5
	known, gained := 0, 0
	for range rounds {
		before, after, asked := make([]int, n), make([]int, n), make([]int, n)
		for i := range n {
			p := chance.Float64() // known on average half of the time; after: three quarters
			asked[i] = times
			for range times {
				if chance.Float64() < p {
					before[i]++
				}
				if chance.Float64() < (p+1)/2 {
					after[i]++
				}
			}
		}
		if e := scoring.Known(before, asked); e.From <= 0.5 && 0.5 <= e.To {
			known++
		}
		if e := scoring.Gain(before, asked, after, asked); e.From <= 0.25 && 0.25 <= e.To {
			gained++
		}
	}
	for what, held := range map[string]int{"shares": known, "gains": gained} {
		if held < rounds*92/100 {
			t.Errorf("%s: %d of %d intervals hold the truth", what, held, rounds)
		}
	}
}

func TestEstimatesAreWithinBounds(t *testing.T) {
	chance := rand.New(rand.NewPCG(3, 4))
	for range 2000 {
		n := 1 + chance.IntN(6)
		right, other, asked := make([]int, n), make([]int, n), make([]int, n)
		for i := range n {
			if asked[i] = chance.IntN(4); asked[i] > 0 {
				right[i], other[i] = chance.IntN(asked[i]+1), chance.IntN(asked[i]+1)
			}
		}
		k, g := scoring.Known(right, asked), scoring.Gain(right, asked, other, asked)
		if !(0 <= k.From && k.From <= k.Share+1e-9 && k.Share <= k.To+1e-9 && k.To <= 1) ||
			!(-1 <= g.From && g.From <= g.Share+1e-9 && g.Share <= g.To+1e-9 && g.To <= 1) {
			t.Fatalf("%v of %v: %+v, %+v", right, asked, k, g)
		}
	}
}

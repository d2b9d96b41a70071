package spotting

import "math"

// Weighing is what each sign counts.
type Weighing Signs

// Score weighs signs.
func (w Weighing) Score(s Signs) (sum float64) {
	weights := (*Signs)(&w).Values()
	for i, v := range s.Values() {
		sum += *v * *weights[i]
	}
	return sum
}

// Weights are set with bench/retrieval -tune-short on the questions for tuning.
var Weights = Weighing{Kind: 5.2, Unit: 3.5, Covered: 2.7, Around: 3.9, Near: 2.6, Rank: 3, Apart: 1.1, Whole: 2.7}

// Calibration turns a score into how often answers of that score are right: a
// logistic function of the score, of what it is ahead of the next (behind the
// first, for those after it), and of how likely the passages answer at all
// (Platt, 1999).
type Calibration struct{ Base, Score, Ahead, Sure float64 }

// Calibrated is set with bench/retrieval -tune-short on the questions for tuning.
var Calibrated = Calibration{Base: -6.55, Score: 0.268, Ahead: 1.01, Sure: 1.11}

// asksForIt holds an answer back whose sentence, heading and title say little of the
// question: something of the right kind is soon found in a long text.
func asksForIt(s Signs) float64 {
	const little, enough, left = 0.3, 0.7, 0.3 // of the question, and what is left of the confidence
	return left + (1-left)*min(1, max(0, (s.Around-little)/(enough-little)))
}

func confidence(a Answer, rival, sure float64) float64 {
	c := Calibrated
	likely := 1 / (1 + math.Exp(-(c.Base + c.Score*a.Score + c.Ahead*(a.Score-rival) + c.Sure*sure)))
	return likely * asksForIt(a.Signs)
}

package scoring

import "math"

// Estimate is a share, or a difference of shares, with where the truth lies at 95 %.
type Estimate struct {
	Share float64 `json:"share"`
	From  float64 `json:"from"`
	To    float64 `json:"to"`
}

// z is how many standard deviations hold 95 % of a normal distribution.
const z = 1.96

// Known estimates how much of all such questions would be answered rightly: question i was, so
// many times as right[i] says, of asked[i] times. Several answers to one question are not worth
// as much as answers to several: where they agree more than chance has them, they count for less
// (Wilson's interval for proportions, 1927, by the sample size that the design effect leaves;
// Kish 1965). Without any answers the interval is from 0 to 1.
func Known(right, asked []int) Estimate {
	var n, hits, answers float64
	for i := range asked {
		if asked[i] > 0 {
			n++
			hits += float64(right[i])
			answers += float64(asked[i])
		}
	}
	if answers == 0 {
		return Estimate{To: 1}
	}
	p := hits / answers
	worth := n // where all or none were right nothing tells how much they agree
	if p > 0 && p < 1 && n > 1 {
		var variance float64
		for i := range asked {
			d := float64(right[i]) - p*float64(asked[i])
			variance += d * d
		}
		variance *= n / (n - 1) / (answers * answers)
		worth = answers
		if variance > 0 {
			worth = min(max(p*(1-p)/variance, n), answers)
		}
	}
	middle := (p + z*z/(2*worth)) / (1 + z*z/worth)
	half := z / (1 + z*z/worth) * math.Sqrt(p*(1-p)/worth+z*z/(4*worth*worth))
	return Estimate{p, max(0, middle-half), min(1, middle+half)}
}

// Gain estimates by how much more questions are answered rightly one way than another, from
// -1 to 1. Both were asked the same ones, and only those count that both answered: the interval
// is of the differences by question (Bonett and Price 2012, who add one to either side so that
// it is of use where nothing differs).
func Gain(before, beforeAsked, after, afterAsked []int) Estimate {
	var n, sum, squares float64
	for i := range beforeAsked {
		if beforeAsked[i] == 0 || afterAsked[i] == 0 {
			continue
		}
		d := float64(after[i])/float64(afterAsked[i]) - float64(before[i])/float64(beforeAsked[i])
		n, sum, squares = n+1, sum+d, squares+d*d
	}
	if n == 0 {
		return Estimate{From: -1, To: 1}
	}
	middle := sum / (n + 2)
	half := z * math.Sqrt(((squares+2)/(n+2)-middle*middle)/(n+2))
	return Estimate{sum / n, max(-1, min(middle-half, sum/n)), min(1, max(middle+half, sum/n))}
}

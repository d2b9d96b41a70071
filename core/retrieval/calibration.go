package retrieval

import (
	_ "embed"
	"encoding/csv"
	"strconv"
	"strings"
	"sync"
)

// calibration has a line for each of some likelihoods: the likelihood, and the parts of
// questions that the documents answer, and that others are asked, which reach it.
//
//go:embed calibration.csv
var calibration string

// Calibrated is what a threshold does with questions: those that documents answer and
// it refuses, those that are asked of other documents and it lets through; 0 to 1 each.
type Calibrated struct{ Least, Refused, LetThrough float64 }

// Calibration is what thresholds do, the lowest first, as measured on documents on which
// nothing was chosen (docs/retrieval.md).
var Calibration = sync.OnceValue(func() (all []Calibrated) {
	r := csv.NewReader(strings.NewReader(calibration))
	r.Comment = '#'
	rows, err := r.ReadAll()
	if err != nil {
		panic(err) // it is in the binary
	}
	for _, row := range rows {
		var v [3]float64
		for i := range v {
			if v[i], err = strconv.ParseFloat(row[i], 64); err != nil {
				panic(err) // it is in the binary
			}
		}
		all = append(all, Calibrated{v[0], v[1], v[2]})
	}
	return all
})

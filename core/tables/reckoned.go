package tables

import (
	"math"
	"strings"

	"juvalogos/core/phrase"
)

// context is what a sentence names: rows of the result, and words of arithmetic.
type context struct {
	rows   map[int]bool // whose texts it names
	stated []Figure     // numbers of it that hold
	words  map[string]bool
	whole  string
}

func (h *holder) context(from, to int) *context {
	sentence := strings.ToLower(h.text[from:to])
	c := &context{rows: map[int]bool{}, words: map[string]bool{}, whole: sentence}
	for _, w := range strings.FieldsFunc(sentence, func(r rune) bool { return r < 'a' || r > 'z' }) {
		c.words[w] = true
	}
	for j, row := range h.result.Rows {
		for i, cell := range row {
			kind := h.result.Columns[i].Kind
			if !kind.Number() && len(cell) > 0 && mentions(sentence, strings.ToLower(cell)) {
				c.rows[j] = true
			}
		}
	}
	return c
}

func mentions(text, word string) bool {
	for at := 0; ; {
		i := strings.Index(text[at:], word)
		if i < 0 {
			return false
		}
		if !letterAt(text, at+i-1) && !letterAt(text, at+i+len(word)) {
			return true
		}
		at += i + 1
	}
}

func (c *context) any(words string) bool {
	for w := range strings.FieldsSeq(words) {
		if c.words[w] {
			return true
		}
	}
	return false
}

// reckoned reports whether a number follows by arithmetic from what its sentence names.
func (h *holder) reckoned(n said, c *context, into *Figure) bool {
	for col, values := range h.values {
		title := h.result.Columns[col].Title
		var there []float64
		sum := 0.0
		for _, v := range values {
			if !math.IsNaN(v) {
				there = append(there, v)
				sum += v
			}
		}
		if len(there) < 2 {
			continue
		}
		complete := int64(len(h.result.Rows)) == h.result.Total
		if complete && c.any("total together sum altogether all overall combined whole gesamt zusammen summe") &&
			n.near(sum) {
			into.Says, into.Column = phrase.Of("the sum of %s in the result", title), col
			return true
		}
		if complete && c.any("average mean averages averaged typical durchschnitt schnitt mittel mittelwert") &&
			n.near(sum/float64(len(there))) {
			into.Says, into.Column = phrase.Of("the mean of %s in the result", title), col
			return true
		}
		if n.percent && complete && h.share(n, c, values, sum, col, into) {
			return true
		}
		if h.compared(n, c, values, into) {
			into.Column = col
			return true
		}
	}
	r := h.result
	if n.percent && r.Of > 0 && r.Read > 0 && n.near(100*float64(r.Read)/float64(r.Of)) {
		into.Says = phrase.Of("%s ÷ %s, the rows that were read of all", written(float64(r.Read)),
			written(float64(r.Of)))
		return true
	}
	return false
}

// mayRest reports whether arithmetic may rest on a row: the sentence names it, or there
// are two alone.
func (h *holder) mayRest(c *context, row int) bool {
	if c.rows[row] || len(h.result.Rows) <= 2 {
		return true
	}
	for _, f := range c.stated {
		if f.Row == row {
			return true
		}
	}
	return false
}

// share reports whether a number is what part one of the values is of all.
func (h *holder) share(n said, c *context, values []float64, sum float64, col int, into *Figure) bool {
	if sum == 0 {
		return false
	}
	for row, v := range values {
		if h.mayRest(c, row) && n.near(100*v/sum) {
			into.Says, into.Row, into.Column = phrase.Of("%s ÷ %s, the sum", written(v), rounded(sum)), row, col
			return true
		}
	}
	return false
}

// Words that tell how a number compares two values.
const (
	apartWords = "more less fewer than difference higher lower heavier lighter rose fell grew dropped gained lost " +
		"up down " +
		"increase decrease increased decreased rise fall drop gain loss by between above below mehr weniger unterschied"
	timesWords = "times twice double fold half third ratio mal doppelt"
)

// compared reports whether a number is the difference of two values that the sentence
// names, or how many times one is the other, or how much percent more.
func (h *holder) compared(n said, c *context, values []float64, into *Figure) bool {
	apart := c.any(apartWords)
	times := c.any(timesWords) || strings.Contains(c.whole, "times") || strings.Contains(c.whole, "×")
	if !apart && !times {
		return false
	}
	var rows []int
	for row := range values {
		if !math.IsNaN(values[row]) && h.mayRest(c, row) {
			rows = append(rows, row)
		}
	}
	for _, i := range rows {
		for _, j := range rows {
			a, b := values[i], values[j]
			switch {
			case i == j:
			case apart && !n.percent && n.near(a-b) && a >= b:
				into.Says = phrase.Of("%s − %s", written(a), written(b))
				return true
			case apart && n.percent && b != 0 && n.near(100*(a-b)/math.Abs(b)):
				into.Says = phrase.Of("(%s − %s) ÷ %s", written(a), written(b), written(b))
				return true
			case times && !n.percent && b != 0 && n.near(a/b):
				into.Says = phrase.Of("%s ÷ %s", written(a), written(b))
				return true
			}
		}
	}
	return false
}

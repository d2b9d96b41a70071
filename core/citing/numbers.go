package citing

import (
	"math"
	"strconv"
	"strings"

	"juvalogos/core/language"
	"juvalogos/core/lexicon"
)

// number is how much a text says of what.
type number struct {
	value   float64
	text    string   // as it stands there, where it is no plain number: 3.2.1
	kind    kind     // what sort of number
	of      []string // stems of what it counts; none: it does not say
	part    int      // the clause it stands in
	bound   int      // 1: at most, -1: at least, 0: just so
	sureful bool     // what it counts stands right beside it
}

type kind int

const (
	plain   kind = iota
	ordinal      // the third
	time         // in minutes after midnight
	share        // of a hundred
	year
	version // 3.2.1: compared as it stands
)

// measures are units that are so many of another one.
var measures = map[string]struct {
	of    string
	times float64
}{
	"second": {"second", 1}, "minut": {"second", 60}, "hour": {"second", 3600}, "day": {"second", 86400},
	"week": {"second", 7 * 86400}, "sec": {"second", 1}, "min": {"second", 60}, "h": {"second", 3600},
	"millimetr": {"mm", 1}, "mm": {"mm", 1}, "cm": {"mm", 10}, "centimetr": {"mm", 10}, "m": {"mm", 1000},
	"metr": {"mm", 1000}, "meter": {"mm", 1000}, "km": {"mm", 1e6}, "kilometr": {"mm", 1e6}, "kilomet": {"mm", 1e6},
	"g": {"g", 1}, "gram": {"g", 1}, "kg": {"g", 1000}, "kilogram": {"g", 1000}, "kilo": {"g", 1000}, "tonn": {"g",
		1e6},
	"ml": {"ml", 1}, "l": {"ml", 1000}, "litr": {"ml", 1000}, "liter": {"ml", 1000}, "millilitr": {"ml", 1},
	"degre": {"degre", 1}, "month": {"month", 1}, "year": {"month", 12}, "kb": {"kb", 1}, "mb": {"kb", 1000},
	"gb": {"kb", 1e6}, "tb": {"kb", 1e9},
}

var ordinals = map[string]float64{"first": 1, "second": 2, "third": 3, "fourth": 4, "fifth": 5, "sixth": 6,
	"seventh": 7,
	"eighth":  8, "ninth": 9, "tenth": 10, "eleventh": 11, "twelfth": 12, "last": -1}

// counted are words that count: how often, or what part.
var counted = map[string]struct {
	value float64
	of    string
}{"once": {1, "time"}, "twice": {2, "time"}, "thrice": {3, "time"}, "half": {0.5, ""}, "dozen": {12, ""},
	"noon": {720, "\x00time"}, "midnight": {0, "\x00time"}}

var months = language.Set("january february march april may june july august september october november december")

// valueOf reads a number as it stands in a text; false for what is none, such as 3.2.1.
func valueOf(text string) (float64, bool) {
	text = strings.Trim(text, ".,:")
	if whole, part, is := strings.Cut(text, ","); is {
		if len(part) == 3 || strings.Contains(part, ",") || strings.Contains(part, ".") {
			text = strings.ReplaceAll(text, ",", "")
		} else {
			text = whole + "." + part
		}
	}
	v, err := strconv.ParseFloat(text, 64)
	return v, err == nil
}

// clock reads a time of day such as 10:30, in minutes.
func clock(text string) (float64, bool) {
	h, m, is := strings.Cut(text, ":")
	hours, err := strconv.Atoi(h)
	minutes, err2 := strconv.Atoi(m)
	return float64(hours*60 + minutes), is && err == nil && err2 == nil && hours < 25 && minutes < 60
}

// verdict is how a number of a claim stands to those of a place.
type verdict int

const (
	missing   verdict = iota // nothing counts that there
	said                     // it is there
	otherwise                // another number counts the same there
)

// against compares a number of a claim with those of a place.
func (j *judge) against(n number, place []number) verdict {
	found := missing
	for _, p := range place {
		same := j.countTheSame(n, p)
		equal, comparable := equalNumbers(n, p)
		switch {
		case !comparable:
		case equal && same != differ:
			if n.bound*p.bound < 0 {
				found = otherwise // at most is not at least
				continue
			}
			return said
		case equal && same == differ && n.kind == plain && n.sureful && p.sureful:
			// the same number of something else: three days are not three years
			if j.measured(n) && j.measured(p) {
				found = otherwise
			}
		case !equal && same == agree && found == missing:
			found = otherwise
		}
	}
	return found
}

func (j *judge) measured(n number) bool {
	for _, u := range n.of {
		if _, is := measures[u]; is {
			return true
		}
	}
	return n.kind != plain
}

func equalNumbers(n, p number) (equal, comparable bool) {
	if n.kind == version || p.kind == version {
		return n.text == p.text, n.kind == p.kind
	}
	if n.kind == time != (p.kind == time) { // nine, and nine o'clock
		t, o := n, p
		if p.kind == time {
			t, o = p, n
		}
		if len(o.of) > 0 || o.kind != plain || o.value > 24 {
			return false, false
		}
		same := t.value == o.value*60 || t.value == (o.value+12)*60
		return same, true
	}
	if n.kind == year != (p.kind == year) {
		return n.value == p.value, n.value == p.value
	}
	if n.kind == ordinal != (p.kind == ordinal) {
		return n.value == p.value && (n.inMonth() || p.inMonth()), n.inMonth() || p.inMonth()
	}
	a, b := n.value, p.value
	if u, v, is := commonMeasure(n, p); is {
		a, b = a*u, b*v
	}
	return math.Abs(a-b) <= 1e-6*math.Max(math.Abs(a), math.Abs(b)), true
}

func (n number) inMonth() bool {
	for _, u := range n.of {
		for m := range months {
			if language.Stem("en", m) == u {
				return true
			}
		}
	}
	return false
}

func commonMeasure(n, p number) (u, v float64, is bool) {
	for _, a := range n.of {
		for _, b := range p.of {
			m, known := measures[a]
			o, alike := measures[b]
			if known && alike && m.of == o.of {
				return m.times, o.times, true
			}
		}
	}
	return 0, 0, false
}

type counting int

const (
	unsure counting = iota // one of them does not say what it counts
	agree
	differ
)

// countTheSame tells whether two numbers count the same.
func (j *judge) countTheSame(n, p number) counting {
	if n.kind == share || p.kind == share {
		if n.kind == p.kind {
			return agree
		}
		return differ
	}
	if n.kind == p.kind && (n.kind == time || n.kind == year) {
		return agree
	}
	if len(n.of) == 0 || len(p.of) == 0 {
		return unsure
	}
	if _, _, is := commonMeasure(n, p); is {
		return agree
	}
	for _, a := range n.of {
		for _, b := range p.of {
			if a == b {
				return agree
			}
			if r := j.relation(a, b); r == lexicon.Synonym || r == lexicon.Same || r == lexicon.Broader ||
				r == lexicon.Narrower {
				return agree
			}
		}
	}
	return differ
}

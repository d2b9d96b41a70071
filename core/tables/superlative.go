package tables

import (
	"slices"
	"strings"
)

// asksFirst understands what is most or least: a value, a row, a group.
func (r *reader) asksFirst(w *wish) bool {
	at, s := r.superlative()
	if at < 0 {
		return false
	}
	w.limit = r.asked(at)
	if first := r.find(0, "which", "the", "show"); w.limit == 0 && first >= 0 && first < at {
		w.limit = r.asked(first)
	}
	aggregate := r.aggregateNear()
	picked, part := r.picked(at)
	of := r.firstBy(at, s, picked)
	if r.sortBy != nil {
		of = r.sortBy
	}
	counts := of == nil && r.countsRows(at, s)
	switch {
	case of == nil && !counts && (s.when != 0 || strings.Contains(s.about, "date")) && r.timeColumn() != nil:
		of = r.timeColumn()
	case of == nil && !counts:
		if of = r.mainNumber(); of == nil {
			return false
		}
	}
	r.use(at, at+1)
	w.way = s.way
	if of != nil && of.Kind.Time() && s.when != 0 {
		w.way = s.when
	}
	w.of = of
	if w.limit == 0 {
		w.limit = 1
	}
	if picked == nil && part == "" {
		return r.mostOfAll(w, counts)
	}
	r.pickFrom(w, picked, part, aggregate, counts, r.tokens[at].low)
	return true
}

// mostOfAll is where no group or row is asked for: the value itself.
func (r *reader) mostOfAll(w *wish, counts bool) bool {
	if counts {
		return false
	}
	if len(w.by) == 0 && r.asksRows(w) {
		w.measure, w.pick, w.wide = showing, w.of, true
		return true
	}
	if len(w.by) > 0 || w.limit == 1 {
		w.measure = leasting
		if w.way > 0 {
			w.measure = mosting
		}
		w.way, w.limit = 0, 0
		return true
	}
	w.measure, w.pick = showing, w.of // the ten highest weights
	return true
}

// asksRows reports whether whole rows are asked for, rather than the values by which they are
// first: the five rows with the most, the ten heaviest penguins, which oil has the most.
func (r *reader) asksRows(w *wish) bool {
	if r.find(0, "rows") >= 0 {
		return true
	}
	from, _ := r.superlativeAnywhere()
	if w.limit == 1 {
		if from = r.find(0, "which"); from < 0 {
			return false
		}
	}
	for i := from + 1; i <= from+3 && i < len(r.tokens); i++ {
		k := r.tokens[i]
		if _, counts := k.number(); counts || k.used && superlatives[k.low].way != 0 {
			continue
		}
		m, is := r.mentionExactly(i)
		return !is && !slices.Contains(titleStems(w.of), k.stem) && (w.limit > 1 || k.weak && !smallWords[k.low]) ||
			is && m.column != w.of
	}
	return false
}

// pickFrom has what is asked for picked from rows or from groups.
func (r *reader) pickFrom(w *wish, picked *Column, part string, aggregate measure, counts bool, word string) {
	rows := picked != nil && part == "" && (picked.Distinct*20 >= r.table.Rows*19 || picked == w.of ||
		r.ofRowWith(picked))
	switch {
	case rows && aggregate == "" && !counts && len(w.by) == 0:
		w.measure, w.pick = showing, picked
		return
	case picked != nil && !(part != "" && picked.Kind.Time()):
		w.by = append([]grouping{{picked, ""}}, w.by...)
	default:
		if g := r.timeOrYear(part); g != nil {
			w.by = append([]grouping{*g}, w.by...)
		}
	}
	switch {
	case counts:
		w.measure, w.of = counting, nil
	case aggregate != "":
		w.measure = aggregate
	case slices.Contains([]string{"most", "best", "least", "fewest", "worst", "poorest", "top", "strongest", "weakest",
		"richest"}, word):
		w.measure = r.usual(w.of)
		r.doubt *= 0.92
	case w.way > 0:
		w.measure = mosting
	default:
		w.measure = leasting
	}
	if w.measure == "" {
		w.measure = counting
	}
}

// ofRowWith reports whether something is asked of one row: where does the oil with the least
// come from.
func (r *reader) ofRowWith(picked *Column) bool {
	at, _ := r.superlativeAnywhere()
	return r.at(at-1).low == "the" && r.at(at-2).low == "with" && at >= 4 &&
		!slices.Contains(titleStems(picked), r.at(at-3).stem) && r.at(at-4).low == "the"
}

// superlative is the first word that asks for what is first; -1: there is none.
func (r *reader) superlative() (int, superlative) {
	for i, k := range r.tokens {
		s, is := superlatives[k.low]
		if !is || k.used || r.at(i-1).low == "at" || k.low == "last" && timeWords[r.at(i+1).low] != "" {
			continue
		}
		if (k.low == "most" || k.low == "least") && superlatives[r.at(i+1).low].way != 0 { // most expensive
			next := superlatives[r.at(i+1).low]
			r.use(i, i+1)
			if k.low == "least" {
				next.way = -next.way
			}
			return i + 1, next
		}
		if (k.low == "max" || k.low == "min" || k.low == "maximum" || k.low == "minimum") && r.find(0, "which", "who",
			"where", "when") < 0 {
			continue // a measure
		}
		return i, s
	}
	return -1, superlative{}
}

// aggregateNear is a measure that the question names beside what is first: the highest
// average.
func (r *reader) aggregateNear() measure {
	for i, k := range r.tokens {
		if m := measures[k.low]; m == summing || m == meaning || m == middle {
			r.use(i, i+1)
			return m
		}
	}
	return ""
}

// picked is what is asked for: the column behind which, the one behind the superlative, or
// a part of days.
func (r *reader) picked(at int) (c *Column, part string) {
	for _, from := range []int{r.find(0, "which", "what", "whose"), at, r.find(0, "top", "bottom")} {
		if from < 0 {
			continue
		}
		for i := from + 1; i <= from+3; i++ {
			if _, counts := r.at(i).number(); counts {
				continue // the three heaviest
			}
			if part, is := timeWords[r.at(i).low]; is && r.timeOrYear(part) != nil && !r.mentionedFully(i) {
				r.use(i, i+1)
				if m, is := r.mentionExactly(i); is {
					r.drop(m)
				}
				if g := r.timeOrYear(part); part == "day" && g.column.Kind == Date {
					return g.column, "" // its values are days
				}
				return nil, part
			}
			m, is := r.mentionExactly(i)
			if is && (!m.column.Kind.Number() || !m.column.Countable()) {
				r.drop(m)
				r.use(m.from, m.to)
				return m.column, ""
			}
			if k := r.at(i); from == at && !is && !smallWords[k.low] {
				break
			}
		}
	}
	for i, k := range r.tokens {
		if (k.low == "who" || k.low == "where") && i < 3 {
			for _, m := range r.columns {
				if m.from == i {
					r.drop(m)
					return m.column, ""
				}
			}
		}
		if k.low == "when" && i < 3 && r.timeColumn() != nil {
			r.use(i, i+1)
			return r.timeColumn(), ""
		}
	}
	return nil, ""
}

// mentionedFully reports whether a token names a column by its whole title that is no time.
func (r *reader) mentionedFully(at int) bool {
	m, is := r.mentionExactly(at)
	return is && !m.column.Kind.Time() && m.strength >= 1
}

// firstBy is the column by which something is first.
func (r *reader) firstBy(at int, s superlative, picked *Column) *Column {
	for _, c := range r.numbersLeft(at) {
		if c != picked {
			return c
		}
	}
	if s.about == "" {
		return nil
	}
	for i := range r.table.Columns {
		c := &r.table.Columns[i]
		if c != picked && c.Kind.Number() && c.has(s.about) {
			return c
		}
	}
	for i := range r.table.Columns {
		if c := &r.table.Columns[i]; c.Kind.Time() && c.has(s.about) {
			return c
		}
	}
	return nil
}

// countsRows reports whether most and fewest are asked of rows: most readings.
func (r *reader) countsRows(at int, s superlative) bool {
	if s.about != "" {
		return false
	}
	next := r.at(at + 1)
	switch r.tokens[at].low {
	case "most", "fewest", "least":
		if next.low == "" || next.weak || next.low == "often" || next.low == "frequent" || next.low == "common" ||
			next.low == "frequently" {
			if slices.Contains([]string{"often", "frequent", "common", "frequently"}, next.low) {
				r.use(at+1, at+2)
			}
			return true
		}
	case "busiest", "commonest":
		return true
	}
	return false
}

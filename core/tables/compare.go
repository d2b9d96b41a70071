package tables

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"
)

// findComparisons finds numbers that columns are held against.
func (r *reader) findComparisons() {
	for i := 0; i < len(r.tokens); i++ {
		value, is := r.at(i).number()
		if !is || r.tokens[i].used {
			continue
		}
		from, sign, about := i, "", ""
		var values []string
		switch {
		case r.at(i-1).low == "between" || r.at(i-1).low == "from":
			if second, ok := r.at(i + 2).number(); ok && slices.Contains([]string{"and", "to", "-", "–"},
				r.at(i+1).low) {
				from, sign, values = i-1, "between", []string{value, second}
				if isYear(value) && isYear(second) && r.timeColumn() != nil {
					continue // a stretch of time
				}
				r.use(i+1, i+3)
			}
		case r.at(i-1).low == "least" && r.at(i-2).low == "at" || r.at(i-1).low == "minimum":
			from, sign = i-2, ">="
		case r.at(i-1).low == "most" && r.at(i-2).low == "at":
			from, sign = i-2, "<="
		case r.at(i-1).low == "exactly" || r.at(i-1).low == "equals" || r.at(i-1).low == "=":
			from, sign = i-1, "="
		case r.at(i-1).low == ">" || r.at(i-1).low == "<":
			from, sign = i-1, r.at(i-1).low
		case r.at(i+1).low == "or" && comparatives[r.at(i+2).low].sign != "" && !r.isNumber(i+3) && !r.isNumber(i+4):
			c := comparatives[r.at(i+2).low]
			sign, about = c.sign+"=", c.about
			r.use(i+1, i+3)
		default:
			at := i - 1
			if r.at(at).low == "than" {
				at--
			}
			if c, is := comparatives[r.at(at).low]; is {
				from, sign, about = at, c.sign, c.about
				if r.at(at-1).low == "no" || r.at(at-1).low == "not" { // no more than
					sign = map[string]string{">": "<=", "<": ">="}[sign]
				}
			}
		}
		if values == nil {
			values = []string{value}
		}
		if sign == "" && !r.isOfColumn(i) {
			continue
		}
		column, sure := r.comparedColumn(from, i, about)
		if column == nil {
			continue
		}
		if sign == "" {
			sign = "="
		}
		r.doubt *= sure
		if r.at(from-1).low == "or" && r.filtered(column) {
			r.doubt *= 0.3 // either, or: conditions are joined by and alone
		}
		r.use(from, i+1)
		last := i + 1
		if sign == "between" {
			last = i + 3
		}
		r.where = append(r.where, filter{column: column, sign: sign, values: r.convert(values, last, column)})
		r.useUnit(last, column)
	}
}

func (r *reader) isNumber(at int) bool {
	_, is := r.at(at).number()
	return is
}

// isOfColumn reports whether a number stands right behind or before the name of a column of
// numbers that tell things apart: gear 4, 4 cylinders.
func (r *reader) isOfColumn(i int) bool {
	if isYear(r.at(i).low) && r.timeColumn() != nil {
		return false
	}
	if slices.Contains([]string{"top", "first", "bottom", "last", "best"}, r.at(i-1).low) {
		return false
	}
	return slices.ContainsFunc(r.columns, func(m mention) bool {
		return m.column.Kind.Number() && (m.to == i || m.from == i+1 || m.to == i-1 &&
			slices.Contains([]string{"is", "of", "=",
				"equal", "are", "was"}, r.at(i-1).low))
	})
}

// useUnit takes the word behind a number for its unit, if it is a short one or one that
// the column's title has.
func (r *reader) useUnit(at int, c *Column) {
	k := r.at(at)
	if k.low == "" {
		return
	}
	if slices.Contains(wordsOf(c.Title+" "+c.Unit), k.low) || kindred[k.low] != "" && c.has(kindred[k.low]) ||
		slices.Contains([]string{"kg", "g", "km", "m", "cm", "mm", "l", "euros", "euro", "dollars", "percent", "%",
			"€", "$",
			"degrees", "years", "lb", "pounds", "kilograms", "inches", "mph"}, k.low) {
		r.use(at, at+1)
	}
}

// has reports whether a column's title has one of some words.
func (c *Column) has(words string) bool {
	title := wordsOf(strings.ReplaceAll(c.Title, "_", " "))
	for w := range strings.FieldsSeq(words) {
		if slices.Contains(title, w) {
			return true
		}
	}
	return false
}

// comparedColumn is the column that a number is held against: one that the comparison is
// about, the one that is named nearest, the one whose unit stands behind it, or the only
// one there is.
func (r *reader) comparedColumn(from, at int, about string) (*Column, float64) {
	var numbers []*Column
	for i := range r.table.Columns {
		if c := &r.table.Columns[i]; c.Kind.Number() {
			numbers = append(numbers, c)
			if about != "" && c.has(about) {
				return c, 1
			}
		}
	}
	unit := r.at(at + 1).low
	for _, c := range numbers {
		if unit != "" && (slices.Contains(wordsOf(c.Title), unit) || c.has(kindred[unit]) && kindred[unit] != "" ||
			c.Unit != "" && strings.EqualFold(c.Unit, unit)) {
			return c, 1
		}
	}
	best, far := (*Column)(nil), 7
	for _, m := range r.columns {
		if !m.column.Kind.Number() {
			continue
		}
		d := from - m.to
		if m.from > at {
			d = m.from - at
		}
		if d >= 0 && d < far {
			best, far = m.column, d
		}
	}
	if best != nil {
		return best, 0.97
	}
	if len(numbers) == 1 {
		return numbers[0], 0.9
	}
	return nil, 1
}

// timeColumn is the column of times that the question is about: one that it names, else
// the first.
func (r *reader) timeColumn() *Column {
	for _, m := range r.columns {
		if m.column.Kind.Time() {
			return m.column
		}
	}
	for i := range r.table.Columns {
		if c := &r.table.Columns[i]; c.Kind.Time() {
			return c
		}
	}
	return nil
}

// yearColumn is a column of years as numbers.
func (r *reader) yearColumn() *Column {
	for i := range r.table.Columns {
		c := &r.table.Columns[i]
		if c.Kind == Whole && (isYear(c.Least) && isYear(c.Most) || strings.EqualFold(c.Title, "year")) {
			return c
		}
	}
	return nil
}

// findTimes finds years, months and days that rows are chosen by.
func (r *reader) findTimes() {
	column := r.timeColumn()
	years := r.yearColumn()
	for i := 0; i < len(r.tokens); i++ {
		k := r.at(i)
		if k.used {
			continue
		}
		if day, ok := r.dayAt(&i); ok && column != nil {
			r.timed(column, "", signOf(r.at(day.from-1).low, r.at(day.from-2).low), day.text, day.from)
			continue
		}
		if month := monthNumber(k.low); month > 0 && column != nil && (k.low != "may" || k.text == "May") &&
			(k.low != "march" || k.text == "March") {
			if year := r.at(i + 1).low; isYear(year) {
				r.use(i, i+2)
				r.timed(column, "month", "=", fmt.Sprintf("%s-%02d", year, month), i)
			} else {
				r.use(i, i+1)
				r.timed(column, "monthofyear", "=", strconv.Itoa(month), i)
			}
			continue
		}
		if !isYear(k.low) {
			continue
		}
		sign := signOf(r.at(i-1).low, r.at(i-2).low)
		until := ""
		if second := r.at(i + 2).low; isYear(second) && (r.at(i-1).low == "between" || r.at(i-1).low == "from") {
			until = second
			r.use(i-1, i+3)
		}
		r.use(i, i+1)
		switch {
		case years != nil && until != "":
			r.where = append(r.where, filter{column: years, sign: "between", values: []string{k.low, until}})
		case column != nil && until != "":
			r.where = append(r.where, filter{column: column, part: "year", sign: "between",
				values: []string{k.low, until}})
		case years != nil:
			if sign != "=" {
				r.use(i-1, i)
			}
			r.where = addFilter(r.where, filter{column: years, sign: sign, values: []string{k.low}})
		case column != nil:
			r.timed(column, "year", sign, k.low, i)
		default:
			r.tokens[i].used = false
		}
	}
}

func (r *reader) timed(c *Column, part, sign, value string, at int) {
	if sign != "=" {
		r.use(at-1, at)
	}
	r.where = addFilter(r.where, filter{column: c, part: part, sign: sign, values: []string{value}})
}

// signOf is the comparison that the words before a time ask for.
func signOf(before, before2 string) string {
	switch before {
	case "since", "from":
		return ">="
	case "after":
		return ">"
	case "before":
		return "<"
	case "until", "till":
		return "<="
	case "than":
		switch before2 {
		case "later", "newer", "younger":
			return ">"
		case "earlier", "older":
			return "<"
		}
	}
	return "="
}

func monthNumber(low string) int {
	for i, m := range monthNames {
		if low == m || len(low) == 3 && strings.HasPrefix(m, low) {
			return i + 1
		}
	}
	return 0
}

// day is a day that a question names.
type day struct {
	text string
	from int
}

// dayAt reads a day at a token, and moves to its last one.
func (r *reader) dayAt(i *int) (day, bool) {
	k := r.at(*i)
	for _, layout := range []string{"2006-1-2", "2.1.2006", "2/1/2006"} {
		if t, err := time.Parse(layout, k.low); err == nil {
			r.use(*i, *i+1)
			return day{t.Format(time.DateOnly), *i}, true
		}
	}
	for _, order := range [][3]int{{0, 1, 2}, {1, 0, 2}} { // 1 May 2026, May 1 2026
		number := strings.TrimRight(r.at(*i+order[0]).low, "stndrh")
		month, year, n := monthNumber(r.at(*i+order[1]).low), r.at(*i+order[2]).low, 3
		if year == "," {
			year, n = r.at(*i+3).low, 4
		}
		d, err := strconv.Atoi(number)
		if err == nil && d >= 1 && d <= 31 && month > 0 && isYear(year) {
			from := *i
			r.use(from, from+n)
			*i += n - 1
			return day{fmt.Sprintf("%s-%02d-%02d", year, month, d), from}, true
		}
	}
	return day{}, false
}

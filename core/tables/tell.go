package tables

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// Tell says in a sentence or two what came out of a query that the reader made. Every
// number in it stands in the result.
func (g Reading) Tell(r *Result) string {
	w := g.wish
	switch {
	case w == nil:
		return ""
	case r.Query != "" && r.Query != g.Query:
		return tellPlainly(r)
	case w.measure == abouting:
		return tellAbout(w.table)
	case len(r.Rows) == 0:
		return "No row is like that" + w.under() + "."
	case w.measure == sharing && w.of != nil:
		return fmt.Sprintf("%s %% of the %s, %s of %s%s.", Readable(r.Rows[0][2]), w.of.Title, Readable(r.Rows[0][0]),
			Readable(r.Rows[0][1]), w.under())
	case w.measure == sharing:
		return fmt.Sprintf("%s %% of the rows, %s of %s%s.", Readable(r.Rows[0][2]), Readable(r.Rows[0][0]),
			Readable(r.Rows[0][1]), w.under())
	case w.pick != nil && len(w.by) == 0 && !w.wide:
		return w.tellPick(r)
	case w.measure == listing:
		return fmt.Sprintf("There are %s%s: %s.", counted(r.Total, "different "+w.of.Title), w.under(),
			firstOf(r, 0, 12))
	case w.measure == showing:
		return w.tellRows(r)
	case len(w.also) > 0:
		return w.tellSeveral(r)
	case len(w.by) == 0:
		return w.tellValue(r)
	}
	return w.tellGroups(r)
}

// tellPlainly says what came out of a query that somebody else wrote.
func tellPlainly(r *Result) string {
	switch {
	case len(r.Rows) == 0:
		return "Nothing came out of it."
	case len(r.Rows) == 1 && len(r.Columns) == 1:
		return fmt.Sprintf("%s: %s.", r.Columns[0].Title, Readable(r.Rows[0][0]))
	}
	return fmt.Sprintf("%s came out; they stand in the table.", counted(r.Total, "row"))
}

// tellAbout says what a table is about.
func tellAbout(t *Table) string {
	var b strings.Builder
	titles := make([]string, 0, len(t.Columns))
	for _, c := range t.Columns[:min(len(t.Columns), 12)] {
		titles = append(titles, c.Title)
	}
	fmt.Fprintf(&b, "“%s” is a table of %s rows and %d columns: %s", t.Title, grouped(t.Rows), len(t.Columns),
		strings.Join(titles, ", "))
	if len(t.Columns) > 12 {
		b.WriteString(" and more")
	}
	b.WriteString(".")
	for i := range t.Columns {
		c := &t.Columns[i]
		if c.Kind.Time() && c.Least != "" {
			fmt.Fprintf(&b, " %s goes from %s to %s.", c.Title, c.Least, c.Most)
			break
		}
	}
	for i := range t.Columns {
		c := &t.Columns[i]
		if c.Kind == Text && c.Distinct > 1 && len(c.Often) > 0 && c.Distinct < t.Rows {
			fmt.Fprintf(&b, " There are %d different %s, most often %s.", c.Distinct, c.Title, c.Often[0].Text)
			break
		}
	}
	for i := range t.Columns {
		c := &t.Columns[i]
		if c.Countable() && c.Least != "" {
			fmt.Fprintf(&b, " %s goes from %s to %s.", c.Title, Readable(c.Least), Readable(c.Most))
			break
		}
	}
	return b.String()
}

// under is the conditions, in words, as the end of a sentence.
func (w *wish) under() string {
	if len(w.where) == 0 {
		return ""
	}
	all := make([]string, len(w.where))
	for i, f := range w.where {
		all[i] = f.words()
	}
	return ", where " + strings.Join(all, " and ")
}

// words is a condition in words.
func (f filter) words() string {
	title := f.column.Title
	if f.part != "" && f.part != "monthofyear" {
		title = "the " + f.part + " of " + title
	}
	if f.part == "monthofyear" {
		return title + " is in " + monthName(f.values[0])
	}
	if f.part == "month" && len(f.values) == 1 {
		year, month, _ := strings.Cut(f.values[0], "-")
		return f.column.Title + " is in " + monthName(month) + " " + year
	}
	switch f.sign {
	case "true":
		return title + " is yes"
	case "false":
		return title + " is no"
	case "missing":
		return title + " is missing"
	case "there":
		return title + " is there"
	case "between":
		return title + " is from " + f.values[0] + " to " + f.values[1]
	}
	words := map[string]string{"begins": "begins with", "ends": "ends with", "contains": "has", "=": "is",
		"<>": "is not", "<": "is less than", ">": "is more than", "<=": "is at most",
		">=": "is at least"}
	return title + " " + words[f.sign] + " " + strings.Join(f.values, " or ")
}

// monthName is a month by its number.
func monthName(number string) string {
	n, err := strconv.Atoi(number)
	if err != nil || n < 1 || n > 12 {
		return number
	}
	name := monthNames[n-1]
	return strings.ToUpper(name[:1]) + name[1:]
}

func (w *wish) tellValue(r *Result) string {
	value := r.Rows[0][0]
	if value == "" {
		return "Nothing is known of that" + w.under() + "."
	}
	if w.measure == counting && w.of == nil {
		n, err := strconv.ParseInt(value, 10, 64)
		if err != nil {
			return value
		}
		if len(w.where) == 0 {
			return "There are " + counted(n, "row") + "."
		}
		if r.Of > 0 {
			return fmt.Sprintf("%s of %s rows%s.", grouped(n), grouped(r.Of), w.under())
		}
		return fmt.Sprintf("%s%s.", counted(n, "row"), w.under())
	}
	_, title := aggregateOf(w.measure, w.of)
	if w.measure == differing {
		return fmt.Sprintf("There are %s %s%s.", Readable(value), title, w.under())
	}
	return fmt.Sprintf("The %s is %s%s.", title, withUnit(Readable(value), w.of.Unit), w.under())
}

// tellSeveral says several measures of one column.
func (w *wish) tellSeveral(r *Result) string {
	if len(w.by) > 0 || len(r.Rows) != 1 {
		return fmt.Sprintf("There are %s%s; the table has them.", counted(r.Total, "row"), w.under())
	}
	parts := make([]string, 0, len(r.Columns))
	for i, m := range append([]measure{w.measure}, w.also...) {
		_, title := aggregateOf(m, w.of)
		if i < len(r.Rows[0]) {
			parts = append(parts, fmt.Sprintf("the %s is %s", title, withUnit(Readable(r.Rows[0][i]), w.of.Unit)))
		}
	}
	text := strings.Join(parts, ", ") + w.under() + "."
	return strings.ToUpper(text[:1]) + text[1:]
}

func (w *wish) tellPick(r *Result) string {
	var parts []string
	for _, row := range r.Rows[:min(len(r.Rows), 5)] {
		if len(row) == 1 {
			parts = append(parts, Readable(row[0]))
			continue
		}
		parts = append(parts, fmt.Sprintf("%s with %s", row[0], withUnit(Readable(row[1]), w.of.Unit)))
	}
	if len(parts) == 1 && len(r.Columns) > 1 {
		return fmt.Sprintf("It is %s: %s %s%s.", r.Rows[0][0], w.of.Title, withUnit(Readable(r.Rows[0][1]), w.of.Unit),
			w.under())
	}
	return fmt.Sprintf("By %s, the %s first%s: %s.", w.of.Title, w.end(), w.under(), strings.Join(parts, ", "))
}

func (w *wish) tellRows(r *Result) string {
	if r.Total == 1 {
		var parts []string
		for i, c := range r.Columns {
			if r.Rows[0][i] != "" && (w.of == nil || c.Name == w.of.Name) {
				parts = append(parts, c.Title+": "+withUnit(Readable(r.Rows[0][i]), c.Unit))
			}
		}
		return strings.Join(parts, "; ") + w.under() + "."
	}
	return fmt.Sprintf("There are %s%s; the table has them.", counted(r.Total, "row"), w.under())
}

func (w *wish) tellGroups(r *Result) string {
	m := w.measure
	_, title := aggregateOf(m, w.of)
	last := len(r.Columns) - 1
	unit := ""
	if w.of != nil {
		unit = w.of.Unit
	}
	label := func(row []string) string { return strings.Join(row[:last], ", ") }
	if w.way != 0 {
		var parts []string
		for _, row := range r.Rows[:min(len(r.Rows), 5)] {
			parts = append(parts, label(row)+" with "+withUnit(Readable(row[last]), unit))
		}
		if len(parts) == 1 {
			return fmt.Sprintf("It is %s: %s %s%s.", label(r.Rows[0]), withUnit(Readable(r.Rows[0][last]), unit), title,
				w.under())
		}
		return fmt.Sprintf("By the %s, the %s first%s: %s.", title, w.end(), w.under(), strings.Join(parts, ", "))
	}
	least, most := extremes(r, last)
	if least < 0 || len(r.Rows) == 1 {
		return fmt.Sprintf("%s: %s %s%s.", label(r.Rows[0]), withUnit(Readable(r.Rows[0][last]), unit), title,
			w.under())
	}
	return fmt.Sprintf("The %s by %s%s: the highest is %s (%s), the lowest %s (%s).", title,
		strings.Join(heads(r, last), " and "),
		w.under(), withUnit(Readable(r.Rows[most][last]), unit), label(r.Rows[most]),
		withUnit(Readable(r.Rows[least][last]), unit), label(r.Rows[least]))
}

// end is at which end what is asked for lies.
func (w *wish) end() string {
	if w.way < 0 {
		return "lowest"
	}
	return "highest"
}

func heads(r *Result, last int) []string {
	all := make([]string, last)
	for i := range all {
		all[i] = r.Columns[i].Title
	}
	return all
}

func extremes(r *Result, col int) (least, most int) {
	least, most = -1, -1
	low, high := math.Inf(1), math.Inf(-1)
	for i, row := range r.Rows {
		if v, err := strconv.ParseFloat(row[col], 64); err == nil {
			if v < low {
				low, least = v, i
			}
			if v > high {
				high, most = v, i
			}
		}
	}
	return least, most
}

func firstOf(r *Result, col, most int) string {
	var all []string
	for _, row := range r.Rows[:min(len(r.Rows), most)] {
		all = append(all, row[col])
	}
	text := strings.Join(all, ", ")
	if len(r.Rows) > most {
		text += " …"
	}
	return text
}

func counted(n int64, what string) string {
	if n == 1 || strings.HasPrefix(what, "different ") {
		return grouped(n) + " " + what
	}
	return grouped(n) + " " + what + "s"
}

// grouped writes a whole number with commas between thousands.
func grouped(n int64) string {
	text := strconv.FormatInt(n, 10)
	for i := len(text) - 3; i > 0 && text[i-1] != '-'; i -= 3 {
		text = text[:i] + "," + text[i:]
	}
	return text
}

// Readable is a cell as people read it: a number with commas between thousands, and with
// as many decimals as matter.
func Readable(cell string) string {
	v, err := strconv.ParseFloat(cell, 64)
	if err != nil || len(cell) == 4 && isYear(cell) {
		return cell
	}
	if v == math.Trunc(v) && math.Abs(v) < 1e15 {
		return grouped(int64(v))
	}
	decimals := 2
	for a := math.Abs(v); a < 1 && decimals < 8; a *= 10 {
		decimals++
	}
	text := strconv.FormatFloat(v, 'f', decimals, 64)
	if strings.Contains(text, ".") {
		text = strings.TrimRight(strings.TrimRight(text, "0"), ".")
	}
	whole, rest, _ := strings.Cut(text, ".")
	if n, err := strconv.ParseInt(whole, 10, 64); err == nil && n != 0 {
		whole = grouped(n)
	}
	if rest == "" {
		return whole
	}
	return whole + "." + rest
}

func withUnit(value, unit string) string {
	if unit == "" {
		return value
	}
	if n, err := strconv.ParseInt(value, 10, 64); err == nil { // 1,825 €, which is no year
		value = grouped(n)
	}
	if i := strings.IndexByte(value, '.'); i == len(value)-2 && unit != "%" { // 9.90 €
		value += "0"
	}
	return value + " " + unit
}

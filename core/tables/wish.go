package tables

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// wish is what a question asks for, as the reader understands it.
type wish struct {
	table   *Table
	measure measure
	also    []measure // more of the same column
	wide    bool      // whole rows are shown
	of      *Column   // nil: rows
	where   []filter
	by      []grouping
	way     int // how what comes out is sorted by what is measured: 1 the most first, -1 the least
	limit   int
	// pick: one of the groups is asked for, or the row where something is most.
	pick *Column
	// how what is picked is measured, where groups are: sum, mean, most or count.
	agg  measure
	sure float64
}

// filter is a condition on a column.
type filter struct {
	column *Column
	sign   string // =, <>, <, <=, >, >=, between, missing, there, true, false
	values []string
	part   string // of a day: year, month, quarter; "": the whole
}

// grouping is a column by which rows are grouped, or a part of its days.
type grouping struct {
	column *Column
	part   string
}

// has reports whether anything is done with a column.
func (w *wish) has(c *Column) bool {
	return w.of == c || w.pick == c || slices.ContainsFunc(w.where, func(f filter) bool { return f.column == c }) ||
		slices.ContainsFunc(w.by, func(g grouping) bool { return g.column == c })
}

func (w *wish) clone() *wish {
	c := *w
	c.where, c.by = slices.Clone(w.where), slices.Clone(w.by)
	return &c
}

// partOf is a part of a day, in the engine's language.
func partOf(column, part string) string {
	switch part {
	case "year":
		return "year(" + column + ")"
	case "month":
		return "strftime(" + column + ", '%Y-%m')"
	case "monthofyear":
		return "month(" + column + ")"
	case "quarter":
		return "year(" + column + ") || '-Q' || quarter(" + column + ")"
	case "week":
		return "strftime(date_trunc('week', " + column + "), '%Y-%m-%d')"
	case "weekday":
		return "isodow(" + column + ")"
	case "hour":
		return "hour(" + column + ")"
	case "day":
		return "CAST(" + column + " AS DATE)"
	}
	return column
}

func (f filter) condition() string {
	name := Quoted(f.column.Name)
	if f.part != "" {
		name = partOf(name, f.part)
	}
	value := func(i int) string {
		v := f.values[i]
		if f.column.Kind.Number() || f.part == "year" || f.part == "monthofyear" {
			if _, err := strconv.ParseFloat(v, 64); err == nil {
				return v
			}
		}
		if f.column.Kind.Time() && f.part == "" {
			return "DATE " + literal(v)
		}
		return literal(v)
	}
	switch f.sign {
	case "begins":
		return name + " LIKE " + literal(f.values[0]+"%")
	case "ends":
		return name + " LIKE " + literal("%"+f.values[0])
	case "contains":
		return name + " LIKE " + literal("%"+f.values[0]+"%")
	case "true":
		return name
	case "false":
		return "NOT " + name
	case "missing":
		return name + " IS NULL"
	case "there":
		return name + " IS NOT NULL"
	case "between":
		return name + " BETWEEN " + value(0) + " AND " + value(1)
	case "=", "<>":
		if len(f.values) > 1 {
			all := make([]string, len(f.values))
			for i := range all {
				all[i] = value(i)
			}
			not := ""
			if f.sign == "<>" {
				not = "NOT "
			}
			return name + " " + not + "IN (" + strings.Join(all, ", ") + ")"
		}
	}
	return name + " " + f.sign + " " + value(0)
}

// aggregateOf is a measure of a column, with what it is called.
func aggregateOf(m measure, c *Column) (expression, title string) {
	if c == nil {
		return "count(*)", "rows"
	}
	name := Quoted(c.Name)
	switch m {
	case counting:
		return "count(" + name + ")", "rows with " + c.Title
	case differing:
		return "count(DISTINCT " + name + ")", "different " + c.Title
	case summing:
		return "sum(" + name + ")", "sum of " + c.Title
	case meaning:
		return "avg(" + name + ")", "mean of " + c.Title
	case middle:
		return "median(" + name + ")", "median of " + c.Title
	case leasting:
		return "min(" + name + ")", "lowest " + c.Title
	case spreading:
		return "stddev(" + name + ")", "standard deviation of " + c.Title
	}
	return "max(" + name + ")", "highest " + c.Title
}

// query is a wish in the engine's language.
func (w *wish) query() string {
	from := " FROM " + w.table.Name
	where := w.conditions()
	switch {
	case w.measure == abouting:
		return w.described(from)
	case w.measure == sharing && w.of != nil:
		sum := "sum(" + Quoted(w.of.Name) + ")"
		part := sum + " FILTER (WHERE " + orTrue(where) + ")"
		return "SELECT " + part + " AS \"part of " + w.of.Title + "\", " + sum + " AS \"sum of " + w.of.Title + "\", " +
			"round(100.0 * " + part + " / " + sum + ", 2) AS \"percent\"" + from
	case w.measure == sharing:
		return "SELECT count(*) FILTER (WHERE " + orTrue(where) + ") AS \"rows\", count(*) AS \"all rows\", " +
			"round(100.0 * " +
			"count(*) FILTER (WHERE " + orTrue(where) + ") / count(*), 2) AS \"percent of rows\"" + from
	case w.measure == listing:
		name := Quoted(w.of.Name)
		if w.of.Missing > 0 {
			where = join(where, name+" IS NOT NULL")
		}
		return "SELECT " + name + ", count(*) AS \"rows\"" + from + clause(" WHERE ", where) +
			" GROUP BY " + name + " ORDER BY " + name
	case w.pick != nil && len(w.by) == 0:
		return w.rowsByPick(from, where)
	case w.measure == showing:
		return "SELECT " + w.shown() + from + clause(" WHERE ", where) + w.order(Quoted(nameOf(w.of))) + w.limited()
	}
	return w.grouped(from, where)
}

// described tells of every column how much of it there is, and from where to where it
// goes.
func (w *wish) described(from string) string {
	var all []string
	for _, c := range w.table.Columns[:min(len(w.table.Columns), mostDescribed)] {
		name := Quoted(c.Name)
		mean := "NULL"
		if c.Countable() {
			mean = "avg(" + name + ")"
		}
		all = append(all, fmt.Sprintf(`SELECT %s AS "Column", count(%s) AS "Filled", count(DISTINCT %s) AS "Different", `+
			`CAST(min(%s) AS VARCHAR) AS "Lowest", CAST(max(%s) AS VARCHAR) AS "Highest", %s AS "Mean"%s`, literal(c.Title), name,
			name, name, name, mean, from))
	}
	return strings.Join(all, " UNION ALL ")
}

// mostDescribed is how many columns are told of where a table is.
const mostDescribed = 40

func (w *wish) conditions() string {
	all := make([]string, len(w.where))
	for i, f := range w.where {
		all[i] = f.condition()
	}
	return strings.Join(all, " AND ")
}

func orTrue(where string) string {
	if where == "" {
		return "true"
	}
	return where
}

func join(a, b string) string {
	if a == "" {
		return b
	}
	return a + " AND " + b
}

func clause(word, text string) string {
	if text == "" {
		return ""
	}
	return word + text
}

func nameOf(c *Column) string {
	if c == nil {
		return ""
	}
	return c.Name
}

// rowsByPick are the rows where something is most or least.
func (w *wish) rowsByPick(from, where string) string {
	of := Quoted(w.of.Name)
	columns := []string{Quoted(w.pick.Name)}
	if w.wide {
		columns = []string{"*"}
	} else if w.pick != w.of {
		columns = append(columns, of)
	}
	if w.of.Missing > 0 {
		where = join(where, of+" IS NOT NULL")
	}
	return "SELECT " + strings.Join(columns, ", ") + from + clause(" WHERE ", where) +
		w.order(of) + w.limited()
}

// shown are the columns of rows that are shown.
func (w *wish) shown() string {
	if w.of == nil {
		return "*"
	}
	var columns []string
	for _, f := range w.where {
		if name := Quoted(f.column.Name); !slices.Contains(columns, name) && f.column != w.of {
			columns = append(columns, name)
		}
	}
	return strings.Join(append(columns, Quoted(w.of.Name)), ", ")
}

func (w *wish) order(by string) string {
	switch {
	case by == `""`:
		return ""
	case w.way > 0:
		return " ORDER BY " + by + " DESC NULLS LAST"
	case w.way < 0:
		return " ORDER BY " + by + " NULLS LAST"
	}
	return ""
}

func (w *wish) limited() string {
	if w.limit > 0 {
		return fmt.Sprint(" LIMIT ", w.limit)
	}
	return ""
}

// grouped is a measure of all rows, or of groups of them.
func (w *wish) grouped(from, where string) string {
	m := w.measure
	if w.agg != "" {
		m = w.agg
	}
	expression, title := aggregateOf(m, w.of)
	measured := expression + " AS " + Quoted(title)
	for _, m := range w.also {
		expression, title := aggregateOf(m, w.of)
		measured += ", " + expression + " AS " + Quoted(title)
	}
	if len(w.by) == 0 {
		return "SELECT " + measured + from + clause(" WHERE ", where)
	}
	var columns, groups []string
	for i, g := range w.by {
		called := g.column.Title
		if g.part != "" {
			called = strings.ToUpper(g.part[:1]) + g.part[1:]
			if g.part == "weekday" {
				called = "Weekday (1 is Monday)"
			}
			if g.part == "monthofyear" {
				called = "Month of the year"
			}
		}
		columns = append(columns, partOf(Quoted(g.column.Name), g.part)+" AS "+Quoted(called))
		groups = append(groups, fmt.Sprint(i+1))
		if g.column.Missing > 0 {
			where = join(where, Quoted(g.column.Name)+" IS NOT NULL")
		}
	}
	if w.of != nil && w.of.Missing > 0 && (m == mosting || m == leasting || m == meaning) && w.way != 0 {
		where = join(where, Quoted(w.of.Name)+" IS NOT NULL")
	}
	text := "SELECT " + strings.Join(append(columns, measured), ", ") + from +
		clause(" WHERE ", where) + " GROUP BY " + strings.Join(groups, ", ")
	switch {
	case w.way > 0:
		text += fmt.Sprintf(" ORDER BY %d DESC NULLS LAST, 1", len(columns)+1)
	case w.way < 0:
		text += fmt.Sprintf(" ORDER BY %d NULLS LAST, 1", len(columns)+1)
	default:
		text += " ORDER BY " + strings.Join(groups, ", ")
	}
	return text + w.limited()
}

package engine

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"juvalogos/core/tables"
)

// A column of few different values is gone through once: which there are, and how often,
// tells all that is found out of it, exactly.

// tallied is a value with how often it is there.
type tallied struct {
	text   string
	number float64
	count  int64
}

// Bounds of columns that are gone through so.
const (
	// mostSampled is how many values may be different in a sample of the table, and
	// mostTallied in all of it.
	mostSampled = 20_000
	mostTallied = 50_000
)

// few are the columns of a part of a table that seem to have few different values.
func (k *taking) few(t *tables.Table, part []tables.Column) ([]bool, error) {
	asked := make([]string, len(part))
	for i, c := range part {
		asked[i] = "approx_count_distinct(" + tables.Quoted(c.Name) + ")"
	}
	from := tables.Quoted(t.Name)
	if t.Rows > fewRows {
		from += " TABLESAMPLE 1% (system)"
	}
	found, err := k.numbers("SELECT " + strings.Join(asked, ", ") + " FROM " + from)
	if err != nil || len(found) < len(part) {
		return make([]bool, len(part)), err
	}
	few := make([]bool, len(part))
	for i := range part {
		few[i] = found[i] <= mostSampled
	}
	return few, nil
}

// tally goes through a column, and fills in what is found out of it; false: it has too many
// different values.
func (k *taking) tally(t *tables.Table, c *tables.Column) (bool, error) {
	value, number := tables.Quoted(c.Name), "NULL"
	if c.Kind.Number() || c.Kind.Time() {
		number = numberOf(c)
	}
	text := value
	if c.Kind == tables.Text {
		text = "left(" + value + ", 200)"
	}
	rows, err := k.rows(fmt.Sprintf("SELECT %s, %s, count(*) FROM %s WHERE %[4]s IS NOT NULL GROUP BY %[4]s "+
		"ORDER BY %[4]s LIMIT %[5]d", text, number, tables.Quoted(t.Name), value, mostTallied+1))
	if err != nil || len(rows) > mostTallied {
		return false, err
	}
	all := make([]tallied, len(rows))
	there := int64(0)
	for i, row := range rows {
		all[i].text = row[0]
		if all[i].number, err = strconv.ParseFloat(row[1], 64); err != nil {
			all[i].number = math.NaN()
		}
		all[i].count, _ = strconv.ParseInt(row[2], 10, 64)
		there += all[i].count
	}
	c.Missing, c.Distinct, c.About = t.Rows-there, int64(len(all)), false
	if len(all) == 0 {
		return true, nil
	}
	c.Least, c.Most = cut(all[0].text, 60), cut(all[len(all)-1].text, 60)
	if c.Kind.Number() {
		sum := 0.0
		for _, v := range all {
			sum += v.number * float64(v.count)
		}
		c.Mean = cellText(sum/float64(there), c.Kind)
	}
	if c.Kind.Number() || c.Kind.Time() {
		c.Bins = binned(c, all)
		return true, nil
	}
	c.Often, c.Whole = often(all, t.Rows)
	return true, nil
}

// binned counts values in bins.
func binned(c *tables.Column, all []tallied) []tables.Bin {
	all = slices.DeleteFunc(slices.Clone(all), func(v tallied) bool {
		return math.IsNaN(v.number) ||
			math.IsInf(v.number, 0)
	})
	if len(all) == 0 {
		return nil
	}
	b := binsOf(c, all[0].number, all[len(all)-1].number)
	for _, v := range all {
		b.add(int(math.Floor((v.number-b.least)/b.wide)), v.count)
	}
	return b.all
}

// often are the values that are most often there, all if they are few; whole reports that.
func often(all []tallied, rows int64) (out []tables.Value, whole bool) {
	most := mostOften
	if whole = len(all) <= mostValues; whole {
		most = mostValues
	} else if int64(len(all)) == rows { // each is there once
		return nil, false
	}
	all = slices.Clone(all)
	slices.SortStableFunc(all, func(a, b tallied) int { return int(b.count - a.count) })
	for _, v := range all[:min(most, len(all))] {
		out = append(out, tables.Value{Text: cut(v.text, 80), Count: v.count})
	}
	return out, whole
}

// cut is the beginning of a text: at most so many letters.
func cut(text string, most int) string {
	n := 0
	for at := range text {
		if n == most {
			return text[:at]
		}
		n++
	}
	return text
}

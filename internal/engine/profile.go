package engine

import (
	"fmt"
	"math"
	"strconv"
	"strings"
	"time"

	"juvalogos/core/phrase"
	"juvalogos/core/tables"
)

// finish finds out what a table's columns hold, and puts it among those that were read.
func (k *taking) finish(t *tables.Table, guesses []tables.Guess) error {
	for _, step := range []func(*tables.Table, []tables.Guess) error{k.odd, k.footers, k.count, k.first} {
		k.task.GoOn(perStretch)
		if err := step(t, guesses); err != nil || len(k.again) > 0 {
			return err
		}
	}
	if t.Rows > 0 {
		k.all = append(k.all, *t)
	}
	return nil
}

// mostOdd is which part of a column's cells may be of another kind than it is read as.
const mostOdd = 0.2

// mostOdds is how many cells are kept of those that are odd.
const mostOdds = 20

// odd looks at cells that are not of their column's kind. A column that has many of them
// is a text after all.
func (k *taking) odd(t *tables.Table, guesses []tables.Guess) error {
	var counts []string
	var at []int
	for i, g := range guesses {
		if g.Kind != tables.Text {
			counts = append(counts, fmt.Sprintf("count(%s), count(%s)", oddAt(len(at)),
				tables.Quoted(t.Columns[i].Name)))
			at = append(at, i)
		}
	}
	if len(at) == 0 {
		return nil
	}
	if any, err := k.numbers("SELECT count(" + oddColumn + ") FROM " + tables.Quoted(t.Name)); err != nil ||
		any[0] == 0 {
		return err
	}
	found, err := k.numbers("SELECT " + strings.Join(counts, ", ") + " FROM " + tables.Quoted(t.Name))
	if err != nil {
		return err
	}
	for n, i := range at {
		c := &t.Columns[i]
		c.Odd = found[2*n]
		if c.Odd == 0 {
			continue
		}
		if !c.Given && float64(c.Odd) > mostOdd*float64(c.Odd+found[2*n+1]) {
			k.again = append(k.again, Given{Table: t.Name, Column: c.Name, Kind: tables.Text})
			continue
		}
		odd := oddAt(n)
		cells, err := k.rows(fmt.Sprintf("SELECT %s, left(%s, 80) FROM %s WHERE %s IS NOT NULL ORDER BY 1 LIMIT %d",
			tables.RowColumn, odd, tables.Quoted(t.Name), odd, mostOdds))
		if err != nil {
			return err
		}
		for _, cell := range cells {
			row, _ := strconv.ParseInt(cell[0], 10, 64)
			c.Odds = append(c.Odds, tables.Cell{Row: row, Text: cell[1]})
		}
	}
	return nil
}

// mostFooters is how many of the last rows are looked at.
const mostFooters = 4

// footers takes out the last rows if they add up what is above, or are remarks.
func (k *taking) footers(t *tables.Table, guesses []tables.Guess) error {
	columns := []string{tables.RowColumn}
	n := 0
	for i, c := range t.Columns[:min(len(t.Columns), abreast)] {
		cell := "CAST(" + tables.Quoted(c.Name) + " AS VARCHAR)"
		if guesses[i].Kind != tables.Text {
			cell = "coalesce(" + cell + ", " + oddAt(n) + ")"
			n++
		}
		columns = append(columns, cell)
	}
	ends, err := k.numbers(fmt.Sprintf("SELECT max(%s) FROM %s", tables.RowColumn, tables.Quoted(t.Name)))
	if err != nil {
		return err
	}
	// What lies far above the end need not be read; rows that are empty may stand between.
	last, err := k.rows(fmt.Sprintf("SELECT %s FROM %s WHERE %s > %d ORDER BY %s DESC LIMIT %d",
		strings.Join(columns, ", "), tables.Quoted(t.Name), tables.RowColumn, ends[0]-1000, tables.RowColumn,
		mostFooters))
	if err != nil {
		return err
	}
	for i, row := range last {
		var filled []string
		for _, cell := range row[1:] {
			if strings.TrimSpace(cell) != "" {
				filled = append(filled, strings.TrimSpace(cell))
			}
		}
		above := len(last) > i+1
		total := tables.SumsUp(filled) && above
		remark := len(filled) == 1 && above && len(filled[0]) > 3 && row[1] != "" &&
			(len(t.Columns) >= 3 && len(t.Columns) <= abreast || len(t.Columns) == 2 &&
				strings.Contains(filled[0], " "))
		if !total && !remark {
			return k.sums(t)
		}
		number, _ := strconv.ParseInt(row[0], 10, 64)
		text := filled[0]
		if len(text) > 80 {
			text = strings.ToValidUTF8(text[:80], "") + "…"
		}
		if total {
			t.Wrong = append(t.Wrong, phrase.Of("row %d adds up what is above it (“%s”); it is left out", number, text))
		} else {
			t.Wrong = append(t.Wrong, phrase.Of("row %d is a remark below the table (“%s”); it is left out", number,
				text))
		}
		for c := range t.Columns {
			k.unOdd(&t.Columns[c], number)
		}
		if err := run(k.ctx, k.conn, fmt.Sprintf("DELETE FROM %s WHERE %s = %d", tables.Quoted(t.Name),
			tables.RowColumn,
			number)); err != nil {
			return err
		}
	}
	return nil
}

// mostSums is how many rows are named that seem to add up others.
const mostSums = 3

// sums looks for rows in the middle that seem to add up others, by their first text.
func (k *taking) sums(t *tables.Table) error {
	for _, c := range t.Columns {
		if c.Kind != tables.Text {
			continue
		}
		name := tables.Quoted(c.Name)
		found,
			err := k.rows(fmt.Sprintf("SELECT %s, left(%s, 80) FROM %s WHERE (%[2]s ILIKE 'total%%' OR %[2]s ILIKE "+
			"'su%%' OR %[2]s ILIKE 'grand%%') AND regexp_matches(%[2]s, %[4]s) ORDER BY 1 LIMIT %[5]d",
			tables.RowColumn, name, tables.Quoted(t.Name), // most texts are told by how they begin
			tables.Literal(`(?i)^((sub|grand)[\s-]*total|total|sum)s?\b`), mostSums))
		for _, row := range found {
			t.Wrong = append(t.Wrong, phrase.Of("row %s seems to add up others (“%s”), and counts like any other row",
				row[0], row[1]))
		}
		return err
	}
	return nil
}

// unOdd forgets a cell of a row that was taken out.
func (k *taking) unOdd(c *tables.Column, row int64) {
	for i, cell := range c.Odds {
		if cell.Row == row {
			c.Odds = append(c.Odds[:i], c.Odds[i+1:]...)
			c.Odd--
			return
		}
	}
}

// fewRows is up to how many rows different values are counted one by one.
const fewRows = 500_000

// abreast is how many columns are looked at in one query.
const abreast = 40

// count counts a table's rows, and finds out what its columns hold.
func (k *taking) count(t *tables.Table, _ []tables.Guess) error {
	rows, err := k.numbers("SELECT count(*) FROM " + tables.Quoted(t.Name))
	if err != nil {
		return err
	}
	t.Rows = rows[0]
	for from := 0; from < len(t.Columns); from += abreast {
		part := t.Columns[from:min(from+abreast, len(t.Columns))]
		if err := k.measure(t, part, from < mostSpread); err != nil {
			return err
		}
		for i := range part {
			c := &part[i]
			if c.Odd > 0 {
				t.Wrong = append(t.Wrong, oddPhrase(c))
			}
			if c.Distinct == 0 {
				t.Wrong = append(t.Wrong, phrase.Of("the column “%s” is empty", c.Title))
			}
		}
	}
	return nil
}

// measure finds out what some columns hold, and how that is spread if it is wanted.
func (k *taking) measure(t *tables.Table, part []tables.Column, spread bool) error {
	few := make([]bool, len(part))
	if spread {
		var err error
		if few, err = k.few(t, part); err != nil {
			return err
		}
	}
	var many []*tables.Column
	for i := range part {
		if few[i] {
			k.task.GoOn(perStretch)
			done, err := k.tally(t, &part[i])
			if err != nil {
				return err
			}
			if done {
				continue
			}
		}
		many = append(many, &part[i])
	}
	k.task.GoOn(perStretch)
	if err := k.counted(t, many); err != nil || !spread {
		return err
	}
	for _, c := range many {
		k.task.GoOn(perStretch)
		if err := k.spread(t, c); err != nil {
			return err
		}
	}
	return nil
}

// counted finds out of columns with many different values how many cells are there, how
// many of them are different, the least, the most and the mean. What the engine has at hand
// for every piece of a table (least and most of numbers, how many are there) it tells at
// once, but only where it is asked nothing else beside it.
func (k *taking) counted(t *tables.Table, columns []*tables.Column) error {
	if len(columns) == 0 {
		return nil
	}
	var there, distinct, mean []string
	from := " FROM " + tables.Quoted(t.Name)
	for _, c := range columns {
		name := tables.Quoted(c.Name)
		there = append(there, "count("+name+")")
		if c.About = t.Rows > fewRows; c.About {
			distinct = append(distinct, "approx_count_distinct("+name+")")
		} else {
			distinct = append(distinct, "count(DISTINCT "+name+")")
		}
		if c.Kind.Number() {
			mean = append(mean, "avg("+name+")")
		} else {
			mean = append(mean, "max(NULL)")
		}
		ends := "SELECT min(" + name + "), max(" + name + ")"
		if c.Kind == tables.Text {
			ends = "SELECT left(min(" + name + "), 60), left(max(" + name + "), 60)"
		}
		found, err := k.rows(ends + from)
		if err != nil {
			return err
		}
		c.Least, c.Most = found[0][0], found[0][1]
	}
	for i, asked := range [][]string{there, distinct, mean} {
		found, err := k.rows("SELECT " + strings.Join(asked, ", ") + from)
		if err != nil {
			return err
		}
		for j, c := range columns {
			n, _ := strconv.ParseInt(found[0][j], 10, 64)
			switch i {
			case 0:
				c.Missing = t.Rows - n
			case 1:
				c.Distinct = n
			default:
				c.Mean = found[0][j]
			}
		}
	}
	return nil
}

func oddPhrase(c *tables.Column) phrase.Phrase {
	if len(c.Odds) == 0 {
		return phrase.Of("%d cells of “%s” are not what the others are, and count as missing", c.Odd, c.Title)
	}
	if c.Odd == 1 {
		return phrase.Of("in row %d “%s” is “%s”, which is not what the column has, and counts as missing",
			c.Odds[0].Row,
			c.Title, c.Odds[0].Text)
	}
	return phrase.Of("%d cells of “%s” are not what the others are, and count as missing, like “%s” in row %d", c.Odd,
		c.Title, c.Odds[0].Text, c.Odds[0].Row)
}

// Bounds of what is shown of how values are spread.
const (
	binCount   = 12
	mostValues = 200 // that are all kept where there are no more of them
	mostOften  = 8
	mostSpread = 300 // columns
)

// spread finds out how the values of a column are spread.
func (k *taking) spread(t *tables.Table, c *tables.Column) error {
	switch {
	case c.Distinct == 0:
		return nil
	case c.Kind.Number() || c.Kind.Time():
		return k.bins(t, c)
	}
	return k.values(t, c)
}

// numberOf is what a column's values are as numbers, as the engine's language has it.
func numberOf(c *tables.Column) string {
	if c.Kind.Time() {
		return "epoch(" + tables.Quoted(c.Name) + ")"
	}
	return tables.Quoted(c.Name) + "::DOUBLE"
}

// bins are those of a column.
type bins struct {
	all         []tables.Bin
	least, wide float64
}

// binsOf are the bins of a column whose values lie between two, all equally wide.
func binsOf(c *tables.Column, least, most float64) bins {
	n := binCount
	if c.Kind == tables.Whole && most-least < binCount {
		n, most = int(most-least)+1, most+1
	}
	if c.Kind == tables.Date && (most-least)/day < binCount {
		n, most = int((most-least)/day)+1, most+day
	}
	if most <= least {
		n, most = 1, least+1
	}
	b := bins{make([]tables.Bin, n), least, (most - least) / float64(n)}
	for i := range b.all {
		b.all[i].From, b.all[i].To = edge(c, least+float64(i)*b.wide), edge(c, least+float64(i+1)*b.wide)
	}
	if n > 1 || c.Kind != tables.Whole {
		b.all[n-1].To = c.Most
	}
	b.all[0].From = c.Least
	return b
}

func (b *bins) add(bin int, count int64) { b.all[max(0, min(bin, len(b.all)-1))].Count += count }

// bins counts a column's values in bins.
func (k *taking) bins(t *tables.Table, c *tables.Column) error {
	number := numberOf(c)
	ends, finite, err := k.ends(t, c, number)
	if err != nil || len(ends) < 2 {
		return err
	}
	b := binsOf(c, ends[0], ends[1])
	counted, err := k.rows(fmt.Sprintf(`SELECT floor((%s - %v) / %v)::SMALLINT AS bin, count(*) FROM %s WHERE %s
		GROUP BY 1 ORDER BY 1`, number, b.least, b.wide, tables.Quoted(t.Name), finite))
	if err != nil {
		return err
	}
	for _, row := range counted {
		bin, _ := strconv.Atoi(row[0])
		count, _ := strconv.ParseInt(row[1], 10, 64)
		b.add(bin, count)
	}
	c.Bins = b.all
	return nil
}

// ends are the least and the most of a column, as numbers, of those that are finite, and by
// which condition these are chosen.
func (k *taking) ends(t *tables.Table, c *tables.Column, number string) (ends []float64, finite string, err error) {
	value, from := tables.Quoted(c.Name), " FROM "+tables.Quoted(t.Name)
	least, most := strings.Replace(number, value, "min("+value+")", 1), strings.Replace(number, value,
		"max("+value+")", 1)
	ends, err = k.floats("SELECT " + least + ", " + most + from)
	if err == nil && len(ends) == 2 && !math.IsInf(ends[0], 0) && !math.IsInf(ends[1], 0) && !math.IsNaN(ends[1]) {
		return ends, value + " IS NOT NULL", nil
	}
	finite = "isfinite(" + number + ")"
	ends, err = k.floats("SELECT min(" + number + "), max(" + number + ")" + from + " WHERE " + finite)
	return ends, finite, err
}

const day = 24 * 60 * 60

func edge(c *tables.Column, at float64) string {
	switch c.Kind {
	case tables.Date:
		return time.Unix(int64(at), 0).UTC().Format(time.DateOnly)
	case tables.Moment:
		return time.Unix(int64(at), 0).UTC().Format("2006-01-02 15:04")
	case tables.Whole:
		return strconv.FormatFloat(at, 'f', 0, 64)
	}
	return strconv.FormatFloat(at, 'g', 4, 64)
}

// values finds a column's values that are most often there; all if they are few.
func (k *taking) values(t *tables.Table, c *tables.Column) error {
	most := mostOften
	if c.Distinct <= mostValues {
		most, c.Whole = mostValues, true
	}
	if c.Distinct > fewRows || c.Distinct == t.Rows && t.Rows > mostValues { // each is there about once
		return nil
	}
	value := tables.Quoted(c.Name)
	found, err := k.rows(fmt.Sprintf(`SELECT left(CAST(%s AS VARCHAR), 80), count(*) FROM %s WHERE %s IS NOT NULL
		GROUP BY %s ORDER BY 2 DESC, 1 LIMIT %d`, value, tables.Quoted(t.Name), value, value, most))
	for _, row := range found {
		n, _ := strconv.ParseInt(row[1], 10, 64)
		c.Often = append(c.Often, tables.Value{Text: row[0], Count: n})
	}
	return err
}

// mostFirst is how many of a table's first rows are shown.
const mostFirst = 10

func (k *taking) first(t *tables.Table, _ []tables.Guess) error {
	var names []string
	for _, c := range t.Columns {
		names = append(names, tables.Quoted(c.Name))
	}
	var err error
	t.First, err = k.rows(fmt.Sprintf("SELECT %s FROM %s ORDER BY %s LIMIT %d", strings.Join(names, ", "),
		tables.Quoted(t.Name), tables.RowColumn, mostFirst))
	for _, row := range t.First {
		for i, cell := range row {
			if len(cell) > 200 {
				row[i] = strings.ToValidUTF8(cell[:200], "") + "…"
			}
		}
	}
	return err
}

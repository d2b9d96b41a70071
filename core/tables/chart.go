package tables

import (
	"math"
	"slices"
	"strconv"
	"strings"

	"juvalogos/core/phrase"
)

// ChartKind is how a chart shows what a result says.
type ChartKind string

// The kinds of charts.
const (
	Bars      ChartKind = "bars"
	Lines     ChartKind = "lines"
	Points    ChartKind = "points"
	Histogram ChartKind = "histogram"
	Grid      ChartKind = "grid" // of two categories, a shade for each pair
)

// Chart is a result as a picture: in the form that suits it, and in others that it can be
// changed to.
type Chart struct {
	Title string `json:"title"`
	Forms []Form `json:"forms"` // the best first
}

// Form is a chart of one kind.
type Form struct {
	Kind   ChartKind     `json:"kind"`
	X      Axis          `json:"x"`
	Y      Axis          `json:"y"`
	Labels []string      `json:"labels,omitempty"` // of bars, lines, histograms and grids, along x
	Series []Series      `json:"series"`
	Note   phrase.Phrase `json:"note,omitzero"` // what of the result it does not show
}

// Axis is what is measured along an axis.
type Axis struct {
	Title string `json:"title"`
	Kind  Kind   `json:"kind"`
	Unit  string `json:"unit,omitempty"`
}

// Series are the values of a line, of bars of one colour, of a row of a grid. A value that
// is missing is null; of points X has where they are.
type Series struct {
	Title  string     `json:"title"`
	Values []*float64 `json:"values"`
	X      []float64  `json:"x,omitempty"`
}

// Bounds of what a chart can show.
const (
	mostBars   = 40
	mostLine   = 2000
	mostPoints = 2000
	mostSeries = 8
	mostGrid   = 60
)

// Draw makes a chart of a result; false where its shape asks for none: there is one row, or
// nothing to measure, or nothing to measure it along.
func Draw(r *Result) (Chart, bool) {
	s := shapeOf(r)
	var c Chart
	add := func(f Form, ok bool) {
		if ok && !slices.ContainsFunc(c.Forms, func(o Form) bool { return o.Kind == f.Kind }) {
			c.Forms = append(c.Forms, f)
		}
	}
	if len(r.Rows) < 2 || len(s.numbers) == 0 {
		return c, false
	}
	switch {
	case len(s.along) == 1 && len(s.names) <= 1:
		add(s.against(s.along[0], s.names, Lines))
		add(s.against(s.along[0], s.names, Bars))
	case len(s.along) == 0 && len(s.names) == 1:
		add(s.against(s.names[0], nil, Bars))
		if len(s.numbers) > 1 {
			add(s.points())
		}
	case len(s.names)+len(s.along) == 2:
		both := append(slices.Clone(s.along), s.names...)
		if len(s.along) == 0 && s.sparse(both[0], both[1]) {
			add(s.pairs(both[0], both[1]))
		}
		add(s.grid(both[0], both[1]))
		add(s.against(both[0], both[1:], Bars))
	case len(s.names) == 0 && len(s.along) == 0 && len(s.numbers) >= 2 && len(r.Rows) >= 6:
		add(s.points())
	}
	if len(s.numbers) == 1 && len(s.names) == 0 && len(s.along) == 0 && len(r.Rows) >= 12 {
		add(s.histogram())
	}
	if len(c.Forms) == 0 {
		return c, false
	}
	f := c.Forms[0]
	c.Title = f.Y.Title
	if f.X.Title != "" {
		c.Title += " · " + f.X.Title
	}
	return c, true
}

// shape is which columns of a result are what.
type shape struct {
	r       *Result
	along   []int // times, and numbers that stand for such: years, months
	names   []int
	numbers []int
}

// ordered are titles of numbers along which others are measured.
var ordered = set(`year month week quarter hour weekday day decade minute jahr monat woche quartal stunde tag`)

func shapeOf(r *Result) shape {
	s := shape{r: r}
	for i, c := range r.Columns {
		words := strings.FieldsFunc(strings.ToLower(c.Title+" "+c.Name),
			func(r rune) bool { return r < 'a' || r > 'z' })
		stands := slices.ContainsFunc(words, func(w string) bool { return ordered[w] })
		switch {
		case c.Kind.Time() || c.Kind == Text && s.months(i):
			s.along = append(s.along, i)
		case c.Kind == Whole && stands && s.distinct(i):
			s.along = append(s.along, i)
		case c.Kind.Number():
			s.numbers = append(s.numbers, i)
		default:
			s.names = append(s.names, i)
		}
	}
	return s
}

// months reports whether a column's texts are months or quarters that sort as they are
// written, like 2026-05.
func (s shape) months(i int) bool {
	for _, row := range s.r.Rows {
		c := row[i]
		if len(c) != 7 || c[4] != '-' || !isYear(c[:4]) {
			return false
		}
	}
	return len(s.r.Rows) > 0
}

// distinct reports whether few rows have the same in a column as others: what numbers are
// measured along does not repeat itself but for series.
func (s shape) distinct(i int) bool {
	seen := map[string]bool{}
	for _, row := range s.r.Rows {
		seen[row[i]] = true
	}
	return len(seen) > 1
}

func (s shape) axis(i int) Axis {
	c := s.r.Columns[i]
	return Axis{Title: c.Title, Kind: c.Kind, Unit: c.Unit}
}

func (s shape) value(row []string, col int) *float64 {
	v, err := strconv.ParseFloat(row[col], 64)
	if err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
		return nil
	}
	return &v
}

// against measures numbers along a column: a series for each of the numbers that share a
// unit, or for each name of a second column.
func (s shape) against(x int, by []int, kind ChartKind) (Form, bool) {
	f := Form{Kind: kind, X: s.axis(x), Y: s.axis(s.numbers[0])}
	most := mostBars
	if kind == Lines {
		most = mostLine
	}
	at := map[string]int{}
	for _, row := range s.sorted(x) {
		label := row[x]
		if _, there := at[label]; !there && len(f.Labels) < most {
			at[label] = len(f.Labels)
			f.Labels = append(f.Labels, label)
		}
	}
	all := map[string]bool{}
	for _, row := range s.r.Rows {
		all[row[x]] = true
	}
	if len(all) > most {
		f.Note = phrase.Of("the first %d of %d are drawn; the table has all", most, len(all))
	}
	if kind == Lines && len(f.Labels) < 3 {
		return f, false
	}
	series := func(title string) *Series {
		f.Series = append(f.Series, Series{Title: title, Values: make([]*float64, len(f.Labels))})
		return &f.Series[len(f.Series)-1]
	}
	if len(by) == 0 {
		for _, y := range s.numbers {
			if s.r.Columns[y].Unit != f.Y.Unit || len(f.Series) == mostSeries {
				continue
			}
			one := series(s.r.Columns[y].Title)
			for _, row := range s.r.Rows {
				if i, drawn := at[row[x]]; drawn {
					one.Values[i] = s.value(row, y)
				}
			}
		}
		if s.uneven(f) {
			f.Series = f.Series[:1] // of another size than the first
		}
		return f, true
	}
	which := map[string]int{}
	for _, row := range s.r.Rows {
		name := row[by[0]]
		if _, there := which[name]; !there {
			if len(which) == mostSeries {
				return f, false
			}
			which[name] = len(f.Series)
			series(name)
		}
		if i, drawn := at[row[x]]; drawn {
			f.Series[which[name]].Values[i] = s.value(row, s.numbers[0])
		}
	}
	return f, true
}

// uneven reports whether the series of a form are of sizes so different that some of them
// could not be seen.
func (s shape) uneven(f Form) bool {
	least, most := math.Inf(1), 0.0
	for _, one := range f.Series {
		top := 0.0
		for _, v := range one.Values {
			if v != nil {
				top = max(top, math.Abs(*v))
			}
		}
		least, most = min(least, top), max(most, top)
	}
	return most > 20*least
}

// sorted are the rows in the order of a column of times; as they are if it has names.
func (s shape) sorted(x int) [][]string {
	if !slices.Contains(s.along, x) {
		return s.r.Rows
	}
	rows := slices.Clone(s.r.Rows)
	slices.SortStableFunc(rows, func(a, b []string) int {
		u, v := s.value(a, x), s.value(b, x)
		if u != nil && v != nil {
			switch {
			case *u < *v:
				return -1
			case *u > *v:
				return 1
			}
			return 0
		}
		return strings.Compare(a[x], b[x])
	})
	return rows
}

// sparse reports whether most pairs of what two columns have are not there: what is in one
// tells what is in the other.
func (s shape) sparse(x, y int) bool {
	of := [2]map[string]bool{{}, {}}
	for _, row := range s.r.Rows {
		of[0][row[x]], of[1][row[y]] = true, true
	}
	return 2*len(s.r.Rows) < len(of[0])*len(of[1])
}

// pairs are bars, one for each pair of what two columns have.
func (s shape) pairs(x, y int) (Form, bool) {
	f := Form{Kind: Bars, X: s.axis(x), Y: s.axis(s.numbers[0])}
	f.X.Title += ", " + s.r.Columns[y].Title
	one := Series{Title: f.Y.Title}
	for _, row := range s.r.Rows[:min(len(s.r.Rows), mostBars)] {
		f.Labels = append(f.Labels, row[x]+", "+row[y])
		one.Values = append(one.Values, s.value(row, s.numbers[0]))
	}
	if len(s.r.Rows) > mostBars {
		f.Note = phrase.Of("the first %d of %d are drawn; the table has all", mostBars, len(s.r.Rows))
	}
	f.Series = []Series{one}
	return f, true
}

func (s shape) grid(x, y int) (Form, bool) {
	f := Form{Kind: Grid, X: s.axis(x), Y: s.axis(s.numbers[0])}
	columns, rows := map[string]int{}, map[string]int{}
	for _, row := range s.sorted(x) {
		if _, there := columns[row[x]]; !there {
			columns[row[x]] = len(f.Labels)
			f.Labels = append(f.Labels, row[x])
		}
	}
	if len(f.Labels) > mostGrid {
		return f, false
	}
	for _, row := range s.sorted(y) {
		i, there := rows[row[y]]
		if !there {
			i = len(f.Series)
			rows[row[y]] = i
			f.Series = append(f.Series, Series{Title: row[y], Values: make([]*float64, len(f.Labels))})
		}
		f.Series[i].Values[columns[row[x]]] = s.value(row, s.numbers[0])
	}
	return f, len(f.Series) <= mostGrid && len(f.Series) > 1 && len(f.Labels) > 1
}

func (s shape) points() (Form, bool) {
	x, y := s.numbers[0], s.numbers[1]
	f := Form{Kind: Points, X: s.axis(x), Y: s.axis(y), Series: []Series{{Title: s.r.Columns[y].Title}}}
	one := &f.Series[0]
	for _, row := range s.r.Rows[:min(len(s.r.Rows), mostPoints)] {
		if at, v := s.value(row, x), s.value(row, y); at != nil && v != nil {
			one.X, one.Values = append(one.X, *at), append(one.Values, v)
			if len(s.names) > 0 {
				f.Labels = append(f.Labels, row[s.names[0]])
			}
		}
	}
	return f, len(one.X) > 2
}

func (s shape) histogram() (Form, bool) {
	col := s.numbers[0]
	var values []float64
	for _, row := range s.r.Rows {
		if v := s.value(row, col); v != nil {
			values = append(values, *v)
		}
	}
	if len(values) < 2 {
		return Form{}, false
	}
	least, most := slices.Min(values), slices.Max(values)
	if least == most {
		return Form{}, false
	}
	n := min(20, max(5, int(math.Ceil(math.Log2(float64(len(values))))+1))) // Sturges' rule
	step := niceStep((most - least) / float64(n))
	from := math.Floor(least/step) * step
	n = int(math.Floor((most-from)/step)) + 1
	f := Form{Kind: Histogram, X: s.axis(col), Y: Axis{Title: "rows", Kind: Whole}}
	counts := make([]float64, n)
	for _, v := range values {
		counts[min(n-1, int((v-from)/step))]++
	}
	one := Series{Title: s.r.Columns[col].Title}
	for i := range counts {
		f.Labels = append(f.Labels, rounded(from+float64(i)*step)+"–"+rounded(from+float64(i+1)*step))
		one.Values = append(one.Values, &counts[i])
	}
	f.Series = []Series{one}
	return f, true
}

// niceStep is the next of 1, 2 and 5 times a power of ten.
func niceStep(at float64) float64 {
	power := math.Pow(10, math.Floor(math.Log10(at)))
	for _, times := range []float64{1, 2, 5} {
		if at <= times*power*(1+1e-9) {
			return times * power
		}
	}
	return 10 * power
}

// Prefer puts the form of a kind first, if there is one.
func (c *Chart) Prefer(kind ChartKind) {
	i := slices.IndexFunc(c.Forms, func(f Form) bool { return f.Kind == kind })
	if i > 0 {
		f := c.Forms[i]
		c.Forms = slices.Insert(slices.Delete(c.Forms, i, i+1), 0, f)
	}
}

package tables

import (
	"fmt"
	"math"
	"strings"
	"unicode/utf8"
)

// Results and charts in characters of one width, for terminals.

// widestCell is how wide a column is set at most, in characters.
const widestCell = 32

// InColumns sets a result in columns, at most so many of its rows, within a width; columns
// for which there is no room are left out and told of.
func (r *Result) InColumns(width, most int) string {
	rows := r.Rows[:min(len(r.Rows), most)]
	shown := make([][]string, len(rows))
	for i, row := range rows {
		shown[i] = make([]string, len(row))
		for j, cell := range row {
			shown[i][j] = cell
			if r.Columns[j].Kind.Number() {
				shown[i][j] = Readable(cell)
			}
			shown[i][j] = Short(shown[i][j], widestCell)
		}
	}
	var widths []int
	used := 0
	for j, c := range r.Columns {
		w := utf8.RuneCountInString(Short(c.Title, widestCell))
		for _, row := range shown {
			w = max(w, utf8.RuneCountInString(row[j]))
		}
		if used += w + 2; used > width+2 && j > 0 {
			break
		}
		widths = append(widths, w)
	}
	var b strings.Builder
	line := func(cells func(j int) string) {
		for j, w := range widths {
			text := cells(j)
			pad := strings.Repeat(" ", max(0, w-utf8.RuneCountInString(text)))
			if r.Columns[j].Kind.Number() {
				text = pad + text
			} else if j < len(widths)-1 {
				text += pad
			}
			if j > 0 {
				b.WriteString("  ")
			}
			b.WriteString(text)
		}
		b.WriteString("\n")
	}
	line(func(j int) string { return Short(r.Columns[j].Title, widestCell) })
	line(func(j int) string { return strings.Repeat("─", widths[j]) })
	for _, row := range shown {
		line(func(j int) string { return row[j] })
	}
	if left := r.Total - int64(len(rows)); left > 0 {
		fmt.Fprintf(&b, "… and %s rows more\n", grouped(left))
	}
	if left := len(r.Columns) - len(widths); left > 0 {
		fmt.Fprintf(&b, "(%d columns more do not fit here)\n", left)
	}
	return b.String()
}

// eighths are parts of a character's width.
var eighths = []rune(" ▏▎▍▌▋▊▉█")

// Characters draws a form of a chart within a width; "" for one that characters cannot
// draw.
func (f Form) Characters(width int) string {
	switch f.Kind {
	case Bars, Histogram:
		return f.barCharacters(width)
	case Lines:
		return f.lineCharacters(width)
	}
	return ""
}

func (f Form) barCharacters(width int) string {
	label := 0
	for _, l := range f.Labels {
		label = max(label, utf8.RuneCountInString(Short(l, widestCell)))
	}
	most := 0.0
	for _, s := range f.Series {
		for _, v := range s.Values {
			if v != nil {
				most = max(most, math.Abs(*v))
			}
		}
	}
	room := max(10, width-label-16)
	var b strings.Builder
	for i, l := range f.Labels {
		name := Short(l, widestCell)
		for n, s := range f.Series {
			if s.Values[i] == nil && (name == "" || n+1 < len(f.Series)) {
				continue // the label stands before what is there
			}
			b.WriteString(name + strings.Repeat(" ", label-utf8.RuneCountInString(name)) + " ")
			if v := s.Values[i]; v != nil && most > 0 {
				b.WriteString(bar(math.Abs(*v)/most*float64(room)) + " " + Readable(written(*v)))
			}
			if len(f.Series) > 1 {
				b.WriteString("  " + Short(s.Title, 24))
			}
			b.WriteString("\n")
			name = ""
		}
	}
	return b.String()
}

func bar(length float64) string {
	whole := int(length)
	text := strings.Repeat("█", whole)
	if part := int((length - float64(whole)) * 8); part > 0 {
		text += string(eighths[part])
	}
	return text
}

// heightOfLines is how many rows of characters a chart of lines has.
const heightOfLines = 12

func (f Form) lineCharacters(width int) string {
	least, most := math.Inf(1), math.Inf(-1)
	for _, s := range f.Series {
		for _, v := range s.Values {
			if v != nil {
				least, most = min(least, *v), max(most, *v)
			}
		}
	}
	if least > most {
		return ""
	}
	if least == most {
		least, most = least-1, most+1
	}
	const axis = 12
	across := min(max(20, width-axis), max(2, len(f.Labels)*6))
	rows := make([][]rune, heightOfLines)
	for i := range rows {
		rows[i] = []rune(strings.Repeat(" ", across))
	}
	marks := []rune("•+×○▲◆□●")
	for n, s := range f.Series {
		for i, v := range s.Values {
			if v == nil {
				continue
			}
			x := 0
			if len(f.Labels) > 1 {
				x = i * (across - 1) / (len(f.Labels) - 1)
			}
			y := int(math.Round((most - *v) / (most - least) * (heightOfLines - 1)))
			rows[y][x] = marks[n%len(marks)]
		}
	}
	var b strings.Builder
	for i, row := range rows {
		label := ""
		if i%3 == 0 || i == heightOfLines-1 {
			label = Readable(fmt.Sprintf("%.4g", most-(most-least)*float64(i)/(heightOfLines-1)))
		}
		fmt.Fprintf(&b, "%*s ┤%s\n", axis-2, label, strings.TrimRight(string(row), " "))
	}
	first, last := f.Labels[0], f.Labels[len(f.Labels)-1]
	fmt.Fprintf(&b, "%*s %s%s%s\n", axis-1, "", first, strings.Repeat(" ", max(1, across-len(first)-len(last))), last)
	if len(f.Series) > 1 {
		for n, s := range f.Series {
			fmt.Fprintf(&b, "%*s%c %s\n", axis, "", marks[n%len(marks)], s.Title)
		}
	}
	return b.String()
}

// How says in lines how a result was computed, and its query.
func (r *Result) How() string {
	var b strings.Builder
	for _, p := range r.Says {
		b.WriteString("- " + p.String() + "\n")
	}
	if r.Of > 0 && r.Read > 0 {
		fmt.Fprintf(&b, "- it rests on %s of %s rows\n", grouped(r.Read), grouped(r.Of))
	}
	for line := range strings.Lines(r.Query) {
		b.WriteString("    " + strings.TrimRight(line, "\n") + "\n")
	}
	return b.String()
}

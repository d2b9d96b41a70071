package tables

import (
	"fmt"
	"strconv"
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"
)

// Row is a row of a file as it is read: its number, from 1, and its cells.
type Row struct {
	Number int64
	Cells  []string
}

// Layout is where a table stands among the rows of a file.
type Layout struct {
	Above   []Row    // what stands above it: a title, remarks
	Heads   []string // of its columns, none empty
	HeadRow int64    // the row that names them, the last of several; 0: none does
	Blank   []int    // columns without a head, from 0
	Twice   []string // heads that several columns had
	Sample  []Row    // what follows
}

// mostHeadRows is how far down the head of a table may stand.
const mostHeadRows = 30

// Look tells from the first rows of a file which of them name the columns: the first
// that is nearly as wide as most rows and has only texts, none of them a number or a date,
// where those below are not all such texts too. A row above it whose cells span several
// columns of it belongs to the head.
func Look(rows []Row, merged bool) Layout {
	var widths []int
	for _, r := range rows {
		if n := width(r.Cells); n > 0 {
			widths = append(widths, n)
		}
	}
	columns, _ := modalOf(widths)
	at := headAmong(rows, columns, merged)
	if at < 0 {
		return unnamed(rows, columns)
	}
	columns = max(columns, width(rows[at].Cells))
	if at+1 < len(rows) && goesUnder(rows[at].Cells, rows[at+1].Cells, columns, rows[at+2:]) {
		at++
	}
	l := Layout{Above: rows[:at], HeadRow: rows[at].Number, Sample: rows[at+1:]}
	heads := make([]string, columns)
	copy(heads, rows[at].Cells)
	if at > 0 && (spans(rows[at-1].Cells, columns) || goesUnder(rows[at-1].Cells, rows[at].Cells, columns,
		rows[at+1:])) {
		upper := spread(rows[at-1].Cells, columns, merged)
		for i, u := range upper {
			if u != "" && !strings.EqualFold(u, strings.TrimSpace(heads[i])) {
				heads[i] = strings.TrimSpace(u + " " + strings.TrimSpace(heads[i]))
			}
		}
		l.Above = rows[:at-1]
	}
	l.Name(heads)
	return l
}

// Name gives every column a title, and one of its own.
func (l *Layout) Name(heads []string) {
	seen := map[string]int{}
	for i, h := range heads {
		h = strings.Join(strings.Fields(h), " ")
		if len(h) > mostTitle {
			h = strings.ToValidUTF8(h[:mostTitle], "") + "…"
		}
		if h == "" {
			h = fmt.Sprintf("Column %d", i+1)
			l.Blank = append(l.Blank, i)
		}
		key := strings.ToLower(h)
		if seen[key]++; seen[key] > 1 {
			l.Twice = append(l.Twice, h)
			h = fmt.Sprintf("%s (%d)", h, seen[key])
		}
		l.Heads = append(l.Heads, h)
	}
}

// mostTitle is how long a column's title may be, in bytes.
const mostTitle = 120

func unnamed(rows []Row, columns int) Layout {
	l := Layout{Sample: rows}
	for i := range max(1, columns) {
		l.Heads = append(l.Heads, fmt.Sprintf("Column %d", i+1))
		l.Blank = append(l.Blank, i)
	}
	return l
}

// width is the number of the last cell that is filled.
func width(cells []string) int {
	for i := len(cells); i > 0; i-- {
		if strings.TrimSpace(cells[i-1]) != "" {
			return i
		}
	}
	return 0
}

func filled(cells []string) (n int) {
	for _, c := range cells {
		if strings.TrimSpace(c) != "" {
			n++
		}
	}
	return n
}

// apart counts the different texts among cells.
func apart(cells []string) int {
	seen := map[string]bool{}
	for _, c := range cells {
		if c = strings.TrimSpace(c); c != "" {
			seen[c] = true
		}
	}
	return len(seen)
}

func headAmong(rows []Row, columns int, merged bool) int {
	for i, r := range rows[:min(len(rows), mostHeadRows)] {
		n := filled(r.Cells)
		if merged && apart(r.Cells) == 1 {
			n = 1 // a title over all columns
		}
		if n*10 < columns*6 {
			if spans(r.Cells, columns) && i+1 < len(rows) && couldName(rows[i+1].Cells) &&
				filled(rows[i+1].Cells)*10 >= columns*6 && differs(rows[i+1].Cells, rows[i+2:]) {
				return i + 1 // under heads that span several columns
			}
			continue
		}
		if !couldName(r.Cells) {
			return -1 // the table has begun
		}
		if differs(r.Cells, rows[i+1:]) {
			return i
		}
		return -1
	}
	return -1
}

// couldName reports whether cells can be names of columns: texts, or years side by side.
func couldName(cells []string) bool {
	texts, years := 0, 0
	for _, c := range cells {
		c = strings.TrimSpace(c)
		switch {
		case c == "":
		case len(c) > 400:
			return false
		case isYear(c):
			years++
		case guess([]string{c}).Kind != Text:
			return false
		default:
			texts++
		}
	}
	return texts > 0 || years > 1
}

func isYear(c string) bool {
	n, err := strconv.Atoi(c)
	return err == nil && len(c) == 4 && n >= 1800 && n < 2100
}

// differs reports whether a row of texts is a head of those that follow: some column
// below it is no text, or no cell of it comes again in its column.
func differs(cells []string, below []Row) bool {
	if len(below) == 0 {
		return true
	}
	again := 0
	for i, c := range cells {
		var column []string
		for _, r := range below[:min(len(below), 200)] {
			if i < len(r.Cells) {
				column = append(column, r.Cells[i])
				if strings.TrimSpace(c) != "" && r.Cells[i] == c {
					again++
				}
			}
		}
		if k := guess(column); k.Kind != Text {
			return true
		}
	}
	return again == 0
}

// spans reports whether a row's cells stand above several columns each: there are gaps
// between them, and it does not stand alone.
func spans(cells []string, columns int) bool {
	n := apart(cells)
	return n >= 2 && n < columns && couldName(cells)
}

// goesUnder reports whether a row of texts goes on with the heads above it, some of which
// span several columns: what stands below it is of another kind.
func goesUnder(upper, lower []string, columns int, below []Row) bool {
	if apart(upper) < 2 || apart(upper) == filled(upper) && filled(upper) == columns || !couldName(lower) {
		return false
	}
	for i, c := range lower {
		if strings.TrimSpace(c) == "" {
			continue
		}
		var column []string
		for _, r := range below[:min(len(below), 200)] {
			if i < len(r.Cells) {
				column = append(column, r.Cells[i])
			}
		}
		if guess(column).Kind != Text {
			return true
		}
	}
	return false
}

// spread puts the cells of an upper head over the columns that they span. Where the file
// says what was merged that has been done already.
func spread(cells []string, columns int, merged bool) []string {
	out := make([]string, columns)
	last := ""
	for i := range out {
		cell := ""
		if i < len(cells) {
			cell = strings.TrimSpace(cells[i])
		}
		if cell != "" || merged {
			last = cell
		}
		out[i] = last
	}
	return out
}

// Names makes of titles what queries can say: small letters, digits and underscores, each
// once, none of them a word of the language.
func Names(titles []string) []string {
	seen := map[string]bool{RowColumn: true}
	out := make([]string, len(titles))
	for i, title := range titles {
		name := Identifier(title)
		if name == "" {
			name = fmt.Sprintf("column_%d", i+1)
		}
		for n, base := 2, name; seen[name]; n++ {
			name = fmt.Sprintf("%s_%d", base, n)
		}
		seen[name] = true
		out[i] = name
	}
	return out
}

// Identifier makes one of a title; "" where nothing of it can stand in one.
func Identifier(title string) string {
	var b strings.Builder
	gap := false
	for _, r := range norm.NFKD.String(signs.Replace(title)) {
		switch {
		case unicode.Is(unicode.Mn, r):
			continue
		case unicode.IsLetter(r) || unicode.IsDigit(r):
			if gap && b.Len() > 0 {
				b.WriteByte('_')
			}
			gap = false
			b.WriteRune(unicode.ToLower(r))
		default:
			gap = true
		}
		if b.Len() > 50 {
			break
		}
	}
	name := b.String()
	if name != "" && unicode.IsDigit([]rune(name)[0]) {
		name = "n" + name
	}
	if reserved[name] {
		name += "_"
	}
	return name
}

var signs = strings.NewReplacer("%", " percent ", "€", " eur ", "$", " usd ", "£", " gbp ", "ß", "ss", "&", " and ")

// reserved are words that cannot stand for a column in the engine's language without
// quotes.
var reserved = func() map[string]bool {
	m := map[string]bool{}
	for w := range strings.FieldsSeq(`all analyse analyze and any array as asc asymmetric both case cast check collate
		column constraint create default deferrable desc describe distinct do else end except false fetch for foreign
		from grant group having in initially intersect into lambda lateral leading limit not null offset on only or
		order pivot placing primary qualify references returning select show some summarize symmetric table then to
		trailing true union unique unpivot using variadic when where window with asof at authorization binary cross
		full glob ilike inner is isnull join left like natural notnull outer overlaps positional right semi anti
		similar tablesample verbose interval values row map struct current_date current_time`) {
		m[w] = true
	}
	return m
}()

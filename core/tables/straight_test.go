package tables

import (
	"bytes"
	"encoding/csv"
	"errors"
	"io"
	"reflect"
	"slices"
	"strings"
	"testing"
)

func TestSniff(t *testing.T) {
	for text, want := range map[string]Dialect{
		"a,b\n1,2\n3,4\n":                          {',', '"', '"', 2},
		"a;b\n1,5;2,5\n3,5;4,5\n":                  {';', '"', '"', 2},
		"a\tb c\n1\t2, or 3\n":                     {'\t', '"', '"', 2},
		"a|b|c\n1|2|3\n":                           {'|', '"', '"', 3},
		"'a','b, c'\n'1','2'\n'3','4'\n'5','6'\n":  {',', '\'', '\'', 2},
		"a,b\n\"x \\\"y\\\" z\",2\n\"u\",3\n":      {',', '"', '\\', 2},
		"time,v\n10:00:01,1\n10:00:02,2\n":         {',', '"', '"', 2},
		"name\nAda\nBo\n":                          {oneColumn, '"', '"', 1},
		"note,n\n\"one; two; three\",1\n\"x;y\",2": {',', '"', '"', 2},
	} {
		if got := Sniff([]byte(text)); got != want {
			t.Errorf("%q: %+v, want %+v", text, got, want)
		}
	}
}

// straightened reads a text as a dialect has it and returns the rows that are written.
func straightened(t *testing.T, text string, columns int) ([][]string, *Straight) {
	t.Helper()
	d := Sniff([]byte(text))
	var out bytes.Buffer
	s := NewStraight(&out, columns)
	s.Comma = d.Comma
	err := NewRecords(strings.NewReader(text), d).CopyTo(s, func() error { return nil })
	if err == nil {
		err = s.Flush()
	}
	if err != nil {
		t.Fatal(err)
	}
	r := csv.NewReader(&out)
	r.Comma = rune(d.Comma)
	rows, err := r.ReadAll()
	if err != nil {
		t.Fatalf("%q: %v", text, err)
	}
	return rows, s
}

func TestStraighten(t *testing.T) {
	rows, s := straightened(t, "1,\"a, \"\"b\"\"\nc\",3\n\n4,5\n6,7,8,9\n,,\n\"x\",y,z\n", 3)
	want := [][]string{{"1", "1", "a, \"b\"\nc", "3"}, {"3", "4", "5", ""}, {"4", "6", "7", "8"}, {"6", "x", "y", "z"}}
	if !slices.EqualFunc(rows, want, slices.Equal[[]string]) || s.Rows != 4 {
		t.Errorf("%q, %d rows", rows, s.Rows)
	}
	if !slices.Equal(s.Short, []int64{3}) || !slices.Equal(s.Long, []int64{4}) {
		t.Errorf("short %v, long %v", s.Short, s.Long)
	}
}

// A quotation mark that never ends is told of, and does not hold the file in memory.
func TestQuotesThatNeverEnd(t *testing.T) {
	text := "a,b\n1,\"" + strings.Repeat("x\n", MostRecord)
	r := NewRecords(strings.NewReader(text), Dialect{Comma: ',', Quote: '"', Escape: '"'})
	var long *ErrLongRow
	for {
		if _, _, err := r.Next(); err != nil {
			if !errors.As(err, &long) || long.Row != 2 || !long.Quoted {
				t.Errorf("%v", err)
			}
			return
		}
	}
}

// Whatever a file holds: each row that is written has as many cells as the table has
// columns, and no cell that is filled is lost without being counted.
func FuzzStraighten(f *testing.F) {
	f.Add("a;b\n\"1;2\";3\n\n4\n", 2)
	f.Add("'a','b'\n'it''s',2\n'x','y'\n'z','w'", 3)
	f.Fuzz(func(t *testing.T, text string, columns int) {
		if columns < 1 || columns > 50 || strings.ContainsAny(text, "\r\x00") || !isText(text) {
			return
		}
		rows, s := straightened(t, text, columns)
		d := Sniff([]byte(text))
		filledIn, filledOut := 0, 0
		for r := NewRecords(strings.NewReader(text), d); ; {
			cells, _, err := r.Next()
			if err == io.EOF {
				break
			}
			if err != nil {
				t.Fatal(err)
			}
			for _, c := range cells {
				if len(bytes.TrimSpace(c)) > 0 {
					filledIn++
				}
			}
		}
		for _, row := range rows {
			if len(row) != columns+1 {
				t.Fatalf("%d cells in %q", len(row), row)
			}
			filledOut += filled(row[1:])
		}
		if filledIn != filledOut && s.LongCount == 0 {
			t.Fatalf("%d cells of %d are there", filledOut, filledIn)
		}
	})
}

func isText(s string) bool { return strings.ToValidUTF8(s, "") == s }

func TestHeads(t *testing.T) {
	row := func(n int64, cells ...string) Row { return Row{n, cells} }
	for name, c := range map[string]struct {
		rows   []Row
		merged bool
		want   string
		above  int
	}{
		"plain": {[]Row{row(1, "Hive", "kg"), row(2, "A", "1"), row(3, "B", "2")}, false, "Hive|kg", 0},
		"a title": {[]Row{row(1, "Report 2026", ""), row(2), row(3, "Hive", "kg"), row(4, "A", "1")}, false,
			"Hive|kg", 2},
		"no head": {[]Row{row(1, "A", "1"), row(2, "B", "2")}, false, "Column 1|Column 2", 0},
		"texts alone": {[]Row{row(1, "Name", "Town"), row(2, "Ada", "Mill"), row(3, "Bo", "Vale")}, false,
			"Name|Town", 0},
		"years": {[]Row{row(1, "Meadow", "2024", "2025"), row(2, "Hill", "3", "4")}, false, "Meadow|2024|2025",
			0},
		"twice and none": {[]Row{row(1, "a", "a", "", "b"), row(2, "1", "2", "3", "4")}, false,
			"a|a (2)|Column 3|b", 0},
		"spanning": {[]Row{row(1, "", "2024", "", "2025", ""), row(2, "Hive", "kg", "jars", "kg", "jars"),
			row(3, "A", "1", "2", "3", "4")}, false, "Hive|2024 kg|2024 jars|2025 kg|2025 jars", 0},
		"merged title": {[]Row{row(1, "All of it", "All of it", "All of it"), row(2, "Hive", "kg", "jars"),
			row(3, "A", "1", "2")}, true, "Hive|kg|jars", 1},
	} {
		l := Look(c.rows, c.merged)
		if got := strings.Join(l.Heads, "|"); got != c.want || len(l.Above) != c.above {
			t.Errorf("%s: %s, %d rows above", name, got, len(l.Above))
		}
	}
}

func TestIdentifiers(t *testing.T) {
	got := Names([]string{"Weight (kg)", "Größe", "select", "2024", "%", "weight kg", "", "_row", "Ünïcödé naïve"})
	want := []string{"weight_kg", "grosse", "select_", "n2024", "percent", "weight_kg_2", "column_7", "row_",
		"unicode_naive"}
	if !slices.Equal(got, want) {
		t.Errorf("%q", got)
	}
}

func TestGuesses(t *testing.T) {
	for cells, want := range map[string]Guess{
		"1|2|3":                             {Kind: Whole},
		"1.5|2|3.25":                        {Kind: Decimal, Format: "."},
		"1,5|2|3,25":                        {Kind: Decimal, Format: ","},
		"1.234,5|2.000|17":                  {Kind: Decimal, Format: ","},
		"1,234.5|2,000|17":                  {Kind: Decimal, Format: "."},
		"007|012|100":                       {Kind: Text},
		"€ 2.50|€ 3.00":                     {Kind: Money, Format: ".", Unit: "€"},
		"2,50 €|1.003,00 €":                 {Kind: Money, Format: ",", Unit: "€"},
		"5 %|7,5 %":                         {Kind: Percent, Format: ",", Unit: "%"},
		"2026-01-02|2026-02-03":             {Kind: Date, Format: "%Y-%m-%d"},
		"31.12.2026|01.02.2026":             {Kind: Date, Format: "%d.%m.%Y"},
		"12/31/2026|1/2/2026":               {Kind: Date, Format: "%m/%d/%Y"},
		"1/2/2026|3/4/2026":                 {Kind: Date, Format: "%d/%m/%Y", Unsure: true},
		"20260102|20260203":                 {Kind: Date, Format: "%Y%m%d"},
		"2026-01-02 10:00|2026-01-02 11:30": {Kind: Moment, Format: "%Y-%m-%d %H:%M"},
		"2026-01-02T10:00:00Z|2026-01-02T11:00:00Z": {Kind: Moment, Format: "iso"},
		"yes|no|yes":             {Kind: YesNo, Format: "yes/no"},
		"ja|nein":                {Kind: YesNo, Format: "ja/nein"},
		"x|y":                    {Kind: Text},
		"NA|1|2|n/a":             {Kind: Whole},
		"":                       {Kind: Text},
		"2 Jan 2026|13 Feb 2026": {Kind: Date, Format: "%d %b %Y"},
	} {
		if got := guess(strings.Split(cells, "|")); !reflect.DeepEqual(got, want) {
			t.Errorf("%s: %+v, want %+v", cells, got, want)
		}
	}
}

// A word that says in a column of numbers that there is nothing says so in one of texts too;
// where no column of numbers has it, it is a text like any other.
func TestNothingInTexts(t *testing.T) {
	l := Layout{Heads: []string{"Sex", "Weight"}, Sample: []Row{{Cells: []string{"male", "3"}},
		{Cells: []string{"NA", "NA"}}, {Cells: []string{"female", "4"}}}}
	if g := l.Guesses(); !slices.Equal(g[0].Nothing, []string{"na"}) || g[1].Nothing != nil {
		t.Errorf("%+v", g)
	}
	l = Layout{Heads: []string{"Country", "Size"}, Sample: []Row{{Cells: []string{"NA", "3"}}, {Cells: []string{"BW",
		"4"}}}}
	if g := l.Guesses(); g[0].Nothing != nil {
		t.Errorf("a country is taken for nothing: %+v", g)
	}
}

func TestCharts(t *testing.T) {
	heads := func(kinds ...Kind) (all []Head) {
		for i, k := range kinds {
			all = append(all, Head{Name: string('a' + rune(i)), Title: string('A' + rune(i)), Kind: k})
		}
		return all
	}
	many := func(rows int, cells ...string) (all [][]string) {
		for i := range rows {
			row := slices.Clone(cells)
			for j := range row {
				row[j] = strings.ReplaceAll(row[j], "#", string('a'+rune(i%26))) // a name of its own
				row[j] = strings.ReplaceAll(row[j], "$", strings.Repeat("1", 1+i%3)+"0")
				row[j] = strings.ReplaceAll(row[j], "@", "2026-01-"+string('1'+rune(i/10))+string('0'+rune(i%10)))
			}
			all = append(all, row)
		}
		return all
	}
	for name, c := range map[string]struct {
		r    Result
		want string
	}{
		"a name and a number": {Result{Columns: heads(Text, Whole), Rows: many(5, "#", "$")}, "bars"},
		"days and a number":   {Result{Columns: heads(Date, Decimal), Rows: many(9, "@", "$")}, "lines bars"},
		"two numbers":         {Result{Columns: heads(Decimal, Decimal), Rows: many(9, "$", "$.5")}, "points"},
		"one number":          {Result{Columns: heads(Decimal), Rows: many(20, "$")}, "histogram"},
		"two names, a number": {Result{Columns: heads(Text, Text, Decimal),
			Rows: append(many(4, "#", "x", "$"), many(4, "#", "y", "$")...)}, "grid bars"},
		"two names that go together": {Result{Columns: heads(Text, Text, Decimal), Rows: many(6, "#", "x#", "$")},
			"bars grid"},
		"one row":     {Result{Columns: heads(Text, Whole), Rows: many(1, "#", "$")}, ""},
		"names alone": {Result{Columns: heads(Text, Text), Rows: many(5, "#", "#")}, ""},
	} {
		chart, ok := Draw(&c.r)
		var got []string
		for _, f := range chart.Forms {
			got = append(got, string(f.Kind))
			for _, s := range f.Series {
				if f.Kind != Points && len(s.Values) != len(f.Labels) {
					t.Errorf("%s: %d values for %d labels", name, len(s.Values), len(f.Labels))
				}
			}
			if text := f.Characters(60); text == "" && (f.Kind == Bars || f.Kind == Lines) {
				t.Errorf("%s: nothing in characters", name)
			}
		}
		if text := strings.Join(got, " "); text != c.want || ok != (c.want != "") {
			t.Errorf("%s: %s, want %s", name, text, c.want)
		}
	}
}

// A label stands once, and only what is there has a bar.
func TestBarsInCharacters(t *testing.T) {
	one := 3.0
	f := Form{Kind: Bars, Labels: []string{"Elder", "Alder"}, Series: []Series{{Title: "Hill", Values: []*float64{nil,
		&one}},
		{Title: "Lane", Values: []*float64{&one, nil}}}}
	lines := strings.Split(strings.TrimSpace(f.Characters(60)), "\n")
	if len(lines) != 2 || !strings.HasPrefix(lines[0], "Elder █") || !strings.HasSuffix(lines[0], "Lane") ||
		!strings.HasPrefix(lines[1], "Alder █") || !strings.HasSuffix(lines[1], "Hill") {
		t.Errorf("%q", lines)
	}
}

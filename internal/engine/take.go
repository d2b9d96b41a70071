package engine

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"

	"juvalogos/core/phrase"
	"juvalogos/core/reading"
	"juvalogos/core/tables"
	"juvalogos/internal/confined"
)

// taking is a file that is being read.
type taking struct {
	ctx     context.Context
	task    *confined.Task
	conn    *sql.Conn
	request request
	folder  string
	all     []tables.Table
	again   []Given // columns that have to be read as another kind
}

// Bounds of tables.
const (
	mostTables  = 40
	mostColumns = 1000
	wide        = 200  // columns, from which on one thread reads
	mostSample  = 2000 // rows that are looked at to tell what columns are
)

// separated reads a file of separated values.
func (k *taking) separated(in io.Reader, head []byte) error {
	in, head, err := utf8Of(k.request.Name, in, head)
	if err != nil {
		return err
	}
	d := tables.Sniff(head)
	records := tables.NewRecords(in, d)
	var sample []tables.Row
	ended := false
	for len(sample) < mostSample {
		cells, number, err := records.Next()
		if err == io.EOF {
			ended = true
			break
		}
		if err != nil {
			return wrongRecord(err)
		}
		sample = append(sample, tables.Row{Number: number, Cells: texts(cells)})
	}
	return k.table("", nil, false, sample, d.Comma, func(s *tables.Straight) error {
		if ended {
			return nil
		}
		return wrongRecord(records.CopyTo(s, goesOn(k.task)))
	})
}

func texts(cells [][]byte) []string {
	out := make([]string, len(cells))
	for i, c := range cells {
		out[i] = strings.ToValidUTF8(string(c), "\uFFFD")
	}
	return out
}

func wrongRecord(err error) error {
	var long *tables.ErrLongRow
	switch {
	case errors.As(err, &long) && long.Quoted:
		return &Problem{phrase.Of("row %d: a cell begins with a quotation mark that never ends; put it right and add "+
			"the file again", long.Row)}
	case errors.As(err, &long):
		return &Problem{phrase.Of("row %d has more than %d MB; put it right and add the file again", long.Row,
			tables.MostRecord>>20)}
	}
	return err
}

// grids reads a file that is read whole.
func (k *taking) grids(format string, in io.Reader) error {
	body, err := io.ReadAll(io.LimitReader(in, mostWhole+1))
	if err != nil {
		return err
	}
	if len(body) > mostWhole {
		return &Problem{phrase.Of("it is larger than %d MB; save it as CSV and add it again", mostWhole>>20)}
	}
	l := reading.DefaultLimits
	l.Bytes = mostWhole
	all, err := reading.Grids(k.ctx, format, k.request.Name, body, l)
	if err != nil {
		return err
	}
	for i, g := range all {
		if i == mostTables {
			k.all[0].Wrong = append(k.all[0].Wrong, phrase.Of("the file has %d tables; the first %d are read", len(all),
				mostTables))
			break
		}
		if err := k.grid(g); err != nil {
			return err
		}
	}
	return nil
}

// errEnough ends the rows of a grid.
var errEnough = errors.New("enough")

// grid reads one of a file's tables. Its rows come once: those of the sample are kept.
func (k *taking) grid(g reading.Grid) error {
	rows := make(chan tables.Row, 256)
	stop := make(chan struct{})
	failed := make(chan error, 1)
	go func() {
		defer close(rows)
		failed <- g.Rows(func(number int, cells []string) error {
			select {
			case rows <- tables.Row{Number: int64(number), Cells: cells}:
				return nil
			case <-stop:
				return errEnough
			}
		})
	}()
	defer close(stop)
	var sample []tables.Row
	for r := range rows {
		if sample = append(sample, r); len(sample) == mostSample {
			break
		}
	}
	pause := goesOn(k.task)
	return k.table(g.Sheet, g.Heads, g.Merged, sample, ',', func(s *tables.Straight) error {
		for r := range rows {
			if err := s.Row(r.Number, asBytes(r.Cells)); err != nil {
				return err
			}
			_ = pause()
		}
		return <-failed
	})
}

func asBytes(cells []string) [][]byte {
	out := make([][]byte, len(cells))
	for i, c := range cells {
		out[i] = []byte(c)
	}
	return out
}

// table writes one table: the sample, and what rest writes after it.
func (k *taking) table(sheet string, heads []string, merged bool, sample []tables.Row, comma byte,
	rest func(*tables.Straight) error) error {
	l := tables.Layout{Sample: sample}
	if heads != nil {
		l.Name(heads)
	} else {
		l = tables.Look(sample, merged)
	}
	if !slices.ContainsFunc(l.Sample, func(r tables.Row) bool { return strings.Join(r.Cells, "") != "" }) {
		return rest(tables.NewStraight(io.Discard, 1)) // an empty sheet
	}
	if len(l.Heads) > mostColumns {
		return &Problem{phrase.Of("it has %d columns; up to %d are read. Save the columns that matter and add it again",
			len(l.Heads), mostColumns)}
	}
	t := k.named(sheet, l)
	guesses := k.guesses(&t, l)
	read, write, err := os.Pipe()
	if err != nil {
		return err
	}
	s := tables.NewStraight(write, len(l.Heads))
	s.Comma = comma
	fed := make(chan error, 1)
	go func() {
		var err error
		for _, r := range l.Sample {
			if err = s.Row(r.Number, asBytes(r.Cells)); err != nil {
				break
			}
		}
		if err == nil {
			err = rest(s)
		}
		if err == nil {
			err = s.Flush()
		}
		write.Close()
		fed <- err
	}()
	if len(l.Heads) > wide { // each thread holds a piece of every column
		if err := run(k.ctx, k.conn, "SET threads=1"); err != nil {
			return err
		}
	}
	err = run(k.ctx, k.conn, creating(t, guesses, fmt.Sprintf("/proc/self/fd/%d", read.Fd()), comma))
	read.Close()
	if wrong := <-fed; wrong != nil && (err == nil || !errors.Is(wrong, os.ErrClosed)) {
		err = wrong
	}
	if err != nil {
		return err
	}
	t.Wrong = append(t.Wrong, layoutWrong(l, s)...)
	return k.finish(&t, guesses)
}

// named gives a table its names.
func (k *taking) named(sheet string, l tables.Layout) tables.Table {
	base := strings.TrimSuffix(k.request.Name, extension(k.request.Name))
	t := tables.Table{Title: base, Sheet: sheet}
	if sheet != "" {
		t.Title = base + ", " + sheet
	}
	name := tables.Identifier(base)
	if sheet != "" {
		name = tables.Identifier(sheet)
	}
	if name == "" {
		name = "data"
	}
	for n, first := 2, name; slices.ContainsFunc(k.all, func(o tables.Table) bool { return o.Name == name }); n++ {
		name = fmt.Sprintf("%s_%d", first, n)
	}
	t.Name = name
	for i, n := range tables.Names(l.Heads) {
		t.Columns = append(t.Columns, tables.Column{Name: n, Title: l.Heads[i]})
	}
	return t
}

func extension(name string) string {
	if i := strings.LastIndexByte(name, '.'); i > 0 && len(name)-i <= 8 {
		return name[i:]
	}
	return ""
}

// guesses tells what the columns are: what they seem to be, or what somebody said.
func (k *taking) guesses(t *tables.Table, l tables.Layout) []tables.Guess {
	all := l.Guesses()
	for i := range t.Columns {
		c := &t.Columns[i]
		for _, g := range k.request.Given {
			if g.Table == t.Name && g.Column == c.Name {
				all[i] = l.As(i, g.Kind, g.Format)
				c.Given = true
			}
		}
		if len(all[i].Nothing) > 0 {
			t.Wrong = append(t.Wrong, phrase.Of("“%s” in “%s” counts as nothing, as it does in other columns",
				strings.Join(all[i].Nothing, ", "), c.Title))
		}
		c.Kind, c.Format, c.Unit = all[i].Kind, all[i].Format, all[i].Unit
		if all[i].Unsure && !c.Given {
			t.Wrong = append(t.Wrong, phrase.Of("the days of “%s” could be written day first or month first; they are "+
				"read as %s", c.Title, "day/month"))
		}
	}
	return all
}

// creating is the statement that reads rows from a file and makes of them a table. Where a
// cell is not of its column's kind, the row has beside it what stands there: one text with as
// many parts as there are columns that are no texts.
func creating(t tables.Table, guesses []tables.Guess, file string, comma byte) string {
	columns := []string{`'` + tables.RowColumn + `': 'BIGINT'`}
	inner, outer := []string{tables.RowColumn}, []string{tables.RowColumn}
	var odd, odds []string
	for i, c := range t.Columns {
		raw, read := fmt.Sprintf("c%d", i), fmt.Sprintf("r%d", i)
		columns = append(columns, fmt.Sprintf("'%s': 'VARCHAR'", raw))
		inner = append(inner, raw)
		if guesses[i].Kind == tables.Text {
			if nothing := guesses[i].Nothing; len(nothing) > 0 {
				raw = fmt.Sprintf("CASE WHEN lower(trim(%s)) NOT IN (%s) THEN %s END", raw, literals(nothing), raw)
			}
			outer = append(outer, raw+" AS "+tables.Quoted(c.Name))
			continue
		}
		inner = append(inner, guesses[i].Reading(raw)+" AS "+read)
		outer = append(outer, read+" AS "+tables.Quoted(c.Name))
		is := read + " IS NULL AND " + raw + " IS NOT NULL"
		odd = append(odd, "("+is+")")
		odds = append(odds, "CASE WHEN "+is+" THEN replace("+raw+", "+oddComma+", ' ') ELSE '' END")
	}
	if odd != nil {
		outer = append(outer, fmt.Sprintf("CASE WHEN %s THEN concat_ws(%s, %s) END AS %s", strings.Join(odd, " OR "),
			oddComma, strings.Join(odds, ", "), oddColumn))
	}
	return fmt.Sprintf(`CREATE TABLE %s AS SELECT %s FROM (SELECT %s FROM read_csv(%s, auto_detect=false, header=false,
		delim=%s, quote='"', escape='"', new_line='\n', nullstr='', columns={%s}, max_line_size=%d, buffer_size=%d))`,
		tables.Quoted(t.Name), strings.Join(outer, ", "), strings.Join(inner, ", "), tables.Literal(file),
		tables.Literal(string(comma)), strings.Join(columns, ", "), 2*tables.MostRecord+mostColumns, readAhead)
}

// readAhead is how much the engine reads at once, in bytes; it has to be several rows.
const readAhead = 16 << 20

// oddColumn is the column of what could not be read, and oddComma what parts its texts.
const (
	oddColumn = "_odd"
	oddComma  = "chr(31)"
)

// oddAt is what could not be read of the column that is the nth, from 0, of those that are
// no texts; what only says that nothing is there is not odd.
func oddAt(n int) string {
	at := fmt.Sprintf("split_part(%s, %s, %d)", oddColumn, oddComma, n+1)
	return fmt.Sprintf("CASE WHEN lower(trim(%s)) NOT IN (%s) THEN %s END", at, absentList, at)
}

var absentList = literals(append(tables.Absent(), ""))

func literals(words []string) string {
	all := make([]string, len(words))
	for i, w := range words {
		all[i] = tables.Literal(w)
	}
	return strings.Join(all, ", ")
}

// layoutWrong is what looks wrong in how a table stands in its file.
func layoutWrong(l tables.Layout, s *tables.Straight) (all []phrase.Phrase) {
	if l.HeadRow == 0 && len(l.Blank) == len(l.Heads) {
		all = append(all, phrase.Of("no row names the columns; they are called Column 1, Column 2 and so on"))
	} else if len(l.Blank) > 0 {
		all = append(all, phrase.Of("%d columns have no name in the file", len(l.Blank)))
	}
	for _, h := range l.Twice {
		all = append(all, phrase.Of("several columns are called “%s”", h))
	}
	if len(l.Above) > 0 {
		all = append(all, phrase.Of("above the table stands “%s”; it is no row of it", aboveText(l.Above)))
	}
	if s.LongCount > 0 {
		all = append(all,
			phrase.Of("%d rows have more cells than there are columns, and what is beyond is left out: rows %s",
				s.LongCount, numbers(s.Long)))
	}
	if s.ShortCount > 0 && s.ShortCount < s.Rows/2 {
		all = append(all, phrase.Of("%d rows have fewer cells than there are columns: rows %s", s.ShortCount,
			numbers(s.Short)))
	}
	return all
}

func aboveText(rows []tables.Row) string {
	var all []string
	for _, r := range rows {
		for _, c := range r.Cells {
			if c = strings.TrimSpace(c); c != "" && !slices.Contains(all, c) {
				all = append(all, c)
			}
		}
	}
	text := strings.Join(all, " · ")
	if len(text) > 160 {
		text = strings.ToValidUTF8(text[:160], "") + "…"
	}
	return text
}

func numbers(rows []int64) string {
	var b bytes.Buffer
	for i, r := range rows {
		if i > 0 {
			b.WriteString(", ")
		}
		fmt.Fprint(&b, r)
		if i == 7 && len(rows) > 8 {
			b.WriteString(" …")
			break
		}
	}
	return b.String()
}

// parquet reads a file of Parquet, which the engine reads by itself.
func (k *taking) parquet(in io.Reader) error {
	const name = "/given.parquet"
	f, err := os.Create(k.folder + name)
	if err != nil {
		return err
	}
	defer os.Remove(k.folder + name)
	if _, err = io.Copy(f, in); err == nil {
		err = f.Close()
	}
	if err != nil {
		return err
	}
	source := "read_parquet(" + tables.Literal(k.folder+name) + ")"
	described,
		err := k.conn.QueryContext(k.ctx, "SELECT column_name, column_type FROM (DESCRIBE SELECT * FROM "+source+")")
	if err != nil {
		return &Problem{phrase.Of("it is no whole Parquet file; write it anew and add it again")}
	}
	var heads, types []string
	for described.Next() {
		var head, kind string
		if err := described.Scan(&head, &kind); err != nil {
			return err
		}
		heads, types = append(heads, head), append(types, kind)
	}
	described.Close()
	if len(heads) > mostColumns {
		return &Problem{phrase.Of("it has %d columns; up to %d are read. Save the columns that matter and add it again",
			len(heads), mostColumns)}
	}
	var l tables.Layout
	l.Name(heads)
	t := k.named("", l)
	guesses := make([]tables.Guess, len(heads))
	chosen := []string{"row_number() OVER () AS " + tables.RowColumn}
	for i, head := range heads {
		kind, plain := tables.TypeOf(types[i])
		guesses[i].Kind, t.Columns[i].Kind = kind, kind
		column := tables.Quoted(head)
		switch {
		case !plain:
			column = "CAST(" + column + " AS VARCHAR)"
		case kind == tables.Decimal:
			column = "CAST(" + column + " AS DOUBLE)"
		case kind == tables.Moment:
			column = "CAST(" + column + " AS TIMESTAMP)"
		case kind == tables.Text:
			column = "nullif(CAST(" + column + " AS VARCHAR), '')"
		}
		chosen = append(chosen, column+" AS "+tables.Quoted(t.Columns[i].Name))
	}
	k.task.GoOn(longestTake)
	err = run(k.ctx, k.conn, fmt.Sprintf("CREATE TABLE %s AS SELECT %s FROM %s", tables.Quoted(t.Name),
		strings.Join(chosen, ", "), source))
	if err != nil {
		return &Problem{phrase.Of("it is no whole Parquet file; write it anew and add it again")}
	}
	for i := range guesses {
		guesses[i].Kind = tables.Text // there is nothing odd to look for
	}
	return k.finish(&t, guesses)
}

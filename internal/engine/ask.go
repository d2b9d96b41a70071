package engine

import (
	"bytes"
	"cmp"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"juvalogos/core/tables"
	"juvalogos/internal/confined"
)

// served is what a process that answers queries has open.
type served struct {
	conn  *sql.Conn
	known []*tables.Table
}

// open opens the tables, once, and shuts the process off from all else.
func (s *served) open(t *confined.Task, r request) error {
	if s.conn != nil {
		return nil
	}
	ctx := context.Background()
	conn, _, err := connect(ctx, "", "")
	if err != nil {
		return err
	}
	var setting []string
	for i, all := range r.Tables {
		folder := fmt.Sprintf("f%d", i)
		setting = append(setting, fmt.Sprintf("ATTACH %s AS %s (READ_ONLY)", tables.Literal(given(t, i)+"/"+fileName),
			folder))
		for _, table := range all {
			var columns []string
			for _, c := range table.Columns {
				columns = append(columns, tables.Quoted(c.Name))
			}
			from := folder + "." + tables.Quoted(cmp.Or(table.Own, table.Name))
			setting = append(setting, fmt.Sprintf("CREATE VIEW %s AS SELECT %s FROM %s", tables.Quoted(table.Name),
				strings.Join(columns, ", "), from), fmt.Sprintf("CREATE VIEW %s AS SELECT %s, %s FROM %s",
				tables.Quoted(tables.RowsOf(table.Name)), tables.RowColumn, strings.Join(columns, ", "), from))
			s.known = append(s.known, &table)
		}
	}
	setting = append(setting, "SET temp_directory=''", "SET TimeZone='UTC'", "SET enable_external_access=false",
		"SET lock_configuration=true")
	if err := run(ctx, conn, setting...); err != nil {
		return err
	}
	s.conn = conn
	return nil
}

// mostQuery is how long a query may be, in bytes.
const mostQuery = 20_000

// ask checks a query and runs it.
func (s *served) ask(t *confined.Task, r request) (*tables.Result, error) {
	t.GoOn(perStretch) // opening does not count
	if err := s.open(t, r); err != nil {
		return nil, err
	}
	if len(r.Query) > mostQuery {
		return nil, &tables.Refused{What: fmt.Sprintf("the query is longer than %d characters", mostQuery)}
	}
	t.GoOn(r.Within)
	ctx := context.Background()
	q, tree, err := s.checked(ctx, r.Query)
	if err != nil {
		return nil, err
	}
	// What runs is what was looked at, written anew from its tree.
	text, err := s.written(ctx, tree)
	if err != nil {
		return nil, refused(err)
	}
	if r.Do == "behind" {
		return s.behind(ctx, q, tree, r)
	}
	result := &tables.Result{Query: r.Query, Says: q.Says(), Tables: q.Tables()}
	if err := s.result(ctx, q, tree, text, r, result); err != nil {
		return nil, err
	}
	q.Title(result)
	b, ok := q.Behind(tree)
	for _, at := range b.Groups {
		result.Columns[at].Group = ok
	}
	result.Behind = ok
	return result, nil
}

// result runs a query, whose text is given too, and finds out on how many rows of how many
// its result rests; where that cannot be told it is left out.
func (s *served) result(ctx context.Context, q *tables.Query, tree []byte, text string, r request,
	into *tables.Result) error {
	for _, t := range s.known {
		if slices.Contains(into.Tables, t.Name) {
			into.Of += t.Rows
			into.Titles = append(into.Titles, t.Title)
		}
	}
	ordered := func(text string) string {
		if q.NeedsOrder() {
			return "SELECT * FROM (" + text + ") ORDER BY ALL"
		}
		return text
	}
	if q.ReadsAll() && len(into.Tables) == 1 { // not also another, within
		into.Read = into.Of
		return s.page(ctx, ordered(text), r, into)
	}
	if beside, ok := q.Beside(tree); ok {
		if wider, err := s.written(ctx, beside); err == nil && s.page(ctx, ordered(wider), r, into) == nil {
			takeRead(into)
			return nil
		}
	}
	if err := s.page(ctx, ordered(text), r, into); err != nil {
		return err
	}
	s.count(ctx, tree, q, into)
	return nil
}

// takeRead takes out of a result the column that says on how many rows it rests.
func takeRead(r *tables.Result) {
	last := len(r.Columns) - 1
	r.Columns = r.Columns[:last]
	for i, row := range r.Rows {
		r.Read, _ = strconv.ParseInt(row[last], 10, 64) // it is a count
		r.Rows[i] = row[:last]
	}
}

// checked parses a query and looks at it.
func (s *served) checked(ctx context.Context, query string) (q *tables.Query, parsed []byte, err error) {
	var tree string
	err = s.conn.QueryRowContext(ctx, "SELECT json_serialize_sql(?::VARCHAR)::VARCHAR", query).Scan(&tree)
	if err != nil {
		return nil, nil, refused(err)
	}
	q, err = tables.Check([]byte(tree), s.known)
	return q, []byte(tree), err
}

// page runs a query for so many of its rows, and counts them all.
func (s *served) page(ctx context.Context, text string, r request, into *tables.Result) error {
	if err := s.fill(ctx, fmt.Sprintf("SELECT * FROM (%s) LIMIT %d OFFSET %d", text, r.Most, r.Skip), r.Most,
		into); err != nil {
		return err
	}
	into.Total = r.Skip + int64(len(into.Rows))
	if len(into.Rows) == r.Most || r.Skip > 0 {
		if err := s.conn.QueryRowContext(ctx, fmt.Sprintf("SELECT count(*) FROM (%s)",
			text)).Scan(&into.Total); err != nil {
			return refused(err)
		}
	}
	return nil
}

// behind returns the rows on which a row of a result rests.
func (s *served) behind(ctx context.Context, q *tables.Query, tree []byte, r request) (*tables.Result, error) {
	b, ok := q.Behind(tree)
	if !ok {
		return nil, &tables.Refused{What: "the rows behind this cannot be told"}
	}
	text, err := s.written(ctx, b.Tree)
	if err != nil {
		return nil, refused(err)
	}
	var groups, where []string
	for i, at := range b.Groups {
		name := fmt.Sprint("g", i)
		groups = append(groups, name)
		if at >= len(r.Behind) || r.Behind[at] == "" {
			where = append(where, name+" IS NULL")
			continue
		}
		value := tables.Literal(r.Behind[at])
		where = append(where,
			"(CAST("+name+" AS VARCHAR) = "+value+" OR TRY_CAST("+name+" AS DOUBLE) = TRY_CAST("+value+" AS "+
				"DOUBLE) OR "+
				"starts_with(CAST("+name+" AS VARCHAR), "+value+" || ':00'))")
	}
	what := "*"
	if groups != nil {
		what = "* EXCLUDE (" + strings.Join(groups, ", ") + ")"
	}
	text = "SELECT " + what + " FROM (" + text + ")"
	if where != nil {
		text += " WHERE " + strings.Join(where, " AND ")
	}
	result := &tables.Result{Query: r.Query, Tables: q.Tables()}
	if err := s.page(ctx, text+" ORDER BY "+tables.RowColumn, r, result); err != nil {
		return nil, err
	}
	measured := q.Measured(r.Column)
	for i := range result.Columns {
		h := &result.Columns[i]
		if c := b.Column(h.Name); c != nil {
			h.Title, h.Unit = c.Title, c.Unit
			h.Marked = measured != nil && b.Column(measured.Name) == c
			if h.Kind.Number() && c.Kind.Number() {
				h.Kind = c.Kind
			}
		}
	}
	return result, nil
}

// fill runs a query into a result.
func (s *served) fill(ctx context.Context, query string, most int, into *tables.Result) error {
	rows, err := s.conn.QueryContext(ctx, query)
	if err != nil {
		return refused(err)
	}
	left := mostAnswer / 8
	into.Columns, into.Rows, err = scan(rows, most, nil)
	for i, row := range into.Rows {
		for _, cell := range row {
			left -= len(cell)
		}
		if left < 0 {
			into.Rows = into.Rows[:i]
			break
		}
	}
	if err != nil {
		return refused(err)
	}
	return nil
}

// count counts the rows on which a result rests.
func (s *served) count(ctx context.Context, tree []byte, q *tables.Query, into *tables.Result) {
	counting, ok := q.Counting(tree)
	if !ok {
		return
	}
	text, err := s.written(ctx, counting)
	if err != nil {
		return
	}
	_ = s.conn.QueryRowContext(ctx, text).Scan(&into.Read) // 0: it is not told
}

// written is a query's text, from its tree.
func (s *served) written(ctx context.Context, tree []byte) (text string, err error) {
	err = s.conn.QueryRowContext(ctx, "SELECT json_deserialize_sql(?::JSON)", string(tree)).Scan(&text)
	return text, err
}

// engineWord is how the engine begins its errors.
var engineWord = regexp.MustCompile(`^(?:[A-Z][A-Za-z]+ )*Error: `)

// refused is an error of the engine about a query, as a sentence to whoever wrote it.
func refused(err error) error {
	var unfit *json.SyntaxError
	if errors.As(err, &unfit) {
		return err
	}
	text := engineWord.ReplaceAllString(err.Error(), "")
	if strings.Contains(err.Error(), "Out of Memory") {
		return &tables.Refused{What: "it takes too much memory; read fewer rows or columns at once"}
	}
	if at := strings.Index(text, "\n\nLINE "); at > 0 { // the place in the text that was written anew
		text = text[:at]
	}
	return &tables.Refused{What: string(bytes.TrimSpace([]byte(text)))}
}

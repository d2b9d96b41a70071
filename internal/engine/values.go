package engine

import (
	"database/sql"
	"fmt"
	"math"
	"math/big"
	"strconv"
	"strings"
	"time"

	"github.com/duckdb/duckdb-go/v2"

	"juvalogos/core/tables"
)

// rows runs a query of ours and returns what comes out, as results have it.
// mostFound is how many rows are taken of what a table is asked while it is read.
const mostFound = 100_000

func (k *taking) rows(query string) ([][]string, error) {
	r, err := k.conn.QueryContext(k.ctx, query)
	if err != nil {
		return nil, fmt.Errorf("%w (in %.300s)", err, query)
	}
	_, all, err := scan(r, mostFound, nil)
	return all, err
}

func (k *taking) numbers(query string) ([]int64, error) {
	rows, err := k.rows(query)
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	out := make([]int64, len(rows[0]))
	for i, cell := range rows[0] {
		out[i], _ = strconv.ParseInt(cell, 10, 64)
	}
	return out, nil
}

// floats are the numbers of a query's only row; none if one of them is missing.
func (k *taking) floats(query string) (out []float64, err error) {
	rows, err := k.rows(query)
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	for _, cell := range rows[0] {
		v, err := strconv.ParseFloat(cell, 64)
		if err != nil {
			return nil, nil
		}
		out = append(out, v)
	}
	return out, nil
}

// scan reads at most so many rows, and calls each, if it is there, for every one.
func scan(r *sql.Rows, most int, each func()) (heads []tables.Head, all [][]string, err error) {
	defer r.Close()
	types, err := r.ColumnTypes()
	if err != nil {
		return nil, nil, err
	}
	for _, t := range types {
		kind, _ := tables.TypeOf(t.DatabaseTypeName())
		heads = append(heads, tables.Head{Name: t.Name(), Title: t.Name(), Kind: kind})
	}
	cells, into := make([]any, len(types)), make([]any, len(types))
	for i := range cells {
		into[i] = &cells[i]
	}
	for len(all) < most && r.Next() {
		if err := r.Scan(into...); err != nil {
			return nil, nil, err
		}
		row := make([]string, len(cells))
		for i, c := range cells {
			row[i] = cellText(c, heads[i].Kind)
		}
		all = append(all, row)
		if each != nil {
			each()
		}
	}
	return heads, all, r.Err()
}

// mostCell is how long a cell of a result may be, in bytes.
const mostCell = 20_000

// cellText is a value as results have it.
func cellText(v any, k tables.Kind) string {
	switch v := v.(type) {
	case nil:
		return ""
	case string:
		if len(v) > mostCell {
			v = v[:mostCell] + "…"
		}
		return strings.ToValidUTF8(v, "\uFFFD")
	case bool:
		return strconv.FormatBool(v)
	case float64:
		return number(v)
	case float32:
		return number(float64(v))
	case time.Time:
		if k == tables.Date {
			return v.Format(time.DateOnly)
		}
		if v.Second() == 0 && v.Nanosecond() == 0 {
			return v.Format("2006-01-02 15:04")
		}
		return strings.TrimRight(v.Format("2006-01-02 15:04:05.000000"), ".0")
	case *big.Int:
		return v.String()
	case duckdb.Decimal:
		return number(v.Float64())
	case duckdb.Interval:
		return interval(v)
	case []any:
		all := make([]string, len(v))
		for i, e := range v {
			all[i] = cellText(e, tables.Text)
		}
		return strings.Join(all, "; ")
	}
	return fmt.Sprint(v)
}

// number writes a number with as many digits as are sure: sums of decimals are not exact
// in the last.
func number(v float64) string {
	if math.IsNaN(v) || math.IsInf(v, 0) {
		return ""
	}
	rounded, err := strconv.ParseFloat(strconv.FormatFloat(v, 'g', 14, 64), 64)
	if err != nil {
		rounded = v // cannot happen: it was just written
	}
	if a := math.Abs(rounded); a != 0 && (a < 1e-6 || a >= 1e21) {
		return strconv.FormatFloat(rounded, 'g', -1, 64)
	}
	return strconv.FormatFloat(rounded, 'f', -1, 64)
}

func interval(v duckdb.Interval) string {
	var parts []string
	add := func(n int64, one string) {
		if n == 1 || n == -1 {
			parts = append(parts, fmt.Sprint(n, " ", one))
		} else if n != 0 {
			parts = append(parts, fmt.Sprint(n, " ", one, "s"))
		}
	}
	add(int64(v.Months/12), "year")
	add(int64(v.Months%12), "month")
	add(int64(v.Days), "day")
	if v.Micros != 0 {
		parts = append(parts, (time.Duration(v.Micros) * time.Microsecond).String())
	}
	if parts == nil {
		return "0 days"
	}
	return strings.Join(parts, " ")
}

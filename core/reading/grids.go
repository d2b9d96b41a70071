package reading

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"path"
	"strconv"
	"strings"

	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding"
)

// Grid is a table of a file as it stands there: rows of cells, nothing said of which of
// them names the columns unless the format does.
type Grid struct {
	Sheet  string
	Heads  []string // of its columns, where the format names them; else nil
	Merged bool     // cells that span several have been put into each of them
	// Rows hands over its rows, once, with their numbers from 1. Numbers are written with
	// a point, days as 2026-11-30, whatever they look like in the file; a currency and a
	// percent sign stand behind.
	Rows func(do func(number int, cells []string) error) error
}

// gridders read the formats that hold tables, beside separated values.
var gridders = map[string]func(ctx context.Context, name string, body []byte, l Limits) ([]Grid, error){
	"xlsx": gridsOfWorkbook, "ods": gridsOfODS, "json": gridsOfJSON, "jsonl": gridsOfJSON, "html": gridsOfPage,
}

// Tabular tells whether a file holds tables, from its name and its beginning: csv, xlsx,
// ods, json, jsonl, parquet; "" if it does not. Pages have tables too, and are not among
// these.
func Tabular(name string, head []byte) string {
	ending := strings.ToLower(path.Ext(name))
	switch {
	case bytes.HasPrefix(head, []byte("PAR1")):
		return "parquet"
	case bytes.HasPrefix(head, []byte("PK\x03\x04")):
		if ending == ".ods" || ending == ".xlsx" {
			return ending[1:]
		}
		return ""
	case ending == ".csv" || ending == ".tsv" || ending == ".tab":
		return "csv"
	case ending == ".json":
		return "json"
	case ending == ".jsonl" || ending == ".ndjson":
		return "jsonl"
	}
	return ""
}

// Grids are the tables of a file of a format that Tabular tells, or of a page ("html").
// The error is a *Problem, or the context's cause; so are those of Rows, and what do
// returned.
func Grids(ctx context.Context, format, name string, body []byte, l Limits) (all []Grid, err error) {
	read := gridders[format]
	if read == nil {
		return nil, problem(name, "it is no table")
	}
	defer func() {
		if r := recover(); r != nil {
			all, err = nil, problem(name, "it could not be read: the file is broken")
		}
	}()
	if len(body) > l.Bytes {
		return nil, problem(name, "it has %d MB; up to %d MB are read", len(body)>>20, l.Bytes>>20)
	}
	return read(ctx, name, body, l)
}

// EncodingOf tells how a text is encoded from its beginning; nil: it is UTF-8.
func EncodingOf(name string, head []byte) (encoding.Encoding, error) {
	if e := unicodeOf(head); e != nil {
		return e, nil
	}
	if looksLikeUTF8(head) {
		return nil, nil
	}
	var best encoding.Encoding
	least := mostOdd
	for _, e := range likely(head) {
		if text, ok := decoded(e, head); ok {
			if odd := oddness(text); odd < least {
				best, least = e, odd
			}
		}
	}
	if best == nil {
		return nil, garbled(name)
	}
	return best, nil
}

func looksLikeUTF8(head []byte) bool {
	head = trimPartial(head)
	if bytes.Contains(head, []byte("\x1b$")) {
		return false
	}
	_, nearly := nearlyUTF8(head)
	return nearly || len(bytes.ToValidUTF8(head, nil)) == len(head)
}

func gridsOfWorkbook(ctx context.Context, name string, body []byte, l Limits) (all []Grid, err error) {
	w, err := openWorkbook(name, body, l)
	if err != nil {
		return nil, err
	}
	for _, sheet := range w.GetSheetList() {
		all = append(all, Grid{Sheet: sheet, Merged: true, Rows: func(do func(int, []string) error) error {
			return w.grid(ctx, sheet, do)
		}})
	}
	return all, nil
}

// mostMerged is how many cells that span others are looked at in a sheet.
const mostMerged = 5000

// grid hands over a sheet's rows with the values that cells hold.
func (w *workbook) grid(ctx context.Context, sheet string, do func(int, []string) error) error {
	shown, err := w.Rows(sheet)
	if err != nil {
		return nil // a sheet that is a chart has none
	}
	defer shown.Close()
	raw, err := w.Rows(sheet)
	if err != nil {
		return nil
	}
	defer raw.Close()
	spans := w.spans(sheet)
	for number := 1; shown.Next() && raw.Next(); number++ {
		cells, err := shown.Columns()
		values, err2 := raw.Columns(excelize.Options{RawCellValue: true})
		if err != nil || err2 != nil {
			return problem(w.name, "row %d of %s cannot be read; open it in a spreadsheet program and save it again",
				number, sheet)
		}
		for i := range cells {
			if i < len(values) && values[i] != cells[i] {
				cells[i] = valueOf(w.dated(sheet, i+1, number, cells[i], values[i]), cells[i], values[i])
			}
		}
		cells = spans.over(number, cells)
		if err := do(number, cells); err != nil {
			return err
		}
		if ctx.Err() != nil {
			return context.Cause(ctx)
		}
	}
	return nil
}

// valueOf is what a cell holds, whose look is another: dated is its look if it is a day.
func valueOf(dated, shown, raw string) string {
	n, err := strconv.ParseFloat(raw, 64)
	if dated != shown || err != nil || shown == "TRUE" || shown == "FALSE" {
		return dated
	}
	if strings.HasSuffix(strings.TrimSpace(shown), "%") {
		return strconv.FormatFloat(n*100, 'f', -1, 64) + "%"
	}
	value := strconv.FormatFloat(n, 'f', -1, 64)
	for _, sign := range []string{"€", "$", "£", "¥", "EUR", "USD", "GBP", "CHF"} {
		if strings.Contains(shown, sign) {
			return value + " " + sign
		}
	}
	if strings.ContainsAny(shown, ":") { // a time of day
		return shown
	}
	return value
}

// spanning are cells that span several, by the first of their rows.
type spanning struct {
	left [][4]int // from column, from row, to column, to row, from 1
	text map[int]string
}

func (w *workbook) spans(sheet string) *spanning {
	s := &spanning{text: map[int]string{}}
	merged, err := w.GetMergeCells(sheet)
	if err != nil {
		return s
	}
	for _, m := range merged[:min(len(merged), mostMerged)] {
		c1, r1, err1 := excelize.CellNameToCoordinates(m.GetStartAxis())
		c2, r2, err2 := excelize.CellNameToCoordinates(m.GetEndAxis())
		if err1 == nil && err2 == nil {
			s.left = append(s.left, [4]int{c1, r1, c2, r2})
		}
	}
	return s
}

// mostSpannedColumns is how many columns a cell may span to be put into each.
const mostSpannedColumns = 500

// over puts cells that span a row's others into these.
func (s *spanning) over(number int, cells []string) []string {
	for i, m := range s.left {
		if number < m[1] || number > m[3] || m[2]-m[0] > mostSpannedColumns {
			continue
		}
		if number == m[1] && m[0] <= len(cells) {
			s.text[i] = cells[m[0]-1]
		}
		if s.text[i] == "" {
			continue
		}
		for len(cells) < m[2] {
			cells = append(cells, "")
		}
		for c := m[0]; c <= m[2]; c++ {
			if cells[c-1] == "" {
				cells[c-1] = s.text[i]
			}
		}
	}
	return cells
}

// gridsOfJSON reads lists of objects: the outermost, those that an outermost object
// holds, or a file of one object in each line.
func gridsOfJSON(ctx context.Context, name string, body []byte, l Limits) ([]Grid, error) {
	decoded, err := decode(name, body)
	if err != nil {
		return nil, err
	}
	text := []byte(decoded)
	if jsonDepth(text) > l.Depth {
		return nil, problem(name, "it nests too deep")
	}
	d := json.NewDecoder(bytes.NewReader(text))
	d.UseNumber()
	var lines []any
	for {
		v, err := inOrder(d)
		if err == io.EOF {
			break
		} else if err != nil {
			at := min(int(d.InputOffset()), len(text))
			return nil, problem(name, "line %d: it is no JSON: %v", 1+bytes.Count(text[:at], []byte("\n")), err)
		}
		lines = append(lines, v)
		if ctx.Err() != nil {
			return nil, context.Cause(ctx)
		}
	}
	if len(lines) != 1 {
		return []Grid{gridOf("", lines)}, nil
	}
	switch v := lines[0].(type) {
	case []any:
		return []Grid{gridOf("", v)}, nil
	case []field:
		var all []Grid
		for _, f := range v {
			if list, is := f.value.([]any); is && len(list) > 0 {
				if _, is := list[0].([]field); is {
					all = append(all, gridOf(f.name, list))
				}
			}
		}
		if len(all) > 0 {
			return all, nil
		}
	}
	return []Grid{gridOf("", lines)}, nil
}

// field is a value of an object, which keep their order: it is that of the columns.
type field struct {
	name  string
	value any
}

// inOrder decodes the next value; an object is a list of fields.
func inOrder(d *json.Decoder) (any, error) {
	token, err := d.Token()
	if err != nil {
		return nil, err
	}
	switch token {
	case json.Delim('{'):
		var all []field
		for d.More() {
			name, err := d.Token()
			if err != nil {
				return nil, whole(err)
			}
			v, err := inOrder(d)
			if err != nil {
				return nil, whole(err)
			}
			all = append(all, field{fmt.Sprint(name), v})
		}
		_, err = d.Token()
		return all, whole(err)
	case json.Delim('['):
		all := []any{}
		for d.More() {
			v, err := inOrder(d)
			if err != nil {
				return nil, whole(err)
			}
			all = append(all, v)
		}
		_, err = d.Token()
		return all, whole(err)
	}
	return token, nil
}

// whole is an error of a value that has begun: the end of the text comes too early.
func whole(err error) error {
	if err == io.EOF {
		return io.ErrUnexpectedEOF
	}
	return err
}

func gridOf(sheet string, entries []any) Grid {
	at := map[string]int{}
	var heads []string
	rows := make([]map[string]string, len(entries))
	for i, e := range entries {
		rows[i] = map[string]string{}
		leafCells("", e, func(key, value string) {
			if _, there := at[key]; !there {
				at[key] = len(heads)
				heads = append(heads, key)
			}
			rows[i][key] = value
		})
	}
	return Grid{Sheet: sheet, Heads: heads, Rows: func(do func(int, []string) error) error {
		for i, r := range rows {
			cells := make([]string, len(heads))
			for key, value := range r {
				cells[at[key]] = value
			}
			if err := do(i+1, cells); err != nil {
				return err
			}
		}
		return nil
	}}
}

// leafCells hands over what stands in an entry, what is nested with the names of what it
// is nested in.
func leafCells(under string, v any, do func(key, value string)) {
	key := func(k string) string {
		if under == "" {
			return k
		}
		return under + " " + k
	}
	switch v := v.(type) {
	case []field:
		for _, f := range v {
			leafCells(key(f.name), f.value, do)
		}
	case []any:
		var plain []string
		for _, e := range v {
			switch e.(type) {
			case []field, []any:
				do(orValue(under), jsonOf(v))
				return
			}
			plain = append(plain, plainCell(e))
		}
		do(orValue(under), strings.Join(plain, "; "))
	default:
		do(orValue(under), plainCell(v))
	}
}

// jsonOf writes a value that inOrder read.
func jsonOf(v any) string {
	var parts []string
	switch v := v.(type) {
	case []field:
		for _, f := range v {
			parts = append(parts, jsonOf(f.name)+": "+jsonOf(f.value))
		}
		return "{" + strings.Join(parts, ", ") + "}"
	case []any:
		for _, e := range v {
			parts = append(parts, jsonOf(e))
		}
		return "[" + strings.Join(parts, ", ") + "]"
	}
	text, err := json.Marshal(v)
	if err != nil {
		return "null" // cannot happen: these are texts, numbers, truths
	}
	return string(text)
}

func orValue(key string) string {
	if key == "" {
		return "value"
	}
	return key
}

func plainCell(v any) string {
	if v == nil {
		return ""
	}
	return fmt.Sprint(v)
}

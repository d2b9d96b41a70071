package reading

import (
	"bytes"
	"context"
	"encoding/xml"
	"errors"
	"strconv"
	"strings"
)

var _ = register(format{name: "ods", title: "ODS", endings: []string{".ods"}, binary: true,
	holds: []string{"content.xml", "mimetype"}, mime: "application/vnd.oasis.opendocument.spreadsheet", read: readODS})

// readODS reads the sheets of an OpenDocument spreadsheet (ISO/IEC 26300).
func readODS(ctx context.Context, name string, body []byte, l Limits) (d Document, err error) {
	sheets, err := sheetsOfODS(ctx, name, body, l)
	if err != nil {
		return d, err
	}
	for _, o := range sheets {
		begun := len(d.Blocks)
		d.Blocks = append(d.Blocks, Block{Kind: Heading, Text: o.name, Level: 2, Sheet: o.name})
		s := sheet{name: o.name, d: &d, most: l.Blocks}
		err := o.each(func(number int, cells []odsCell) error {
			texts := make([]string, len(cells))
			for i, c := range cells {
				texts[i] = c.shown()
			}
			return s.add(sheetRow{number: number, cells: texts})
		})
		if err == nil {
			err = s.end()
		}
		if errors.Is(err, errTooMany) {
			return d, problem(name, "it has more than %d rows", l.Blocks)
		}
		if err != nil {
			return d, err
		}
		if s.seen == 0 {
			d.Blocks = d.Blocks[:begun]
		}
	}
	return d, nil
}

func gridsOfODS(ctx context.Context, name string, body []byte, l Limits) (all []Grid, err error) {
	sheets, err := sheetsOfODS(ctx, name, body, l)
	for _, s := range sheets {
		all = append(all, Grid{Sheet: s.name, Merged: true, Rows: func(do func(int, []string) error) error {
			return s.each(func(number int, cells []odsCell) error {
				values := make([]string, len(cells))
				for i, c := range cells {
					values[i] = c.value()
				}
				return do(number, values)
			})
		}})
	}
	return all, err
}

// odsCell is a cell: what it holds, and what is shown.
type odsCell struct{ kind, held, currency, text string }

// value is what it holds, as Grid has it.
func (c odsCell) value() string {
	switch c.kind {
	case "float":
		return c.held
	case "currency":
		return strings.TrimSpace(c.held + " " + c.currency)
	case "percentage":
		if n, err := strconv.ParseFloat(c.held, 64); err == nil {
			return strconv.FormatFloat(n*100, 'f', -1, 64) + "%"
		}
	case "date":
		day, clock, timed := strings.Cut(c.held, "T")
		if timed && strings.Trim(clock, "0:.") != "" {
			return day + " " + clock
		}
		return day
	case "boolean":
		return c.held
	}
	return c.text
}

// shown is its text; a day in full.
func (c odsCell) shown() string {
	if c.kind == "date" || c.text == "" {
		return c.value()
	}
	return c.text
}

// odsRow is a row, which may stand for several that are like it.
type odsRow struct {
	number, times int
	cells         []odsCell
}

type odsSheet struct {
	name string
	rows []odsRow
}

// each hands over the rows, those that are repeated each time.
func (s *odsSheet) each(do func(number int, cells []odsCell) error) error {
	for _, r := range s.rows {
		for i := range r.times {
			if err := do(r.number+i, r.cells); err != nil {
				return err
			}
		}
	}
	return nil
}

// Bounds of what is repeated: programs fill sheets to their end with rows and cells that
// are empty or alike.
const (
	mostODSColumns = 4000
	mostODSRepeats = 100_000
	mostODSCells   = 20_000_000
)

func sheetsOfODS(ctx context.Context, name string, body []byte, l Limits) ([]*odsSheet, error) {
	z, err := openZip(name, body)
	if err != nil {
		return nil, err
	}
	room := l.Expanded
	manifest, err := part(name, z, "META-INF/manifest.xml", &room)
	if err == nil && bytes.Contains(manifest, []byte("encryption-data")) {
		return nil, problem(name, "it is locked with a password; save it without one and add it again")
	}
	content, err := part(name, z, "content.xml", &room)
	if err != nil {
		return nil, err
	}
	w := &odsWalk{file: name}
	if err := xmlWalk(ctx, name, content, l, w.open, w.shut, w.chars); err != nil {
		return nil, err
	}
	return w.sheets, w.err
}

// odsWalk gathers sheets while it goes over their XML.
type odsWalk struct {
	file   string
	sheets []*odsSheet
	now    *odsSheet
	number int // of the row
	times  int // that the row is there
	row    []odsCell
	cell   odsCell
	across int // how often the cell is there
	in     bool
	aside  int // within a remark
	text   strings.Builder
	lines  int
	held   int
	err    error
	spans  []odsSpan
}

// odsSpan is a cell that spans rows and columns.
type odsSpan struct {
	column, toColumn, toRow int
	cell                    odsCell
}

func (w *odsWalk) open(e xml.StartElement) {
	switch e.Name.Local {
	case "table":
		if e.Name.Space == "table" && w.now == nil {
			w.now = &odsSheet{name: attribute(e, "name")}
			w.number, w.spans = 1, nil
		}
	case "table-row":
		w.row, w.times = nil, repeats(e, "number-rows-repeated")
	case "table-cell", "covered-table-cell":
		w.begin(e)
	case "annotation":
		w.aside++
	case "p":
		if w.in && w.aside == 0 {
			if w.lines > 0 {
				w.text.WriteByte(' ')
			}
			w.lines++
		}
	case "s", "tab", "line-break":
		if w.in && w.aside == 0 {
			w.text.WriteByte(' ')
		}
	}
}

func repeats(e xml.StartElement, what string) int {
	n, err := strconv.Atoi(attribute(e, what))
	if err != nil || n < 1 {
		return 1
	}
	return n
}

func (w *odsWalk) begin(e xml.StartElement) {
	w.in, w.lines = true, 0
	w.text.Reset()
	w.across = repeats(e, "number-columns-repeated")
	w.cell = odsCell{kind: attribute(e, "value-type"), currency: attribute(e, "currency")}
	for _, held := range []string{"value", "date-value", "boolean-value", "string-value"} {
		if v := attribute(e, held); v != "" {
			w.cell.held = v
			break
		}
	}
	across, down := repeats(e, "number-columns-spanned"), repeats(e, "number-rows-spanned")
	if (across > 1 || down > 1) && across <= mostSpannedColumns && len(w.spans) < mostMerged {
		w.spans = append(w.spans, odsSpan{len(w.row), len(w.row) + across - 1, w.number + down - 1, odsCell{}})
	}
}

func (w *odsWalk) chars(text string) {
	if w.in && w.aside == 0 && w.lines > 0 {
		w.text.WriteString(text)
	}
}

func (w *odsWalk) shut(local string) {
	switch local {
	case "annotation":
		w.aside--
	case "table-cell", "covered-table-cell":
		w.endCell()
	case "table-row":
		w.endRow()
	case "table":
		if w.now != nil {
			w.sheets = append(w.sheets, w.now)
			w.now = nil
		}
	}
}

func (w *odsWalk) endCell() {
	if !w.in || w.now == nil {
		return
	}
	w.in = false
	w.cell.text = strings.TrimSpace(w.text.String())
	for i, s := range w.spans {
		if s.column == len(w.row) && s.cell == (odsCell{}) {
			w.spans[i].cell = w.cell
		} else if w.cell.text == "" && w.cell.held == "" && len(w.row) >= s.column && len(w.row) <= s.toColumn &&
			w.number <= s.toRow {
			w.cell = s.cell
		}
	}
	for range min(w.across, mostODSColumns-len(w.row)) {
		w.row = append(w.row, w.cell)
	}
}

func (w *odsWalk) endRow() {
	if w.now == nil {
		return
	}
	for len(w.row) > 0 && w.row[len(w.row)-1] == (odsCell{}) {
		w.row = w.row[:len(w.row)-1]
	}
	if len(w.row) > 0 {
		w.held += len(w.row) * w.times
		if w.times > mostODSRepeats || w.held > mostODSCells {
			w.err = problem(w.file, "it has more than %d cells", mostODSCells)
		} else {
			w.now.rows = append(w.now.rows, odsRow{w.number, w.times, w.row})
		}
	}
	w.number += w.times
	w.row = nil
	w.spans = keepOpen(w.spans, w.number)
}

// keepOpen drops the cells that span no row from number on.
func keepOpen(spans []odsSpan, number int) (open []odsSpan) {
	for _, s := range spans {
		if s.toRow >= number {
			open = append(open, s)
		}
	}
	return open
}

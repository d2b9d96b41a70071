package reading

import (
	"context"
	"encoding/csv"
	"encoding/xml"
	"errors"
	"io"
	"maps"
	"slices"
	"strings"

	"juvalogos/core/evidence"
)

// sheet adds the rows of a sheet, each with the names of its columns.
type sheet struct {
	name   string
	d      *Document
	most   int
	header []string
	// The first rows wait until it is known which of them names the columns; 0:
	// that is not known beforehand.
	waiting []sheetRow
	named   int
	begun   bool // none waits any more
	said    bool // the header, in a row
	seen    int
}

type sheetRow struct {
	number int
	cells  []string
	notes  []string // that hang on its cells
}

// fewRows are looked at to tell which row names the columns.
const fewRows = 12

func (s *sheet) add(r sheetRow) error {
	if filled(r.cells) == 0 && len(r.notes) == 0 {
		return nil
	}
	s.seen++
	if s.begun {
		return s.row(r)
	}
	if s.waiting = append(s.waiting, r); len(s.waiting) < fewRows {
		return nil
	}
	return s.begin()
}

// end adds what waits, and the header if no row has said it.
func (s *sheet) end() error {
	if err := s.begin(); err != nil {
		return err
	}
	if !s.said && s.header != nil {
		header := s.header
		s.header = nil
		return s.row(sheetRow{number: s.named, cells: header})
	}
	return nil
}

func (s *sheet) begin() error {
	if s.begun {
		return nil
	}
	s.begun = true
	at := slices.IndexFunc(s.waiting, func(r sheetRow) bool { return s.named > 0 && r.number == s.named })
	if at < 0 {
		at = headerAmong(s.waiting)
	}
	for i, r := range s.waiting {
		switch {
		case i < at: // a title above the table, or what is said of it
			s.d.Blocks = append(s.d.Blocks, Block{Kind: Caption, Text: row(nil, r.cells), Sheet: s.name, Row: r.number,
				Line: s.line(r.number)})
			s.notes(r)
		case i == at:
			s.header, s.named = r.cells, r.number
			s.notes(r)
		default:
			if err := s.row(r); err != nil {
				return err
			}
		}
	}
	s.waiting = nil
	return nil
}

func (s *sheet) row(r sheetRow) error {
	if len(s.d.Blocks) >= s.most {
		return errTooMany
	}
	if !s.said {
		for i, name := range s.header {
			if strings.TrimSpace(name) != "" && (i >= len(r.cells) || strings.TrimSpace(r.cells[i]) == "") {
				s.d.Blocks = append(s.d.Blocks, Block{Kind: Row, Text: row(nil, s.header), Sheet: s.name, Row: s.named,
					Line: s.line(s.named)})
				break
			}
		}
	}
	s.said = true
	if filled(r.cells) > 0 {
		s.d.Blocks = append(s.d.Blocks, Block{Kind: Row, Text: row(s.header, r.cells), Sheet: s.name, Row: r.number,
			Line: s.line(r.number)})
	}
	s.notes(r)
	return nil
}

func (s *sheet) notes(r sheetRow) {
	for _, n := range r.notes {
		s.d.Blocks = append(s.d.Blocks, Block{Kind: Row, Text: n, Sheet: s.name, Row: r.number, Line: s.line(r.number)})
	}
}

// headerAmong is which of the first rows names the columns; -1: none. It is the
// first that is nearly as wide as those below it and has only texts, none of them
// twice, above rows that are not so; a row of years names columns too.
func headerAmong(rows []sheetRow) int {
	widest := 0
	for _, r := range rows {
		widest = max(widest, filled(r.cells))
	}
	for i, r := range rows {
		n := filled(r.cells)
		if n*10 < widest*6 || n == 1 && (widest > 1 || i > 0) {
			continue
		}
		if !names(r.cells) {
			return -1 // the table has begun
		}
		return i
	}
	return -1
}

// names reports whether cells can be the names of columns.
func names(cells []string) bool {
	seen := map[string]bool{}
	texts, years := 0, 0
	for _, c := range cells {
		c = strings.TrimSpace(c)
		switch {
		case c == "":
			continue
		case seen[c] || len(c) > 200:
			return false
		case isYear(c):
			years++
		case numeric([]string{c}):
			return false
		default:
			texts++
		}
		seen[c] = true
	}
	return texts > 0 || years > 1
}

func isYear(c string) bool {
	return len(c) == 4 && (c[0] == '1' && (c[1] == '8' || c[1] == '9') || c[:2] == "20") && c[2] >= '0' &&
		c[2] <= '9' &&
		c[3] >= '0' && c[3] <= '9'
}

func filled(cells []string) (n int) {
	for _, c := range cells {
		if strings.TrimSpace(c) != "" {
			n++
		}
	}
	return n
}

// line is the row where a file has no sheets.
func (s *sheet) line(number int) int {
	if s.name == "" {
		return number
	}
	return 0
}

var errTooMany = errors.New("too many rows")

func numeric(cells []string) bool {
	for _, c := range cells {
		c = strings.TrimSpace(c)
		if c != "" && strings.Trim(c, "0123456789.,-+% €$£") == "" {
			return true
		}
	}
	return false
}

var _ = register(format{name: "csv", title: "CSV", endings: []string{".csv", ".tsv"}, read: readCSV})

func readCSV(ctx context.Context, name string, body []byte, l Limits) (d Document, err error) {
	text, err := decode(name, body)
	if err != nil {
		return d, err
	}
	r := csv.NewReader(strings.NewReader(text))
	r.Comma = comma(text)
	r.FieldsPerRecord = -1
	r.LazyQuotes = true
	s := sheet{d: &d, most: l.Blocks}
	for n := 0; ; n++ {
		cells, err := r.Read()
		if err == io.EOF {
			err = s.end()
			if err == nil {
				return d, nil
			}
		}
		if err == nil {
			line, _ := r.FieldPos(0)
			err = s.add(sheetRow{number: line, cells: cells})
		}
		switch {
		case errors.Is(err, errTooMany):
			return d, problem(name, "it has more than %d rows", l.Blocks)
		case err != nil:
			var wrong *csv.ParseError
			if errors.As(err, &wrong) {
				return d, problem(name, "line %d: a cell begins with a quotation mark that never ends", wrong.StartLine)
			}
			return d, problem(name, "it could not be read as a table")
		case n%1000 == 0 && ctx.Err() != nil:
			return d, context.Cause(ctx)
		}
	}
}

// comma is the sign between cells: the one that is most often there in the
// first lines, outside of quotation marks.
func comma(text string) rune {
	head := text[:min(len(text), 4000)]
	counts := map[rune]int{}
	quoted := false
	for _, r := range head {
		if r == '"' {
			quoted = !quoted
		}
		if !quoted {
			counts[r]++
		}
	}
	best := ','
	for _, r := range []rune{';', '\t', '|'} {
		if counts[r] > counts[best] {
			best = r
		}
	}
	return best
}

var _ = register(format{name: "xlsx", title: "XLSX", endings: []string{".xlsx"}, holds: []string{"xl/workbook.xml"},
	binary: true, lockable: true, read: readXLSX})

func readXLSX(ctx context.Context, name string, body []byte, l Limits) (d Document, err error) {
	w, err := openWorkbook(name, body, l)
	if err != nil {
		return d, err
	}
	defer w.Close()
	for _, title := range w.GetSheetList() {
		begun := len(d.Blocks)
		d.Blocks = append(d.Blocks, Block{Kind: Heading, Text: title, Level: 2, Sheet: title})
		s := sheet{name: title, d: &d, most: l.Blocks, named: w.headerOf(title)}
		err := w.rows(ctx, title, func(r sheetRow) error { return s.add(r) })
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
	err = drawings(ctx, name, body, l, &d)
	return d, err
}

// drawings adds what is written in text boxes and charts on a workbook's sheets;
// what charts show of cells is in the cells.
func drawings(ctx context.Context, name string, body []byte, l Limits, d *Document) error {
	z, err := openZip(name, body)
	if err != nil {
		return err
	}
	room := l.Expanded
	add := func(sheet, file string) error {
		content, err := part(name, z, file, &room)
		for _, line := range drawnText(ctx, name, content, l, false) {
			d.Blocks = append(d.Blocks, Block{Kind: Caption, Text: line, Sheet: sheet})
		}
		return err
	}
	const book = "xl/workbook.xml"
	list, err := part(name, z, book, &room)
	if err != nil {
		return err
	}
	files, _ := relations(ctx, name, z, book, l, &room)
	sheets := map[string]string{}                              // by file
	_ = xmlWalk(ctx, name, list, l, func(e xml.StartElement) { // the rows are read already
		if e.Name.Local != "sheet" {
			return
		}
		for _, a := range e.Attr {
			if a.Name.Local == "id" && files[a.Value] != "" {
				sheets[files[a.Value]] = attribute(e, "name")
			}
		}
	}, ignore, ignore)
	for _, file := range slices.Sorted(maps.Keys(sheets)) {
		_, parts := relations(ctx, name, z, file, l, &room)
		for _, drawing := range parts["drawing"] {
			if err := add(sheets[file], drawing); err != nil {
				return err
			}
			_, within := relations(ctx, name, z, drawing, l, &room)
			for _, chart := range within["chart"] {
				if err := add(sheets[file], chart); err != nil {
					return err
				}
			}
			d.count(evidence.Pictures, len(within["image"]))
		}
	}
	return nil
}

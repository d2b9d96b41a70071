package reading

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"io"
	"strings"

	"github.com/xuri/excelize/v2"
)

// sheet adds the rows of a sheet, each with the names of its columns: the first
// row that has no number in it, if it is among the first few.
type sheet struct {
	name   string
	header []string
	seen   int
	d      *Document
	most   int
}

func (s *sheet) add(number int, cells []string) error {
	filled := 0
	for _, c := range cells {
		if strings.TrimSpace(c) != "" {
			filled++
		}
	}
	if filled == 0 {
		return nil
	}
	if s.seen++; s.header == nil && s.seen <= 5 {
		if filled == 1 && s.seen < 3 { // a title above the table
			s.d.Blocks = append(s.d.Blocks,
				Block{Kind: Caption, Text: row(nil, cells), Sheet: s.name, Row: number, Line: s.line(number)})
			return nil
		}
		if filled > 1 || len(cells) == 1 {
			s.header = cells
			if !numeric(cells) {
				return nil
			}
			s.header = []string{}
		}
	}
	if len(s.d.Blocks) >= s.most {
		return errTooMany
	}
	s.d.Blocks = append(s.d.Blocks, Block{Kind: Row, Text: row(s.header, cells), Sheet: s.name, Row: number,
		Line: s.line(number)})
	return nil
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
	text := decode(body)
	r := csv.NewReader(strings.NewReader(text))
	r.Comma = comma(text)
	r.FieldsPerRecord = -1
	r.LazyQuotes = true
	s := sheet{d: &d, most: l.Blocks}
	for {
		cells, err := r.Read()
		if err == io.EOF {
			return d, nil
		}
		if err == nil {
			line, _ := r.FieldPos(0)
			err = s.add(line, cells)
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
		case ctx.Err() != nil:
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
	f, err := excelize.OpenReader(bytes.NewReader(body),
		excelize.Options{UnzipSizeLimit: int64(l.Expanded), UnzipXMLSizeLimit: int64(l.Expanded)})
	if err != nil {
		if strings.Contains(err.Error(), "unzip size") {
			return d, problem(name, "it unpacks to more than %d MB", l.Expanded>>20)
		}
		return d, problem(name, "it is no whole XLSX file; open it in a spreadsheet program and save it again")
	}
	defer f.Close()
	for _, title := range f.GetSheetList() {
		rows, err := f.Rows(title)
		if err != nil {
			continue // a sheet that is a chart has none
		}
		d.Blocks = append(d.Blocks, Block{Kind: Heading, Text: title, Level: 2, Sheet: title})
		s := sheet{name: title, d: &d, most: l.Blocks}
		for number := 1; rows.Next(); number++ {
			cells, err := rows.Columns()
			if err == nil {
				err = s.add(number, cells)
			}
			if errors.Is(err, errTooMany) {
				rows.Close()
				return d, problem(name, "it has more than %d rows", l.Blocks)
			}
			if ctx.Err() != nil {
				rows.Close()
				return d, context.Cause(ctx)
			}
		}
		rows.Close()
		if s.seen == 0 {
			d.Blocks = d.Blocks[:len(d.Blocks)-1]
		}
	}
	return d, nil
}

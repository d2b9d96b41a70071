package reading

import (
	"bytes"
	"context"
	"fmt"
	"math"
	"strconv"
	"strings"
	"time"

	"github.com/xuri/excelize/v2"
)

// workbook is an open XLSX file.
type workbook struct {
	*excelize.File
	name  string
	dates map[int]bool // by the number of a style
	epoch bool         // days count from 1904
}

func openWorkbook(name string, body []byte, l Limits) (*workbook, error) {
	f, err := excelize.OpenReader(bytes.NewReader(body),
		excelize.Options{UnzipSizeLimit: int64(l.Expanded), UnzipXMLSizeLimit: int64(l.Expanded)})
	if err != nil {
		if strings.Contains(err.Error(), "unzip size") {
			return nil, problem(name, "it unpacks to more than %d MB", l.Expanded>>20)
		}
		return nil, problem(name, "it is no whole XLSX file; open it in a spreadsheet program and save it again")
	}
	w := &workbook{File: f, name: name, dates: map[int]bool{}}
	if p, err := f.GetWorkbookProps(); err == nil && p.Date1904 != nil {
		w.epoch = *p.Date1904
	}
	return w, nil
}

// headerOf is the row that names a sheet's columns where the file says so: by a
// table, a filter or rows that stay in view; 0 where it does not.
func (w *workbook) headerOf(sheet string) int {
	if tables, err := w.GetTables(sheet); err == nil && len(tables) == 1 {
		if t := tables[0]; t.ShowHeaderRow == nil || *t.ShowHeaderRow {
			if _, row, err := excelize.SplitCellName(strings.SplitN(t.Range, ":", 2)[0]); err == nil {
				return row
			}
		}
	}
	if panes, err := w.GetPanes(sheet); err == nil && panes.Freeze && panes.YSplit > 0 && panes.YSplit <= fewRows {
		return panes.YSplit
	}
	return 0
}

// rows hands over a sheet's rows as they are shown, dates with their day, month
// and year, and what hangs on their cells.
func (w *workbook) rows(ctx context.Context, sheet string, do func(sheetRow) error) error {
	notes := map[int][]string{}
	if comments, err := w.GetComments(sheet); err == nil {
		for _, c := range comments {
			_, row, err := excelize.SplitCellName(c.Cell)
			if err != nil {
				continue
			}
			text := c.Text
			for _, r := range c.Paragraph {
				text += r.Text
			}
			notes[row] = append(notes[row], squeeze(fmt.Sprintf("note on %s: %s", c.Cell, text)))
		}
	}
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
	for number := 1; shown.Next() && raw.Next(); number++ {
		cells, err := shown.Columns()
		values, err2 := raw.Columns(excelize.Options{RawCellValue: true})
		if err != nil || err2 != nil {
			return problem(w.name, "row %d of %s cannot be read; open it in a spreadsheet program and save it again",
				number, sheet)
		}
		for i := range cells {
			if i < len(values) && values[i] != cells[i] {
				cells[i] = w.dated(sheet, i+1, number, cells[i], values[i])
			}
		}
		if err := do(sheetRow{number: number, cells: cells, notes: notes[number]}); err != nil {
			return err
		}
		if ctx.Err() != nil {
			return context.Cause(ctx)
		}
	}
	return nil
}

// dated is a cell as it is shown; a date that is shown in short is written out
// (ISO 8601).
func (w *workbook) dated(sheet string, column, row int, shown, raw string) string {
	days, err := strconv.ParseFloat(raw, 64)
	if err != nil || days < 1 || days > 2_958_465 {
		return shown
	}
	cell, err := excelize.CoordinatesToCellName(column, row)
	if err != nil {
		return shown
	}
	style, err := w.GetCellStyle(sheet, cell)
	if err != nil {
		return shown
	}
	is, known := w.dates[style]
	if !known {
		if s, err := w.GetStyle(style); err == nil {
			is = isDate(s)
		}
		w.dates[style] = is
	}
	if !is {
		return shown
	}
	at, err := excelize.ExcelDateToTime(days, w.epoch)
	if err != nil {
		return shown
	}
	if days-math.Floor(days) < 1e-9 {
		return at.Format(time.DateOnly)
	}
	return at.Round(time.Minute).Format("2006-01-02 15:04")
}

// isDate reports whether a style shows days; one that shows hours alone does not.
func isDate(s *excelize.Style) bool {
	if s.CustomNumFmt == nil {
		return s.NumFmt >= 14 && s.NumFmt <= 17 || s.NumFmt == 22 || s.NumFmt >= 27 && s.NumFmt <= 31 ||
			s.NumFmt == 36 || s.NumFmt >= 50 && s.NumFmt <= 58
	}
	quoted, escaped := false, false
	for _, r := range strings.ToLower(*s.CustomNumFmt) {
		switch {
		case escaped:
			escaped = false
		case r == '\\':
			escaped = true
		case r == '"' || r == '[' || r == ']':
			quoted = r == '"' && !quoted || r == '['
		case quoted:
		case r == 'y' || r == 'd':
			return true
		}
	}
	return false
}

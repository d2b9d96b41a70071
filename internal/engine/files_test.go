package engine_test

import (
	"archive/zip"
	"bytes"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/xuri/excelize/v2"

	"juvalogos/core/tables"
	"juvalogos/internal/engine"
)

func said(source engine.Source) string {
	var all []string
	for _, t := range source.Tables {
		var columns []string
		for _, c := range t.Columns {
			columns = append(columns, fmt.Sprint(c.Title, " ", c.Kind, " ", c.Least, "–", c.Most))
		}
		all = append(all, fmt.Sprint(t.Title, " [", strings.Join(columns, ", "), "] ", t.Rows))
	}
	return strings.Join(all, "; ")
}

// A workbook's merged heads, dates, amounts, percents and formulas are what they are, however
// they look.
func TestWorkbook(t *testing.T) {
	f := excelize.NewFile()
	defer f.Close()
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	style := func(format string) int {
		id, err := f.NewStyle(&excelize.Style{CustomNumFmt: &format})
		must(err)
		return id
	}
	rows := [][]any{{"Hive", "Summer", nil, "Day", "Share"}, {nil, "kg", "€", nil, nil},
		{"A", 31.5, 120.5, time.Date(2026, 5, 1, 0, 0, 0, 0, time.UTC), 0.125},
		{"B", 28, 99, time.Date(2026, 6, 1, 0, 0, 0, 0, time.UTC), 0.5}}
	for i, row := range rows {
		must(f.SetSheetRow("Sheet1", fmt.Sprint("A", i+1), &row))
	}
	must(f.MergeCell("Sheet1", "B1", "C1"))
	must(f.SetCellStyle("Sheet1", "C3", "C4", style(`#,##0.00 "€"`)))
	must(f.SetCellStyle("Sheet1", "D3", "D4", style("dd/mm/yy")))
	must(f.SetCellStyle("Sheet1", "E3", "E4", style("0 %")))
	must(f.SetCellFormula("Sheet1", "B4", "=14*2"))
	b, err := f.WriteToBuffer()
	must(err)
	e := engine.New()
	defer e.Close()
	source, err := take(t, e, "book.xlsx", b.String())
	want := "book, Sheet1 [Hive text A–B, Summer kg decimal 28–31.5, Summer € money 99–120.5, " +
		"Day date 2026-05-01–2026-06-01, Share percent 12.5–50] 2"
	if err != nil || said(source) != want {
		t.Errorf("%s, want %s (%v)", said(source), want, err)
	}
}

const odsContent = `<?xml version="1.0"?><office:document-content xmlns:office="o" xmlns:table="t" xmlns:text="x">
<office:body><office:spreadsheet><table:table table:name="Hives">
<table:table-row><table:table-cell table:number-columns-spanned="2"><text:p>Place</text:p></table:table-cell>
<table:covered-table-cell/><table:table-cell><text:p>Weighed</text:p></table:table-cell></table:table-row>
<table:table-row><table:table-cell><text:p>Hive</text:p></table:table-cell><table:table-cell><text:p>kg</text:p>
</table:table-cell><table:table-cell><text:p>on</text:p></table:table-cell></table:table-row>
<table:table-row table:number-rows-repeated="2"><table:table-cell><text:p>A</text:p></table:table-cell>
<table:table-cell office:value-type="float" office:value="31.5"><text:p>31,50</text:p></table:table-cell>
<table:table-cell office:value-type="date" office:date-value="2026-05-01"><text:p>1. Mai</text:p></table:table-cell>
</table:table-row><table:table-row table:number-rows-repeated="1000000"><table:table-cell
table:number-columns-repeated="16000"/></table:table-row></table:table></office:spreadsheet></office:body>
</office:document-content>`

func ods(content string) string {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, text := range map[string]string{"mimetype": "application/vnd.oasis.opendocument.spreadsheet",
		"content.xml": content} {
		w, _ := z.Create(name)
		_, _ = io.WriteString(w, text)
	}
	z.Close()
	return b.String()
}

func TestOpenDocument(t *testing.T) {
	e := engine.New()
	defer e.Close()
	source, err := take(t, e, "hives.ods", ods(odsContent))
	want := "hives, Hives [Place Hive text A–A, Place kg decimal 31.5–31.5, Weighed on date 2026-05-01–2026-05-01] 2"
	if err != nil || said(source) != want {
		t.Errorf("%s, want %s (%v)", said(source), want, err)
	}
}

// parquet is a file of five rows.
func parquet(t *testing.T) []byte {
	t.Helper()
	db, err := sql.Open("duckdb", "")
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	file := filepath.Join(t.TempDir(), "x.parquet")
	if _, err := db.Exec(`COPY (SELECT range AS "Row", range * 0.5 AS "Half", DATE '2026-01-01' + range::INTEGER AS "Day",
		'n' || range AS "Name", {'a': range} AS nested FROM range(5)) TO '` + file + `'`); err != nil {
		t.Fatal(err)
	}
	body, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	return body
}

func TestParquet(t *testing.T) {
	body := parquet(t)
	e := engine.New()
	defer e.Close()
	source, err := take(t, e, "x.parquet", string(body))
	want := "x [Row whole 0–4, Half decimal 0–2, Day date 2026-01-01–2026-01-05, Name text n0–n4, nested text " +
		"{'a': 0}–{'a': 4}] 5"
	if err != nil || said(source) != want {
		t.Errorf("%s, want %s (%v)", said(source), want, err)
	}
	var problem *engine.Problem
	if _, err := take(t, e, "x.parquet", string(body[:len(body)/2])); !errors.As(err, &problem) {
		t.Errorf("half of it: %v", err)
	}
}

// What is too large, or a bomb, is told of; the next file is read.
func TestHostileFiles(t *testing.T) {
	e := engine.New()
	defer e.Close()
	bomb := ods(strings.Replace(odsContent, `table:number-rows-repeated="2"`, `table:number-rows-repeated="2000000000"`, 1))
	wide := "a" + strings.Repeat(",a", 9999) + "\n" + strings.Repeat("1,", 9999) + "1\n"
	for name, c := range map[string]struct{ file, text string }{
		"10,000 columns":      {"wide.csv", wide},
		"a giant cell":        {"cell.csv", "a,b\n1," + strings.Repeat("x", 9<<20) + "\n"},
		"a quote without end": {"quote.csv", "a,b\n1,\"" + strings.Repeat("x\n", 5<<20)},
		"rows without end":    {"bomb.ods", bomb},
		"XML without end":     {"deep.ods", ods(strings.Repeat("<a>", 100_000))},
		"a broken workbook":   {"x.xlsx", "PK\x03\x04 and no more"},
		"JSON that nests":     {"x.json", strings.Repeat("[", 100_000)},
		"JSON that is cut":    {"y.json", `[{"a": 1}, {"a"`},
		"an old spreadsheet":  {"x.xls", "\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1 old"},
		"noise":               {"x.csv", string([]byte{0, 1, 2, 3, 255, 254, 0, 7, 0, 0})},
	} {
		source, err := take(t, e, c.file, c.text)
		var problem *engine.Problem
		if err != nil && !errors.As(err, &problem) {
			t.Errorf("%s: %v", name, err)
		}
		if err == nil && len(source.Tables) > 0 && len(source.Tables[0].Columns) > 1000 {
			t.Errorf("%s: %d columns", name, len(source.Tables[0].Columns))
		}
		t.Logf("%s: %v", name, err)
	}
	if source, err := take(t, e, "after.csv", "a,b\n1,2\n"); err != nil || source.Tables[0].Rows != 1 {
		t.Errorf("afterwards: %v", err)
	}
}

// Two that have tables open see their own alone, at once.
func TestTwoVisitors(t *testing.T) {
	e := engine.New()
	defer e.Close()
	var sessions []*engine.Session
	for _, name := range []string{"ada.csv", "bo.csv"} {
		source, err := take(t, e, name, "who,n\n"+name+",1\n")
		if err != nil {
			t.Fatal(err)
		}
		s := e.Session([]engine.Source{source})
		defer s.Close()
		sessions = append(sessions, s)
	}
	done := make(chan error, 2)
	for i, own := range []string{"ada", "bo"} {
		other := []string{"bo", "ada"}[i]
		go func() {
			for range 20 {
				r, err := sessions[i].Ask(context.Background(), "SELECT who FROM "+own, 0, 10)
				if err != nil || r.Rows[0][0] != own+".csv" {
					done <- fmt.Errorf("%s: %v %v", own, r, err)
					return
				}
				var refused *tables.Refused
				if _, err := sessions[i].Ask(context.Background(), "SELECT who FROM "+other, 0, 10); !errors.As(err,
					&refused) {
					done <- fmt.Errorf("%s reads %s: %v", own, other, err)
					return
				}
			}
			done <- nil
		}()
	}
	for range 2 {
		if err := <-done; err != nil {
			t.Error(err)
		}
	}
}

// A column's kind is put right, and that says what it could not be.
func TestKindPutRight(t *testing.T) {
	e := engine.New()
	defer e.Close()
	text := "id,day\n1,1/2/2026\n2,3/4/2026\n3,5/6/2026\n"
	source, err := take(t, e, "d.csv", text, engine.Given{Table: "d", Column: "id", Kind: tables.Text},
		engine.Given{Table: "d", Column: "day", Kind: tables.Date, Format: "%m/%d/%Y"})
	want := "d [id text 1–3, day date 2026-01-02–2026-05-06] 3"
	if err != nil || said(source) != want {
		t.Errorf("%s, want %s (%v)", said(source), want, err)
	}
	source, err = take(t, e, "w.csv", "a,b\nx,1\ny,2\n", engine.Given{Table: "w", Column: "a", Kind: tables.Whole})
	if err != nil || source.Tables[0].Columns[0].Odd != 2 || !source.Tables[0].Columns[0].Given {
		t.Errorf("%+v %v", source.Tables, err)
	}
}

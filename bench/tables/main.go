// Command tables measures how many plain questions on tables the reader understands that
// needs no model: 120 questions on three public tables, each with a query whose result has
// to come out. Every second question is held out.
package main

import (
	"bytes"
	"cmp"
	"context"
	_ "embed"
	"flag"
	"fmt"
	"io"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/goccy/go-yaml"

	"juvalogos/core/tables"
	"juvalogos/internal/engine"
)

//go:embed questions.yaml
var questions []byte

type set struct {
	Tables []struct {
		Name, Package, File string
		Written             string // "later": when the reader was done; "unread": not having read it in that session
		Questions           []question
	}
}

// question is one, with the query whose rows have to come out.
type question struct{ Ask, Want string }

// within says where in a Debian package its tables lie.
var within = map[string]string{
	"python3-statsmodels":   "usr/lib/python3/dist-packages/statsmodels/datasets",
	"r-cran-dslabs":         "usr/lib/R/site-library/dslabs/extdata",
	"r-cran-palmerpenguins": "usr/lib/R/site-library/palmerpenguins/extdata",
}

func main() {
	engine.Child()
	if statement := directs[os.Args[len(os.Args)-1]]; statement != "" {
		if err := direct(statement); err != nil {
			fmt.Fprintln(os.Stderr, "tables:", err)
			os.Exit(1)
		}
		return
	}
	write := flag.String("write", "", "file into which the figures are written, between its marks")
	show := flag.Bool("show", false, "print every question of the half that is not held out")
	megabytes := flag.Int("large", 0, "measure a table of so many MB beside the engine called directly, instead")
	connections := flag.String("connections", "", "connection file of a model that is measured on the same questions")
	model := flag.String("model", "", "the model, as its connection file names it; without one the reader is measured")
	flag.Parse()
	do := func() error {
		by, head := reader, "right where it is sure"
		if *model != "" {
			var err error
			if by, err = asked(*connections, *model); err != nil {
				return err
			}
			head = "right where there is an answer"
		}
		return measure(by, head, *write, *show)
	}
	if *megabytes > 0 {
		do = func() error {
			text, err := large(*megabytes)
			fmt.Print(text)
			if err == nil && *write != "" {
				err = writeBetween(*write, "large tables", text)
			}
			return err
		}
	}
	if err := do(); err != nil {
		fmt.Fprintln(os.Stderr, "tables:", err)
		os.Exit(1)
	}
}

// tally is what became of questions.
type tally struct{ all, right, wrong, silent, sureRight, sureWrong int }

func (t tally) String() string {
	return fmt.Sprintf("%d | %d | %d | %d | %d of %d", t.all, t.right, t.wrong, t.silent, t.sureRight,
		t.sureRight+t.sureWrong)
}

// maker makes a query of a question on a table, and says how sure it is; "": none.
type maker func(question string, table *tables.Table, s *engine.Session) (query string, sure float64, err error)

// reader is ours, without a model.
func reader(question string, table *tables.Table, _ *engine.Session) (string, float64, error) {
	r := tables.Read(question, nil, []*tables.Table{table})
	return r.Query, r.Sure, nil
}

func measure(by maker, head, write string, show bool) error {
	var s set
	if err := yaml.Unmarshal(questions, &s); err != nil {
		return err
	}
	e := engine.New()
	defer e.Close()
	var b strings.Builder
	b.WriteString("| table | half | questions | right | wrong | silent | " + head + " |\n" +
		"|---|---|---|---|---|---|---|\n")
	var halves [len(halfNames)]tally
	for _, t := range s.Tables {
		folder, err := unpacked(cmp.Or(t.Package, "python3-statsmodels"))
		if err != nil {
			return err
		}
		tallies, err := measureTable(e, by, filepath.Join(folder, t.File), t.Questions, t.Written, show)
		if err != nil {
			return fmt.Errorf("%s: %w", t.Name, err)
		}
		for half, of := range tallies {
			if of.all == 0 {
				continue
			}
			fmt.Fprintf(&b, "| %s | %s | %s |\n", t.Name, halfNames[half], of)
			h := &halves[half]
			h.all, h.right, h.wrong, h.silent = h.all+of.all, h.right+of.right, h.wrong+of.wrong, h.silent+of.silent
			h.sureRight, h.sureWrong = h.sureRight+of.sureRight, h.sureWrong+of.sureWrong
		}
	}
	for half, of := range halves {
		fmt.Fprintf(&b, "| all | %s | %s |\n", halfNames[half], of)
	}
	fmt.Print(b.String())
	if write == "" {
		return nil
	}
	return writeBetween(write, "the reader", b.String())
}

var halfNames = [...]string{"looked at", "held out", "written later", "unread, looked at", "unread, held out"}

// halfOf is the half, of halfNames, of the question at a place among those of its table.
func halfOf(at int, written string) int {
	switch written {
	case "later":
		return 2
	case "unread":
		return 3 + at%2
	}
	return at % 2
}

// unpacked is the folder of a package's tables; they are fetched once.
func unpacked(source string) (string, error) {
	cache, err := os.UserCacheDir()
	if err != nil {
		return "", err
	}
	folder := filepath.Join(cache, "juvalogos-bench", source)
	if _, err := os.Stat(filepath.Join(folder, within[source])); err == nil {
		return filepath.Join(folder, within[source]), nil
	}
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return "", err
	}
	get := exec.Command("bash", "-c", "apt-get download "+source+" && dpkg -x "+source+"_*.deb .")
	get.Dir = folder
	if out, err := get.CombinedOutput(); err != nil {
		return "", fmt.Errorf("the package %s could not be fetched: %w\n%s", source, err, out)
	}
	return filepath.Join(folder, within[source]), nil
}

func measureTable(e *engine.Engine, by maker, file string, questions []question, written string, show bool) (
	halves [len(halfNames)]tally, err error) {
	body, err := os.ReadFile(file)
	if err != nil {
		return halves, err
	}
	folder, err := os.MkdirTemp("", "tables-")
	if err != nil {
		return halves, err
	}
	defer os.RemoveAll(folder)
	into := filepath.Join(folder, "t")
	found, err := e.Take(context.Background(), engine.File{Name: filepath.Base(file),
		Open: func() io.Reader { return bytes.NewReader(body) }}, into)
	if err != nil {
		return halves, err
	}
	s := e.Session([]engine.Source{{Folder: into, Tables: found}})
	defer s.Close()
	for i, q := range questions {
		half := halfOf(i, written)
		t := &halves[half]
		t.all++
		query, sure, err := by(q.Ask, &found[0], s)
		if err != nil {
			return halves, fmt.Errorf("%s: %w", q.Ask, err)
		}
		outcome, err := judge(s, found[0].Name, query, sure, q.Want)
		if err != nil {
			return halves, fmt.Errorf("%s: %w", q.Ask, err)
		}
		switch outcome {
		case "right":
			t.right++
		case "wrong":
			t.wrong++
		default:
			t.silent++
		}
		if sure >= tables.Sure && outcome == "right" && q.Want != "NONE" {
			t.sureRight++
		} else if sure >= tables.Sure {
			t.sureWrong++
		}
		if show && (half == 0 || half == 3) {
			fmt.Printf("%-6s %.2f %s\n       %s\n", outcome, sure, q.Ask, query)
		}
	}
	return halves, nil
}

// judge tells whether what was made of a question comes out as it has to.
func judge(s *engine.Session, table, query string, sure float64, want string) (string, error) {
	if want == "NONE" { // the table does not say
		if query == "" || sure < tables.LeastSure {
			return "right", nil
		}
		return "wrong", nil
	}
	if query == "" || sure < tables.LeastSure {
		return "silent", nil
	}
	if want == "ABOUT" {
		if strings.Contains(query, "UNION ALL") {
			return "right", nil
		}
		return "wrong", nil
	}
	const most = 5000
	wanted, err := s.Ask(context.Background(), strings.ReplaceAll(want, "FROM t", "FROM "+table), 0, most)
	if err != nil {
		return "", err
	}
	got, err := s.Ask(context.Background(), query, 0, most)
	if err != nil {
		return "wrong", nil
	}
	if holds(got.Rows, wanted.Rows) {
		return "right", nil
	}
	return "wrong", nil
}

// holds reports whether rows have what is wanted, row by row: cells may stand in another
// order, and more may stand beside them.
func holds(rows, wanted [][]string) bool {
	if len(rows) != len(wanted) {
		return false
	}
	used := make([]bool, len(rows))
	for _, w := range wanted {
		found := false
		for i, row := range rows {
			if !used[i] && has(row, w) {
				used[i], found = true, true
				break
			}
		}
		if !found {
			return false
		}
	}
	return true
}

func has(row, wanted []string) bool {
	used := make([]bool, len(row))
	for _, w := range wanted {
		found := false
		for i, cell := range row {
			if !used[i] && same(cell, w) {
				used[i], found = true, true
				break
			}
		}
		if !found {
			return false
		}
	}
	return true
}

func same(a, b string) bool {
	x, err1 := strconv.ParseFloat(a, 64)
	y, err2 := strconv.ParseFloat(b, 64)
	if err1 == nil && err2 == nil {
		return math.Abs(x-y) <= 0.006*math.Max(1, math.Abs(y))*0.01+0.006
	}
	return a == b
}

// writeBetween writes figures into a document, between the marks that it has for them.
func writeBetween(file, what, text string) error {
	begin, end := "<!-- figures of "+what+": begin -->", "<!-- figures of "+what+": end -->"
	old, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	before, rest, ok := strings.Cut(string(old), begin)
	_, after, also := strings.Cut(rest, end)
	if !ok || !also {
		return fmt.Errorf("%s has no marks for the figures of %s", file, what)
	}
	return os.WriteFile(file, []byte(before+begin+"\n"+text+end+after), 0o644)
}

package engine

import (
	"bufio"
	"bytes"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"time"

	"golang.org/x/text/transform"

	"juvalogos/core/phrase"
	"juvalogos/core/reading"
	"juvalogos/core/tables"
	"juvalogos/internal/confined"

	_ "github.com/duckdb/duckdb-go/v2" // the engine itself
)

// Child does a confined process's work if this is one; else it returns.
func Child() {
	var s served
	confined.Child(kind, func(t *confined.Task) []byte {
		text, err := json.Marshal(s.work(t))
		if err != nil {
			text, _ = json.Marshal(answer{Failed: err.Error()})
		}
		return text
	})
}

func (s *served) work(t *confined.Task) (a answer) {
	var r request
	if err := json.Unmarshal(t.Request, &r); err != nil {
		return answer{Failed: err.Error()}
	}
	var err error
	switch r.Do {
	case "take":
		a.Tables, a.Again, err = take(t, r)
	case "open":
		err = s.open(t, r)
	case "ask", "behind":
		a.Result, err = s.ask(t, r)
	default:
		return answer{Failed: fmt.Sprintf("nothing is known of %q", r.Do)}
	}
	var problem *Problem
	var unread *reading.Problem
	var refused *tables.Refused
	switch {
	case errors.As(err, &problem):
		a.Problem = &problem.What
	case errors.As(err, &unread):
		a.Problem = &unread.What
	case errors.As(err, &refused):
		a.Refused = refused.What
	case err != nil:
		a.Failed = err.Error()
	}
	return a
}

// given is a file that came with a task, by its name.
func given(t *confined.Task, i int) string { return fmt.Sprintf("/proc/self/fd/%d", t.Files[i].Fd()) }

// connect opens the engine with a file of its own, or in memory alone.
func connect(ctx context.Context, file, more string) (*sql.Conn, func(), error) {
	db, err := sql.Open("duckdb", file+"?threads=2&memory_limit="+engineMemory+
		"&autoinstall_known_extensions=false&autoload_known_extensions=false"+more)
	if err != nil {
		return nil, nil, err
	}
	db.SetMaxOpenConns(1)
	conn, err := db.Conn(ctx)
	if err != nil {
		db.Close()
		return nil, nil, fmt.Errorf("open %s: %w", file, err)
	}
	return conn, func() { conn.Close(); db.Close() }, nil
}

func run(ctx context.Context, conn *sql.Conn, statements ...string) error {
	for _, s := range statements {
		if _, err := conn.ExecContext(ctx, s); err != nil {
			return fmt.Errorf("%w (in %.80s)", err, s)
		}
	}
	return nil
}

// headBytes is how much of a file is looked at before it is read.
const headBytes = 1 << 20

// mostWhole is how large a file may be that has to be held whole to be read.
const mostWhole = 100 << 20

// take reads a file and writes its tables.
func take(t *confined.Task, r request) ([]tables.Table, []Given, error) {
	if len(t.Files) != 2 {
		return nil, nil, errors.New("a folder and a file are needed")
	}
	t.GoOn(perStretch)
	ctx := context.Background()
	in := bufio.NewReaderSize(t.Files[1], headBytes)
	head, err := in.Peek(headBytes)
	if err != nil && err != io.EOF && !errors.Is(err, bufio.ErrBufferFull) {
		return nil, nil, err
	}
	folder := given(t, 0)
	conn, done, err := connect(ctx, folder+"/"+fileName, "&temp_directory="+folder+"/spilt")
	if err != nil {
		return nil, nil, err
	}
	defer done()
	if err := run(ctx, conn, "SET preserve_insertion_order=true"); err != nil {
		return nil, nil, err
	}
	k := &taking{ctx: ctx, task: t, conn: conn, request: r, folder: folder}
	format := reading.Tabular(r.Name, head)
	switch {
	case len(bytes.TrimSpace(head)) == 0:
		return nil, nil, &Problem{phrase.Of("it is empty")}
	case format == "parquet":
		err = k.parquet(in)
	case format == "csv" || format == "" && !looksLikePage(head):
		err = k.separated(in, head)
	default:
		if format == "" {
			format = "html"
		}
		err = k.grids(format, in)
	}
	if err != nil {
		return nil, nil, err
	}
	if format == "html" {
		k.all = slices.DeleteFunc(k.all, isLayout)
	}
	if len(k.again) > 0 {
		return nil, k.again, nil
	}
	if len(k.all) == 0 {
		return nil, nil, &Problem{phrase.Of("there is no table in it: none has a row with something in it")}
	}
	t.GoOn(perStretch)
	_ = os.RemoveAll(folder + "/spilt")
	return k.all, nil, run(ctx, conn, "CHECKPOINT")
}

// isLayout reports whether a table of a page has nothing to work out: few rows, or nothing
// but texts.
func isLayout(t tables.Table) bool {
	return t.Rows < 3 || !slices.ContainsFunc(t.Columns, func(c tables.Column) bool { return c.Kind != tables.Text })
}

func looksLikePage(head []byte) bool {
	return bytes.HasPrefix(bytes.TrimSpace(head), []byte("<"))
}

// utf8Of is a text in UTF-8, whatever it is encoded in, with lines that end as usual.
func utf8Of(name string, in io.Reader, head []byte) (io.Reader, []byte, error) {
	e, err := reading.EncodingOf(name, head)
	if err != nil {
		return nil, nil, err
	}
	if e != nil {
		text, _, _ := transform.Bytes(e.NewDecoder(), head)
		in, head = transform.NewReader(in, e.NewDecoder()), text
	}
	head = bytes.TrimPrefix(head, []byte("\xef\xbb\xbf"))
	if bytes.IndexByte(head, '\n') < 0 && bytes.IndexByte(head, '\r') >= 0 {
		in, head = &oldLines{in}, bytes.ReplaceAll(head, []byte{'\r'}, []byte{'\n'})
	}
	return &whole{in: in}, head, nil
}

// oldLines ends lines with a line feed that end with a carriage return.
type oldLines struct{ in io.Reader }

func (o *oldLines) Read(p []byte) (int, error) {
	n, err := o.in.Read(p)
	for i := range p[:n] {
		if p[i] == '\r' {
			p[i] = '\n'
		}
	}
	return n, err
}

// whole leaves out the mark with which a text in UTF-8 may begin.
type whole struct {
	in    io.Reader
	begun bool
}

func (w *whole) Read(p []byte) (int, error) {
	n, err := w.in.Read(p)
	if !w.begun && n > 0 {
		w.begun = true
		if bytes.HasPrefix(p[:n], []byte("\xef\xbb\xbf")) {
			n = copy(p, p[3:n])
		}
	}
	return n, err
}

// goesOn tells whoever waits now and then that the work gets on.
func goesOn(t *confined.Task) func() error {
	last := time.Now()
	return func() error {
		if now := time.Now(); now.Sub(last) > time.Second {
			last = now
			t.GoOn(perStretch)
		}
		return nil
	}
}

package main

import (
	"bufio"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	_ "github.com/duckdb/duckdb-go/v2" // the engine, called directly

	"juvalogos/core/tables"
	"juvalogos/internal/engine"
)

// How long a large table takes until it is ready for questions, and these on it, beside the
// engine called directly: each time the same file comes through a pipe.

// largeQueries are asked of it, both ways.
var largeQueries = []string{
	"SELECT place, avg(weight_kg) FROM big GROUP BY 1 ORDER BY 1",
	"SELECT count(*) FROM big WHERE fed AND humidity > 50",
	"SELECT day, sum(hive) FROM big GROUP BY 1 ORDER BY 2 DESC, 1 LIMIT 5",
	"SELECT place, sum(weight_kg) FROM big WHERE humidity > 50 GROUP BY 1 ORDER BY 1",
	"SELECT apiary, count(DISTINCT hive) FROM big GROUP BY 1 ORDER BY 1",
}

// rounds is how often each query is run both ways, in turns; the fastest counts.
const rounds = 15

// What the engine is told of the file when it is called directly: everything, or nothing but
// that it has a head.
const (
	toldAll = `CREATE TABLE big AS SELECT * FROM read_csv('/dev/fd/3', auto_detect=false, header=true, delim=',',
	quote='"', escape='"', columns={'day': 'DATE', 'apiary': 'VARCHAR', 'hive': 'BIGINT', 'weight_kg': 'DOUBLE',
	'temperature': 'DOUBLE', 'humidity': 'BIGINT', 'fed': 'VARCHAR', 'note': 'VARCHAR', 'cost': 'VARCHAR',
	'place': 'VARCHAR'})`
	toldHead = `CREATE TABLE big AS SELECT * FROM read_csv('/dev/fd/3', header=true)`
)

// directs are the ways in which the engine is called directly.
var directs = map[string]string{"direct": toldAll, "direct-head": toldHead}

// direct is the process that calls the engine directly: the file comes through a pipe as its
// file 3. It says in seconds what that took, and then answers each line, a query, with what
// it took.
func direct(statement string) error {
	folder, err := os.MkdirTemp("", "direct-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	db, err := sql.Open("duckdb", filepath.Join(folder, "x.duckdb")+"?threads=2&memory_limit=300MB")
	if err != nil {
		return err
	}
	defer db.Close()
	began := time.Now()
	for _, s := range []string{statement, "CHECKPOINT"} {
		if _, err := db.Exec(s); err != nil {
			return err
		}
	}
	fmt.Println(time.Since(began).Seconds())
	for in := bufio.NewScanner(os.Stdin); in.Scan(); {
		began := time.Now()
		rows, err := db.Query(in.Text())
		if err != nil {
			return err
		}
		for rows.Next() {
		}
		if err := rows.Close(); err != nil {
			return err
		}
		fmt.Println(time.Since(began).Seconds())
	}
	return nil
}

// large measures both with a file of so many MB, and returns a table of it.
func large(megabytes int) (string, error) {
	folder, err := os.MkdirTemp("", "large-")
	if err != nil {
		return "", err
	}
	defer os.RemoveAll(folder)
	file := filepath.Join(folder, "big.csv")
	rows, err := writeLarge(file, megabytes)
	if err != nil {
		return "", err
	}
	itself, err := directly(file, "direct-head")
	if err != nil {
		return "", err
	}
	itself.end()
	plain, err := directly(file, "direct")
	if err != nil {
		return "", err
	}
	defer plain.end()
	e := engine.New()
	defer e.Close()
	found, took, err := byEngine(e, file, filepath.Join(folder, "t"))
	if err != nil {
		return "", err
	}
	var b strings.Builder
	fmt.Fprintf(&b, "| %d MB, %d rows, 10 columns | engine called directly | here | ratio |\n|---|---|---|---|\n",
		megabytes, rows)
	for _, of := range []struct {
		told   string
		direct float64
	}{{"told all columns", plain.took}, {"told that there is a head", itself.took}} {
		fmt.Fprintf(&b, "| until it is ready, here with what was found out; the engine %s | %.1f s | %.1f s | %.2f |\n",
			of.told, of.direct, took, took/of.direct)
	}
	s := e.Session([]engine.Source{{Folder: filepath.Join(folder, "t"), Tables: found}})
	defer s.Close()
	for _, q := range largeQueries {
		direct, here := 1e9, 1e9
		for range rounds {
			t, err := plain.ask(strings.Replace(q, "WHERE fed AND", "WHERE fed = 'yes' AND", 1))
			if err != nil {
				return "", fmt.Errorf("%s: %w", q, err)
			}
			direct = min(direct, t)
			began := time.Now()
			if _, err := s.Ask(context.Background(), q, 0, 1000); err != nil {
				return "", fmt.Errorf("%s: %w", q, err)
			}
			here = min(here, time.Since(began).Seconds())
		}
		fmt.Fprintf(&b, "| `%s` | %.0f ms | %.0f ms | %.2f |\n", q, 1000*direct, 1000*here, here/direct)
	}
	return b.String(), nil
}

// directed is a process that calls the engine directly.
type directed struct {
	took float64 // until it was ready, in seconds
	cmd  *exec.Cmd
	in   io.WriteCloser
	out  *bufio.Scanner
}

func directly(file, how string) (*directed, error) {
	f, err := os.Open(file)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	from, to, err := os.Pipe()
	if err != nil {
		return nil, err
	}
	d := &directed{cmd: exec.Command("/proc/self/exe", how)}
	d.cmd.ExtraFiles, d.cmd.Stderr = []*os.File{from}, os.Stderr
	if d.in, err = d.cmd.StdinPipe(); err != nil {
		return nil, err
	}
	out, err := d.cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	d.out = bufio.NewScanner(out)
	if err := d.cmd.Start(); err != nil {
		return nil, err
	}
	from.Close()
	go func() {
		_, _ = io.Copy(struct{ io.Writer }{to}, f)
		to.Close()
	}()
	d.took, err = d.heard()
	return d, err
}

func (d *directed) heard() (float64, error) {
	if !d.out.Scan() {
		return 0, errors.Join(errors.New("the engine that is called directly has ended"), d.out.Err())
	}
	return strconv.ParseFloat(d.out.Text(), 64)
}

func (d *directed) ask(query string) (float64, error) {
	if _, err := fmt.Fprintln(d.in, query); err != nil {
		return 0, err
	}
	return d.heard()
}

func (d *directed) end() {
	d.in.Close()
	_ = d.cmd.Wait()
}

// byEngine has the file taken as it is for a visitor, and tells how long that took, in
// seconds.
func byEngine(e *engine.Engine, file, folder string) (found []tables.Table, took float64, err error) {
	began := time.Now()
	found, err = e.Take(context.Background(), engine.File{Name: "big.csv", Open: func() io.Reader {
		in, err := os.Open(file)
		if err != nil {
			return strings.NewReader("")
		}
		return in
	}}, folder)
	return found, time.Since(began).Seconds(), err
}

// writeLarge writes a file of so many MB, and returns how many rows it has.
func writeLarge(file string, megabytes int) (rows int, err error) {
	f, err := os.Create(file)
	if err != nil {
		return 0, err
	}
	defer f.Close()
	w := bufio.NewWriterSize(f, 1<<20)
	chance := rand.New(rand.NewPCG(1, 2))
	names := []string{"Willow", "Hazel", "Rowan", "Alder", "Birch", "Thorn", "Maple", "Elder"}
	written, _ := fmt.Fprintln(w, "day,apiary,hive,weight_kg,temperature,humidity,fed,note,cost,place")
	first := time.Date(2020, 1, 1, 0, 0, 0, 0, time.UTC)
	for ; written < megabytes<<20; rows++ {
		n, err := fmt.Fprintf(w, "%s,%s,%d,%.2f,%.1f,%d,%s,note %d,%.2f €,meadow %d\n",
			first.AddDate(0, 0, rows%2000).Format(time.DateOnly), names[chance.IntN(8)], chance.IntN(500),
			30+5*chance.NormFloat64(), 15+8*chance.NormFloat64(), chance.IntN(101),
			[]string{"yes", "no"}[chance.IntN(2)],
			chance.IntN(1_000_000), 100*chance.Float64(), chance.IntN(40))
		if err != nil {
			return rows, err
		}
		written += n
	}
	return rows, w.Flush()
}

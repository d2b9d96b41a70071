package main

import (
	"bufio"
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	_ "github.com/duckdb/duckdb-go/v2" // the engine, called directly

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

// times are what something took, in seconds.
type times struct {
	Import  float64
	Queries []float64
}

// repeats is how often a query is run; the fastest counts.
const repeats = 5

// directImport is told everything about the file.
const directImport = `CREATE TABLE big AS SELECT * FROM read_csv('/dev/stdin', auto_detect=false, header=true, delim=',',
	quote='"', escape='"', columns={'day': 'DATE', 'apiary': 'VARCHAR', 'hive': 'BIGINT', 'weight_kg': 'DOUBLE',
	'temperature': 'DOUBLE', 'humidity': 'BIGINT', 'fed': 'VARCHAR', 'note': 'VARCHAR', 'cost': 'VARCHAR',
	'place': 'VARCHAR'})`

// direct is the process that calls the engine directly: the file is its standard input.
func direct() error {
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
	for _, s := range []string{directImport, "CHECKPOINT"} {
		if _, err := db.Exec(s); err != nil {
			return err
		}
	}
	t := times{Import: time.Since(began).Seconds()}
	for _, q := range largeQueries {
		q = strings.Replace(q, "WHERE fed AND", "WHERE fed = 'yes' AND", 1)
		t.Queries = append(t.Queries, fastest(func() error {
			rows, err := db.Query(q)
			if err != nil {
				return err
			}
			for rows.Next() {
			}
			return rows.Close()
		}))
	}
	return json.NewEncoder(os.Stdout).Encode(t)
}

func fastest(do func() error) float64 {
	best := 1e9
	for range repeats {
		began := time.Now()
		if do() == nil {
			best = min(best, time.Since(began).Seconds())
		}
	}
	return best
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
	plain, err := directly(file)
	if err != nil {
		return "", err
	}
	ours, err := byEngine(file, filepath.Join(folder, "t"))
	if err != nil {
		return "", err
	}
	var b strings.Builder
	fmt.Fprintf(&b, "| %d MB, %d rows, 10 columns | engine called directly | here | ratio |\n|---|---|---|---|\n",
		megabytes, rows)
	fmt.Fprintf(&b, "| until it is ready, with what was found out | %.1f s | %.1f s | %.2f |\n", plain.Import,
		ours.Import,
		ours.Import/plain.Import)
	for i, q := range largeQueries {
		fmt.Fprintf(&b, "| `%s` | %.0f ms | %.0f ms | %.2f |\n", q, 1000*plain.Queries[i], 1000*ours.Queries[i],
			ours.Queries[i]/plain.Queries[i])
	}
	return b.String(), nil
}

func directly(file string) (t times, err error) {
	in, err := os.Open(file)
	if err != nil {
		return t, err
	}
	defer in.Close()
	cmd := exec.Command("/proc/self/exe", "direct")
	pipe, err := cmd.StdinPipe()
	if err != nil {
		return t, err
	}
	go func() {
		_, _ = io.Copy(struct{ io.Writer }{pipe}, in)
		pipe.Close()
	}()
	cmd.Stderr = os.Stderr
	out, err := cmd.Output()
	if err != nil {
		return t, err
	}
	return t, json.Unmarshal(out, &t)
}

func byEngine(file, folder string) (t times, err error) {
	e := engine.New()
	defer e.Close()
	began := time.Now()
	found, err := e.Take(context.Background(), engine.File{Name: "big.csv", Open: func() io.Reader {
		in, err := os.Open(file)
		if err != nil {
			return strings.NewReader("")
		}
		return in
	}}, folder)
	if err != nil {
		return t, err
	}
	t.Import = time.Since(began).Seconds()
	s := e.Session([]engine.Source{{Folder: folder, Tables: found}})
	defer s.Close()
	for _, q := range largeQueries {
		_, failed := s.Ask(context.Background(), q, 0, 1000)
		if failed != nil {
			return t, fmt.Errorf("%s: %w", q, failed)
		}
		t.Queries = append(t.Queries, fastest(func() error {
			_, err := s.Ask(context.Background(), q, 0, 1000)
			return err
		}))
	}
	return t, nil
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

package engine_test

import (
	"context"
	"io"
	"os"
	"testing"
	"time"

	"juvalogos/internal/engine"
)

func TestBig(t *testing.T) {
	name := os.Getenv("BIG")
	if name == "" {
		t.Skip()
	}
	e := engine.New()
	defer e.Close()
	f := folder(t)
	began := time.Now()
	all, err := e.Take(context.Background(), engine.File{Name: "big.csv", Open: func() io.Reader { f, _ := os.Open(name); return f }}, f)
	t.Log(time.Since(began), err)
	if err != nil { return }
	for _, c := range all[0].Columns { t.Log(c.Name, c.Kind, c.Missing, c.Distinct, c.Least, c.Most, c.Odd, len(c.Often), len(c.Bins)) }
	t.Log(all[0].Rows, all[0].Wrong)
	s := e.Session([]engine.Source{{f, all}})
	defer s.Close()
	began = time.Now()
	s.Warm(context.Background())
	t.Log("warm", time.Since(began))
	for _, q := range []string{"select place, avg(weight_kg) from big where fed group by 1", "select count(*) from big", "select day, sum(cost) from big group by 1 order by 2 desc limit 5"} {
	began = time.Now()
	r, err := s.Ask(context.Background(), q, 0, 100)
	t.Log(q, time.Since(began), err, r.Rows[0])
	}
	i, _ := os.Stat(f+"/t.duckdb")
	t.Log(i.Size()>>20)
}

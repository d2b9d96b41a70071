package engine_test

import (
	"bytes"
	"errors"
	"fmt"
	"math/rand/v2"
	"testing"

	"juvalogos/demo/ledger"
	"juvalogos/internal/engine"
)

// Whatever is done to a file, it is read or it is said what is wrong with it, the next one is
// read, and what was found out is true of itself.
func TestDamagedFiles(t *testing.T) {
	e := engine.New()
	defer e.Close()
	members, err := ledger.Members()
	if err != nil {
		t.Fatal(err)
	}
	whole := map[string][]byte{"honey.csv": ledger.Harvest(), "members.xlsx": members,
		"sheets.ods":  []byte(ods(odsContent)),
		"rows.json":   []byte(`[{"a": 1, "b": "x", "c": {"d": [1, 2]}}, {"a": 2.5, "b": null}, {"a": "3", "e": true}]`),
		"lines.jsonl": []byte("{\"day\": \"2026-01-01\", \"n\": 1}\n{\"day\": \"2026-01-02\", \"n\": 2}\n"),
		"odd.tsv":     []byte("a\tb\ta\n\n1\t\"x\ny\"\t2\n,,\n3\t4\n"), "rows.parquet": parquet(t)}
	chance := rand.New(rand.NewPCG(20, 7))
	read, said := 0, 0
	for name, body := range whole {
		for round := range 14 {
			damaged := damage(bytes.Clone(body), round, chance)
			source, err := take(t, e, name, string(damaged))
			var problem *engine.Problem
			switch {
			case errors.As(err, &problem):
				if said++; problem.What.IsZero() {
					t.Errorf("%s, %d: nothing is said", name, round)
				}
				continue
			case err != nil:
				t.Errorf("%s, %d: %v", name, round, err)
				continue
			}
			read++
			for _, table := range source.Tables {
				s := e.Session([]engine.Source{source})
				r, err := s.Ask(t.Context(), fmt.Sprintf("SELECT count(*) FROM %q", table.Name), 0, 1)
				if err != nil || r.Rows[0][0] != fmt.Sprint(table.Rows) {
					t.Errorf("%s, %d: %s is said to have %d rows: %v %v", name, round, table.Name, table.Rows, r, err)
				}
				s.Close()
				for _, c := range table.Columns {
					if c.Distinct+c.Missing > table.Rows || c.Missing < 0 {
						t.Errorf("%s, %d: %d rows, and of %s %d differ and %d are missing", name, round, table.Rows,
							c.Title,
							c.Distinct, c.Missing)
					}
				}
			}
		}
	}
	t.Logf("%d were read, of %d it was said what is wrong", read, said)
	if read == 0 || said == 0 {
		t.Error("all came out the same")
	}
}

// damage changes a file: single bytes, pieces that are cut out, doubled or moved, noise.
func damage(b []byte, round int, chance *rand.Rand) []byte {
	if len(b) == 0 {
		return b
	}
	at := func() int { return chance.IntN(len(b)) }
	switch round % 7 {
	case 0:
		b[at()] ^= byte(1 + chance.IntN(255))
	case 1:
		for range 1 + len(b)/50 {
			b[at()] = byte(chance.IntN(256))
		}
	case 2:
		return b[:at()]
	case 3:
		from := at()
		return append(b[:from:from], b[min(len(b), from+1+chance.IntN(200)):]...)
	case 4:
		from := at()
		return bytes.Join([][]byte{b, b[from:], b[:from]}, nil)
	case 5:
		from := at()
		return bytes.Join([][]byte{b[from:], b[:from]}, nil)
	default:
		return bytes.ReplaceAll(b, []byte{b[at()]}, []byte("\"\x00\r,"))
	}
	return b
}

package engine_test

import (
	"fmt"
	"testing"

	"juvalogos/core/tables"
	"juvalogos/demo/ledger"
	"juvalogos/internal/engine"
)

func TestTry(t *testing.T) {
	e := engine.New()
	defer e.Close()
	m, err := ledger.Members()
	if err != nil { t.Fatal(err) }
	for name, c := range map[string]struct{ body string; qs [][]string }{
		"Hive weights.csv": {string(ledger.Weights()), [][]string{{"how many readings are there"}, {"How many hives are there?"}, {"Which hive was heaviest?"}, {"what is the average weight by month", "and only Willow", "and in 2024?"}, {"What was the heaviest weight of Willow in May 2024?"}, {"Which month was best?"}, {"mean temperature per year"}, {"how often was Hazel fed in 2025?"}, {"what is this about?"}, {"on which day was Thorn heaviest?"}, {"What share of readings is above 40 kg?"}, {"average weight by apiary and year"}, {"how many readings above 45 kg"}, {"When was the last time a hive swarmed?"}, {"top 3 hives by average weight"}, {"what was the weight of Willow on 2024-05-03?"}, {"Which apiary has the most readings?"}, {"lowest temperature"}}},
		"Harvest.csv": {string(ledger.Harvest()), [][]string{{"How much honey was harvested in 2024?"}, {"which meadow gave the most honey", "and in 2020?"}, {"honey by year"}, {"total jars by main flower"}, {"What is the honey by meadow and year?"}, {"How many jars did Long Acre fill in 2023?"}, {"Which year was the best?"}, {"worst meadow"}}},
		"Members.xlsx": {string(m), [][]string{{"how many members are there"}, {"how many members joined since 2020?"}, {"Who has the most hives?"}, {"Which town has the most members?"}, {"average hives by town"}, {"how many took the beginners course"}, {"total fees by course"}, {"who joined first?"}, {"how many members have not paid?"}, {"members with more than 8 hives"}, {"What do the courses cost?"}}},
	} {
		source, err := take(t, e, name, c.body)
		if err != nil { t.Error(err); continue }
		var all []*tables.Table
		for i := range source.Tables {
			tb := &source.Tables[i]
			all = append(all, tb)
			t.Log(tb.Name, tb.Title, tb.Rows, tb.Wrong)
			for _, col := range tb.Columns { t.Log("   ", col.Name, col.Title, col.Kind, col.Format, col.Unit, col.Distinct, col.Missing, col.Least, col.Most, col.Odd) }
		}
		s := e.Session([]engine.Source{source})
		for _, chain := range c.qs {
			for i, q := range chain {
				g := tables.Read(q, chain[:i], all)
				t.Logf("%s [%.2f] %s", q, g.Sure, g.Query)
				if g.Query == "" { continue }
				r, err := s.Ask(t.Context(), g.Query, 0, 100)
				if err != nil { t.Log("   ERR", err); continue }
				rows := fmt.Sprint(r.Rows)
				if len(rows) > 150 { rows = rows[:150] }
				said := g.Tell(r)
				f := tables.Hold(said, q, r)
				t.Log("    ", said, "| loose", f.Loose, rows)
				if f.Loose > 0 { for _, n := range f.Numbers { t.Log(said[n.From:n.To], n.Holds, n.Says) } }
			}
		}
		s.Close()
	}
}

package engine_test

import (
	"fmt"
	"strings"
	"testing"

	"juvalogos/core/tables"
	"juvalogos/demo/ledger"
	"juvalogos/internal/engine"
)

// golden are questions on the demo's tables with what has to come out of them, read by
// the reader; a chain goes on with its first question.
var golden = []struct {
	questions []string
	want      string // the first rows of the last answer
}{
	{[]string{"How many readings are there?"}, "[[8768]]"},
	{[]string{"How many hives are there?"}, "[[8]]"},
	{[]string{"which apiary has the most readings"}, "[[Hollow Lane 3288]]"},
	{[]string{"How often was Hazel fed in 2025?"}, "[[6]]"},
	{[]string{"how many readings above 45 kg", "and only Willow?"}, "[[376]]"},
	{[]string{"lowest temperature"}, "[[-10.2]]"},
	{[]string{"What was the weight of Willow on 2024-05-03?"}, "[[Willow 2024-05-03 35.8]]"},
	{[]string{"mean temperature per year"}, "[[2023 9.5542465753425] [2024 9.3948087431694] [2025 9.4531506849315]]"},
	{[]string{"How much honey was harvested in 2024?"}, "[[370.1]]"},
	{[]string{"which meadow gave the most honey"}, "[[Larch Hill 639]]"},
	{[]string{"which meadow gave the most honey", "and in 2020?"}, "[[Church Field 81.8]]"},
	{[]string{"How many jars did Long Acre fill in 2023?"}, "[[113]]"},
	{[]string{"total jars by main flower"}, "[[bramble 1309] [clover 1146] [heather 1180] [lime 1350] [rape 1222]]"},
	{[]string{"how many members are there"}, "[[140]]"},
	{[]string{"how many members joined since 2020?"}, "[[30]]"},
	{[]string{"which town has the most members?"}, "[[Larch Hill 35]]"},
	{[]string{"total fees by course"},
		"[[Beginners 5695] [Mead and wax 2040] [Mites and health 1825] [Queen rearing 4140]]"},
	{[]string{"who joined first?"}, "[[Xenia Kirkwall 2004-11-08]]"},
}

// Questions have exact results, and every number that the reader says of them follows from
// these.
func TestGoldenQuestions(t *testing.T) {
	e := engine.New()
	defer e.Close()
	members, err := ledger.Members()
	if err != nil {
		t.Fatal(err)
	}
	var sources []engine.Source
	for _, file := range [][2]string{{"Hive weights.csv", string(ledger.Weights())},
		{"Honey harvest.csv", string(ledger.Harvest())}, {"Members.xlsx", string(members)}} {
		source, err := take(t, e, file[0], file[1])
		if err != nil {
			t.Fatal(err)
		}
		sources = append(sources, source)
	}
	var all []*tables.Table
	for i := range sources {
		for j := range sources[i].Tables {
			all = append(all, &sources[i].Tables[j])
		}
	}
	s := e.Session(sources)
	defer s.Close()
	for _, c := range golden {
		last := len(c.questions) - 1
		question := c.questions[last]
		g := tables.Read(question, c.questions[:last], all)
		r, err := s.Ask(t.Context(), g.Query, 0, 100)
		if err != nil {
			t.Errorf("%q: %v (%s)", c.questions, err, g.Query)
			continue
		}
		if got := fmt.Sprint(r.Rows); got != c.want {
			t.Errorf("%q: %s, want %s (%.2f %s)", c.questions, got, c.want, g.Sure, g.Query)
		}
		said := g.Tell(r)
		if f := tables.Hold(said, question, r); f.Loose > 0 || said == "" {
			t.Errorf("%q: %s: %d numbers do not hold", c.questions, said, f.Loose)
		}
	}
	if g := tables.Read("What is this all about, and why?", nil, all); g.Query == "" {
		t.Error("nothing is said of what it is about")
	}
	for _, q := range tables.Openers(all) {
		if strings.TrimSpace(q) == "" {
			t.Error("an opener is empty")
		}
	}
	if g := tables.Read("Why do bees swarm?", nil, all); g.Sure >= tables.Sure {
		t.Errorf("it is %.2f sure of a question that no table answers: %s", g.Sure, g.Query)
	}
}

// A result says on how many rows of how many it rests, and nothing more comes out for that.
func TestOnHowManyRowsAResultRests(t *testing.T) {
	e := engine.New()
	defer e.Close()
	source, err := take(t, e, "honey.csv", string(ledger.Harvest()))
	if err != nil {
		t.Fatal(err)
	}
	s := e.Session([]engine.Source{source})
	defer s.Close()
	for query, want := range map[string]string{
		`SELECT count(*) FROM honey`:                                                                        "48 of 48, 1 columns, 1 rows",
		`SELECT meadow, sum(jars) FROM honey GROUP BY meadow`:                                               "48 of 48, 2 columns, 6 rows",
		`SELECT count(*), max(jars) FROM honey WHERE year > 2020`:                                           "30 of 48, 2 columns, 1 rows",
		`SELECT meadow, sum(jars) FROM honey WHERE year > 2020 GROUP BY 1 ORDER BY 2 LIMIT 3`:               "30 of 48, 2 columns, 3 rows",
		`SELECT meadow, sum(jars) j FROM honey WHERE year > 2020 GROUP BY ALL`:                              "30 of 48, 2 columns, 6 rows",
		`SELECT meadow, sum(jars) FROM honey WHERE year > 2020 GROUP BY ROLLUP (meadow)`:                    "30 of 48, 2 columns, 7 rows",
		`SELECT meadow, sum(jars) FROM honey WHERE year > 2020 GROUP BY 1 HAVING sum(jars) > 600`:           "30 of 48, 2 columns, 4 rows",
		`SELECT DISTINCT sum(jars) > 1 FROM honey WHERE year > 2020 GROUP BY meadow`:                        "30 of 48, 1 columns, 1 rows",
		`SELECT DISTINCT meadow FROM honey WHERE year > 2020`:                                               "30 of 48, 1 columns, 6 rows",
		`SELECT * FROM honey WHERE year > 2020 ORDER BY jars LIMIT 3`:                                       "30 of 48, 5 columns, 3 rows",
		`SELECT meadow, sum(sum(jars)) OVER (ORDER BY meadow) FROM honey WHERE year > 2020 GROUP BY meadow`: "30 of 48, 2 columns, 6 rows",
	} {
		r, err := s.Ask(t.Context(), query, 0, 100)
		if err != nil {
			t.Errorf("%s: %v", query, err)
			continue
		}
		got := fmt.Sprintf("%d of %d, %d columns, %d rows", r.Read, r.Of, len(r.Columns), len(r.Rows))
		if got != want || len(r.Rows[0]) != len(r.Columns) {
			t.Errorf("%s: %s, want %s", query, got, want)
		}
	}
}

// The rows behind a number are those that it was worked out of.
func TestRowsBehindANumber(t *testing.T) {
	e := engine.New()
	defer e.Close()
	source, err := take(t, e, "honey.csv", string(ledger.Harvest()))
	if err != nil {
		t.Fatal(err)
	}
	s := e.Session([]engine.Source{source})
	defer s.Close()
	for query, want := range map[string]string{
		`SELECT meadow, sum(honey_kg) FROM honey WHERE year > 2020 GROUP BY meadow ORDER BY 1`: "5 rows of Church Field, from 47 to 51",
		`SELECT meadow AS m, avg(jars) FROM honey GROUP BY m ORDER BY m`:                       "8 rows of Church Field, from 44 to 51",
		`SELECT upper(meadow), count(*) FROM honey GROUP BY 1 ORDER BY 1`:                      "8 rows of Church Field, from 44 to 51",
		`SELECT count(*) FROM honey h WHERE h.meadow = 'Long Acre'`:                            "8 rows of Long Acre, from 36 to 43",
	} {
		r, err := s.Ask(t.Context(), query, 0, 10)
		if err != nil {
			t.Fatal(err)
		}
		rows, err := s.Behind(t.Context(), query, r.Rows[0], len(r.Columns)-1, 0, 100)
		if err != nil {
			t.Errorf("%s: %v", query, err)
			continue
		}
		for i, c := range r.Columns {
			if c.Group != (strings.Contains(query, "GROUP BY") && i == 0) || !r.Behind {
				t.Errorf("%s: column %d: %+v, rows behind: %v", query, i, c, r.Behind)
			}
		}
		first, last := rows.Rows[0], rows.Rows[len(rows.Rows)-1]
		got := fmt.Sprintf("%d rows of %s, from %s to %s", rows.Total, first[1], first[0], last[0])
		if got != want {
			t.Errorf("%s: %s, want %s", query, got, want)
		}
		if strings.Contains(query, "honey_kg)") && !rows.Columns[3].Marked {
			t.Errorf("%s: %+v", query, rows.Columns)
		}
	}
	if _, err := s.Behind(t.Context(), "SELECT * FROM honey", nil, 0, 0, 10); err == nil {
		t.Error("rows are behind rows")
	}
	if _, err := s.Ask(t.Context(), `SELECT * FROM "rows of honey"`, 0, 10); err == nil {
		t.Error("the rows' numbers can be read")
	}
}

// The rows behind a number of tables that are joined are the rows as they were joined.
func TestRowsBehindANumberOfJoinedTables(t *testing.T) {
	e := engine.New()
	defer e.Close()
	members, err := take(t, e, "members.csv", "member,town,fee\n1,Long Acre,10\n2,Mill End,20\n3,Mill End,30\n")
	if err != nil {
		t.Fatal(err)
	}
	courses, err := take(t, e, "courses.csv", "member,course,fee\n1,Wax,5\n2,Wax,7\n2,Mead,9\n3,Wax,11\n")
	if err != nil {
		t.Fatal(err)
	}
	s := e.Session([]engine.Source{members, courses})
	defer s.Close()
	for query, want := range map[string]string{
		`SELECT m.town, sum(c.fee) AS f FROM members m JOIN courses c ON m.member = c.member GROUP BY m.town ORDER BY f DESC`: "3 rows: " +
			"3 2 Mill End 20 2 Wax 7] [3 2 Mill End 20 2 Mead 9] [4 3 Mill End 30 3 Wax 11]",
		`SELECT course, count(*) FROM members JOIN courses USING (member) WHERE town = 'Mill End' GROUP BY 1 ORDER BY 2 DESC`: "2 rows: " +
			"3 2 Mill End 20 Wax 7] [4 3 Mill End 30 Wax 11]",
	} {
		r, err := s.Ask(t.Context(), query, 0, 10)
		if err != nil {
			t.Fatal(err)
		}
		rows, err := s.Behind(t.Context(), query, r.Rows[0], 1, 0, 100)
		if err != nil || !r.Behind {
			t.Errorf("%s: %v, %+v", query, err, r)
			continue
		}
		got := fmt.Sprintf("%d rows: %s", rows.Total, strings.Trim(fmt.Sprint(rows.Rows), "[]"))
		if got != strings.Trim(want, "]") {
			t.Errorf("%s: %s, want %s", query, got, want)
		}
		for _, c := range rows.Columns[1:] {
			if strings.Contains(c.Title, "_") {
				t.Errorf("%s: a column is called %q", query, c.Title)
			}
		}
	}
}

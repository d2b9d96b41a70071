package tables

import (
	"strings"
	"testing"
)

// courses and hives are two tables, as the engine finds them out.
var (
	courses = &Table{Name: "courses", Title: "Courses", Rows: 260, Columns: []Column{
		{Name: "member", Title: "Member", Kind: Whole, Distinct: 117, Least: "101", Most: "240"},
		{Name: "course", Title: "Course", Kind: Text, Distinct: 2,
			Often: []Value{{Text: "Beginners"}, {Text: "Mead and wax"}}},
		{Name: "day", Title: "Day", Kind: Date, Distinct: 238, Least: "2021-02-05", Most: "2025-10-24"},
		{Name: "fee", Title: "Fee", Kind: Money, Unit: "€", Distinct: 4, Least: "25", Most: "85"},
		{Name: "passed", Title: "Passed", Kind: YesNo, Distinct: 2}}}
	members = &Table{Name: "members", Title: "Members", Rows: 140, Columns: []Column{
		{Name: "member", Title: "Member", Kind: Whole, Distinct: 140, Least: "101", Most: "240"},
		{Name: "name", Title: "Name", Kind: Text, Distinct: 140},
		{Name: "hives", Title: "Hives", Kind: Whole, Distinct: 12, Least: "0", Most: "11"}}}
)

// What the reader makes of questions: the conditions, groups and measures that stand in its
// query.
func TestReader(t *testing.T) {
	for question, wants := range map[string][]string{
		"total fee by course and passed":              {`sum("fee")`, `"passed" AS`, "GROUP BY 1, 2"},
		"how many passed the beginners course?":       {"count(*)", `"course" = 'Beginners'`, `AND "passed"`},
		"How many did not pass?":                      {"count(*)", "FROM courses"},
		"fees in May 2024":                            {`strftime("day", '%Y-%m') = '2024-05'`},
		"total fee since 2023":                        {`year("day") >= 2023`, `sum("fee")`},
		"total fee between 2022 and 2023":             {`year("day") BETWEEN 2022 AND 2023`},
		"how many members are there?":                 {"count(*)", "FROM members"},
		"who has the most hives?":                     {`SELECT "name", "hives" FROM members`, "DESC"},
		"members with at least 5 hives":               {`"hives" >= 5`, "FROM members"},
		"average number of hives":                     {`avg("hives")`},
		"mead and wax courses on 3 May 2024":          {`"course" = 'Mead and wax'`, `"day" = DATE '2024-05-03'`},
		"which month had the most fees?":              {`sum("fee")`, "GROUP BY 1 ORDER BY 2 DESC"},
		"what percentage of the courses was passed?":  {"percent of rows", `"passed"`},
		"How many courses had a fee over 30, by year": {`"fee" > 30`, `year("day")`},
	} {
		r := Read(question, nil, []*Table{courses, members})
		for _, want := range wants {
			if !strings.Contains(r.Query, want) {
				t.Errorf("%s: %s has no %s", question, r.Query, want)
			}
		}
	}
}

// Questions go on with those before, and keep what they do not change.
func TestReaderGoesOn(t *testing.T) {
	chain := []string{"total fee by course", "and only in 2024?", "by month", "what about the average?"}
	for i, wants := range [][]string{{"GROUP BY 1"}, {`year("day") = 2024`, `"course"`},
		{`strftime("day", '%Y-%m')`, `year("day") = 2024`}, {`avg("fee")`, `year("day") = 2024`}} {
		r := Read(chain[i], chain[:i], []*Table{courses, members})
		for _, want := range wants {
			if !strings.Contains(r.Query, want) {
				t.Errorf("%q: %s has no %s", chain[:i+1], r.Query, want)
			}
		}
	}
}

func FuzzRead(f *testing.F) {
	f.Add("which of the 5 highest fees between 2020 and 2021 by course?", "and by may 2024")
	f.Fuzz(func(t *testing.T, question, earlier string) {
		r := Read(question, []string{earlier}, []*Table{courses, members})
		if r.Sure < 0 || r.Sure > 1 || r.Query != "" && !strings.HasPrefix(r.Query, "SELECT") {
			t.Fatalf("%q: %+v", question, r)
		}
	})
}

// What came out of a query that the reader did not make is not told in its words.
func TestAnotherQueryIsToldPlainly(t *testing.T) {
	honeyTable := &Table{Name: "honey", Title: "Honey", Rows: 3, Columns: []Column{
		{Name: "meadow", Title: "Meadow", Kind: Text, Distinct: 3}, {Name: "kg", Title: "Honey (kg)", Kind: Decimal,
			Distinct: 3}}}
	g := Read("total honey by meadow", nil, []*Table{honeyTable})
	own := *honey
	own.Query = g.Query
	if said := g.Tell(&own); !strings.Contains(said, "639") {
		t.Errorf("its own is told as %q", said)
	}
	other := *honey
	other.Query = "SELECT meadow, max(jars) FROM honey"
	if said := g.Tell(&other); said != "3 rows came out; they stand in the table." {
		t.Errorf("another is told as %q", said)
	}
}

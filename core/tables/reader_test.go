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

// birds is a table of animals that have no names of their own.
var birds = &Table{Name: "birds", Title: "Birds", Rows: 300, Columns: []Column{
	{Name: "species", Title: "Species", Kind: Text, Distinct: 3, Often: []Value{{Text: "Marsh tit"}, {Text: "Coal tit"},
		{Text: "Wren"}}},
	{Name: "sex", Title: "sex", Kind: Text, Distinct: 2, Missing: 9, Often: []Value{{Text: "male"}, {Text: "female"}}},
	{Name: "bill_length_mm", Title: "bill_length_mm", Kind: Decimal, Distinct: 90, Least: "8", Most: "14", Missing: 2},
	{Name: "bill_depth_mm", Title: "bill_depth_mm", Kind: Decimal, Distinct: 80, Least: "3", Most: "5"},
	{Name: "mass_g", Title: "mass_g", Kind: Decimal, Distinct: 120, Least: "7", Most: "13"},
	{Name: "eggs", Title: "Eggs", Kind: Whole, Distinct: 9, Least: "0", Most: "9"},
	{Name: "year", Title: "Year", Kind: Whole, Distinct: 3, Least: "2021", Most: "2023"}}}

// fires is a table whose rows are districts, of how many fires each had.
var fires = &Table{Name: "fires", Title: "Fires", Rows: 40, Columns: []Column{
	{Name: "district", Title: "District", Kind: Text, Distinct: 40, Often: []Value{{Text: "Upper Vale"},
		{Text: "Mill End"}}},
	{Name: "code", Title: "Code", Kind: Text, Distinct: 40, Often: []Value{{Text: "IN"}, {Text: "UV"}}},
	{Name: "population", Title: "Population", Kind: Whole, Distinct: 40, Least: "900", Most: "81000000"},
	{Name: "total", Title: "Total", Kind: Whole, Distinct: 22, Least: "0", Most: "70"}}}

// Turns of speech: measures said otherwise than the table has them, values held against each
// other, what is missing, rows rather than values.
func TestReaderTurnsOfSpeech(t *testing.T) {
	for question, wants := range map[string][]string{
		"birds heavier than 0.01 kg":                          {`"mass_g" > 10`},
		"How deep is the bill of a wren on average?":          {`avg("bill_depth_mm")`, `'Wren'`},
		"How many males and how many females?":                {"GROUP BY 1", "count(*)"},
		"Is the mass higher in males or in females?":          {`avg("mass_g")`, "GROUP BY 1", "DESC"},
		"For how many birds is the sex not known?":            {"count(*)", `"sex" IS NULL`},
		"How many birds without eggs are there?":              {`"eggs" = 0`},
		"How many tits are there?":                            {`IN ('Marsh tit', 'Coal tit')`},
		"Show me the ten heaviest birds":                      {`SELECT * FROM birds`, `ORDER BY "mass_g" DESC`, "LIMIT 10"},
		"the ten highest masses":                              {`SELECT "mass_g" FROM`},
		"Minimum, maximum and average of mass":                {`min("mass_g")`, `max("mass_g")`, `avg("mass_g")`},
		"Between which values does the bill depth lie?":       {`min("bill_depth_mm")`, `max("bill_depth_mm")`},
		"What years does this cover?":                         {`GROUP BY "year"`},
		"birds with a bill depth between 3 and 4 mm":          {`"bill_depth_mm" BETWEEN 3 AND 4`},
		"How many fires were there altogether?":               {`sum("total")`},
		"In which district were the fewest fires?":            {`SELECT "district", "total"`, "LIMIT 1"},
		"Which districts start with the letter M?":            {`LIKE 'M%'`},
		"Which districts have between 5 and 7 million people": {`"population" BETWEEN 5000000 AND 7000000`},
		"What part of the population lives in Upper Vale?":    {`sum("population") FILTER`},
		"Sort the districts by total, largest first":          {"SELECT *", `"total" DESC`},
	} {
		r := Read(question, nil, []*Table{birds, fires})
		for _, want := range wants {
			if !strings.Contains(r.Query, want) {
				t.Errorf("%s: %s has no %s", question, r.Query, want)
			}
		}
	}
}

// What the reader does not wholly understand it is not sure of.
func TestReaderIsNotSureOf(t *testing.T) {
	for _, question := range []string{"How many songs did the wrens learn?", "How many fires were there in 2015?",
		"Which district has the most fires per person?", "birds not seen in 2022", "What is the average bill?",
		"How much longer are males than females?", "Which species lives in only one district?"} {
		if r := Read(question, nil, []*Table{birds, fires}); r.Sure >= Sure {
			t.Errorf("%s: it is %.2f sure of %s", question, r.Sure, r.Query)
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

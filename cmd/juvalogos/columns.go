package main

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"juvalogos/core/tables"
	"juvalogos/internal/api"
	"juvalogos/internal/client"
)

// shelfTables shows what was found out of a shelf's tables, and puts kinds of columns right.
func shelfTables(args []string) error {
	var kinds []string
	for _, k := range tables.Kinds() {
		kinds = append(kinds, string(k))
	}
	f := newFlags("shelf tables [flags] SHELF [TABLE]",
		"Shows which tables the documents of a shelf hold, their columns with their kinds, what these hold, and what\n"+
			"looks wrong; with a table's name that one alone. With -kind it says what kind of values a column has,\n"+
			"and the file is read anew so: "+strings.Join(kinds, ", ")+"; as-it-seems takes it back.",
		"juvalogos shelf tables ledger\njuvalogos shelf tables -kind fee=text ledger courses")
	kind := f.String("kind", "", "a COLUMN=KIND to put right; the table has to be named")
	format := f.String("format", "", "how its cells are written: of dates in the words of strptime, like %d.%m.%Y; of "+
		"numbers the sign before their decimals")
	asJSON := f.Bool("json", false, "print JSON")
	return onService(f, args, 1, 2, "name a shelf, and a table of it", func(c *client.Client, names []string) error {
		list, err := c.ShelfTables(context.Background(), names[0])
		if err != nil {
			return err
		}
		documents := list.Documents
		if len(names) > 1 {
			if documents, err = ofTable(documents, names[1]); err != nil {
				return err
			}
		}
		if *kind != "" {
			column, as, ok := strings.Cut(*kind, "=")
			if !ok || len(names) < 2 {
				return usageError("give -kind COLUMN=KIND, and the name of a table after that of the shelf")
			}
			if as == "as-it-seems" {
				as = ""
			}
			one, err := c.PutShelfColumnRight(context.Background(), names[0], documents[0].Document, api.ColumnGiven{
				Table: documents[0].Tables[0].Name, Column: column, Kind: api.ColumnGivenKind(as), Format: *format})
			if err != nil {
				return err
			}
			if documents, err = ofTable([]api.Tabled{one}, names[1]); err != nil {
				return err
			}
		}
		if *asJSON {
			return printJSON(documents)
		}
		return showTables(documents, names[0])
	})
}

// ofTable leaves a table alone, by the name that queries say, or by that of its file where
// it is the only one there.
func ofTable(documents []api.Tabled, name string) ([]api.Tabled, error) {
	var known []string
	for _, d := range documents {
		for _, t := range d.Tables {
			if t.Name == name || d.Name == name && len(d.Tables) == 1 {
				d.Tables = []tables.Table{t}
				return []api.Tabled{d}, nil
			}
			known = append(known, t.Name)
		}
	}
	if known == nil {
		return nil, fmt.Errorf("no document of this shelf holds a table")
	}
	return nil, fmt.Errorf("there is no table %q on this shelf; there are: %s", name, strings.Join(known, ", "))
}

func showTables(documents []api.Tabled, shelf string) error {
	any := false
	for _, d := range documents {
		if d.Problem != "" {
			show("%s: %s\n", d.Name, d.Problem)
			any = true
		}
		for _, t := range d.Tables {
			if any {
				show("\n")
			}
			any = true
			show("%s: %s, %d rows, of %s\n", t.Name, t.Title, t.Rows, d.Name)
			if d.LookedAt != nil {
				show("  as it was %s\n", d.LookedAt.Local().Format("2006-01-02 15:04"))
			}
			for _, w := range t.Wrong {
				show("  ! %s\n", w)
			}
			if err := list(false, t.Columns, "", "COLUMN, KIND, TITLE, MISSING, DIFFERENT, LEAST, MOST",
				columnShown); err != nil {
				return err
			}
		}
	}
	if !any {
		show("No document of this shelf holds a table. Add one: juvalogos shelf add %s FILE.csv\n", shelf)
	}
	return nil
}

func columnShown(c tables.Column) []any {
	kind := string(c.Kind)
	if c.Unit != "" {
		kind += ", " + c.Unit
	}
	if c.Given {
		kind += " (as was said)"
	}
	distinct := strconv.FormatInt(c.Distinct, 10)
	if c.About {
		distinct = "about " + distinct
	}
	return []any{c.Name, kind, c.Title, c.Missing, distinct, c.Least, c.Most}
}

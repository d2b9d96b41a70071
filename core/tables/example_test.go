package tables_test

import (
	"fmt"

	"juvalogos/core/tables"
)

func Example() {
	d := tables.Sniff([]byte("Hive;Weight\nWillow;31,5\nHazel;28,0\n"))
	fmt.Printf("%c, %d columns\n", d.Comma, d.Columns)

	hives := &tables.Table{Name: "hives", Title: "Hives", Rows: 2, Columns: []tables.Column{
		{Name: "hive", Title: "Hive", Kind: tables.Text, Distinct: 2,
			Often: []tables.Value{{Text: "Willow"}, {Text: "Hazel"}}},
		{Name: "weight", Title: "Weight", Kind: tables.Decimal, Distinct: 2, Least: "28", Most: "31.5"},
	}}
	r := tables.Read("What is the average weight?", nil, []*tables.Table{hives})
	fmt.Println(r.Query)

	result := &tables.Result{Columns: []tables.Head{{Title: "mean of Weight", Kind: tables.Decimal}},
		Rows: [][]string{{"29.75"}}, Total: 1}
	fmt.Println(tables.Hold("The mean is 29.75 kg, I think 31.", "", result).Loose, "number does not hold")
	// Output:
	// ;, 2 columns
	// SELECT avg("weight") AS "mean of Weight" FROM hives
	// 1 number does not hold
}

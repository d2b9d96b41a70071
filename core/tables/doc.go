// Package tables holds what is known of tables and of questions on them, without an
// engine that computes: how a file of separated values is written, what its columns are,
// what looks wrong in it; which queries may be run, and what they do in plain words; what
// came out, as rows, as a chart, as text; and whether the numbers that a sentence says
// follow from that.
//
//	d := tables.Sniff(head)                      // how the file is written
//	layout := tables.Look(rows)                  // which row names the columns, and what these are
//	q, err := tables.Check(tree, known)          // a query that only reads
//	fmt.Println(q.Says())                        // what it does, in plain words
//	figures := tables.Hold(sentence, question, result)
//
// Queries are of the dialect of SQL that the engine understands, and are looked at as the
// engine itself parsed them: a tree, of which Check knows every kind of node that it lets
// pass.
package tables

import (
	"slices"
	"strings"

	"juvalogos/core/phrase"
)

// Kind is what a column's cells are.
type Kind string

// The kinds of columns.
const (
	Text    Kind = "text"
	Whole   Kind = "whole"   // whole numbers
	Decimal Kind = "decimal" // numbers that may have decimals
	Money   Kind = "money"   // with a sign or a word of a currency
	Percent Kind = "percent"
	Date    Kind = "date"
	Moment  Kind = "moment" // a date with a time of day
	YesNo   Kind = "yesno"
)

// Kinds are all kinds, as a page offers them.
func Kinds() []Kind { return []Kind{Text, Whole, Decimal, Money, Percent, Date, Moment, YesNo} }

// Known reports whether k is one of them.
func (k Kind) Known() bool { return slices.Contains(Kinds(), k) }

// Number reports whether cells of a kind are numbers.
func (k Kind) Number() bool { return k == Whole || k == Decimal || k == Money || k == Percent }

// Time reports whether cells of a kind are points in time.
func (k Kind) Time() bool { return k == Date || k == Moment }

// Column is a column of a table with what was found out of it.
type Column struct {
	Name  string `json:"name"`  // as queries say it: small letters, digits, underscores
	Title string `json:"title"` // as the file has it
	Kind  Kind   `json:"kind"`
	// Format is how its cells are written: of numbers their decimal sign and the one
	// between thousands, of dates as the engine's strptime has it.
	Format string `json:"format,omitempty"`
	Unit   string `json:"unit,omitempty"` // a currency, %
	// Given: the kind was put right by somebody.
	Given bool `json:"given,omitempty"`

	Missing  int64 `json:"missing"`
	Distinct int64 `json:"distinct"`
	About    bool  `json:"about,omitempty"` // Distinct was estimated
	Odd      int64 `json:"odd,omitempty"`   // cells that are not of the kind, and count as missing
	// Odds are some of these, with their rows.
	Odds  []Cell  `json:"odds,omitempty"`
	Least string  `json:"least,omitempty"`
	Most  string  `json:"most,omitempty"`
	Mean  string  `json:"mean,omitempty"`
	Bins  []Bin   `json:"bins,omitempty"`   // of numbers and times: how they are spread
	Often []Value `json:"often,omitempty"`  // of others: what is most often there
	Whole bool    `json:"values,omitempty"` // Often is all that there is
}

// Cell is a cell with the row of the file that it stands in.
type Cell struct {
	Row  int64  `json:"row"`
	Text string `json:"text"`
}

// Bin is how many values lie from From up to To, the last bin's To included.
type Bin struct {
	From  string `json:"from"`
	To    string `json:"to"`
	Count int64  `json:"count"`
}

// Value is a value with how often it is there.
type Value struct {
	Text  string `json:"text"`
	Count int64  `json:"count"`
}

// Table is a table with what was found out of it.
type Table struct {
	Name    string          `json:"name"`            // as queries say it
	Own     string          `json:"own,omitempty"`   // in its own file, where another has its name
	Title   string          `json:"title"`           // as people say it: the file's name, the sheet's
	Sheet   string          `json:"sheet,omitempty"` // of a file of several
	Rows    int64           `json:"rows"`
	Columns []Column        `json:"columns"`
	First   [][]string      `json:"first"` // the first rows, as results have cells
	Wrong   []phrase.Phrase `json:"wrong,omitempty"`
}

// RowColumn is a column that every table has beside its own: the row of the file.
const RowColumn = "_row"

// Named is a table's column by the name that queries have; nil if there is none.
func (t *Table) Named(name string) *Column {
	for i := range t.Columns {
		if strings.EqualFold(t.Columns[i].Name, name) {
			return &t.Columns[i]
		}
	}
	return nil
}

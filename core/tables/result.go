package tables

import (
	"encoding/csv"
	"encoding/json"
	"io"
	"strings"

	"juvalogos/core/phrase"
)

// Result is what came out of a query.
type Result struct {
	Query   string          `json:"query"`
	Says    []phrase.Phrase `json:"says"`    // what the query does, in plain words
	Columns []Head          `json:"columns"` // of Rows
	// Rows are the first of those that came out. A number is written with a point, a day
	// as 2026-11-30, yes and no as true and false; a cell that is missing is "".
	Rows  [][]string `json:"rows"`
	Total int64      `json:"total"` // how many came out
	// Read is how many rows of the tables the answer rests on, and Of how many they have.
	Read int64 `json:"read"`
	Of   int64 `json:"of"`
	// Tables are those that were read, by their names; Keys what was at hand.
	Tables []string `json:"tables"`
	Titles []string `json:"titles,omitempty"` // of these
	Keys   []string `json:"keys,omitempty"`
	// Behind: the rows on which a row of it rests can be told.
	Behind bool `json:"behind,omitempty"`
	// Sure is how sure whoever made a query of the question is, from 0 to 1; models do
	// not say.
	Sure float64 `json:"sure,omitempty"`
}

// Head is a column of a result.
type Head struct {
	Name  string `json:"name"`
	Title string `json:"title"`
	Kind  Kind   `json:"kind"`
	Unit  string `json:"unit,omitempty"`
	// Group: rows are grouped by it.
	Group bool `json:"group,omitempty"`
	// Marked: of rows behind a number, the column that it was worked out of.
	Marked bool `json:"marked,omitempty"`
}

// WriteCSV writes a result as a file of comma-separated values (RFC 4180). It fails as w does.
func (r *Result) WriteCSV(w io.Writer) error {
	out := csv.NewWriter(w)
	heads := make([]string, len(r.Columns))
	for i, c := range r.Columns {
		heads[i] = c.Title
	}
	if err := out.Write(heads); err != nil {
		return err
	}
	for _, row := range r.Rows {
		if err := out.Write(row); err != nil {
			return err
		}
	}
	out.Flush()
	return out.Error()
}

// WriteJSON writes a result as a list of objects, its numbers as numbers. It fails as w
// does.
func (r *Result) WriteJSON(w io.Writer) error {
	all := make([]json.RawMessage, len(r.Rows))
	for i, row := range r.Rows {
		var b strings.Builder
		b.WriteByte('{')
		for j, c := range r.Columns {
			if j > 0 {
				b.WriteByte(',')
			}
			name, err := json.Marshal(c.Title)
			if err != nil {
				return err
			}
			b.Write(name)
			b.WriteByte(':')
			b.WriteString(jsonOf(c.Kind, row[j]))
		}
		b.WriteByte('}')
		all[i] = json.RawMessage(b.String())
	}
	e := json.NewEncoder(w)
	e.SetIndent("", " ")
	return e.Encode(all)
}

func jsonOf(k Kind, cell string) string {
	switch {
	case cell == "":
		return "null"
	case (k.Number() || k == YesNo) && json.Valid([]byte(cell)):
		return cell
	}
	text, err := json.Marshal(cell)
	if err != nil {
		return "null" // cannot happen: texts marshal
	}
	return string(text)
}

// Markdown is a result as a table in Markdown, of at most so many rows.
func (r *Result) Markdown(most int) string {
	var b strings.Builder
	line := func(cells []string) {
		b.WriteString("|")
		for _, c := range cells {
			b.WriteString(" " + strings.NewReplacer("|", `\|`, "\n", " ", "\r", " ").Replace(c) + " |")
		}
		b.WriteString("\n")
	}
	heads, rule := make([]string, len(r.Columns)), make([]string, len(r.Columns))
	for i, c := range r.Columns {
		heads[i], rule[i] = c.Title, "---"
		if c.Kind.Number() {
			rule[i] = "---:"
		}
	}
	line(heads)
	line(rule)
	for _, row := range r.Rows[:min(len(r.Rows), most)] {
		line(row)
	}
	return b.String()
}

// Text is a result as a model reads it: how many rows there are, and the first of them.
func (r *Result) Text(most int) string {
	var b strings.Builder
	heads := make([]string, len(r.Columns))
	for i, c := range r.Columns {
		heads[i] = c.Title
	}
	b.WriteString(strings.Join(heads, " | ") + "\n")
	for _, row := range r.Rows[:min(len(r.Rows), most)] {
		b.WriteString(strings.ReplaceAll(strings.Join(row, " | "), "\n", " ") + "\n")
	}
	return b.String()
}

package tables

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"juvalogos/core/language"
)

// Survey tells a model which tables there are: their columns as queries say them, what
// these hold, and the first rows. question decides which columns are told of where there
// are more than most.
func Survey(all []*Table, question string, most int) string {
	var b strings.Builder
	for i, t := range all {
		if i > 0 {
			b.WriteString("\n")
		}
		fmt.Fprintf(&b, "Table %s (“%s”), %d rows:\n", t.Name, t.Title, t.Rows)
		told := mattering(t, question, most)
		for _, c := range told {
			fmt.Fprintf(&b, "- %s\n", c.told())
		}
		if left := len(t.Columns) - len(told); left > 0 {
			fmt.Fprintf(&b, "- and %d columns more\n", left)
		}
		if len(t.First) > 0 {
			b.WriteString("First rows:\n")
			names := make([]string, len(told))
			for i, c := range told {
				names[i] = c.Name
			}
			b.WriteString(strings.Join(names, " | ") + "\n")
			for _, row := range t.First[:min(len(t.First), 3)] {
				cells := make([]string, len(told))
				for i, c := range told {
					cells[i] = Short(row[slices.IndexFunc(t.Columns,
						func(o Column) bool { return o.Name == c.Name })], 40)
				}
				b.WriteString(strings.Join(cells, " | ") + "\n")
			}
		}
	}
	return b.String()
}

// mattering are the columns that are told of: all, or those whose titles share words with
// the question first.
func mattering(t *Table, question string, most int) []*Column {
	columns := pointers(t.Columns)
	if len(columns) <= most {
		return columns
	}
	asked := map[string]bool{}
	for _, w := range wordsOf(question) {
		asked[language.Stem("en", w)] = true
	}
	score := func(c *Column) (n int) {
		for _, w := range wordsOf(c.Title) {
			if asked[language.Stem("en", w)] {
				n++
			}
		}
		return n
	}
	slices.SortStableFunc(columns, func(a, b *Column) int { return cmp.Compare(score(b), score(a)) })
	return columns[:most]
}

// told is a column in a line.
func (c *Column) told() string {
	kind := map[Kind]string{Text: "text", Whole: "whole number", Decimal: "number", Money: "number, money",
		Percent: "number, percent", Date: "date", Moment: "timestamp", YesNo: "boolean"}[c.Kind]
	said := c.Name + ": " + kind
	if Identifier(c.Title) != c.Name || strings.ContainsAny(c.Title, "()/%") {
		said += fmt.Sprintf(" (“%s”)", Short(c.Title, 80))
	}
	if c.Unit != "" {
		said += " in " + c.Unit
	}
	switch {
	case c.Kind == Text && len(c.Often) > 0:
		var values []string
		for _, v := range c.Often[:min(len(c.Often), 12)] {
			values = append(values, "'"+Short(v.Text, 40)+"'")
		}
		said += fmt.Sprintf("; %d different: %s", c.Distinct, strings.Join(values, ", "))
		if c.Distinct > int64(len(values)) {
			said += ", …"
		}
	case c.Kind != Text && c.Kind != YesNo && c.Least != "":
		said += fmt.Sprintf("; %s to %s", c.Least, c.Most)
	}
	if c.Missing > 0 {
		said += fmt.Sprintf("; %d missing", c.Missing)
	}
	return said
}

// Short is a text of at most so many characters.
func Short(text string, most int) string {
	text = strings.Join(strings.Fields(text), " ")
	if r := []rune(text); len(r) > most {
		return string(r[:most-1]) + "…"
	}
	return text
}

// wordsOf are the words of a text in small letters.
func wordsOf(text string) []string {
	return strings.FieldsFunc(strings.ToLower(text), func(r rune) bool {
		return !('a' <= r && r <= 'z' || '0' <= r && r <= '9' || r > 127)
	})
}

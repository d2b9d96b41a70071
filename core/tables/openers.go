package tables

import (
	"slices"
	"strings"
)

// mostOpeners is how many questions are proposed.
const mostOpeners = 5

// Openers proposes questions that fit tables: each is one that the reader understands for
// sure.
func Openers(all []*Table) (openers []string) {
	for _, t := range all {
		for _, q := range proposed(t) {
			r := Read(q, nil, all)
			if r.Sure >= Sure && r.wish.table == t && !slices.Contains(openers, q) && len(openers) < mostOpeners {
				openers = append(openers, q)
			}
		}
	}
	return openers
}

// proposed are questions about a table, the best first.
func proposed(t *Table) (all []string) {
	var name, number, when *Column
	for i := range t.Columns {
		c := &t.Columns[i]
		switch {
		case name == nil && c.Kind == Text && c.Distinct > 1 && c.Distinct <= 60:
			name = c
		case number == nil && c.Countable() && !c.isKey(t.Rows) && c.Distinct > 2:
			number = c
		case when == nil && c.Kind.Time():
			when = c
		}
	}
	all = append(all, "What is this about?")
	called := func(c *Column) string {
		return strings.TrimSpace(inBrackets.ReplaceAllString(strings.ReplaceAll(c.Title, "_", " "), ""))
	}
	if number != nil && name != nil {
		all = append(all, "Which "+called(name)+" has the highest "+called(number)+"?")
		word := "Average "
		if number.additive() {
			word = "Total "
		}
		if when != nil {
			all = append(all, word+called(number)+" by "+spanPart(when))
		}
		all = append(all, word+called(number)+" by "+called(name))
	} else if number != nil && when != nil {
		all = append(all, "Average "+called(number)+" by "+spanPart(when))
	}
	if name != nil {
		all = append(all, "How many different "+called(name)+" are there?")
	}
	return all
}

package modelserver

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
)

// Tables: the simulated model writes a query where it is told which tables there are, and
// says in a sentence what came out of one. It knows a few ways to ask, no more.

var (
	asksQuery   = regexp.MustCompile("(?i)write one SELECT")
	asksTelling = regexp.MustCompile(`(?i)from what was worked out`)
	tableLine   = regexp.MustCompile(`(?m)^Table (\S+) \(“([^”]*)”\), (\d+) rows:$`)
	columnLine  = regexp.MustCompile(`(?m)^- ([\pL\d_]+): ([a-z ,]+)(?: \(“([^”]*)”\))?(?: in (\S+?))?(?:; (.*))?$`)
	quotedValue = regexp.MustCompile(`'([^']*)'`)
	yearIn      = regexp.MustCompile(`\b(?:19|20)\d\d\b`)
)

// knownTable is a table as the instructions tell of it.
type knownTable struct {
	name, title string
	columns     []knownColumn
}

type knownColumn struct {
	name, kind, title string
	values            []string
}

func (c knownColumn) number() bool { return strings.Contains(c.kind, "number") }
func (c knownColumn) time() bool   { return c.kind == "date" || c.kind == "timestamp" }

// readTables reads which tables the instructions tell of.
func readTables(system string) (all []knownTable) {
	starts := tableLine.FindAllStringSubmatchIndex(system, -1)
	for i, at := range starts {
		end := len(system)
		if i+1 < len(starts) {
			end = starts[i+1][0]
		}
		t := knownTable{name: system[at[2]:at[3]], title: system[at[4]:at[5]]}
		for _, m := range columnLine.FindAllStringSubmatch(system[at[1]:end], -1) {
			c := knownColumn{name: m[1], kind: m[2], title: m[3]}
			if c.kind == "text" {
				for _, v := range quotedValue.FindAllStringSubmatch(m[5], -1) {
					c.values = append(c.values, v[1])
				}
			}
			t.columns = append(t.columns, c)
		}
		all = append(all, t)
	}
	return all
}

// likeness counts the words of a name that a question has, or that begin alike.
func likeness(name, question string) (n int) {
	for _, w := range strings.FieldsFunc(strings.ToLower(name),
		func(r rune) bool { return r == '_' || r == ' ' || r == '(' }) {
		if len(w) > 2 && strings.Contains(strings.ToLower(question), strings.TrimSuffix(w, "s")) {
			n++
		}
	}
	return n
}

// writeQuery writes a query for the last question, which may go on with the one before.
func writeQuery(c conversation) string {
	all := readTables(c.system)
	if len(all) == 0 {
		return "NO ANSWER: There is no table here."
	}
	question := c.question
	if n := len(c.earlier); n > 0 && len(strings.Fields(question)) <= 5 {
		question = c.earlier[n-1] + " " + question
	}
	best, most := all[0], -1
	for _, t := range all {
		n := likeness(t.title, question)
		for _, col := range t.columns {
			n += likeness(col.name, question)
			for _, v := range col.values {
				n += 2 * boolInt(strings.Contains(strings.ToLower(question), strings.ToLower(v)))
			}
		}
		if n > most {
			best, most = t, n
		}
	}
	if most == 0 {
		return "NO ANSWER: The tables do not say this."
	}
	return "```sql\n" + best.query(strings.ToLower(question)) + "\n```"
}

func boolInt(b bool) int {
	if b {
		return 1
	}
	return 0
}

func (t knownTable) query(question string) string {
	by, where, number := t.grouping(question), t.conditions(question), t.measured(question)
	what := "count(*) AS number_of_rows"
	switch {
	case has(question, "how many "+strings.ToLower(t.title), "how many "+t.name): // rows are counted
	case number == "" || strings.Contains(question, "how many") && !strings.Contains(question, number):
	case has(question, "average", "mean", "typical"):
		what = "round(avg(" + number + "), 2) AS mean_" + number
	case has(question, "highest", "heaviest", "largest", "biggest", "maximum"):
		what = "max(" + number + ") AS highest_" + number
	case has(question, "lowest", "lightest", "smallest", "minimum"):
		what = "min(" + number + ") AS lowest_" + number
	default:
		what = "round(sum(" + number + "), 2) AS total_" + number
	}
	text := "SELECT "
	if by != "" {
		text += by + ", "
	}
	text += what + "\nFROM " + t.name
	if where != "" {
		text += "\nWHERE " + where
	}
	if by == "" {
		return text
	}
	text += "\nGROUP BY 1"
	if has(question, "which", "most", "best", "highest", "heaviest", "top") {
		text += "\nORDER BY 2 DESC NULLS LAST"
		if has(question, "which", "who") {
			text += "\nLIMIT 1"
		}
		return text
	}
	return text + "\nORDER BY 1"
}

func has(text string, words ...string) bool {
	return slices.ContainsFunc(words, func(w string) bool { return strings.Contains(text, w) })
}

func (t knownTable) grouping(question string) string {
	var when string
	for _, c := range t.columns {
		if c.time() && when == "" {
			when = c.name
		}
	}
	switch {
	case when != "" && has(question, "by month", "per month", "each month", "which month", "monthly"):
		return "strftime(" + when + ", '%Y-%m') AS month"
	case when != "" && has(question, "by year", "per year", "each year", "which year"):
		return "year(" + when + ") AS year"
	}
	for _, c := range t.columns {
		word := strings.TrimSuffix(strings.ReplaceAll(c.name, "_", " "), "s")
		if has(question, "by "+word, "per "+word, "each "+word, "which "+word, "what "+word) {
			return c.name
		}
	}
	return ""
}

func (t knownTable) conditions(question string) string {
	var all []string
	for _, c := range t.columns {
		for _, v := range c.values {
			if len(v) > 2 && strings.Contains(question, strings.ToLower(v)) {
				all = append(all, fmt.Sprintf("%s = '%s'", c.name, strings.ReplaceAll(v, "'", "''")))
				break
			}
		}
	}
	if year := yearIn.FindString(question); year != "" {
		for _, c := range t.columns {
			if c.name == "year" {
				all = append(all, "year = "+year)
				break
			}
			if c.time() {
				all = append(all, "year("+c.name+") = "+year)
				break
			}
		}
	}
	return strings.Join(all, " AND ")
}

func (t knownTable) measured(question string) string {
	best, most := "", 0
	for _, c := range t.columns {
		n := 2 * likeness(c.name, question)
		if has(c.name, "weight") && has(question, "heav", "light") {
			n++
		}
		if c.number() && c.name != "year" && n > most {
			best, most = c.name, n
		}
	}
	return best
}

// fromBoth says what passages say, and what was worked out from tables.
func fromBoth(m model, c conversation) string {
	said := tellResult(c.worked)
	if len(c.passages) > 0 {
		if text := fromPassages(m, c); text != nothingSaid {
			return text + " " + said
		}
	}
	return said
}

// tellResult says in a sentence what came out of a query.
func tellResult(text string) string {
	_, table, found := strings.Cut(text, " came out")
	lines := strings.Split(strings.TrimSpace(table), "\n")
	if !found || len(lines) < 3 {
		return "Nothing came out of it."
	}
	var rows [][]string
	for _, line := range lines[1:] {
		if strings.HasPrefix(line, "</") || strings.TrimSpace(line) == "" {
			break
		}
		rows = append(rows, strings.Split(line, " | "))
	}
	if len(rows) < 2 {
		return "Nothing came out of it."
	}
	heads, first := rows[0], rows[1]
	last := len(heads) - 1
	if last == 0 && strings.Contains(heads[0], "rows") {
		return fmt.Sprintf("There are %s of them.", first[0])
	}
	if last == 0 {
		return fmt.Sprintf("The %s is %s.", heads[0], first[0])
	}
	if len(rows) == 2 {
		return fmt.Sprintf("It is %s, with a %s of %s.", first[0], heads[last], first[last])
	}
	end := rows[len(rows)-1]
	return fmt.Sprintf("The %s goes from %s (%s) to %s (%s).", heads[last], first[last], first[0], end[last], end[0])
}

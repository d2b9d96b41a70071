package citing

import (
	"regexp"
	"slices"
	"strings"
)

// row is a line of a table of Markdown.
type row struct {
	head  []string // the names of the columns; nil: it is these, or the line below
	cells []string
}

var (
	rowLine   = regexp.MustCompile(`^\s*\|.*\|\s*$`)
	rulerLine = regexp.MustCompile(`^\s*\|(\s*:?-+:?\s*\|)+\s*$`)
	rowEnd    = regexp.MustCompile(`\s*\|\s*$`)
)

// rowsOf are the lines of a reply's tables, by where they begin.
func rowsOf(reply string) map[int]row {
	all := map[int]row{}
	var head []string
	before, at, first := "", 0, 0
	for line := range strings.Lines(reply) {
		bare := strings.TrimRight(line, "\r\n")
		switch {
		case !rowLine.MatchString(bare):
			head = nil
		case rulerLine.MatchString(bare) && rowLine.MatchString(before):
			head = cellsOf(before)
			all[first], all[at] = row{}, row{}
		case head != nil:
			all[at] = row{head: head, cells: cellsOf(bare)}
		}
		before, first = bare, at
		at += len(line)
	}
	return all
}

// cellsOf are the cells of a line.
func cellsOf(line string) []string {
	cells := strings.Split(strings.Trim(strings.TrimSpace(line), "|"), "|")
	for i, c := range cells {
		cells[i] = strings.TrimSpace(c)
	}
	return cells
}

// said is a row as documents have theirs: each cell with the name of its column.
func (r row) said() string {
	var parts []string
	for i, c := range r.cells {
		if c = strings.TrimSpace(reference.ReplaceAllString(c, "")); c == "" || c == "-" || c == "–" || c == "—" {
			continue
		}
		if i < len(r.head) && r.head[i] != "" {
			c = r.head[i] + ": " + c
		}
		parts = append(parts, c)
	}
	return strings.Join(parts, "; ")
}

// key is what the row is about.
func (r row) key() string {
	return strings.ToLower(strings.Trim(reference.ReplaceAllString(r.cells[0], ""), " *_`"))
}

// claims reads a row; nil if it claims nothing.
func (j *judge) row(r row) *text {
	if len(r.cells) < 2 {
		return nil
	}
	c := j.read(r.said())
	if len(c.words)+len(c.numbers) < 2 {
		return nil
	}
	c.row, c.key = true, r.key()
	c.keyStems = stemsOf(c.key)
	return c
}

// about reports whether a place may be held against a claim: a row is only held
// against a sentence or a row that says what it is about, and nothing against two rows
// as if they were one.
func (p *place) about(c *text) bool {
	if p.two && (c.row || strings.Count(p.said, "; ") > 1 && strings.Count(p.said, ": ") > 1) {
		return false
	}
	if !c.row {
		return true
	}
	if len(c.keyStems) == 0 {
		return strings.Contains(strings.ToLower(p.said), c.key)
	}
	for _, stem := range c.keyStems {
		if !slices.Contains(p.stems, stem) {
			return false
		}
	}
	return true
}

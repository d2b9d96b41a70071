package quiz

import (
	"fmt"
	"regexp"
	"strings"
)

// Asked is a question as a model is asked it, with the options in an order: the places of the
// quiz's own.
func (q *Question) Asked(order []int) string {
	var b strings.Builder
	b.WriteString(q.Text + "\n\n")
	for place, at := range order {
		fmt.Fprintf(&b, "%c) %s\n", 'A'+place, q.Options[at].Text)
	}
	b.WriteString("\nWhich option is right? Answer with its letter alone.")
	return b.String()
}

var (
	letterAlone = regexp.MustCompile(`^[\s*_"'(\[]*([A-H])(?:[\s*_"').:,\]]|$)`)
	letterSaid  = regexp.MustCompile(`(?i)\b(?:answer|option|letter|choice)(?:\s+is|\s*:)?\s*[*_"'(\[]*([A-H])\b`)
	letterShut  = regexp.MustCompile(`(?:^|[\s(*])([A-H])\)`)
)

// Answered reads which option a model chose, as a place in the quiz's own order; -1 where it
// cannot be told, also where it names several.
func (q *Question) Answered(reply string, order []int) int {
	place := -1
	take := func(letter string) bool {
		at := int(strings.ToUpper(letter)[0] - 'A')
		if at >= len(order) || place >= 0 && place != at {
			place = -1
			return false
		}
		place = at
		return true
	}
	reply = strings.TrimSpace(reply)
	named := map[string]bool{}
	for _, m := range letterShut.FindAllStringSubmatch(reply, -1) {
		named[m[1]] = true
	}
	if m := letterAlone.FindStringSubmatch(reply); m != nil && len(named) < 2 {
		take(m[1])
	} else {
		said := letterSaid.FindAllStringSubmatch(reply, -1)
		if said == nil {
			said = letterShut.FindAllStringSubmatch(reply, -1)
		}
		for _, m := range said {
			if !take(m[1]) {
				return -1
			}
		}
	}
	if place >= 0 {
		return order[place]
	}
	// The words of one option, and of no other.
	found := -1
	for i, o := range q.Options {
		if !regexp.MustCompile(`(?i)(?:^|[^\pL\pN])` + regexp.QuoteMeta(o.Text) + `(?:[^\pL\pN]|$)`).MatchString(reply) {
			continue
		}
		if found >= 0 {
			return -1
		}
		found = i
	}
	return found
}

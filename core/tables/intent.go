package tables

import (
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
)

// find is where a word of some stands first, from a token on; -1: nowhere.
func (r *reader) find(from int, words ...string) int {
	for i := max(0, from); i < len(r.tokens); i++ {
		if slices.Contains(words, r.tokens[i].low) {
			return i
		}
	}
	return -1
}

// follows is where two words stand one after the other; -1: nowhere.
func (r *reader) follows(first, second string) int {
	for i := range r.tokens {
		if r.tokens[i].low == first && r.at(i+1).low == second {
			return i
		}
	}
	return -1
}

// mentionAt is the mention of a column that begins at a token or right behind small words.
func (r *reader) mentionAt(at int) (mention, bool) {
	for skip := range 3 {
		for _, m := range r.columns {
			if m.from == at+skip {
				return m, true
			}
		}
		if k := r.at(at + skip); !smallWords[k.low] && superlatives[k.low].way == 0 && measures[k.low] == "" {
			return mention{}, false
		}
	}
	return mention{}, false
}

// drop takes a mention out of those that are left to be understood.
func (r *reader) drop(m mention) {
	r.columns = slices.DeleteFunc(r.columns, func(o mention) bool { return o.from == m.from && o.column == m.column })
}

// findGroups finds by what rows are grouped.
func (r *reader) findGroups(w *wish) {
	for i := 0; i < len(r.tokens); i++ {
		k := r.at(i)
		adjective := slices.Contains([]string{"monthly", "yearly", "annual", "annually", "quarterly", "weekly", "daily",
			"hourly"}, k.low)
		if adjective && !r.mentioned(i) {
			if c := r.timeOrYear(timeWords[k.low]); c != nil {
				r.group(w, *c, i, i+1)
			}
			continue
		}
		switch k.low {
		case "by", "per", "each", "every", "across":
		case "over", "through":
			if r.at(i+1).low == "time" || r.at(i+2).low == "years" {
				if c := r.timeColumn(); c != nil {
					r.group(w, grouping{c, spanPart(c)}, i, i+3)
				} else if y := r.yearColumn(); y != nil {
					r.group(w, grouping{y, ""}, i, i+3)
				}
			}
			continue
		default:
			continue
		}
		r.groupsAt(w, i+1)
	}
}

// groupsAt takes what stands behind by: one column or part of a day, or several.
func (r *reader) groupsAt(w *wish, at int) {
	for {
		for r.at(at).low == "the" || r.at(at).low == "each" || r.at(at).low == "every" {
			at++
		}
		m, is := r.mentionExactly(at)
		part, timed := timeWords[r.at(at).low]
		switch {
		case timed && (!is || m.column.Kind.Time() || m.strength < 0.99):
			c := r.timeOrYear(part)
			if c == nil {
				return
			}
			if is {
				r.drop(m)
			}
			r.group(w, *c, at-1, at+1)
			at++
		case is && m.column.Kind.Number() && (r.sorts() || m.column.Countable() && m.column.Distinct > 12 &&
			(m.column.Kind != Whole || m.column.Distinct > 40)):
			r.drop(m) // of so many values nobody makes groups
			r.sortBy = m.column
			r.use(at-1, m.to)
			return
		case is:
			r.drop(m)
			g := grouping{column: m.column}
			if m.column.Kind.Time() && m.column.Distinct > 60 {
				g.part = spanPart(m.column)
			}
			r.group(w, g, at-1, m.to)
			at = m.to
		default:
			return
		}
		if r.at(at).low != "and" && r.at(at).low != "," {
			return
		}
		at++
	}
}

func (r *reader) mentionExactly(at int) (mention, bool) {
	for _, m := range r.columns {
		if m.from == at {
			return m, true
		}
	}
	return mention{}, false
}

func (r *reader) mentioned(at int) bool {
	return slices.ContainsFunc(r.columns, func(m mention) bool {
		return at >= m.from && at < m.to &&
			!m.column.Kind.Time()
	})
}

func (r *reader) group(w *wish, g grouping, from, to int) {
	if !slices.Contains(w.by, g) {
		w.by = append(w.by, g)
	}
	r.use(from, to)
}

// timeOrYear is a grouping by a part of the times there are.
func (r *reader) timeOrYear(part string) *grouping {
	if c := r.timeColumn(); c != nil {
		return &grouping{c, part}
	}
	if c := r.yearColumn(); c != nil && part == "year" {
		return &grouping{c, ""}
	}
	return nil
}

// spanPart is the part of days by which a column makes a legible number of groups.
func spanPart(c *Column) string {
	from, err1 := time.Parse(time.DateOnly, c.Least[:min(10, len(c.Least))])
	to, err2 := time.Parse(time.DateOnly, c.Most[:min(10, len(c.Most))])
	days := to.Sub(from).Hours() / 24
	switch {
	case err1 != nil || err2 != nil:
		return "month"
	case days > 5*365:
		return "year"
	case days > 62:
		return "month"
	}
	return "day"
}

// numbersLeft are the columns of numbers that the question names and that are not
// understood yet, those from a token on first.
func (r *reader) numbersLeft(from int) (all []*Column) {
	for _, later := range []bool{true, false} {
		for _, m := range r.columns {
			if m.column.Kind.Number() && (m.from >= from) == later && !r.filtered(m.column) && !r.isKey(m.column) {
				all = append(all, m.column)
			}
		}
	}
	return all
}

func (r *reader) filtered(c *Column) bool {
	return slices.ContainsFunc(r.where, func(f filter) bool { return f.column == c })
}

// findMeasure finds out what is asked of the rows or groups.
func (r *reader) findMeasure(w *wish) {
	for _, try := range []func(*wish) bool{r.asksShare, r.asksSeveral, r.asksFirst, r.asksCount, r.asksAggregate,
		r.asksAmount,
		r.asksList, r.asksWhen} {
		if try(w) {
			return
		}
	}
	if r.sortBy != nil {
		r.sortRows(w)
		return
	}
	// What is left is shown, or measured by group.
	left := r.numbersLeft(0)
	if len(w.by) > 0 {
		w.measure = counting
		if len(left) > 0 {
			w.of = left[0]
			w.measure = r.usual(w.of)
			r.doubt *= 0.85
		}
		return
	}
	for _, m := range r.columns {
		if !r.filtered(m.column) {
			w.of = m.column
			break
		}
	}
	if len(left) > 0 {
		w.of = left[0]
	}
	if w.of == nil {
		return
	}
	w.measure = showing
	if r.ofOne() {
		at := r.find(0, "compare")
		r.use(at, at+1)
		return
	}
	if w.of.Kind.Number() {
		w.measure = r.usual(w.of)
		r.doubt *= 0.7
		return
	}
	w.measure = listing
	r.doubt *= 0.8
}

// sorts reports whether an order is asked for.
func (r *reader) sorts() bool { return r.find(0, "sort", "sorted", "order", "ordered") >= 0 }

// sortRows shows rows in the order of a column.
func (r *reader) sortRows(w *wish) {
	w.measure, w.of, w.way = showing, r.sortBy, 1
	if r.find(0, "ascending", "increasing", "lowest", "smallest", "least") >= 0 {
		w.way = -1
	}
	for _, m := range r.columns {
		if m.column.Kind == Text {
			w.pick = m.column
		}
	}
	if w.pick != nil && r.sorts() {
		w.wide = true // the rows, in another order
	}
	for i := range r.tokens[:min(len(r.tokens), 4)] {
		if w.limit = r.asked(i); w.limit > 0 {
			break
		}
	}
	r.doubt *= 0.8
	at := r.find(0, "sort", "sorted", "order", "ordered", "rank", "ranked", "list")
	r.use(at, at+1)
}

// usual is how a column is measured of many rows where nobody says how: what adds up is
// added up.
func (r *reader) usual(c *Column) measure {
	if c.additive() {
		return summing
	}
	return meaning
}

// additive reports whether a column's values can be added up to something.
func (c *Column) additive() bool {
	if c.Kind == Percent || !c.Countable() {
		return false
	}
	return !slices.ContainsFunc(wordsOf(strings.ReplaceAll(c.Title, "_", " ")),
		func(w string) bool { return intensive[w] })
}

// ofOne reports whether the conditions choose one row or a few: by a column whose values
// are all different, or by a value and a day.
func (r *reader) ofOne() bool {
	rows := float64(r.table.Rows)
	for _, f := range r.where {
		switch {
		case f.sign == "=" && f.part == "": // one for each of the values
			rows /= max(1, float64(f.column.Distinct))
		case f.sign == "=" && f.part == "month":
			rows /= 12
		}
	}
	return len(r.where) > 0 && rows < 1.5
}

var shareWords = regexp.MustCompile(`(?i)\b(?:what|which)?\s*(percentage|percent|share|proportion|fraction|part) of\b`)

func (r *reader) asksShare(w *wish) bool {
	if !shareWords.MatchString(r.question) || len(r.where) == 0 {
		return false
	}
	if len(r.numbersLeft(0)) > 0 && slices.ContainsFunc(r.columns,
		func(m mention) bool { return m.column.Kind == Percent }) {
		return false
	}
	at := r.find(0, "percentage", "percent", "share", "proportion", "fraction", "part")
	r.use(at, at+1)
	w.measure = sharing
	if left := r.numbersLeft(at); len(left) > 0 && left[0].additive() { // of what adds up, rather than of rows
		w.of = left[0]
	}
	return true
}

func (r *reader) asksCount(w *wish) bool {
	at := -1
	switch {
	case r.follows("how", "many") >= 0:
		at = r.follows("how", "many")
	case r.follows("number", "of") >= 0:
		at = r.follows("number", "of")
	case r.follows("how", "often") >= 0:
		at = r.follows("how", "often")
	case r.find(0, "count") >= 0:
		at = r.find(0, "count") - 1
	case r.follows("is", "there") == 0 || r.follows("are", "there") == 0:
		at = 0
	default:
		return false
	}
	r.use(at, at+2)
	if measures[r.at(at-1).low] != "" { // the average number of
		return false
	}
	w.measure = counting
	apart := r.find(at, "different", "distinct", "unique") >= 0
	r.use(r.find(at, "different", "distinct", "unique"), r.find(at, "different", "distinct", "unique")+1)
	m, is := r.mentionAt(at + 2)
	if !is {
		if apart && len(r.columns) > 0 {
			m, is = r.columns[0], true
		} else {
			return true
		}
	}
	switch c := m.column; {
	case r.filtered(c) && !apart:
	case r.isKey(c) && r.isKeyOf(c) && !apart: // its rows are such
	case r.isKey(c):
		w.measure, w.of = differing, c
	case apart || !c.Kind.Number() && c.Distinct < r.table.Rows && !r.isTableNoun(m):
		w.measure, w.of = differing, c
	case c.Kind.Number() && c.additive():
		w.measure, w.of = summing, c
	case c.Kind.Number() && m.strength >= 1 && !c.additive():
		w.measure, w.of = differing, c
		r.doubt *= 0.8
	}
	r.drop(m)
	return true
}

// isTableNoun reports whether a column is named by a word that the table is called by: its
// rows are such.
func (r *reader) isTableNoun(m mention) bool {
	stems := titleStems(&Column{Title: r.table.Title})
	return slices.Contains(stems, r.tokens[m.from].stem) && m.column.Distinct*10 > r.table.Rows*9
}

func (r *reader) asksAggregate(w *wish) bool {
	for i, k := range r.tokens {
		m := measures[k.low]
		if m == "" || m == sharing {
			continue
		}
		if k.used && !slices.Contains([]string{"total", "average"}, k.low) {
			continue
		}
		left := r.numbersLeft(i)
		if len(left) == 0 {
			if only := r.onlyNumber(); only != nil && m != summing {
				left = []*Column{only}
				r.doubt *= 0.8
			} else {
				continue
			}
		}
		w.measure, w.of = m, left[0]
		r.use(i, i+1)
		return true
	}
	return false
}

// mainNumber is the column of numbers that a question is most likely about that names none:
// the only one, or the first that adds up to something.
func (r *reader) mainNumber() *Column {
	if only := r.onlyNumber(); only != nil {
		r.doubt *= 0.75
		return only
	}
	for i := range r.table.Columns {
		if c := &r.table.Columns[i]; c.additive() && !r.keys[strings.ToLower(c.Title)] {
			r.doubt *= 0.5
			return c
		}
	}
	return nil
}

// onlyNumber is the only column that numbers can be worked out of.
func (r *reader) onlyNumber() *Column {
	var only *Column
	for i := range r.table.Columns {
		if c := &r.table.Columns[i]; c.Countable() && !r.isKey(c) {
			if only != nil {
				return nil
			}
			only = c
		}
	}
	return only
}

func (r *reader) asksAmount(w *wish) bool {
	at := r.follows("how", "much")
	if at < 0 {
		for i, k := range r.tokens {
			if k.low == "how" && kindred[r.at(i+1).low] != "" {
				at = i
			}
		}
	}
	if at < 0 {
		return false
	}
	left := r.numbersLeft(at)
	if len(left) == 0 {
		if only := r.onlyNumber(); only != nil {
			left = []*Column{only}
			r.doubt *= 0.8
		} else {
			return false
		}
	}
	r.use(at, at+2)
	w.of = left[0]
	switch {
	case r.ofOne():
		w.measure = showing
	default:
		w.measure = r.usual(w.of)
		if w.measure == meaning {
			r.doubt *= 0.75
		}
	}
	return true
}

var listWords = regexp.MustCompile(`(?i)\b(?:list|name|show|which|what|give)\b.*\b(?:are there|are recorded|are listed|exist|are in|do we have|cover|covers|covered|occur|appear|all|different|distinct|unique|kinds?|types?)\b`)

func (r *reader) asksList(w *wish) bool {
	apart := r.find(0, "different", "distinct", "unique")
	if !listWords.MatchString(r.question) && apart < 0 {
		return false
	}
	for _, m := range r.columns {
		if !m.column.Kind.Number() || apart >= 0 || !m.column.Countable() && m.column.Distinct <= 60 {
			if r.filtered(m.column) {
				continue
			}
			w.measure, w.of = listing, m.column
			r.use(apart, apart+1)
			r.use(r.find(0, "kinds", "kind", "types", "type", "list", "name"),
				r.find(0, "kinds", "kind", "types", "type", "list",
					"name")+1)
			return true
		}
	}
	return false
}

func (r *reader) asksWhen(w *wish) bool {
	at := r.find(0, "when")
	c := r.timeColumn()
	if at < 0 || c == nil {
		return false
	}
	w.measure, w.of = showing, c
	r.use(at, at+1)
	return true
}

// fallback is what is done where only conditions were understood.
func (r *reader) fallback(w *wish) {
	w.measure = showing
	w.sure *= 0.6
	if len(w.where) > 0 && r.find(0, "which", "who", "what", "list", "show") >= 0 {
		w.sure /= 0.75
	}
}

// asked is how many of the first are asked for, beside a token; 0: it does not say.
func (r *reader) asked(at int) int {
	for _, i := range []int{at + 1, at - 1} {
		if digits, is := r.at(i).number(); is && !r.at(i).used && len(digits) < 4 {
			if n, err := strconv.Atoi(digits); err == nil && n > 0 {
				r.use(i, i+1)
				return n
			}
		}
	}
	return 0
}

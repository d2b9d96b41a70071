package tables

import (
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"juvalogos/core/language"
)

// Reading is what the reader made of a question.
type Reading struct {
	Query string  // in the engine's language; "": nothing could be made of it
	Sure  float64 // that this is what was asked, from 0 to 1
	wish  *wish
}

// Read makes a query of a plain question on one of some tables, without a model: counting,
// sums, means, what is least and most, conditions by value and range, groups, the first of
// them, what a table is about. earlier are the questions before it, the newest last: one
// that goes on with them keeps what it does not change.
func Read(question string, earlier []string, all []*Table) Reading {
	keys := keysOf(all)
	var best *wish
	score, second := 0.0, 0.0
	for _, t := range all {
		w, bears := readOn(t, keys, question, earlier[max(0, len(earlier)-mostEarlier):])
		if w == nil {
			continue
		}
		switch s := w.sure * (1 + bears/10); {
		case s > score:
			best, score, second = w, s, score
		case s > second:
			second = s
		}
	}
	if best == nil {
		return Reading{}
	}
	if second >= score {
		best.sure *= 0.5 // another table would do as well
	}
	return Reading{Query: best.query(), Sure: best.sure, wish: best}
}

// readOn reads a question on one table, with those before it; bears is how much of what
// the table has it names.
func readOn(t *Table, keys map[string]bool, question string, earlier []string) (w *wish, bears float64) {
	var before *wish
	for _, q := range earlier {
		if w := newReader(q, t, keys).wish(before); w != nil && w.sure >= leastFollowed {
			before = w
		}
	}
	r := newReader(question, t, keys)
	w = r.wish(before)
	return w, r.bears
}

const (
	mostEarlier   = 6
	leastFollowed = 0.3
)

// Sure is how sure the reader has to be for its query to be run where a model could be
// asked instead.
const Sure = 0.8

// LeastSure is how sure it has to be where there is no model.
const LeastSure = 0.35

// token is a word of a question.
type token struct {
	text, low, stem string
	used            bool // it is understood
	weak            bool // it says nothing that has to be
}

// reader reads one question on one table.
type reader struct {
	table    *Table
	question string
	tokens   []token
	columns  []mention // in the order of the question
	where    []filter
	doubt    float64 // what it is less sure by
	sortBy   *Column // rows are wanted in its order
	keys     map[string]bool
	bears    float64 // how much of what the table has the question names
}

// isKey reports whether a column's numbers tell things apart, here or in another table.
func (r *reader) isKey(c *Column) bool { return r.keys[strings.ToLower(c.Title)] }

// isKeyOf reports whether every row of the table has a number of its own in a column.
func (r *reader) isKeyOf(c *Column) bool { return c.isKey(r.table.Rows) }

// isKey reports whether a column numbers the rows of its table: whole numbers, each once,
// with few gaps between them.
func (c *Column) isKey(rows int64) bool {
	least, err1 := strconv.ParseInt(c.Least, 10, 64)
	most, err2 := strconv.ParseInt(c.Most, 10, 64)
	return c.Kind == Whole && err1 == nil && err2 == nil && rows >= 5 && c.Distinct == rows &&
		most-least+1 <= rows*3/2 &&
		!slices.ContainsFunc(wordsOf(c.Title), func(w string) bool { return intensive[w] })
}

// keysOf are the titles, in small letters, of columns that number the rows of some table.
func keysOf(all []*Table) map[string]bool {
	keys := map[string]bool{}
	for _, t := range all {
		for i := range t.Columns {
			if c := &t.Columns[i]; c.isKey(t.Rows) || isNumbered(c.Title) && c.Kind == Whole &&
				!strings.EqualFold(c.Title, "year") {
				keys[strings.ToLower(c.Title)] = true
			}
		}
	}
	return keys
}

// mention is where a question names a column.
type mention struct {
	column   *Column
	from, to int // tokens
	strength float64
}

func newReader(question string, t *Table, keys map[string]bool) *reader {
	r := &reader{table: t, question: question, doubt: 1, keys: keys}
	titled := set(strings.ToLower(strings.Join(wordsOf(t.Title+" "+t.Name), " ")))
	stems := map[string]bool{}
	for w := range titled {
		stems[language.Stem("en", w)] = true
	}
	for _, word := range splitQuestion(question) {
		low := strings.ToLower(word)
		k := token{text: word, low: low, stem: language.Stem("en", low)}
		if stems[k.stem] && !smallWords[low] {
			r.bears += 0.6
		}
		k.weak = smallWords[low] || rowWords[low] || stems[k.stem] || !strings.ContainsFunc(low, isWordRune)
		r.tokens = append(r.tokens, k)
	}
	r.tokens = scaled(r.tokens)
	return r
}

func isWordRune(c rune) bool { return unicode.IsLetter(c) || unicode.IsDigit(c) }

var tokenOf = regexp.MustCompile(`\d{4}-\d{1,2}(?:-\d{1,2})?|\d{1,2}[./]\d{1,2}[./]\d{2,4}|[-+]?\d[\d,]*(?:\.\d+)?%?|[\pL\d_]+(?:['’-][\pL\d]+)*|[^\s\pL\d]`)

func splitQuestion(question string) []string {
	return tokenOf.FindAllString(strings.ReplaceAll(question, "_", " "), -1)
}

// wish works out what is asked for; nil if nothing of it can be told.
func (r *reader) wish(before *wish) *wish {
	if r.asksAbout() {
		return &wish{table: r.table, measure: abouting, sure: 0.9}
	}
	r.findValues()
	r.findParts()
	r.findColumns()
	r.findLetters()
	r.findGaps()
	r.findTruths()
	r.findComparisons()
	r.findTimes()
	w := &wish{table: r.table, sure: 1}
	goesOn := before != nil && before.table == r.table && r.goesOn()
	way := r.ordered()
	r.findGroups(w)
	r.findMeasure(w)
	w.where = r.where
	if way != 0 {
		w.way = way
	}
	contrasts := r.contrast(w)
	if goesOn {
		w = r.following(w, before)
	}
	if w.measure == "" {
		if len(w.where) == 0 && len(w.by) == 0 && w.of == nil {
			return nil
		}
		r.fallback(w)
	}
	w.sure *= r.doubt
	w.sure *= r.understood()
	if beyond.MatchString(r.question) && !contrasts {
		w.sure *= 0.4
	}
	for _, m := range r.columns {
		if !w.has(m.column) && r.sortBy != m.column && !r.isKey(m.column) {
			w.sure *= 0.6 // it is named, and nothing is done with it
			break
		}
	}
	return w
}

// understood is how sure one can be by the words that are not understood.
func (r *reader) understood() float64 {
	sure := 1.0
	unknown, countsUnknown := 0, false
	for i, k := range r.tokens {
		_, numeric := k.number()
		switch {
		case k.used:
		case slices.Contains([]string{"not", "no", "without", "never", "nobody", "none", "except"}, k.low):
			sure *= 0.45
		case k.weak:
		case numeric:
			sure *= 0.4
		case r.at(i-1).used && !r.at(i-1).weak && !isYear(r.at(i-1).low): // the murder rate
			sure *= 0.85
			unknown++
			countsUnknown = countsUnknown || r.at(i-1).low == "many"
		default:
			sure *= 0.6
			unknown++
			countsUnknown = countsUnknown || r.at(i-1).low == "many"
		}
	}
	if countsUnknown && unknown > 1 { // how many eggs did they lay
		sure *= 0.6
	}
	return sure
}

// beyond are questions that the reader does not understand, whatever of their words it does.
var beyond = regexp.MustCompile(`(?i)\b(?:difference|ratio|correlat|relat(?:ed|ion)|depend|second|third|growth|grew|grow|` +
	`change[ds]?|trend|why|how come|than the|than in|twice|per (?:person|head|capita|inhabitant|\d[\d,]*)|for every|` +
	`above (?:the )?(?:average|mean)|below (?:the )?(?:average|mean)|only one|in one|whole country)\b|^(?:are|is|do|does|did)\b.*\b(?:more|less|\pL+er)\b`)

var aboutQuestion = regexp.MustCompile(`(?i)\bwhat(?:'s| is| are)? (?:this|these|the|that|it|in)\b.{0,25}\b(?:about|contain|file|table|data|sheet|spreadsheet|show)\b|` +
	`\bwhat is (?:in )?(?:this|it|here)\b|\bdescribe (?:this|the|it)|\bsummar(?:y|ise|ize)\b(?: of)? (?:this|the (?:table|data|file)|it)|` +
	`\bwhat (?:columns|fields|do we have)|\btell me about (?:this|the (?:table|data|file))|\boverview\b|\bwhat does (?:it|(?:this|the) ?(?:table|file|data|sheet)?) (?:show|say|contain|tell)`)

func (r *reader) asksAbout() bool {
	return aboutQuestion.MatchString(r.question) && len(r.tokens) < 14
}

// at is a token, or an empty one beyond the ends.
func (r *reader) at(i int) token {
	if i < 0 || i >= len(r.tokens) {
		return token{}
	}
	return r.tokens[i]
}

func (r *reader) use(from, to int) {
	for i := max(0, from); i < to && i < len(r.tokens); i++ {
		r.tokens[i].used = true
	}
}

// findValues finds cells of text columns that the question names: the longest first.
func (r *reader) findValues() {
	type found struct {
		column   *Column
		value    string
		from, to int
	}
	var all []found
	for i := range r.table.Columns {
		c := &r.table.Columns[i]
		if c.Kind != Text {
			continue
		}
		for _, v := range c.Often {
			words := splitQuestion(v.Text)
			if len(words) == 0 || len(words) == 1 && len([]rune(v.Text)) < 2 && !r.names(c) {
				continue
			}
			for at := range r.tokens {
				if r.says(at, words) {
					all = append(all, found{c, v.Text, at, at + len(words)})
				}
			}
		}
	}
	slices.SortStableFunc(all, func(a, b found) int {
		if n := (b.to - b.from) - (a.to - a.from); n != 0 {
			return n
		}
		return r.distance(a.column, a.from) - r.distance(b.column, b.from)
	})
	for _, f := range all {
		taken := false
		for i := f.from; i < f.to; i++ {
			taken = taken || r.tokens[i].used
		}
		if taken || f.to-f.from == 1 && smallWords[r.tokens[f.from].low] && (r.tokens[f.from].text != f.value ||
			r.tokens[f.from].text == r.tokens[f.from].low) {
			continue
		}
		r.use(f.from, f.to)
		r.bears += 2
		sign := "="
		if r.negated(f.from) {
			sign = "<>"
		}
		r.where = addFilter(r.where, filter{column: f.column, sign: sign, values: []string{f.value}})
	}
}

// says reports whether a value's words stand at a token, in the same or another form.
func (r *reader) says(at int, words []string) bool {
	if at+len(words) > len(r.tokens) {
		return false
	}
	for i, w := range words {
		low := strings.ToLower(w)
		if k := r.tokens[at+i]; k.low != low && (len(low) < 3 || k.stem != language.Stem("en", low)) {
			return false
		}
	}
	return true
}

// names reports whether the question names a column by a word of its title.
func (r *reader) names(c *Column) bool {
	return slices.ContainsFunc(r.tokens, func(k token) bool { return slices.Contains(titleStems(c), k.stem) })
}

// distance is how far from a token a word of a column's title stands.
func (r *reader) distance(c *Column, at int) int {
	best := 50
	stems := titleStems(c)
	for i, k := range r.tokens {
		if slices.Contains(stems, k.stem) {
			best = min(best, max(i-at, at-i))
		}
	}
	return best
}

func (r *reader) negated(at int) bool {
	for i := at - 1; i >= max(0, at-3); i-- {
		switch r.tokens[i].low {
		case "not", "except", "excluding", "without", "isn't", "aren't", "wasn't", "weren't", "non", "besides":
			r.use(i, i+1)
			return true
		case "and", "or":
			return false
		}
	}
	return false
}

// addFilter adds a condition; another value of the same column widens one that is there.
func addFilter(all []filter, f filter) []filter {
	for i, o := range all {
		if o.column == f.column && o.sign == f.sign && o.part == f.part && (f.sign == "=" || f.sign == "<>") {
			if !slices.Contains(o.values, f.values[0]) {
				all[i].values = append(slices.Clone(o.values), f.values...)
			}
			return all
		}
	}
	return append(all, f)
}

var inBrackets = regexp.MustCompile(`\([^)]*\)|\[[^\]]*\]`)

// titleStems are the stems of a title's words that say something.
func titleStems(c *Column) (stems []string) {
	words := wordsOf(strings.ReplaceAll(inBrackets.ReplaceAllString(c.Title, " "), "_", " "))
	for _, w := range words {
		if len(words) == 1 || !smallWords[w] {
			stems = append(stems, language.Stem("en", w))
		}
	}
	return stems
}

// findColumns finds which columns the question names, by all words of their titles, by
// some, or by words that mean the same.
func (r *reader) findColumns() {
	var all []mention
	for i := range r.table.Columns {
		c := &r.table.Columns[i]
		if m, ok := r.mentionOf(c); ok {
			all = append(all, m)
		}
	}
	slices.SortStableFunc(all, func(a, b mention) int {
		switch {
		case a.strength > b.strength:
			return -1
		case a.strength < b.strength:
			return 1
		}
		return 0
	})
	claimed := map[int]bool{}
	for _, m := range all {
		free := false
		for i := m.from; i < m.to; i++ {
			free = free || !claimed[i]
		}
		if !free {
			for _, o := range r.columns { // bill: its length or its depth
				if o.from == m.from && o.strength < 0.99 && o.strength-m.strength < 0.02 &&
					o.column.Kind == m.column.Kind {
					r.doubt *= 0.75
				}
			}
			continue
		}
		for i := m.from; i < m.to; i++ {
			claimed[i] = true
		}
		r.use(m.from, m.to)
		r.bears += min(1, m.strength)
		r.columns = append(r.columns, m)
	}
	slices.SortStableFunc(r.columns, func(a, b mention) int { return a.from - b.from })
}

func (r *reader) mentionOf(c *Column) (best mention, ok bool) {
	stems := titleStems(c)
	if len(stems) == 0 {
		return best, false
	}
	for at := range r.tokens {
		// as many of the title's words in a row as stand here
		n, hit, loose := 0, 0, 0
		for at+n < len(r.tokens) && n < len(stems)+2 {
			k := r.tokens[at+n]
			if _, is := units[k.low]; is && r.isNumber(at+n-1) {
				break // 200 mm
			}
			if slices.ContainsFunc(stems, func(s string) bool { return alike(k, s) }) {
				hit++
				if !slices.Contains(stems, k.stem) && !slices.Contains(stems, k.low) {
					loose++
				}
			} else if n == 0 || !smallWords[k.low] {
				break
			}
			n++
		}
		for n > 0 && smallWords[r.at(at+n-1).low] && !slices.ContainsFunc(stems, func(s string) bool {
			return alike(r.at(at+n-1), s)
		}) {
			n--
		}
		if n == 1 && hit < len(stems) && r.isNumber(at) {
			continue // the 1 of area 1 is not the column called Column 1
		}
		if hit > 0 {
			strength := float64(hit)/float64(len(stems)) + 0.01*float64(hit) - 0.02*float64(loose)
			if hit < len(stems) && strength < 0.9 {
				strength = min(0.98, strength+r.hinted(c, at, at+n))
			}
			if r.tokens[at].used {
				strength -= 0.3
			}
			if strength > best.strength {
				best, ok = mention{c, at, at + n, strength}, true
			}
		}
	}
	if ok {
		return best, best.strength > 0.3
	}
	for at, k := range r.tokens {
		for w := range strings.FieldsSeq(kindred[k.low]) {
			if slices.Contains(stems, language.Stem("en", w)) || slices.Contains(wordsOf(c.Title), w) {
				strength := 0.5
				if c.Kind == Text {
					strength += 0.1 // a name rather than a number
				}
				return mention{c, at, at + 1, strength}, true
			}
		}
		if r.counted(k) == c {
			return mention{c, at, at + 1, 0.6}, true
		}
	}
	return best, false
}

// hinted is how much stronger a column is meant by words beside those of its title: deep, of
// a depth.
func (r *reader) hinted(c *Column, from, to int) float64 {
	for i, k := range r.tokens {
		if i >= from && i < to {
			continue
		}
		for _, words := range []string{kindred[k.low], superlatives[k.low].about, comparatives[k.low].about} {
			if words != "" && c.has(words) {
				return 0.3
			}
		}
	}
	return 0
}

// alike reports whether a word is a title's, or one of them begins the other.
func alike(k token, stem string) bool {
	if k.stem == stem || k.low == stem {
		return true
	}
	if k.weak && smallWords[k.low] {
		return false
	}
	for n := len(k.low); n >= 4; n-- { // districts, of a title like councildist
		if len(stem) > n+3 && strings.HasSuffix(stem, k.low[:n]) {
			return true
		}
	}
	long, short := k.low, stem
	if len(long) < len(short) {
		long, short = short, long
	}
	return len(short) >= 4 && len(long)-len(short) <= 7 && strings.HasPrefix(long, short) && !smallWords[k.low]
}

// findTruths makes conditions of columns of yes and no that the question names.
func (r *reader) findTruths() {
	var rest []mention
	for _, m := range r.columns {
		before := r.at(m.from - 1).low
		by := r.find(0, "by", "per", "each")
		if m.column.Kind != YesNo || by >= 0 && by == m.from-1 || before == "and" && by >= 0 && by < m.from &&
			m.from-by <= 4 {
			rest = append(rest, m)
			continue
		}
		sign := "true"
		if r.negated(m.from) || r.at(m.to).low == "no" {
			sign = "false"
		}
		r.where = append(r.where, filter{column: m.column, sign: sign})
	}
	r.columns = rest
}

// number reads a token as a number.
func (k token) number() (string, bool) {
	text := strings.TrimSuffix(strings.ReplaceAll(k.low, ",", ""), "%")
	if _, err := strconv.ParseFloat(text, 64); err == nil {
		return text, true
	}
	digits, ok := language.Numeral(k.low)
	return digits, ok && k.low != "one"
}

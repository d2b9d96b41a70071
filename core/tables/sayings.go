package tables

import (
	"regexp"
	"slices"
	"strconv"
	"strings"

	"juvalogos/core/language"
)

// scales are words that multiply the number before them.
var scales = map[string]float64{"hundred": 100, "thousand": 1e3, "million": 1e6, "millions": 1e6, "billion": 1e9}

// scaled puts numbers and the words that multiply them together: 7 million is one number,
// and so are both of between 5 and 7 million.
func scaled(tokens []token) []token {
	for i := len(tokens) - 1; i > 0; i-- {
		by, is := scales[tokens[i].low]
		if !is {
			continue
		}
		value, numeric := tokens[i-1].number()
		if tokens[i-1].low == "a" || tokens[i-1].low == "one" {
			value, numeric = "1", true
		}
		if !numeric {
			continue
		}
		tokens[i-1].multiply(value, by)
		tokens[i-1].text += " " + tokens[i].text
		tokens = slices.Delete(tokens, i, i+1)
		if i >= 3 && slices.Contains([]string{"and", "to", "or", "-"}, tokens[i-2].low) {
			small, numeric := tokens[i-3].number()
			if n, err := strconv.ParseFloat(small, 64); numeric && err == nil && n < by {
				tokens[i-3].multiply(small, by)
			}
		}
	}
	return tokens
}

func (k *token) multiply(value string, by float64) {
	n, err := strconv.ParseFloat(value, 64)
	if err != nil {
		return
	}
	k.low = strconv.FormatFloat(n*by, 'f', -1, 64)
	k.stem, k.weak = k.low, false
}

// unit is a measure of something, as a multiple of the one that stands for its kind.
type unit struct {
	of     string
	factor float64
}

var units = func() map[string]unit {
	all := map[string]unit{}
	for of, words := range map[string]map[string]float64{
		"length": {"mm": 0.001, "millimetres": 0.001, "millimeters": 0.001, "cm": 0.01, "centimetres": 0.01,
			"centimeters": 0.01, "m": 1, "metres": 1, "meters": 1, "km": 1000, "kilometres": 1000, "kilometers": 1000},
		"mass": {"mg": 1e-6, "g": 0.001, "gram": 0.001, "grams": 0.001, "kg": 1, "kilo": 1, "kilos": 1, "kilogram": 1,
			"kilograms": 1, "tonne": 1000, "tonnes": 1000},
		"volume": {"ml": 0.001, "cl": 0.01, "l": 1, "litre": 1, "litres": 1, "liter": 1, "liters": 1},
	} {
		for word, factor := range words {
			all[word] = unit{of, factor}
		}
	}
	return all
}()

// unit is the measure that a column's numbers are in, as its title or its cells say.
func (c *Column) unit() (unit, bool) {
	for _, w := range append([]string{strings.ToLower(c.Unit)}, wordsOf(strings.ReplaceAll(c.Title, "_", " "))...) {
		if u, is := units[w]; is {
			return u, true
		}
	}
	return unit{}, false
}

// convert gives numbers in the measure of a column that are said in another one: 5 kg of a
// column of grams are 5000.
func (r *reader) convert(values []string, at int, c *Column) []string {
	said, is1 := units[r.at(at).low]
	has, is2 := c.unit()
	if !is1 || !is2 || said.of != has.of || said.factor == has.factor {
		return values
	}
	converted := make([]string, len(values))
	for i, v := range values {
		n, err := strconv.ParseFloat(v, 64)
		if err != nil {
			return values
		}
		converted[i] = strconv.FormatFloat(n*said.factor/has.factor, 'f', -1, 64)
	}
	return converted
}

// findParts finds values by one of their words: Sardinia, where values are Inland-Sardinia
// and Coast-Sardinia.
func (r *reader) findParts() {
	for at := range r.tokens {
		k := r.tokens[at]
		if k.used || k.weak || len(k.low) < 4 || !strings.ContainsFunc(k.low, isWordRune) {
			continue
		}
		for i := range r.table.Columns {
			c := &r.table.Columns[i]
			if c.Kind != Text || int64(len(c.Often)) < c.Distinct || slices.Contains(titleStems(c), k.stem) {
				continue
			}
			var values []string
			for _, v := range c.Often {
				words := wordsOf(v.Text)
				if len(words) > 1 && slices.ContainsFunc(words, func(w string) bool {
					return language.Stem("en",
						w) == k.stem
				}) {
					values = append(values, v.Text)
				}
			}
			if len(values) == 0 {
				continue
			}
			r.use(at, at+1)
			r.doubt *= 0.85
			sign := "="
			if r.negated(at) {
				sign = "<>"
			}
			r.where = addFilter(r.where, filter{column: c, sign: sign, values: values})
			break
		}
	}
}

// findGaps finds conditions that something is not there: the sex is not known, without a
// fee, have no children.
func (r *reader) findGaps() {
	for _, m := range slices.Clone(r.columns) {
		after := m.to
		for slices.Contains([]string{"is", "are", "was", "were", "has", "have", "been"}, r.at(after).low) {
			after++
		}
		before := m.from - 1
		for slices.Contains([]string{"a", "an", "any", "the", "recorded", "known"}, r.at(before).low) {
			before--
		}
		gap := r.at(after).low
		switch {
		case slices.Contains([]string{"missing", "unknown", "empty", "blank", "unrecorded"}, gap):
			r.use(after, after+1)
		case gap == "not" && slices.Contains([]string{"known", "given", "recorded", "there", "stated", "noted",
			"measured"},
			r.at(after+1).low):
			r.use(after, after+2)
		case slices.Contains([]string{"missing", "unknown"}, r.at(before).low):
			r.use(before, before+1)
		case slices.Contains([]string{"without", "no"}, r.at(before).low) && m.column.Kind != YesNo:
			r.use(before, before+1)
			if least, err := strconv.ParseFloat(m.column.Least, 64); m.column.Kind.Number() &&
				(m.column.Missing == 0 || err == nil && least == 0) {
				r.where = append(r.where, filter{column: m.column, sign: "=", values: []string{"0"}})
				r.drop(m)
				continue
			}
		default:
			continue
		}
		r.where = append(r.where, filter{column: m.column, sign: "missing"})
		r.drop(m)
	}
}

// findLetters finds conditions on how texts are written: start with M, New in their name.
func (r *reader) findLetters() {
	name := r.nameColumn()
	for i, k := range r.tokens {
		with := r.at(i+1).low == "with"
		switch {
		case with && slices.Contains([]string{"start", "starts", "starting", "begin", "begins", "beginning"}, k.low):
			r.written(i, i+2, "begins", name)
		case with && slices.Contains([]string{"end", "ends", "ending"}, k.low):
			r.written(i, i+2, "ends", name)
		case k.low == "in" && slices.Contains([]string{"the", "their", "its"}, r.at(i+1).low) &&
			slices.Contains([]string{"name", "names", "title", "titles"}, r.at(i+2).low):
			if said := r.at(i - 1); name != nil && !said.weak && said.low != "" {
				r.where = append(r.where, filter{column: name, sign: "contains", values: []string{said.text}})
				r.use(i-1, i+3)
			}
		}
	}
}

// written makes a condition of what stands behind start with: M, or the letter M.
func (r *reader) written(from, at int, sign string, name *Column) {
	for slices.Contains([]string{"the", "a", "an", "letter", "letters", "word"}, r.at(at).low) &&
		strings.ToLower(r.at(at).text) == r.at(at).text {
		at++
	}
	for _, m := range r.columns { // which names start with
		if m.column.Kind == Text && m.to <= from && from-m.to < 3 {
			name = m.column
			r.drop(m)
			break
		}
	}
	if said := r.at(at).text; name != nil && said != "" {
		r.where = append(r.where, filter{column: name, sign: sign, values: []string{said}})
		r.use(from, at+1)
	}
}

// nameColumn is the column whose texts tell the rows apart; nil: there is none.
func (r *reader) nameColumn() *Column {
	for i := range r.table.Columns {
		if c := &r.table.Columns[i]; c.Kind == Text && c.Distinct == r.table.Rows && r.table.Rows > 1 {
			return c
		}
	}
	return nil
}

// counted is the column that says how many there are of what the table is named for, where
// its rows are something else: murders by state, in a column called total.
func (r *reader) counted(k token) *Column {
	name := r.nameColumn()
	if name == nil || smallWords[k.low] || slices.Contains(titleStems(name), k.stem) ||
		!slices.ContainsFunc(wordsOf(r.table.Title), func(w string) bool { return language.Stem("en", w) == k.stem }) {
		return nil
	}
	for i := range r.table.Columns {
		c := &r.table.Columns[i]
		if slices.Contains([]string{"total", "count", "number", "amount", "n", "cases"}, strings.ToLower(c.Title)) &&
			c.Kind.Number() {
			return c
		}
	}
	return nil
}

// ordered is the order that a question asks for: biggest first, descending.
func (r *reader) ordered() (way int) {
	for i, k := range r.tokens {
		switch s := superlatives[k.low]; {
		case s.way != 0 && r.at(i+1).low == "first":
			r.use(i, i+2)
			return s.way
		case k.low == "descending" || k.low == "decreasing":
			r.use(i, i+1)
			return 1
		case k.low == "ascending" || k.low == "increasing":
			r.use(i, i+1)
			return -1
		}
	}
	return 0
}

var (
	rangeWords = regexp.MustCompile(`(?i)\b(?:range|spread)\b|\bbetween (?:which|what)\b|\bfrom (?:which|what) to\b`)
	twoCounts  = regexp.MustCompile(`(?i)\bhow many\b.*\b(?:and|or),? (?:how many\b|of them\b)`)
	held       = regexp.MustCompile(`(?i)\bcompar(?:e|ed|ison)\b|\bversus\b|\bvs\b|\bthan\b|,|:|\bor\b`)
	higherThan = regexp.MustCompile(`(?i)\b(?:higher|larger|bigger|greater|more|heavier|longer|older|taller)\b`)
	lowerThan  = regexp.MustCompile(`(?i)\b(?:lower|smaller|less|fewer|lighter|shorter|younger)\b`)
)

// asksSeveral understands several measures of a column: minimum, maximum and average of.
func (r *reader) asksSeveral(w *wish) bool {
	var all []measure
	var at []int
	for i, k := range r.tokens {
		m := measures[k.low]
		switch k.low {
		case "highest", "largest":
			m = mosting
		case "lowest", "smallest":
			m = leasting
		}
		if m != "" && m != sharing && !slices.Contains(all, m) && !k.used {
			all, at = append(all, m), append(at, i)
		}
	}
	if rangeWords.MatchString(r.question) {
		all, at = []measure{leasting, mosting}, nil
		for i, k := range r.tokens {
			if slices.Contains([]string{"range", "spread", "between"}, k.low) {
				at = append(at, i)
			}
		}
	}
	left := r.numbersLeft(0)
	for i := 1; i < len(at); i++ { // not the highest average, but the highest and the average
		if !slices.Contains([]string{"and", ",", "/", "&"}, r.at(at[i]-1).low) && at[i]-at[i-1] < 3 {
			return false
		}
	}
	if len(all) < 2 || len(left) != 1 || len(at) > 1 && at[len(at)-1]-at[0] > 2*len(at)+1 {
		return false
	}
	for _, i := range at {
		r.use(i, i+1)
	}
	w.measure, w.also, w.of = all[0], all[1:], left[0]
	return true
}

// contrast has values of one column held against each other, where that is asked: how many
// males and how many females; is it higher in Umbria or in Sicily.
func (r *reader) contrast(w *wish) bool {
	at := slices.IndexFunc(r.where, func(f filter) bool {
		return f.sign == "=" && len(f.values) > 1 && f.part == ""
	})
	if at < 0 || len(w.by) > 0 {
		return false
	}
	c := r.where[at].column
	higher, lower := higherThan.MatchString(r.question), lowerThan.MatchString(r.question)
	_, s := r.superlativeAnywhere()
	switch {
	case w.measure == counting && w.of == nil && twoCounts.MatchString(r.question):
		w.by = []grouping{{column: c}}
		return true
	case w.of == nil || !w.of.Kind.Number() || !held.MatchString(r.question) ||
		!higher && !lower && s == 0 && r.find(0, "compare", "compared", "comparison", "versus", "vs") < 0:
		return false
	}
	for i, k := range r.tokens {
		if higherThan.MatchString(k.low) || lowerThan.MatchString(k.low) {
			r.use(i, i+1)
		}
	}
	r.use(r.find(0, "compare", "comparison"), r.find(0, "compare", "comparison")+1)
	w.way, w.limit = s, 0
	if higher {
		w.way = 1
	} else if lower {
		w.way = -1
	}
	if r.ofOne() {
		w.measure = showing
		return true
	}
	if r.find(0, "total", "sum", "altogether") < 0 {
		w.measure = meaning
	}
	w.by, w.pick, w.agg = []grouping{{column: c}}, nil, ""
	if s != 0 && r.find(0, "who", "which") >= 0 {
		w.limit = 1
	}
	return true
}

// superlativeAnywhere is the way of the first superlative, understood already or not.
func (r *reader) superlativeAnywhere() (at, way int) {
	for i, k := range r.tokens {
		if s := superlatives[k.low]; s.way != 0 {
			return i, s.way
		}
	}
	return -1, 0
}

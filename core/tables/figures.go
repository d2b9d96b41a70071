package tables

import (
	"fmt"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"juvalogos/core/language"
	"juvalogos/core/phrase"
)

// Figures are the numbers that a text says of a result, each with what it follows from.
type Figures struct {
	Numbers []Figure `json:"numbers"`
	// Loose is how many of them follow from nothing.
	Loose int `json:"loose"`
}

// Figure is a number in a text.
type Figure struct {
	From  int  `json:"from"` // in the text, in bytes
	To    int  `json:"to"`
	Holds bool `json:"holds"`
	// Says is what it follows from; empty if it does not.
	Says phrase.Phrase `json:"says,omitzero"`
	// Row and Column are where in the result it stands, from 0; -1 if it does not stand
	// in one place there.
	Row    int `json:"row"`
	Column int `json:"column"`

	reckoned bool // it follows by arithmetic, or counts rows
}

// Hold holds every number that a text says against a result. One holds if it stands in the
// result, to as many decimals as the text gives; if the question says it; if it is how many
// rows there are or were read; or if it follows by arithmetic from what the same sentence
// names: a sum, a mean, a difference, a share, a multiple.
func Hold(text, question string, r *Result) Figures {
	h := newHolder(text, question, r)
	f := Figures{Numbers: []Figure{}}
	for _, s := range language.Sentences(text) {
		h.sentence(s[0], s[1], &f)
	}
	for _, n := range f.Numbers {
		if !n.Holds {
			f.Loose++
		}
	}
	return f
}

// numberIn finds numbers: with signs between thousands, with decimals, with a power.
var (
	numberIn = regexp.MustCompile(`[-−]?\d+(?:[.,'’\x{00A0}\x{202F} ]\d{3})*(?:[.,]\d+)?`)
	// plainIn is one without signs between thousands.
	plainIn = regexp.MustCompile(`[-−]?\d+(?:[.,]\d+)?`)
)

// placesOfNumbers are where numbers are written in digits.
func placesOfNumbers(text string) (all [][]int) {
	for at := 0; at < len(text); {
		m := numberIn.FindStringIndex(text[at:])
		if m == nil {
			break
		}
		from, to := at+m[0], at+m[1]
		if to < len(text) && isDigit(text[to]) { // 55.68024 has no thousands
			to = from + plainIn.FindStringIndex(text[from:])[1]
		}
		all = append(all, []int{from, to})
		at = to
	}
	return all
}

// said is a number that a text says.
type said struct {
	from, to int
	values   []float64 // that it can be read as
	halves   []float64 // how far what these stand for may be off
	percent  bool
}

// multiples are words that stand behind a number.
var multiples = map[string]float64{"hundred": 1e2, "thousand": 1e3, "k": 1e3, "million": 1e6, "millions": 1e6, "m": 1e6,
	"billion": 1e9}

// holder knows what a number can follow from.
type holder struct {
	text   string
	result *Result
	asked  []float64
	places [][2]int        // where the text names cells that have digits in them
	values [][]float64     // by column; NaN where there is no number
	days   map[[2]int]bool // month and day, day and month, of days in the result
	years  map[float64]bool
}

func newHolder(text, question string, r *Result) *holder {
	h := &holder{text: text, result: r, days: map[[2]int]bool{}, years: map[float64]bool{}}
	for _, n := range numbersIn(question, 0, len(question)) {
		h.asked = append(h.asked, n.values...)
	}
	for _, p := range r.Says { // a follow-up keeps conditions of the question before
		for _, said := range p.With {
			for _, n := range numbersIn(said, 0, len(said)) {
				h.asked = append(h.asked, n.values...)
			}
		}
	}
	lower := strings.ToLower(text)
	h.values = make([][]float64, len(r.Columns))
	for i, c := range r.Columns {
		h.values[i] = make([]float64, len(r.Rows))
		for j, row := range r.Rows {
			cell := row[i]
			h.values[i][j] = math.NaN()
			if v, err := strconv.ParseFloat(cell, 64); err == nil {
				h.values[i][j] = v
			}
			h.day(cell)
			if strings.ContainsAny(cell, "0123456789") && !c.Kind.Number() && len(cell) > 1 {
				h.named(lower, strings.ToLower(cell))
			}
		}
	}
	return h
}

// day keeps in mind a day that stands in a cell.
func (h *holder) day(cell string) {
	if len(cell) < 7 || cell[4] != '-' {
		return
	}
	year, err1 := strconv.Atoi(cell[:4])
	month, err2 := strconv.Atoi(cell[5:7])
	if err1 != nil || err2 != nil {
		return
	}
	h.years[float64(year)] = true
	if len(cell) >= 10 {
		if day, err := strconv.Atoi(cell[8:10]); err == nil {
			h.days[[2]int{month, day}] = true
		}
	}
}

// named keeps in mind where the text names a cell, whose digits are no numbers of their
// own.
func (h *holder) named(lower, cell string) {
	for at := 0; ; {
		i := strings.Index(lower[at:], cell)
		if i < 0 {
			return
		}
		from := at + i
		to := from + len(cell)
		if !letterAt(lower, from-1) && !letterAt(lower, to) {
			h.places = append(h.places, [2]int{from, to})
		}
		at = from + 1
	}
}

func letterAt(text string, at int) bool {
	if at < 0 || at >= len(text) {
		return false
	}
	r, _ := utf8.DecodeRuneInString(text[at:])
	return unicode.IsLetter(r) || unicode.IsDigit(r) || text[at]&0xC0 == 0x80
}

// numbersIn finds the numbers of a stretch of a text.
func numbersIn(text string, from, to int) (all []said) {
	stretch := text[from:to]
	for _, m := range placesOfNumbers(stretch) {
		if m[0] > 0 && (stretch[m[0]] == '-' || strings.HasPrefix(stretch[m[0]:], "−")) && isDigit(stretch[m[0]-1]) {
			m[0] += len(stretch[m[0]:]) - len(strings.TrimLeft(stretch[m[0]:], "-−")) // from 2 to 3, not minus 3
		}
		n := said{from: from + m[0], to: from + m[1]}
		if letterBefore(stretch, m[0]) || m[1] < len(stretch) && letterAfter(stretch, m[1]) &&
			suffix(stretch[m[1]:]) == "" {
			continue // part of a name, like Q1
		}
		if listMark(text, n.from, n.to) || reference(text, n.from, n.to) {
			continue
		}
		n.read(stretch[m[0]:m[1]], stretch[m[1]:])
		all = append(all, n)
	}
	return append(all, numerals(text, from, to)...)
}

func letterBefore(text string, at int) bool {
	r, _ := utf8.DecodeLastRuneInString(text[:at])
	return unicode.IsLetter(r) || r == '_' || r == '#'
}

func letterAfter(text string, at int) bool {
	r, _ := utf8.DecodeRuneInString(text[at:])
	return unicode.IsLetter(r) || r == '_'
}

// suffix is the unit or the ending that may stand right behind a number; "" for other
// letters.
func suffix(rest string) string {
	word := ""
	for _, r := range rest {
		if !unicode.IsLetter(r) {
			break
		}
		word += string(r)
	}
	switch strings.ToLower(word) {
	case "kg", "g", "km", "m", "cm", "mm", "l", "ml", "h", "s", "st", "nd", "rd", "th", "k", "x", "c", "eur", "usd",
		"gbp", "t":
		return word
	}
	return ""
}

// reference reports whether a number says which passage a sentence rests on, like [2].
func reference(text string, from, to int) bool {
	return from > 0 && text[from-1] == '[' && to < len(text) && text[to] == ']'
}

// listMark reports whether a number counts an entry of a list: it begins its line.
func listMark(text string, from, to int) bool {
	before := strings.TrimRight(text[:from], " \t*_")
	if before != "" && !strings.HasSuffix(before, "\n") {
		return false
	}
	return strings.HasPrefix(text[to:], ". ") || strings.HasPrefix(text[to:], ") ")
}

// read reads a number as it is written.
func (n *said) read(text, rest string) {
	add := func(plain string) {
		if v, err := strconv.ParseFloat(plain, 64); err == nil {
			decimals := 0
			if i := strings.IndexByte(plain, '.'); i >= 0 {
				decimals = len(plain) - i - 1
			}
			n.values, n.halves = append(n.values, v), append(n.halves, math.Pow10(-decimals)/2)
		}
	}
	text = strings.ReplaceAll(text, "−", "-")
	for _, space := range []string{" ", "\u00A0", "\u202F", "'", "’"} {
		text = strings.ReplaceAll(text, space, "")
	}
	commas, points := strings.Count(text, ","), strings.Count(text, ".")
	switch {
	case commas == 0 && points <= 1:
		add(text)
		if i := strings.IndexByte(text, '.'); i > 0 && len(text)-i == 4 { // 1.234 as some write it
			add(strings.Replace(text, ".", "", 1))
		}
	case points == 0 && commas == 1:
		if i := strings.IndexByte(text, ','); len(text)-i == 4 {
			add(strings.Replace(text, ",", "", 1))
		}
		add(strings.Replace(text, ",", ".", 1))
	case strings.LastIndexByte(text, ',') > strings.LastIndexByte(text, '.'):
		add(strings.Replace(strings.ReplaceAll(text, ".", ""), ",", ".", 1))
		add(strings.ReplaceAll(strings.ReplaceAll(text, ".", ""), ",", ""))
	default:
		add(strings.ReplaceAll(text, ",", ""))
		add(strings.ReplaceAll(strings.ReplaceAll(text, ",", ""), ".", ""))
	}
	after := strings.TrimLeft(rest, " \u00A0\u202F")
	n.percent = strings.HasPrefix(after, "%") || strings.HasPrefix(strings.ToLower(after), "percent") ||
		strings.HasPrefix(strings.ToLower(after), "per cent")
	word := strings.ToLower(strings.TrimRightFunc(firstWord(after), unicode.IsPunct))
	if times, is := multiples[word]; is && (len(word) > 1 || strings.HasPrefix(rest, word)) {
		for i := range n.values {
			n.values[i] *= times
			n.halves[i] *= times
		}
	}
}

func firstWord(text string) string {
	if i := strings.IndexFunc(text, unicode.IsSpace); i >= 0 {
		return text[:i]
	}
	return text
}

// numerals finds numbers that are written out. One is left out: it is a pronoun too.
func numerals(text string, from, to int) (all []said) {
	at := from
	for _, word := range strings.FieldsFunc(text[from:to], func(r rune) bool { return !unicode.IsLetter(r) }) {
		i := strings.Index(text[at:to], word)
		start := at + i
		at = start + len(word)
		low := strings.ToLower(word)
		digits, is := language.Numeral(low)
		if !is || low == "one" || multiples[low] > 0 {
			continue
		}
		if v, err := strconv.ParseFloat(digits, 64); err == nil {
			n := said{from: start, to: at, values: []float64{v}, halves: []float64{0.5}}
			if times := multiples[strings.ToLower(firstWord(strings.TrimLeft(text[at:to], " ")))]; times > 0 {
				n.values[0] *= times
				n.halves[0] *= times
			}
			all = append(all, n)
		}
	}
	return all
}

// sentence holds the numbers of a sentence.
func (h *holder) sentence(from, to int, f *Figures) {
	all := numbersIn(h.text, from, to)
	slices.SortFunc(all, func(a, b said) int { return a.from - b.from })
	c := h.context(from, to)
	for _, n := range all {
		if slices.ContainsFunc(h.places, func(p [2]int) bool { return n.from >= p[0] && n.to <= p[1] }) {
			continue
		}
		figure := Figure{From: n.from, To: n.to, Row: -1, Column: -1}
		if h.isDay(n, &figure) || h.plain(n, c, &figure) {
			figure.Holds = true
			c.stated = append(c.stated, figure)
		}
		f.Numbers = append(f.Numbers, figure)
	}
	// Arithmetic rests on what the sentence names, wherever it stands in it.
	for i := range f.Numbers {
		n := &f.Numbers[i]
		if n.Holds || n.From < from || n.To > to {
			continue
		}
		at := slices.IndexFunc(all, func(s said) bool { return s.from == n.From })
		n.Holds = h.reckoned(all[at], c, n)
		n.reckoned = n.Holds
	}
}

// months in the languages that dates are written out in here.
var months = regexp.MustCompile(`(?i)^(?:jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec|mär|mai|okt|dez)[a-zäû]*\.?$`)

// isDay reports whether a number is part of a day that stands in the result: beside the
// name of a month, or within a day that is written in digits.
func (h *holder) isDay(n said, into *Figure) bool {
	around := h.text[max(0, n.from-12):min(len(h.text), n.to+12)]
	dashed := strings.ContainsAny(string(h.byteAt(n.from-1)), "-/.") && n.from >= 2 && isDigit(h.byteAt(n.from-2)) ||
		strings.ContainsAny(string(h.byteAt(n.to)), "-/.") && isDigit(h.byteAt(n.to+1))
	named := slices.ContainsFunc(strings.FieldsFunc(around, func(r rune) bool { return r == ' ' || r == ',' }),
		months.MatchString)
	for _, v := range n.values {
		v = math.Abs(v)
		if h.years[v] {
			into.Says = phrase.Of("a year in the result")
			return true
		}
		for d := range h.days {
			if (named || dashed) && v == float64(d[1]) || dashed && v == float64(d[0]) {
				into.Says = phrase.Of("a day in the result")
				return true
			}
		}
	}
	return false
}

func (h *holder) byteAt(i int) byte {
	if i < 0 || i >= len(h.text) {
		return ' '
	}
	return h.text[i]
}

func isDigit(c byte) bool { return c >= '0' && c <= '9' }

// near reports whether a value is what a number says, to the decimals that it gives.
func (n said) near(v float64) bool {
	if math.IsNaN(v) || math.IsInf(v, 0) {
		return false
	}
	for i, is := range n.values {
		half := n.halves[i]
		if math.Abs(is-v) <= half*(1+1e-9)+1e-9*math.Abs(v) {
			return true
		}
		if is > 0 && v < 0 && math.Abs(is+v) <= half*(1+1e-9) { // fell by 3
			return true
		}
	}
	return false
}

// plain looks for a number in the result, in the question, among counts of rows.
func (h *holder) plain(n said, c *context, into *Figure) bool {
	best := -1
	for col := range h.values {
		for row, v := range h.values[col] {
			percent := n.percent && h.result.Columns[col].Kind != Percent
			if n.near(v) || percent && n.near(v*100) {
				if into.Row < 0 || c.rows[row] && !c.rows[best] {
					into.Row, into.Column, best = row, col, row
				}
			}
		}
	}
	if best >= 0 {
		into.Says = phrase.Of("in the result: %s, row %d", h.result.Columns[into.Column].Title, into.Row+1)
		return true
	}
	for _, v := range h.asked {
		if n.near(v) {
			into.Says = phrase.Of("the question or its conditions say it")
			return true
		}
	}
	r := h.result
	switch {
	case h.names(n): // Meadow 3 is called that, and counts nothing
		return false
	case n.near(float64(r.Total)):
		into.Says = phrase.Of("how many rows came out")
	case r.Read > 0 && n.near(float64(r.Read)):
		into.Says = phrase.Of("how many rows were read")
	case r.Of > 0 && n.near(float64(r.Of)):
		into.Says = phrase.Of("how many rows there are")
	default:
		return false
	}
	into.reckoned = true
	return true
}

// names reports whether a number is part of a name: it stands behind a word that begins
// with a capital letter, which does not begin the sentence.
func (h *holder) names(n said) bool {
	before := strings.TrimRight(h.text[:n.from], " ")
	start := strings.LastIndexFunc(before, func(r rune) bool { return !unicode.IsLetter(r) }) + 1
	first, _ := utf8.DecodeRuneInString(before[start:])
	if len(before) == n.from || start == len(before) || !unicode.IsUpper(first) {
		return false
	}
	ahead := strings.TrimRight(before[:start], " *_“\"")
	return ahead != "" && !strings.ContainsAny(ahead[len(ahead)-1:], ".!?:\n")
}

// written writes a value as it stands in what is said of a figure.
func written(v float64) string { return strconv.FormatFloat(v, 'f', -1, 64) }

func rounded(v float64) string {
	return strings.TrimSuffix(strings.TrimRight(fmt.Sprintf("%.3f", v), "0"), ".")
}

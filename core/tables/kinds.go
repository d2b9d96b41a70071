package tables

import (
	"regexp"
	"slices"
	"strings"
	"time"
)

// Guess is what a column's cells seem to be.
type Guess struct {
	Kind   Kind
	Format string
	Unit   string
	// Unsure: days and months could change places.
	Unsure bool
	// Nothing are words, in small letters, that say in a column of texts that there is
	// nothing: those that do in the table's columns of numbers and days.
	Nothing []string
}

// most of the cells that are filled have to be of a kind, in parts of a hundred.
const mostOf = 90

// absent are cells that say that there is nothing.
var absent = map[string]bool{"na": true, "n/a": true, "#n/a": true, "null": true, "none": true, "nan": true, "-": true,
	"–": true, "—": true, "?": true, ".": true, "k.a.": true, "k. a.": true, "n.a.": true, "missing": true}

// Absent lists these, in small letters.
func Absent() []string {
	var all []string
	for w := range absent {
		all = append(all, w)
	}
	slices.Sort(all)
	return all
}

var (
	pointNumber = regexp.MustCompile(`^[+\-−]?(?:\d+|\d{1,3}(?:[,'’   ]\d{3})+)?(?:\.\d+)?(?:[eE][+-]?\d+)?$`)
	commaNumber = regexp.MustCompile(`^[+\-−]?(?:\d+|\d{1,3}(?:[.'’   ]\d{3})+)?(?:,\d+)?$`)
	longWhole   = regexp.MustCompile(`^[+-]?\d{16,}$`) // more digits than numbers with decimals keep
	whole       = regexp.MustCompile(`^[+-]?\d+$`)
	currency    = regexp.MustCompile(`(?i)^(?:([€$£¥]|eur|usd|gbp|chf|sek|nok|dkk|pln|czk)\s*([+\-−]?[\d.,'’   ]*\d)` +
		`|([+\-−]?[\d.,'’   ]*\d)\s*([€$£¥]|eur|usd|gbp|chf|sek|nok|dkk|pln|czk)|([+\-−])([€$£¥])\s*([\d.,'’   ]*\d))$`)
	percent = regexp.MustCompile(`^([+\-−]?[\d.,]*\d)\s*%$`)
)

// yes and no, in the languages of those who write tables.
var (
	yes = []string{"yes", "y", "true", "ja", "oui", "si", "sí", "sim", "wahr", "vrai", "on", "x", "✓"}
	no  = []string{"no", "n", "false", "nein", "non", "nej", "não", "nee", "falsch", "faux", "off"}
)

// dates are ways to write a day, as Go and as the engine's strptime have them; those
// beside each other differ in which number is the day.
var dates = []struct{ layout, format string }{
	{"2006-1-2", "%Y-%m-%d"},
	{"2006/1/2", "%Y/%m/%d"},
	{"2.1.2006", "%d.%m.%Y"},
	{"2.1.06", "%d.%m.%y"},
	{"2/1/2006", "%d/%m/%Y"},
	{"1/2/2006", "%m/%d/%Y"},
	{"2-1-2006", "%d-%m-%Y"},
	{"1-2-2006", "%m-%d-%Y"},
	{"2/1/06", "%d/%m/%y"},
	{"1/2/06", "%m/%d/%y"},
	{"2 Jan 2006", "%d %b %Y"},
	{"2 January 2006", "%d %B %Y"},
	{"Jan 2, 2006", "%b %d, %Y"},
	{"January 2, 2006", "%B %d, %Y"},
	{"2-Jan-2006", "%d-%b-%Y"},
	{"2-Jan-06", "%d-%b-%y"},
	{"20060102", "%Y%m%d"},
}

var moments = []struct{ layout, format string }{
	{"2006-1-2 15:04:05", "%Y-%m-%d %H:%M:%S"},
	{"2006-1-2 15:04", "%Y-%m-%d %H:%M"},
	{"2006-1-2T15:04:05", "%Y-%m-%dT%H:%M:%S"},
	{"2006-1-2T15:04", "%Y-%m-%dT%H:%M"},
	{"2006-1-2T15:04:05Z07:00", "iso"},
	{"2006-1-2 15:04:05Z07:00", "iso"},
	{"2.1.2006 15:04:05", "%d.%m.%Y %H:%M:%S"},
	{"2.1.2006 15:04", "%d.%m.%Y %H:%M"},
	{"2/1/2006 15:04:05", "%d/%m/%Y %H:%M:%S"},
	{"1/2/2006 15:04:05", "%m/%d/%Y %H:%M:%S"},
	{"2/1/2006 15:04", "%d/%m/%Y %H:%M"},
	{"1/2/2006 15:04", "%m/%d/%Y %H:%M"},
}

// guess tells what most of a column's cells are; a text if nothing else fits.
func guess(cells []string) Guess {
	var there []string
	for _, c := range cells {
		c = strings.TrimSpace(c)
		if c != "" && !absent[strings.ToLower(c)] {
			there = append(there, c)
		}
	}
	if len(there) == 0 {
		return Guess{Kind: Text}
	}
	for _, try := range []func([]string) (Guess, bool){guessYesNo, guessWhole, guessMoney, guessPercent, guessDate,
		guessNumber} {
		if g, ok := try(there); ok {
			return g
		}
	}
	return Guess{Kind: Text}
}

// mostly reports whether nearly all cells pass; one need not, of five or more.
func mostly(cells []string, is func(string) bool) bool {
	n := 0
	for _, c := range cells {
		if is(c) {
			n++
		}
	}
	return n*100 >= len(cells)*mostOf || len(cells) >= 5 && n == len(cells)-1
}

func guessYesNo(cells []string) (Guess, bool) {
	ys, ns := 0, 0
	var words [2]string // as they are written
	for _, c := range cells {
		if low := strings.ToLower(c); slices.Contains(yes, low) {
			ys++
			words[0] = c
		} else if slices.Contains(no, low) {
			ns++
			words[1] = c
		}
	}
	return Guess{Kind: YesNo, Format: words[0] + "/" + words[1]}, ys+ns == len(cells) && ys > 0 && ns > 0
}

func guessWhole(cells []string) (Guess, bool) {
	if g, is := compactDate(cells); is {
		return g, true
	}
	zeros := false // what begins with a zero is a number of something, like a postcode
	is := mostly(cells, func(c string) bool {
		zeros = zeros || len(c) > 1 && c[0] == '0' && c[1] >= '0' && c[1] <= '9'
		return whole.MatchString(c) && len(c) < 19
	})
	return Guess{Kind: Whole}, is && !zeros
}

// compactDate tells days that are written as eight digits from numbers.
func compactDate(cells []string) (Guess, bool) {
	is := len(cells) > 1 && mostly(cells, func(c string) bool {
		t, err := time.Parse("20060102", c)
		return err == nil && t.Year() >= 1900 && t.Year() < 2100
	})
	return Guess{Kind: Date, Format: "%Y%m%d"}, is
}

// numberFormat is the sign before the decimals, and whether there are any; "" if cells
// are no numbers.
func numberFormat(cells []string) string {
	point := mostly(cells, func(c string) bool { return hasDigit(c) && pointNumber.MatchString(c) })
	comma := mostly(cells, func(c string) bool { return hasDigit(c) && commaNumber.MatchString(c) })
	zeros := slices.ContainsFunc(cells, func(c string) bool {
		return len(c) > 1 && c[0] == '0' && c[1] >= '0' && c[1] <= '9' || longWhole.MatchString(c)
	})
	switch {
	case zeros:
		return ""
	case point && comma: // 1,234 and 1.234 can be either: thousands have three digits in every cell
		if mostly(cells, func(c string) bool { return !strings.Contains(c, ",") }) {
			return "."
		}
		return ","
	case point:
		return "."
	case comma:
		return ","
	}
	return ""
}

func hasDigit(c string) bool { return strings.ContainsAny(c, "0123456789") }

func guessNumber(cells []string) (Guess, bool) {
	f := numberFormat(cells)
	return Guess{Kind: Decimal, Format: f}, f != ""
}

func guessMoney(cells []string) (Guess, bool) {
	var amounts []string
	units := map[string]int{}
	for _, c := range cells {
		m := currency.FindStringSubmatch(c)
		if m == nil {
			continue
		}
		amounts = append(amounts, m[2]+m[3]+m[5]+m[7])
		units[strings.ToUpper(m[1]+m[4]+m[6])]++
	}
	if len(amounts)*100 < len(cells)*mostOf/2 || len(units) != 1 {
		return Guess{}, false
	}
	rest := slices.DeleteFunc(slices.Clone(cells), func(c string) bool { return currency.MatchString(c) })
	f := numberFormat(slices.Concat(amounts, rest))
	g := Guess{Kind: Money, Format: f}
	for u := range units {
		g.Unit = u
	}
	return g, f != ""
}

func guessPercent(cells []string) (Guess, bool) {
	var parts []string
	for _, c := range cells {
		if m := percent.FindStringSubmatch(c); m != nil {
			parts = append(parts, m[1])
		}
	}
	if len(parts)*100 < len(cells)*mostOf {
		return Guess{}, false
	}
	f := numberFormat(parts)
	return Guess{Kind: Percent, Format: f, Unit: "%"}, f != ""
}

func guessDate(cells []string) (Guess, bool) {
	digits := mostly(cells, func(c string) bool { return hasDigit(c) && len(c) >= 6 && len(c) <= 30 })
	if !digits {
		return Guess{}, false
	}
	try := func(kind Kind, ways []struct{ layout, format string }) (Guess, bool) {
		var fits []string
		for _, d := range ways {
			is := func(c string) bool { _, err := time.Parse(d.layout, c); return err == nil }
			if is(cells[0]) || len(cells) > 1 && is(cells[1]) {
				if mostly(cells, is) {
					fits = append(fits, d.format)
				}
			}
		}
		if len(fits) == 0 {
			return Guess{}, false
		}
		g := Guess{Kind: kind, Format: fits[0]}
		g.Unsure = len(fits) > 1 && strings.HasPrefix(fits[1], "%m") && strings.HasPrefix(fits[0], "%d")
		return g, true
	}
	if g, ok := try(Date, dates); ok {
		return g, true
	}
	return try(Moment, moments)
}

// sumsUp is what begins a row that adds up those above it.
var sumsUp = regexp.MustCompile(`(?i)^(?:(?:grand|sub)?[\s-]*total|sum|sums|summe|gesamt|insgesamt|average|mean|` +
	`mittelwert|durchschnitt|somme|moyenne|totale|suma|totaal|som)\b`)

// mostFooters is how many of the last rows may add up what is above.
const mostFooters = 4

// SumsUp reports whether a row adds up those above it, by what its first filled cell says.
func SumsUp(cells []string) bool {
	for _, c := range cells {
		if c = strings.TrimSpace(c); c != "" {
			return sumsUp.MatchString(c)
		}
	}
	return false
}

// column are the cells of a column in the sample.
func (l Layout) column(i int) (cells []string) {
	for n, r := range l.Sample {
		if n >= len(l.Sample)-mostFooters && SumsUp(r.Cells) {
			continue
		}
		if i < len(r.Cells) {
			cells = append(cells, r.Cells[i])
		}
	}
	return cells
}

// As tells how a column is read as a kind that somebody said it is.
func (l Layout) As(i int, k Kind, format string) Guess {
	g := Guess{Kind: k, Format: format}
	if format != "" {
		return g
	}
	var there []string
	for _, c := range l.column(i) {
		if c = strings.TrimSpace(c); c != "" && !absent[strings.ToLower(c)] {
			there = append(there, c)
		}
	}
	best := 0
	try := func(format string, is func(string) bool) {
		n := 0
		for _, c := range there {
			if is(c) {
				n++
			}
		}
		if n > best || g.Format == "" {
			best, g.Format = n, format
		}
	}
	switch {
	case k == Date || k == Moment:
		ways := dates
		if k == Moment {
			ways = moments
		}
		for _, d := range ways {
			try(d.format, func(c string) bool { _, err := time.Parse(d.layout, c); return err == nil })
		}
	case k.Number() && k != Whole:
		bare := func(c string) string { return strings.Trim(c, "€$£¥% ABCDEFGHIJKLMNOPQRSTUVWXYZ") }
		try(".", func(c string) bool { return pointNumber.MatchString(bare(c)) })
		try(",", func(c string) bool { return commaNumber.MatchString(bare(c)) && strings.Contains(c, ",") })
		if k == Percent {
			g.Unit = "%"
		}
		if k == Money {
			if m, is := guessMoney(there); is {
				g.Unit = m.Unit
			}
		}
	}
	return g
}

// Guesses tells what the columns of a layout seem to be, from its sample.
func (l Layout) Guesses() []Guess {
	all := make([]Guess, len(l.Heads))
	said := map[string]bool{}
	for i := range all {
		cells := l.column(i)
		all[i] = guess(cells)
		for _, c := range cells {
			if low := strings.ToLower(strings.TrimSpace(c)); all[i].Kind != Text && absent[low] {
				said[low] = true
			}
		}
	}
	for i := range all {
		if all[i].Kind != Text {
			continue
		}
		for _, c := range l.column(i) {
			if low := strings.ToLower(strings.TrimSpace(c)); said[low] && !slices.Contains(all[i].Nothing, low) {
				all[i].Nothing = append(all[i].Nothing, low)
			}
		}
	}
	return all
}

// isNumbered reports whether a title says that what stands below it tells things apart,
// rather than how much there is of something.
func isNumbered(title string) bool {
	switch strings.ToLower(strings.Trim(title, " .#")) {
	case "id", "no", "nr", "number", "code", "postcode", "zip", "phone", "telephone", "year":
		return true
	}
	return false
}

// Countable reports whether a column says how much there is of something, so that its sum
// or mean says something too.
func (c *Column) Countable() bool {
	if !c.Kind.Number() || isNumbered(c.Title) || strings.HasSuffix(c.Name, "_id") || strings.HasSuffix(c.Name, "_no") {
		return false
	}
	if c.Kind == Whole && c.Least != "" && isYear(c.Least) && isYear(c.Most) {
		return false
	}
	return true
}

// Reading is the expression that makes of a column's text what it is a cell of, in the
// engine's language; what is no cell of its kind becomes null. column is quoted already.
// What most cells look like is tried first, and what takes longer only where that fails.
func (g Guess) Reading(column string) string {
	text := "trim(" + column + ")"
	switch g.Kind {
	case Whole:
		return "CASE WHEN contains(" + column + ", '.') THEN NULL ELSE TRY_CAST(" + column + " AS BIGINT) END"
	case Decimal:
		return numberReading(column, g.Format)
	case Percent:
		return numberReading("replace("+column+", '%', '')", g.Format)
	case Money:
		return "coalesce(" + numberReading("replace("+column+", "+literal(g.Unit)+", '')", g.Format) + ", " +
			numberReading("regexp_replace("+column+
				", '(?i)[€$£¥\\s]|eur|usd|gbp|chf|sek|nok|dkk|pln|czk', '', 'g')", g.Format) + ")"
	case Date:
		if g.Format == ISODay {
			return "TRY_CAST(" + column + " AS DATE)"
		}
		return "try_strptime(" + text + ", " + literal(g.Format) + ")::DATE"
	case Moment:
		if g.Format == "iso" {
			return "TRY_CAST(" + column + " AS TIMESTAMP)"
		}
		return "try_strptime(" + text + ", " + literal(g.Format) + ")"
	case YesNo:
		yesWord, noWord, _ := strings.Cut(g.Format, "/")
		return "CASE " + column + " WHEN " + literal(yesWord) + " THEN true WHEN " + literal(noWord) +
			" THEN false ELSE CASE WHEN lower(" + text + ") IN (" + literals(yes) + ", '1') THEN true WHEN " +
			"lower(" + text +
			") IN (" + literals(no) + ", '0') THEN false END END"
	}
	return column
}

// ISODay is the format of days as ISO 8601 has them.
const ISODay = "%Y-%m-%d"

// numberReading reads a number whose decimals stand behind a sign; the other sign may part
// thousands, and nothing else.
func numberReading(text, decimals string) string {
	if decimals == "," {
		plain := "replace(" + text + ", ',', '.')"
		parted := "TRY_CAST(replace(replace(" + text + ", '.', ''), ',', '.') AS DOUBLE)"
		return "CASE WHEN contains(" + text + ", '.') THEN CASE WHEN regexp_full_match(trim(" + text +
			"), '[+-]?\\d{1,3}(\\.\\d{3})+(,\\d+)?') THEN " + parted + " END ELSE coalesce(TRY_CAST(" + plain +
			" AS DOUBLE), " + spacedReading(plain) + ") END"
	}
	parted := "TRY_CAST(replace(" + text + ", ',', '') AS DOUBLE)"
	return "coalesce(TRY_CAST(" + text + " AS DOUBLE), CASE WHEN regexp_full_match(trim(" + text +
		"), '[+-]?\\d{1,3}(,\\d{3})+(\\.\\d+)?') THEN " + parted + " WHEN NOT contains(" + text + ", ',') THEN " +
		spacedReading(text) + " END)"
}

// spacedReading reads a number whose thousands are parted by spaces or apostrophes, or that
// has a minus sign as printers have it.
func spacedReading(text string) string {
	return "TRY_CAST(regexp_replace(replace(" + text + ", '−', '-'), '[''’\\s\\x{00A0}\\x{202F}]', '', 'g') AS DOUBLE)"
}

func literal(text string) string { return "'" + strings.ReplaceAll(text, "'", "''") + "'" }

func literals(all []string) string {
	quoted := make([]string, len(all))
	for i, t := range all {
		quoted[i] = literal(t)
	}
	return strings.Join(quoted, ", ")
}

// Literal is a text as the engine's language has it.
func Literal(text string) string { return literal(text) }

// Quoted is a name as the engine's language has it.
func Quoted(name string) string { return `"` + strings.ReplaceAll(name, `"`, `""`) + `"` }

// TypeOf is the kind of what the engine has as a type, and whether it can be kept so.
func TypeOf(engine string) (Kind, bool) {
	switch base, _, _ := strings.Cut(engine, "("); base {
	case "TINYINT", "SMALLINT", "INTEGER", "BIGINT", "UTINYINT", "USMALLINT", "UINTEGER":
		return Whole, true
	case "UBIGINT", "HUGEINT", "UHUGEINT", "FLOAT", "DOUBLE", "DECIMAL":
		return Decimal, true
	case "DATE":
		return Date, true
	case "TIMESTAMP", "TIMESTAMP_S", "TIMESTAMP_MS", "TIMESTAMP_NS", "TIMESTAMP WITH TIME ZONE":
		return Moment, true
	case "BOOLEAN":
		return YesNo, true
	case "VARCHAR", "ENUM", "UUID", "TIME":
		return Text, true
	}
	return Text, false
}

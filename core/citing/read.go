package citing

import (
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"juvalogos/core/language"
	"juvalogos/core/lexicon"
)

// text is a stretch as claims and passages are compared.
type text struct {
	all     string
	words   []word
	numbers []number
	parts   []part
	passive bool
	vector  []float32       // the encoder's, once it was asked for
	near    map[*place]bool // of a claim: the places it is held against; nil: all
	sought  bool            // whether these were looked for
	two     bool            // sentences
	second  int             // where the second begins, or the white space before it
	// Of a row of a table: what it is about, in lower case, and the stems of that.
	row      bool
	key      string
	keyStems []string
}

// word is one that says something.
type word struct {
	said   string // in lower case
	stem   string
	vector int32 // its number, or -1
	name   bool  // with a capital within a sentence
	noun   bool
	verb   bool
	small  bool // says little but for which way
	part   int  // the clause it stands in
	weight float64
}

// part is a clause.
type part struct {
	no     int // how often it says no
	strict bool
	free   bool
	all    bool
	some   bool
	only   bool
	goesOn bool // it begins with a pronoun that stands for something of the clause before
	unless bool
	begins int // where in the stretch
}

var (
	negation = regexp.MustCompile(`(?i)\b(not|never|no|nobody|nothing|none|cannot|neither|nor|hardly|unable|fails? to|refuses? to)\b|n['’]t\b`)
	bounds   = regexp.MustCompile(`(?i)\b(no|not|never)\b(\s+\w+){0,3}\s+(later than|earlier than|more than|less than|fewer than|longer than|only)\b|\bnot only\b|\bno matter\b|\bif not\b|\bwhether or not\b|\bno longer than\b`)
	clauses  = regexp.MustCompile(`(?i)[,;:.!?()–—]+(\s|$)|\s\b(but|and|unless|if|because|which|who|when|while|until|so that|although|whereas)\b`)
	atMost   = regexp.MustCompile(`(?i)\b(at most|up to|no more than|not more than|maximum(?: of)?|max|no longer than|not longer than|less than|fewer than|under|below|within|until|by|(?:lighter|smaller|shorter|younger|lower|cheaper|slower|earlier|nearer|closer|less|fewer) than|no later than|not later than|limited to|before)\s+(?:\w+\s+){0,2}$`)
	atLeast  = regexp.MustCompile(`(?i)\b(at least|no less than|not less than|no fewer than|minimum(?: of)?|min|more than|over|above|(?:heavier|larger|longer|more|older|higher|taller|bigger|greater|later|faster|wider|deeper) than|from|since|after|not before|no earlier than|or more)\s+(?:\w+\s+){0,2}$`)
	strictly = regexp.MustCompile(`(?i)\b(must|shall|has to|have to|had to|required|requires?|mandatory|obligatory|compulsory|need to|needs to|will|always|never)\b`)
	forbids  = regexp.MustCompile(`(?i)\b(no|not|never|nobody|none|nothing)\b.{0,40}\b(may|can|could)\b|\b(may|can|could)(not| not|n['’]t)\b|\b(may|can|could) (only|never)\b`)
	freely   = regexp.MustCompile(`(?i)\b(may|might|can|could|optional|optionally|possible|possibly|sometimes|usually|often|should|recommended|advised|welcome to)\b`)
	wholly   = regexp.MustCompile(`(?i)\b(all|every|everyone|everybody|each|always|any|anyone|entire|whole|completely)\b`)
	partly   = regexp.MustCompile(`(?i)\b(some|most|many|few|several|sometimes|usually|often|partly|half)\b`)
	alone    = regexp.MustCompile(`(?i)\b(only|solely|exclusively|just)\b`)
	orLess   = regexp.MustCompile(`(?i)^\W*(\w+\s+){0,2}(at most|at the most|or (less|fewer|younger|earlier|under)|maximum)\b`)
	orMore   = regexp.MustCompile(`(?i)^\W*(\w+\s+){0,2}(at least|or (more|older|later|over)|and (over|above|older|more)|upwards|minimum)\b`)
	byWhom   = regexp.MustCompile(`(?i)\b(is|are|was|were|be|been|being|gets?|got)\s+(?:\w+ly\s+)?(\w+ed|\w+en|built|made|kept|held|sent|paid|read|written|given|found|done|run|led|put|set|sold|bought|told|brought|taught|caught|shown|known|drawn|grown|thrown)\b.*\bby\b`)
)

// little are words that claim nothing by themselves.
var little = language.Union(language.StopWords("en"), language.Quantifiers,
	language.Set(`because while during after before again once
	according passage passages document documents says said say mention mentions mentioned however therefore thus
	usually often please hello hi thanks thank sorry sure welcome goodbye cannot without unless until
	need needs required requires sometimes always never`))

// small are little words of which each has its opposite.
var small = language.Set(`more less fewer few many much same other different before after above below like unlike
	always never often rarely seldom most least`)

// cut takes numbers with what stands in them, and words up to their apostrophe.
var cut = language.Cutter{Apart: true, Joins: func(first, sign, next rune) bool {
	if unicode.IsDigit(first) {
		return strings.ContainsRune(".,:", sign) && unicode.IsDigit(next)
	}
	return sign == '\'' || sign == '’'
}}.Ready()

// read takes a stretch apart.
func (j *judge) read(all string) *text {
	t := &text{all: all, passive: byWhom.MatchString(all)}
	ends := partEnds(all)
	for i, at := 0, 0; i < len(ends); i++ {
		p := partOf(all[at:ends[i]])
		p.begins = at
		t.parts = append(t.parts, p)
		at = ends[i]
	}
	t.settleUnless()
	r := reader{j: j, t: t, ends: ends, first: true}
	cut.Each(all, func(w language.Word) bool {
		r.take(w)
		return true
	})
	t.settleBounds()
	return t
}

// settleUnless reads "not, unless" as "only if".
func (t *text) settleUnless() {
	for i := range t.parts {
		if !t.parts[i].unless {
			continue
		}
		if before := i - 1; before >= 0 && t.parts[before].no > 0 {
			t.parts[before].no--
			t.parts[before].only = true
		} else {
			t.parts[i].no++
		}
	}
}

// settleBounds reads "not heavier than" as "at most".
func (t *text) settleBounds() {
	for i := range t.parts {
		if t.parts[i].no%2 == 0 {
			continue
		}
		for k := range t.numbers {
			if n := &t.numbers[k]; n.part == i && n.bound != 0 {
				n.bound = -n.bound
				t.parts[i].no = 0
			}
		}
	}
}

// partEnds are where the clauses end.
func partEnds(all string) []int {
	var ends []int
	for _, at := range clauses.FindAllStringIndex(all, -1) {
		ends = append(ends, at[0]+1)
	}
	return append(ends, len(all))
}

func partOf(text string) part {
	bare := bounds.ReplaceAllString(text, "")
	no := len(negation.FindAllString(bare, -1))
	return part{no: no, goesOn: pronoun.MatchString(text), unless: unless.MatchString(text),
		strict: forbids.MatchString(text) || strictly.MatchString(text), free: freely.MatchString(text),
		all: wholly.MatchString(text), some: partly.MatchString(text), only: alone.MatchString(bare)}
}

// reader goes through the words of a stretch.
type reader struct {
	j     *judge
	t     *text
	ends  []int
	part  int
	first bool
	// numbers wait for what they count, which comes soon or came before
	waiting []int
	room    int // words that may still come
	before  string
	last    int // where the last word ended
}

func (r *reader) take(w language.Word) {
	for r.part < len(r.ends)-1 && w.From >= r.ends[r.part] {
		r.part++
	}
	between := r.t.all[r.last:w.From]
	if strings.ContainsAny(between, ",;:.!?()") {
		r.waiting, r.before = nil, ""
	}
	opens := r.first
	r.first, r.last = false, w.To
	switch {
	case w.Number:
		r.number(w)
		return
	case w.Unspaced:
		language.Bigrams(w.Text, func(from, to int) { r.word(w.Text[from:to], false, opens) })
		return
	}
	lower, _, _ := strings.Cut(strings.ToLower(strings.ReplaceAll(w.Text, "’", "'")), "'")
	capital, _ := utf8.DecodeRuneInString(w.Text)
	if r.worded(lower, w) {
		return
	}
	r.word(lower, unicode.IsUpper(capital), opens)
}

func (r *reader) add(n number, w language.Word) {
	before := r.t.all[max(0, w.From-40):w.From]
	switch {
	case atMost.MatchString(before):
		n.bound = 1
	case atLeast.MatchString(before):
		n.bound = -1
	case orLess.MatchString(r.t.all[w.To:]):
		n.bound = 1
	case orMore.MatchString(r.t.all[w.To:]):
		n.bound = -1
	}
	if r.before != "" {
		n.of = []string{r.before}
	}
	n.part = r.part
	r.t.numbers = append(r.t.numbers, n)
	r.waiting, r.room = append(r.waiting, len(r.t.numbers)-1), 2
}

func (r *reader) number(w language.Word) {
	after := strings.TrimLeft(r.t.all[w.To:], " ")
	lower := strings.ToLower(after)
	if minutes, is := clock(w.Text); is {
		if minutes < 720 && (strings.HasPrefix(lower, "pm") || strings.HasPrefix(lower, "p.m")) {
			minutes += 720
		}
		r.add(number{value: minutes, kind: time}, w)
		r.waiting = nil
		return
	}
	v, is := valueOf(w.Text)
	switch {
	case !is:
		r.add(number{text: w.Text, kind: version}, w)
	case strings.HasPrefix(after, "%") || strings.HasPrefix(lower, "percent") || strings.HasPrefix(lower, "per cent"):
		r.add(number{value: v, kind: share}, w)
		r.waiting = nil
	case strings.HasPrefix(lower, "o'clock") || strings.HasPrefix(lower, "o’clock") || meridian.MatchString(lower):
		if v < 12 && (strings.HasPrefix(lower, "p") || strings.HasPrefix(lower, "in the eve") ||
			strings.HasPrefix(lower, "in the aft")) {
			v += 12
		}
		r.add(number{value: v * 60, kind: time}, w)
		r.waiting = nil
	case strings.HasPrefix(after, "°"):
		r.add(number{value: v}, w)
		r.t.numbers[len(r.t.numbers)-1].of, r.waiting = []string{"degre"}, nil
	case ordinalEnd.MatchString(r.t.all[w.To:]):
		r.add(number{value: v, kind: ordinal}, w)
	case len(w.Text) == 4 && v >= 1800 && v <= 2200:
		r.add(number{value: v, kind: year}, w)
		r.t.numbers[len(r.t.numbers)-1].of = nil
		r.waiting = nil
	default:
		r.add(number{value: v}, w)
	}
}

var (
	pronoun    = regexp.MustCompile(`(?i)^\W*(and |but |\w+ \w+ )?(it|they|he|she|this|these|that|who|which)\b`)
	unless     = regexp.MustCompile(`(?i)^\W*unless\b`)
	meridian   = regexp.MustCompile(`^([ap]\.?m\b|in the (morning|evening|afternoon))`)
	repeats    = regexp.MustCompile(`^ (a|an|each|every|per|in|daily|more)\b`)
	ordinalEnd = regexp.MustCompile(`^(st|nd|rd|th)\b`)
)

// worded takes numbers that are written out.
func (r *reader) worded(lower string, w language.Word) bool {
	if v, is := ordinals[lower]; is && (lower != "second" || !r.afterNumber()) {
		r.add(number{value: v, kind: ordinal}, w)
		return true
	}
	if c, is := counted[lower]; is && (c.of != "time" || repeats.MatchString(r.t.all[w.To:])) {
		n := number{value: c.value}
		if c.of == "\x00time" {
			n.kind = time
		} else if c.of != "" {
			n.of = []string{c.of}
		}
		r.add(n, w)
		if c.of != "" {
			last := len(r.t.numbers) - 1
			r.waiting, r.t.numbers[last].of, r.t.numbers[last].sureful = nil, n.of, true
		}
		return true
	}
	digits, is := language.Numeral(lower)
	if !is || lower == "one" && !oneCounts(r.t.all[w.To:]) {
		return is
	}
	v, _ := valueOf(digits)
	if last := len(r.t.numbers) - 1; r.afterNumber() && last >= 0 && (v == 100 || v == 1000 || v == 1e6) {
		r.t.numbers[last].value *= v // three hundred
		return true
	}
	if last := len(r.t.numbers) - 1; r.afterNumber() && last >= 0 && r.t.numbers[last].value >= 20 && v < 10 &&
		r.t.numbers[last].kind == plain {
		r.t.numbers[last].value += v // twenty four
		return true
	}
	if strings.HasPrefix(strings.TrimLeft(strings.ToLower(r.t.all[w.To:]), " "), "o'clock") {
		r.add(number{value: v * 60, kind: time}, w)
		r.waiting = nil
		return true
	}
	r.add(number{value: v}, w)
	return true
}

// afterNumber reports whether a number stands right before.
func (r *reader) afterNumber() bool { return len(r.waiting) > 0 && r.room == 2 }

// oneCounts reports whether "one" before some words counts them: one day, not one of.
func oneCounts(after string) bool {
	next, _, _ := strings.Cut(strings.TrimLeft(strings.ToLower(after), " "), " ")
	_, is := measures[language.Stem("en", strings.Trim(next, ".,;:!?"))]
	return is
}

func (r *reader) word(lower string, capital, opens bool) {
	if little[lower] && !small[lower] {
		if lower != "of" && lower != "more" {
			r.waiting = nil
		}
		return
	}
	stem := language.Stem("en", lower)
	_, unit := measures[stem]
	unit = unit && len(r.waiting) > 0
	for _, n := range r.waiting {
		if r.room == 2 {
			r.t.numbers[n].of, r.t.numbers[n].sureful = nil, true // what follows counts more than what stood before
		}
		r.t.numbers[n].of = append(r.t.numbers[n].of, stem)
	}
	if r.room--; r.room == 0 {
		r.waiting = nil
	}
	if r.before = stem; unit { // is part of the number
		r.waiting = nil
		return
	}
	if len(lower) < 2 && lower >= "a" && lower <= "z" {
		return
	}
	if slices.ContainsFunc(r.t.words, func(w word) bool { return w.stem == stem }) {
		return
	}
	w := word{said: strings.Clone(lower), stem: stem, vector: -1, name: capital && !opens, part: r.part, weight: 1}
	if n, known := r.j.vectors.Find(lower); known {
		w.vector = n
		if n < 300 {
			w.weight = 0.5
		}
	} else {
		w.weight = 1.3
	}
	if small[lower] {
		w.small, w.weight = true, 0.2
	}
	if w.name {
		w.weight = 1.5
	}
	w.noun, w.verb = r.j.lexicon.Is(lower, lexicon.Noun) >= 0.5, r.j.lexicon.Is(lower, lexicon.Verb) >= 0.5
	r.t.words = append(r.t.words, w)
}

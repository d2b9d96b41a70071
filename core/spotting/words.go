package spotting

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"juvalogos/core/language"
)

// token is a word or a number of a text.
type token struct {
	from, to int
	lower    string
	capital  bool // it begins with one
	number   bool
	opens    bool // it is the first of its sentence
	gap      bool // a mark stands before it that ends a phrase
}

// cut keeps numbers with their points, commas and signs, and words with hyphens.
var cut = language.Cutter{Signs: units, Joins: func(first, sign, next rune) bool {
	if unicode.IsDigit(first) {
		return strings.ContainsRune(".,:'’-/", sign) && unicode.IsDigit(next)
	}
	return strings.ContainsRune("'’-/", sign) && unicode.IsLetter(next)
}}.Ready()

// units are signs that stand for what is counted.
const units = "%°€$£"

// tokensOf takes a sentence apart.
func tokensOf(text string) []token {
	var all []token
	end := 0 // of the last one
	cut.Each(text, func(w language.Word) bool {
		lower := strings.ToLower(w.Text)
		if at := strings.IndexAny(lower, "'’"); at > 0 && len(lower)-at <= 4 {
			lower = lower[:at]
		}
		t := token{from: w.From, to: w.To, lower: lower, number: w.Number || language.Counts(lower),
			opens: len(all) == 0}
		first, _ := utf8.DecodeRuneInString(w.Text)
		t.capital = unicode.IsUpper(first)
		t.gap = strings.ContainsFunc(text[end:w.From], endsPhrase)
		if title[lower] && w.To < len(text) && text[w.To] == '.' {
			t.to++ // Mr.
		}
		all, end = append(all, t), t.to
		return true
	})
	return all
}

// endsPhrase reports whether a sign between words ends a phrase.
func endsPhrase(r rune) bool {
	return r == '\n' || !unicode.IsSpace(r) && !strings.ContainsRune(`"'“”‘’-`, r)
}

func stem(word string) string { return language.Stem("en", word) }

var (
	title     = language.Set("mr mrs ms dr prof st")
	asks      = language.Set("who whom whose when where why how what which")
	stopWords = language.Union(language.Without(language.StopWords("en"), asks, within),
		language.Set("any but him many much onto please some tell"))
	// that answers may begin with
	within   = language.Set("also down doing having just nor only such too under very")
	months   = language.Set("january february march april may june july august september october november december")
	weekdays = language.Set("monday tuesday wednesday thursday friday saturday sunday mondays tuesdays wednesdays " +
		"thursdays fridays saturdays sundays")
	seasons = language.Set("spring summer autumn winter morning evening afternoon noon midnight night equinox " +
		"solstice christmas easter weekend today tomorrow yesterday")
	measured = map[string]bool{"second": true, "minut": true, "hour": true, "day": true, "week": true, "month": true,
		"year": true}
	times   = language.Set("time date day year month week hour season morn even weekday centuri decad")
	placing = language.Set("in at on beside near under above below behind between inside within outside beneath " +
		"before over along across around from to onto into through next")
	clauseEnds = language.Set("and but or which that who when while if because so than as where until unless since " +
		"for")
	leading     = language.Set("of the to by about and or only in on at")
	verbsFollow = language.Set("you to not they it will may can must")
	rates       = language.Set("a an per every each")
	pronouns    = language.Set("it they she he this these")
)

package spotting

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/kljensen/snowball/english"
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

// tokensOf takes a sentence apart. Numbers keep their points, commas and signs.
func tokensOf(text string) []token {
	var all []token
	gap := false
	for i := 0; i < len(text); {
		r, size := utf8.DecodeRuneInString(text[i:])
		if !unicode.IsLetter(r) && !unicode.IsDigit(r) && !strings.ContainsRune("%°€$£", r) {
			if r == '\n' || !unicode.IsSpace(r) && !strings.ContainsRune(`"'“”‘’-`, r) {
				gap = true
			}
			i += size
			continue
		}
		begin, number := i, unicode.IsDigit(r)
		for i < len(text) {
			r, size := utf8.DecodeRuneInString(text[i:])
			if unicode.IsLetter(r) || unicode.IsDigit(r) || unicode.IsMark(r) || strings.ContainsRune("%°€$£", r) {
				i += size
				continue
			}
			if next, _ := utf8.DecodeRuneInString(text[i+size:]); strings.ContainsRune(".,:'’-/", r) && i > begin &&
				(number && unicode.IsDigit(next) || !number && strings.ContainsRune("'’-/", r) && unicode.IsLetter(next)) {
				i += size
				continue
			}
			break
		}
		lower := strings.ToLower(text[begin:i])
		if cut := strings.IndexAny(lower, "'’"); cut > 0 && len(lower)-cut <= 4 {
			lower = lower[:cut]
		}
		if title[lower] && i < len(text) && text[i] == '.' {
			i++ // Mr.
		}
		all = append(all, token{from: begin, to: i, lower: lower, capital: unicode.IsUpper(r), number: number || numberWords[lower], opens: len(all) == 0, gap: gap})
		gap = false
	}
	return all
}

func stem(word string) string {
	if len(word) < 3 {
		return word
	}
	return english.Stem(word, false)
}

var (
	title       = set("mr mrs ms dr prof st")
	asks        = set("who whom whose when where why how what which")
	little      = set("a an the this that these those is are was were be been being am do does did done have has had i you he she it we they me him her us them my your his its our their of in on at to for from by with as into onto about and or but if so than then there here can could may might must shall should will would not no any some one's please tell much many out up off over")
	numberWords = set("one two three four five six seven eight nine ten eleven twelve thirteen fourteen fifteen sixteen seventeen eighteen nineteen twenty thirty forty fifty sixty seventy eighty ninety hundred thousand million half third quarter once twice")
	months      = set("january february march april may june july august september october november december")
	weekdays    = set("monday tuesday wednesday thursday friday saturday sunday mondays tuesdays wednesdays thursdays fridays saturdays sundays")
	seasons     = set("spring summer autumn winter morning evening afternoon noon midnight night equinox solstice christmas easter weekend today tomorrow yesterday")
	measured    = map[string]bool{"second": true, "minut": true, "hour": true, "day": true, "week": true, "month": true, "year": true}
	times       = set("time date day year month week hour season morn even weekday centuri decad")
	placing     = set("in at on beside near under above below behind between inside within outside beneath before over along across around from to onto into through next")
	clauseEnds  = set("and but or which that who when while if because so than as where until unless since for")
	leading     = set("of the to by about and or only in on at")
	verbsFollow = set("you to not they it will may can must")
	rates       = set("a an per every each")
	pronouns    = set("it they she he this these")
)

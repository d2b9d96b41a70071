package retrieval

import (
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"github.com/kljensen/snowball/english"
	"github.com/kljensen/snowball/french"
	"github.com/kljensen/snowball/hungarian"
	"github.com/kljensen/snowball/norwegian"
	"github.com/kljensen/snowball/russian"
	"github.com/kljensen/snowball/spanish"
	"github.com/kljensen/snowball/swedish"
)

// token is a word of a text: as it stands there in lower case, and as what it
// is looked up. Identifiers and numbers with signs in them are kept whole, and
// their parts are tokens too.
type token struct {
	surface string
	term    string
	whole   bool // it has parts, which follow
	part    bool
}

var stemmers = map[string]func(string, bool) string{
	"en": english.Stem, "fr": french.Stem, "es": spanish.Stem, "ru": russian.Stem, "sv": swedish.Stem, "no": norwegian.Stem, "hu": hungarian.Stem,
}

// stems remembers stems: texts say the same words over and over.
type stems struct {
	mu    sync.RWMutex
	known map[string]string
}

const mostStems = 500_000

func (s *stems) of(language, word string) string {
	stem, ok := stemmers[language]
	if !ok && language == "" {
		stem, ok = english.Stem, true
	}
	if !ok || len(word) < 3 {
		return word
	}
	key := word
	if language != "" && language != "en" {
		key = language + " " + word
	}
	s.mu.RLock()
	found, known := s.known[key]
	s.mu.RUnlock()
	if known {
		return found
	}
	found = stem(word, false)
	s.mu.Lock()
	if s.known == nil || len(s.known) > mostStems {
		s.known = map[string]string{}
	}
	s.known[key] = found
	s.mu.Unlock()
	return found
}

// tokens hands over the tokens of a text.
func (s *stems) tokens(text, language string, do func(token)) {
	scan(text, func(word string) { s.split(word, language, do) })
}

// scan hands over the words of a text as they stand there.
func scan(text string, do func(word string)) {
	begin := -1
	end := func(to int) {
		if begin >= 0 {
			do(text[begin:to])
		}
		begin = -1
	}
	for i, r := range text {
		if r < utf8.RuneSelf && plain[r] {
			if begin < 0 {
				begin = i
			}
			continue
		}
		switch {
		case unicode.IsLetter(r) || unicode.IsDigit(r) || r == '_' || unicode.IsMark(r):
			if begin < 0 {
				begin = i
			}
			if r >= 0x2E80 && unicode.In(r, unicode.Han, unicode.Hiragana, unicode.Katakana) { // each is a word
				end(i)
				begin = i
				end(i + len(string(r)))
			}
		case begin >= 0 && strings.ContainsRune(`.-'’:/+#`, r):
			// They join what stands directly at both sides.
			next := text[i+len(string(r)):]
			if !joins(next) && !(r == '+' || r == '#') {
				end(i)
			}
		default:
			end(i)
		}
	}
	end(len(text))
}

// plain are the signs of ASCII that words are made of.
var plain = func() (p [utf8.RuneSelf]bool) {
	for r := range p {
		p[r] = r == '_' || unicode.IsLetter(rune(r)) || unicode.IsDigit(rune(r))
	}
	return p
}()

// joins reports whether a word goes on after a sign.
func joins(next string) bool {
	for _, r := range next {
		return unicode.IsLetter(r) || unicode.IsDigit(r) || r == '_'
	}
	return false
}

// longestToken is how many bytes of a token count.
const longestToken = 80

func (s *stems) split(word, language string, do func(token)) {
	if len(word) > longestToken {
		word = strings.ToValidUTF8(word[:longestToken], "")
	}
	word = strings.TrimRight(word, ".-'’:/")
	lower := strings.ToLower(word)
	lower = strings.ReplaceAll(lower, "’", "'")
	if at := strings.IndexByte(lower, '\''); at > 0 { // the dog's, don't
		if rest := lower[at+1:]; len(rest) <= 2 || at == len(lower)-2 {
			lower = lower[:at]
			word = word[:min(len(word), at)]
		}
	}
	parts := partsOf(word)
	if len(parts) <= 1 {
		plain := strings.Trim(lower, "_")
		if plain != lower && plain != "" { // __init__
			do(token{lower, lower, true, false})
			do(token{plain, s.of(language, plain), false, true})
			return
		}
		do(token{lower, s.of(language, lower), false, false})
		return
	}
	do(token{lower, lower, true, false})
	for _, p := range parts {
		p = strings.ToLower(p)
		do(token{p, s.of(language, p), false, true})
	}
}

// partsOf parts an identifier at its signs and where small letters meet capital
// ones.
func partsOf(word string) (parts []string) {
	var b strings.Builder
	end := func() {
		if b.Len() > 0 {
			parts = append(parts, b.String())
		}
		b.Reset()
	}
	runes := []rune(word)
	for i, r := range runes {
		switch {
		case !unicode.IsLetter(r) && !unicode.IsDigit(r) && !unicode.IsMark(r):
			end()
			continue
		case i > 0 && unicode.IsUpper(r) && unicode.IsLower(runes[i-1]):
			end()
		case i > 0 && i+1 < len(runes) && unicode.IsUpper(r) && unicode.IsUpper(runes[i-1]) && unicode.IsLower(runes[i+1]):
			end()
		}
		b.WriteRune(r)
	}
	end()
	return parts
}

// little are words that say little about what somebody asks for, beside those
// that every text has.
var little = func() map[string]bool {
	all := map[string]bool{}
	for _, w := range strings.Fields(`a an the of and or to in on at by for with from as is are was were be been being am do does did doing done
		have has had having it its this that these those i me my we our us you your he she they them their his her who whom whose which what when where why how
		can could may might must shall should will would not no nor if then than so such there here about into over under out up down off only just also too very
		any some all each every both either neither other another own same more most much many few one ones
		want wants need needs like get gets got getting let lets way ways thing things something someone anything anyone somehow please tell show find know
		der die das den dem des ein eine einen einem einer und oder ist sind war nicht mit von zu im in auf für wie was wer wo wann warum ich wir sie er es man kann muss soll
		le la les un une des de du et ou est sont dans que qui quoi comment pourquoi je nous vous il elle on pour pas par sur avec
		el los las y o es son en por para con no se su qué cómo cuándo dónde`) {
		all[w] = true
	}
	return all
}()

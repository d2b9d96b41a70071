package retrieval

import (
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"juvalogos/core/language"
)

// token is a word of a text: as it stands there in lower case, and as what it
// is looked up. Identifiers and numbers with signs in them are kept whole, and
// their parts are tokens too.
type token struct {
	surface string
	term    string
	whole   bool // it has parts, which follow
	part    bool
	single  bool // a character of a run without spaces, whose pairs are tokens too
}

// stems remembers stems: texts say the same words over and over.
type stems struct {
	mu    sync.RWMutex
	known map[string]string
}

const mostStems = 500_000

// of is the stem of a word. Words of a language without stemmers are theirs.
func (s *stems) of(code, word string) string {
	if !language.HasStems(code) || len(word) < 3 {
		return word
	}
	key := word
	if code != "" && code != "en" {
		key = code + " " + word
	}
	s.mu.RLock()
	found, known := s.known[key]
	s.mu.RUnlock()
	if known {
		return found
	}
	found = stemOf(code, word)
	s.mu.Lock()
	if s.known == nil || len(s.known) > mostStems {
		s.known = map[string]string{}
	}
	s.known[key] = found
	s.mu.Unlock()
	return found
}

// tokens hands over the tokens of a text.
func (s *stems) tokens(text, code string, do func(token)) {
	scan(text, func(word string) { s.split(word, code, do) })
}

// cut keeps identifiers, versions and paths whole: what joins stands directly
// at both sides; C++ and C# end with theirs.
var cut = language.Cutter{Signs: "_", Joins: func(_, sign, next rune) bool {
	return strings.ContainsRune(`.-'’:/+#`, sign) &&
		(unicode.IsLetter(next) || unicode.IsDigit(next) || next == '_' || sign == '+' || sign == '#')
}}.Ready()

// scan hands over the words of a text as they stand there. A run without spaces
// is one.
func scan(text string, do func(word string)) {
	cut.Each(text, func(w language.Word) bool {
		do(w.Text)
		return true
	})
}

// longestToken is how many bytes of a token count.
const longestToken = 80

func (s *stems) split(word, code string, do func(token)) {
	if first, _ := utf8.DecodeRuneInString(word); language.Unspaced(first) {
		unspaced(word, do)
		return
	}
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
			do(token{surface: lower, term: lower, whole: true})
			do(token{surface: plain, term: s.of(code, plain), part: true})
			return
		}
		do(token{surface: lower, term: s.of(code, lower)})
		return
	}
	do(token{surface: lower, term: lower, whole: true})
	for _, p := range parts {
		p = strings.ToLower(p)
		do(token{surface: p, term: s.of(code, p), part: true})
	}
}

// unspaced hands over the pairs of characters of a run, and each alone, by which
// a question of a single one finds it.
func unspaced(run string, do func(token)) {
	language.Bigrams(run, func(from, to int) {
		pair := run[from:to]
		do(token{surface: pair, term: pair})
	})
	language.Characters(run, func(from, to int) {
		if one := run[from:to]; len(one) < len(run) {
			do(token{surface: one, term: one, single: true})
		}
	})
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
		case i > 0 && i+1 < len(runes) && unicode.IsUpper(r) && unicode.IsUpper(runes[i-1]) &&
			unicode.IsLower(runes[i+1]):
			end()
		}
		b.WriteRune(r)
	}
	end()
	return parts
}

// stopWords are words that say little about what somebody asks for, beside those
// that every text has.
var stopWords = language.Union(language.StopWords("en"), language.StopWords("de"), language.StopWords("fr"),
	language.StopWords("es"),
	language.Quantifiers, asking)

// asking are words of questions rather than of what they ask for.
var asking = language.Set(`want wants need needs like get gets got getting let lets way ways thing things
	something someone anything anyone somehow please tell show find know`)

// saysLittle reports whether a word of a question says little in one of the
// documents' languages.
func (x *Index) saysLittle(word string) bool {
	if stopWords[word] {
		return true
	}
	for code := range x.languages {
		if language.StopWords(code)[word] {
			return true
		}
	}
	return false
}

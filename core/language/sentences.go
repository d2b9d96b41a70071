package language

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// abbreviations end in a full stop that ends no sentence.
var abbreviations = func() map[string]bool {
	all := map[string]bool{}
	for _, a := range strings.Fields("e.g i.e etc vs cf mr mrs ms dr prof st no nos fig figs vol pp p ed eds approx " +
		"dept inc ltd co jr sr al ca resp z.b bzw usw d.h vgl nr str jan feb mar apr jun jul aug sep sept oct nov " +
		"dec") {
		all[a] = true
	}
	return all
}()

// Sentences returns where the sentences of a text are, each with the white space
// after it left out, as bytes from and to. Nothing but white space lies between
// them.
func Sentences(text string) [][2]int {
	var all [][2]int
	begin := 0
	add := func(end int) {
		from, to := begin, end
		for from < to {
			r, n := utf8.DecodeRuneInString(text[from:to])
			if !unicode.IsSpace(r) {
				break
			}
			from += n
		}
		for from < to {
			r, n := utf8.DecodeLastRuneInString(text[from:to])
			if !unicode.IsSpace(r) {
				break
			}
			to -= n
		}
		if from < to {
			all = append(all, [2]int{from, to})
		}
		begin = end
	}
	for i, r := range text {
		switch r {
		case '\n':
			if strings.HasPrefix(text[i:], "\n\n") {
				add(i)
			}
			continue
		case '.', '!', '?', '…', '。', '！', '？':
		default:
			continue
		}
		end := i + utf8.RuneLen(r)
		for end < len(text) { // quotation marks and brackets, more stops, and notes such as [2]
			n, size := utf8.DecodeRuneInString(text[end:])
			if !strings.ContainsRune(`"'”’»)]…!?.`, n) {
				break
			}
			end += size
		}
		for end < len(text) && text[end] == '[' {
			shut := strings.IndexByte(text[end:min(len(text), end+14)], ']')
			if shut < 0 || shut > 12 || strings.Trim(text[end+1:end+shut], "0123456789, -–") != "" {
				break
			}
			end += shut + 1
		}
		if end <= begin || i < begin {
			continue
		}
		if r == '。' || r == '！' || r == '？' {
			add(end)
			continue
		}
		if end < len(text) && !startsAnew(text[end:]) {
			continue
		}
		if r == '.' && end == i+1 && endsShort(text[begin:i]) && end < len(text) {
			continue
		}
		add(end)
	}
	add(len(text))
	return all
}

// startsAnew reports whether what follows a full stop can begin a sentence:
// white space, then no small letter.
func startsAnew(rest string) bool {
	space := false
	for _, r := range rest {
		if unicode.IsSpace(r) {
			space = true
			continue
		}
		return space && !unicode.IsLower(r)
	}
	return true
}

// endsShort reports whether a text ends with an abbreviation or an initial.
func endsShort(text string) bool {
	word := text[strings.LastIndexFunc(text, unicode.IsSpace)+1:]
	word = strings.TrimLeft(word, `("'“[`)
	if abbreviations[strings.ToLower(word)] {
		return true
	}
	return utf8.RuneCountInString(word) == 1 && strings.ToUpper(word) == word &&
		strings.ContainsFunc(word, unicode.IsLetter) && word != "I"
}

package jsontext

import (
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"
)

// mend reads JSON as models break it, from the first bracket on.
func mend(text string) (Extraction, bool) {
	var best Extraction
	for from, tried := 0, 0; tried < mostTried; tried++ {
		at := strings.IndexAny(text[from:], "{[")
		if at < 0 {
			break
		}
		at += from
		p := &reader{text: text, at: at}
		v, ok := p.value(0)
		if ok && weighty(v) && (best.Value == nil || weight(v) > weight(best.Value)) {
			best = Extraction{Value: v, Mended: p.mended}
		}
		from = max(p.at, at+1)
		if !ok {
			from = at + 1
		}
	}
	return best, best.Value != nil
}

// deepest bounds nesting.
const deepest = 100

// reader reads values leniently. Every method leaves at behind what it read.
type reader struct {
	text   string
	at     int
	mended []string
}

func (p *reader) mend(what string) {
	if !slices.Contains(p.mended, what) {
		p.mended = append(p.mended, what)
	}
}

func (p *reader) peek() byte {
	if p.at >= len(p.text) {
		return 0
	}
	return p.text[p.at]
}

// space skips white space and comments.
func (p *reader) space() {
	for p.at < len(p.text) {
		r, n := utf8.DecodeRuneInString(p.text[p.at:])
		rest := p.text[p.at:]
		switch {
		case unicode.IsSpace(r) || r == '\u00a0' || r == '\uFEFF':
			p.at += n
		case strings.HasPrefix(rest, "//") || r == '#':
			p.mend("a comment")
			end := strings.IndexByte(rest, '\n')
			if end < 0 {
				end = len(rest)
			}
			p.at += end
		case strings.HasPrefix(rest, "/*"):
			p.mend("a comment")
			end := strings.Index(rest, "*/")
			if end < 0 {
				end = len(rest) - 2
			}
			p.at += end + 2
		default:
			return
		}
	}
}

func (p *reader) value(depth int) (any, bool) {
	p.space()
	if depth > deepest {
		return nil, false
	}
	switch c := p.peek(); {
	case c == 0:
		return nil, false
	case c == '{':
		return p.object(depth)
	case c == '[':
		return p.list(depth)
	case quoteEnd(p.text[p.at:]) != "":
		return p.quoted(), true
	}
	return p.bare()
}

func (p *reader) object(depth int) (any, bool) {
	p.at++
	object := map[string]any{}
	for {
		p.space()
		switch c := p.peek(); {
		case c == 0:
			p.mend("the end was missing")
			return object, true
		case c == '}':
			p.at++
			return object, true
		case c == ',':
			p.at++
			continue
		case c == ']':
			p.mend("a wrong bracket")
			p.at++
			return object, true
		}
		key, ok := p.key()
		if !ok {
			return object, len(object) > 0
		}
		p.space()
		if c := p.peek(); c == ':' || c == '=' {
			if c == '=' {
				p.mend("= for :")
			}
			p.at++
			if p.peek() == '>' {
				p.at++
			}
		} else if c == 0 {
			p.mend("the end was missing")
			return object, true
		} else {
			return object, len(object) > 0
		}
		p.space()
		if c := p.peek(); c == ',' || c == '}' {
			p.mend("a value was missing")
			object[key] = nil
			continue
		}
		v, ok := p.value(depth + 1)
		if !ok {
			if p.at >= len(p.text) {
				p.mend("the end was missing")
				object[key] = nil
				return object, true
			}
			return object, len(object) > 0
		}
		object[key] = v
		p.between('}')
	}
}

func (p *reader) list(depth int) (any, bool) {
	p.at++
	list := []any{}
	for {
		p.space()
		switch c := p.peek(); {
		case c == 0:
			p.mend("the end was missing")
			return list, true
		case c == ']':
			p.at++
			return list, true
		case c == ',':
			p.at++
			continue
		case c == '}':
			p.mend("a wrong bracket")
			return list, true
		case strings.HasPrefix(p.text[p.at:], "..."):
			p.mend("dots for what was left out")
			p.at += 3
			continue
		}
		v, ok := p.value(depth + 1)
		if !ok {
			return list, len(list) > 0
		}
		list = append(list, v)
		p.between(']')
	}
}

// between reads the comma after an entry, which may be missing, or one too
// many before the end.
func (p *reader) between(end byte) {
	p.space()
	if p.peek() != ',' && p.peek() != ';' {
		if c := p.peek(); c != end && c != 0 && c != '}' && c != ']' {
			p.mend("a comma was missing")
		}
		return
	}
	if p.peek() == ';' {
		p.mend("; for ,")
	}
	p.at++
	p.space()
	if p.peek() == end {
		p.mend("a comma too many")
	}
}

func (p *reader) key() (string, bool) {
	if quoteEnd(p.text[p.at:]) != "" {
		return p.quoted(), true
	}
	start := p.at
	for p.at < len(p.text) {
		r, n := utf8.DecodeRuneInString(p.text[p.at:])
		if !unicode.IsLetter(r) && !unicode.IsDigit(r) && r != '_' && r != '-' && r != '$' && r != '.' {
			break
		}
		p.at += n
	}
	if p.at == start {
		return "", false
	}
	p.mend("a name without quotation marks")
	return p.text[start:p.at], true
}

// quoteEnd returns the mark that ends a text that begins with one; "" if text
// does not.
func quoteEnd(text string) string {
	for _, pair := range [][2]string{{`"`, `"`}, {"'", "'"}, {"“", "”"}, {"„", "“"}, {"”", "”"}, {"‘", "’"}, {"«", "»"},
		{"`", "`"}} {
		if strings.HasPrefix(text, pair[0]) {
			return pair[1]
		}
	}
	return ""
}

// quoted reads a text in quotation marks. A mark that is followed by more of
// the same text is taken to belong to it.
func (p *reader) quoted() string {
	end := quoteEnd(p.text[p.at:])
	_, n := utf8.DecodeRuneInString(p.text[p.at:])
	if p.text[p.at] != '"' {
		p.mend("other quotation marks")
	}
	p.at += n
	var b strings.Builder
	for p.at < len(p.text) {
		rest := p.text[p.at:]
		switch {
		case rest[0] == '\\' && len(rest) > 1:
			p.escape(&b)
		case strings.HasPrefix(rest, end):
			if !p.ends(rest[len(end):]) {
				p.mend("a quotation mark within a text")
				b.WriteString(end)
				p.at += len(end)
				continue
			}
			p.at += len(end)
			return b.String()
		default:
			r, n := utf8.DecodeRuneInString(rest)
			if r < 0x20 {
				p.mend("a line break within a text")
			}
			b.WriteRune(r)
			p.at += n
		}
	}
	p.mend("the end was missing")
	return strings.TrimRight(b.String(), " \n\t")
}

// entry is how the next entry begins, where a comma before it is missing.
var entry = regexp.MustCompile(`^(["“'\[{\d-]|[\w-]+\s*:|(true|false|null|True|False|None)\b)`)

// ends reports whether what follows a quotation mark can follow a text.
func (p *reader) ends(after string) bool {
	rest := strings.TrimLeft(after, " \t\r\n")
	if rest == "" || strings.ContainsRune(",:}];=", rune(rest[0])) || strings.HasPrefix(rest, "//") ||
		strings.HasPrefix(rest, "/*") || rest[0] == '#' || strings.HasPrefix(rest, "```") {
		return true
	}
	if newLine := strings.Contains(after[:len(after)-len(rest)], "\n"); newLine && entry.MatchString(rest) {
		return true // a comma was forgotten at the end of the line
	}
	// "a" "b": a comma was forgotten; "say "yes" now": it was not.
	if mark := quoteEnd(rest); mark != "" {
		_, n := utf8.DecodeRuneInString(rest)
		after := strings.TrimLeft(rest[n:], " ")
		return after != "" && !strings.ContainsRune(",.;:!?)}]", rune(after[0]))
	}
	return false
}

func (p *reader) escape(b *strings.Builder) {
	c := p.text[p.at+1]
	p.at += 2
	switch c {
	case 'n':
		b.WriteByte('\n')
	case 't':
		b.WriteByte('\t')
	case 'r':
		b.WriteByte('\r')
	case 'b':
		b.WriteByte('\b')
	case 'f':
		b.WriteByte('\f')
	case 'u':
		b.WriteRune(p.unicode())
	case '"', '\\', '/':
		b.WriteByte(c)
	default:
		p.mend("a backslash too many")
		p.at--
	}
}

// unicode reads the four digits behind \u, and a second half if there is one.
func (p *reader) unicode() rune {
	read := func() (rune, bool) {
		if p.at+4 > len(p.text) {
			return 0, false
		}
		n, err := strconv.ParseUint(p.text[p.at:p.at+4], 16, 32)
		if err == nil {
			p.at += 4
		}
		return rune(n), err == nil
	}
	r, ok := read()
	if !ok {
		p.mend("a broken escape")
		return utf8.RuneError
	}
	if r >= 0xD800 && r < 0xDC00 && strings.HasPrefix(p.text[p.at:], `\u`) {
		back := p.at
		p.at += 2
		if low, ok := read(); ok && low >= 0xDC00 && low < 0xE000 {
			return (r-0xD800)<<10 | (low - 0xDC00) + 0x10000
		}
		p.at = back
	}
	if r >= 0xD800 && r < 0xE000 {
		p.mend("a broken escape")
		return utf8.RuneError
	}
	return r
}

// bare reads what stands without quotation marks: numbers, true and the like,
// or a text that lacks them.
func (p *reader) bare() (any, bool) {
	start := p.at
	for p.at < len(p.text) && !strings.ContainsRune(",}]\n", rune(p.text[p.at])) &&
		!strings.HasPrefix(p.text[p.at:], "//") {
		p.at++
	}
	word := strings.TrimSpace(p.text[start:p.at])
	if word == "" {
		return nil, false
	}
	switch word {
	case "true", "false":
		return word == "true", true
	case "null":
		return nil, true
	case "True", "False", "TRUE", "FALSE", "yes", "no":
		p.mend(word + " for a truth")
		return strings.EqualFold(word, "true") || word == "yes", true
	case "None", "NULL", "nil", "undefined", "NaN", "Infinity", "-Infinity":
		p.mend(word + " for null")
		return nil, true
	}
	if n, err := strconv.ParseFloat(word, 64); err == nil {
		if word[0] == '+' || word[0] == '.' || strings.HasSuffix(word, ".") || strings.ContainsAny(word, "xXpP_") {
			p.mend("a number written otherwise")
		}
		return n, true
	}
	if n, err := strconv.ParseFloat(strings.ReplaceAll(word, "_", ""), 64); err == nil {
		p.mend("a number written otherwise")
		return n, true
	}
	p.mend("a text without quotation marks")
	return strings.TrimRight(word, `"'`), true
}

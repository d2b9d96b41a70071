package reading

import (
	"bytes"
	"context"
	"regexp"
	"strings"
	letters "unicode"
	"unicode/utf8"

	"github.com/gogs/chardet"
	"golang.org/x/net/html/charset"
	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/encoding/unicode/utf32"
)

func isLetter(r rune) bool { return letters.IsLetter(r) }
func isLower(r rune) bool  { return letters.IsLower(r) }

// decode makes UTF-8 of text in a common encoding: what its first bytes say,
// else UTF-8 if it is valid, UTF-16 or UTF-32 if its bytes have zeros where
// these have them, else what a detector makes of it. The error is a *Problem
// where nothing makes sense of it.
func decode(name string, body []byte) (string, error) {
	if e := unicodeOf(body); e != nil {
		if text, ok := decoded(e, body); ok {
			return text, nil
		}
		return "", garbled(name)
	}
	body = bytes.TrimPrefix(body, []byte("\xef\xbb\xbf"))
	if utf8.Valid(body) && !bytes.Contains(body, []byte("\x1b$")) {
		return string(body), nil
	}
	if text, ok := nearlyUTF8(body); ok {
		return text, nil
	}
	var best encoding.Encoding
	least := mostOdd
	head := body[:min(len(body), 400_000)]
	for _, e := range likely(body) {
		if text, ok := decoded(e, head); ok {
			if odd := oddness(text); odd < least {
				best, least = e, odd
			}
		}
	}
	if best == nil {
		return "", garbled(name)
	}
	text, ok := decoded(best, body)
	if !ok {
		return "", garbled(name)
	}
	return text, nil
}

func garbled(name string) *Problem {
	return problem(name, "its letters cannot be made out; save it as UTF-8 and add it again")
}

// unicodeOf is the encoding that a text's first bytes, or its zeros, tell.
func unicodeOf(body []byte) encoding.Encoding {
	switch {
	case bytes.HasPrefix(body, []byte{0xff, 0xfe, 0, 0}):
		return utf32.UTF32(utf32.LittleEndian, utf32.UseBOM)
	case bytes.HasPrefix(body, []byte{0, 0, 0xfe, 0xff}):
		return utf32.UTF32(utf32.BigEndian, utf32.UseBOM)
	case bytes.HasPrefix(body, []byte{0xff, 0xfe}):
		return unicode.UTF16(unicode.LittleEndian, unicode.UseBOM)
	case bytes.HasPrefix(body, []byte{0xfe, 0xff}):
		return unicode.UTF16(unicode.BigEndian, unicode.UseBOM)
	}
	head := body[:min(len(body), 4096)]
	zeros := [4]int{}
	for i, b := range head {
		if b == 0 {
			zeros[i%4]++
		}
	}
	each := len(head)/4 + 1
	most := func(i int) bool { return zeros[i]*10 > each*9 }
	few := func(i int) bool { return zeros[i]*20 < each }
	switch {
	case most(2) && most(3) && few(0):
		return utf32.UTF32(utf32.LittleEndian, utf32.IgnoreBOM)
	case most(0) && most(1) && few(3):
		return utf32.UTF32(utf32.BigEndian, utf32.IgnoreBOM)
	case (zeros[1]+zeros[3])*5 > len(head) && (zeros[0]+zeros[2])*20 < zeros[1]+zeros[3]:
		return unicode.UTF16(unicode.LittleEndian, unicode.IgnoreBOM)
	case (zeros[0]+zeros[2])*5 > len(head) && (zeros[1]+zeros[3])*20 < zeros[0]+zeros[2]:
		return unicode.UTF16(unicode.BigEndian, unicode.IgnoreBOM)
	}
	return nil
}

func decoded(e encoding.Encoding, body []byte) (string, bool) {
	text, err := e.NewDecoder().Bytes(body)
	return string(text), err == nil
}

// nearlyUTF8 is text in UTF-8 with a few broken bytes in it.
func nearlyUTF8(body []byte) (string, bool) {
	good, bad := 0, 0
	for rest := body; len(rest) > 0; {
		r, n := utf8.DecodeRune(rest)
		switch {
		case r == utf8.RuneError && n == 1:
			bad++
		case n > 1:
			good++
		}
		rest = rest[n:]
	}
	if good == 0 || bad*10 > good {
		return "", false
	}
	return strings.ToValidUTF8(string(body), "\uFFFD"), true
}

// likely are the encodings that a text may be in, the likeliest first.
func likely(body []byte) (all []encoding.Encoding) {
	head := body[:min(len(body), 200_000)]
	if bytes.IndexByte(head, '\r') >= 0 && bytes.IndexByte(head, '\n') < 0 { // as lines ended on old Macs
		all = append(all, charmap.Macintosh)
	}
	found, err := chardet.NewTextDetector().DetectAll(head)
	if err != nil {
		found = nil
	}
	for _, f := range found {
		called := f.Charset
		if called == "GB-18030" {
			called = "gb18030"
		}
		if e, _ := charset.Lookup(called); e != nil && f.Charset != "UTF-8" {
			all = append(all, e)
		}
		if f.Charset == "ISO-8859-2" || f.Charset == "windows-1250" { // they differ in a few letters
			all = append(all, charmap.Windows1250, charmap.ISO8859_2)
		}
	}
	return append(all, charmap.Windows1252, charmap.CodePage866, charmap.CodePage437)
}

// mostOdd is how odd a text may be, in parts of its letters that are not ASCII.
const mostOdd = 0.2

// mixed counts letters of one language's own among those of another's, by the
// fewer: encodings of Central Europe differ in some of them only.
func mixed(text string) int {
	polish, southern := 0, 0
	for _, r := range text {
		switch {
		case r < 0x80:
		case strings.ContainsRune("ąęłżźśĄĘŁŻŹŚ", r):
			polish++
		case strings.ContainsRune("ěščřžůťďňľĚŠČŘŽŮŤĎŇĽ", r):
			southern++
		}
	}
	return min(polish, southern)
}

// oddness is how much in a text people do not write: what could not be decoded,
// control characters, frames, letters of two scripts in one word, capitals after
// small ones.
func oddness(text string) float64 {
	odd, all := 0, 0
	before, script := rune(0), ""
	for _, r := range text {
		if r < 0x80 {
			if r < ' ' && r != '\n' && r != '\r' && r != '\t' && r != '\f' {
				odd++
				all++
			}
			if !isLetter(r) {
				script = ""
			} else if script == "" {
				script = "Latin"
			}
			before = r
			continue
		}
		all++
		switch {
		case r == utf8.RuneError, r < 0xa0, letters.Is(letters.Co, r), r >= 0x2500 && r < 0x25a0:
			odd += 2
		case !isLetter(r) && !letters.IsPunct(r) && !letters.IsSpace(r) && !letters.Is(letters.Mn, r) && r < 0x2000:
			odd++
		case isLetter(r):
			own := "Latin"
			for _, s := range []string{"Cyrillic", "Greek", "Arabic", "Hebrew", "Thai"} {
				if letters.Is(letters.Scripts[s], r) {
					own = s
				}
			}
			if script != "" && own != script && r < 0x2e80 || letters.IsUpper(r) && isLower(before) {
				odd++
			}
			script = own
		}
		if !isLetter(r) {
			script = ""
		}
		before = r
	}
	if all == 0 {
		return 0
	}
	return float64(odd+mixed(text)) / float64(all)
}

var (
	bullet    = regexp.MustCompile(`^\s*([-*•‣–]|\(?\d{1,3}[.)])\s+`)
	underline = regexp.MustCompile(`^(={3,}|-{3,}|~{3,}|\^{3,}|#{3,}|\*{3,})\s*$`)
)

// otherText is what a file of text is that is nothing else.
var otherText = register(format{name: "text", title: "text", endings: []string{".txt", ".text", ".rst", ".log"},
	read: readText})

// readText reads running text: paragraphs are parted by empty lines or by an
// indented first line; a line that is underlined is a heading, and so is a
// short one in capitals that stands alone.
func readText(ctx context.Context, name string, body []byte, _ Limits) (d Document, err error) {
	text, err := decode(name, body)
	if err != nil {
		return d, err
	}
	lines := strings.Split(strings.NewReplacer("\r\n", "\n", "\r", "\n", "\f", "\n\n").Replace(text), "\n")
	var paragraph []string
	begun := 0
	end := func() {
		if len(paragraph) == 0 {
			return
		}
		b := Block{Kind: Paragraph, Text: joinLines(paragraph), Line: begun}
		switch one := paragraph[0]; {
		case bullet.MatchString(one):
			b.Kind = Item
		case len(paragraph) == 1 && len(b.Text) < 80 && b.Text == strings.ToUpper(b.Text) &&
			strings.ContainsFunc(b.Text, isLetter) && !strings.HasSuffix(b.Text, "."):
			b.Kind, b.Level = Heading, 2
		}
		d.Blocks = append(d.Blocks, b)
		paragraph = nil
	}
	for i, line := range lines {
		if i%10_000 == 0 && ctx.Err() != nil {
			return d, context.Cause(ctx)
		}
		switch trimmed := strings.TrimSpace(line); {
		case trimmed == "":
			end()
			continue
		case underline.MatchString(trimmed) && len(paragraph) == 1 &&
			utf8.RuneCountInString(trimmed) >= utf8.RuneCountInString(strings.TrimSpace(paragraph[0]))-1:
			level := 2
			if trimmed[0] == '=' || trimmed[0] == '#' || trimmed[0] == '*' {
				level = 1
			}
			d.Blocks = append(d.Blocks, Block{Kind: Heading, Text: squeeze(paragraph[0]), Level: level, Line: begun})
			paragraph = nil
			continue
		case bullet.MatchString(line) || strings.HasPrefix(line, "    ") && len(paragraph) > 0 &&
			!strings.HasPrefix(paragraph[len(paragraph)-1], " ") && !bullet.MatchString(paragraph[0]):
			end()
		}
		if len(paragraph) == 0 {
			begun = i + 1
		}
		paragraph = append(paragraph, line)
	}
	end()
	return d, nil
}

// joinLines makes one line of several, and one word of one that was hyphenated.
func joinLines(lines []string) string {
	var text []byte
	for _, line := range lines {
		text = joinLine(text, squeeze(line))
	}
	return string(text)
}

// joinLine adds a line to a text, with a space between or, where a word goes on
// in it that was hyphenated, without the hyphen.
func joinLine(text []byte, line string) []byte {
	if len(text) == 0 || line == "" {
		return append(text, line...)
	}
	whole := bytes.TrimRight(text, "-\u2010\u00ad")
	if cut := text[len(whole):]; bytes.ContainsRune(cut, '\u00ad') {
		return append(whole, line...)
	} else if len(cut) == 1 || string(cut) == "\u2010" {
		before, _ := utf8.DecodeLastRune(whole)
		after, _ := utf8.DecodeRuneInString(line)
		if isLower(before) && isLower(after) {
			return append(whole, line...)
		}
	}
	return append(append(text, ' '), line...)
}

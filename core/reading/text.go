package reading

import (
	"bytes"
	"context"
	"regexp"
	"strings"
	letters "unicode"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
)

func isLetter(r rune) bool { return letters.IsLetter(r) }
func isLower(r rune) bool  { return letters.IsLower(r) }

// decode makes UTF-8 of text in a common encoding: what its first bytes say,
// else UTF-8 if it is valid, else UTF-16 if every other byte is zero, else one
// of the old Western ones.
func decode(body []byte) string {
	use := func(e encoding.Encoding) string {
		text, err := e.NewDecoder().Bytes(body)
		if err != nil {
			return strings.ToValidUTF8(string(body), "\uFFFD")
		}
		return string(text)
	}
	switch {
	case bytes.HasPrefix(body, []byte("\xef\xbb\xbf")):
		return strings.ToValidUTF8(string(body[3:]), "\uFFFD")
	case bytes.HasPrefix(body, []byte{0xff, 0xfe}):
		return use(unicode.UTF16(unicode.LittleEndian, unicode.UseBOM))
	case bytes.HasPrefix(body, []byte{0xfe, 0xff}):
		return use(unicode.UTF16(unicode.BigEndian, unicode.UseBOM))
	}
	zeros := [2]int{}
	for i, b := range body[:min(len(body), 4096)] {
		if b == 0 {
			zeros[i%2]++
		}
	}
	switch n := min(len(body), 4096); {
	case zeros[1]*5 > n && zeros[0]*20 < zeros[1]:
		return use(unicode.UTF16(unicode.LittleEndian, unicode.IgnoreBOM))
	case zeros[0]*5 > n && zeros[1]*20 < zeros[0]:
		return use(unicode.UTF16(unicode.BigEndian, unicode.IgnoreBOM))
	case utf8.Valid(body):
		return string(body)
	case oldMac(body):
		return use(charmap.Macintosh)
	}
	return use(charmap.Windows1252)
}

// oldMac reports text whose lines end as they did on old Macs.
func oldMac(body []byte) bool {
	return bytes.IndexByte(body, '\r') >= 0 && bytes.IndexByte(body, '\n') < 0
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
func readText(ctx context.Context, _ string, body []byte, _ Limits) (d Document, err error) {
	lines := strings.Split(strings.NewReplacer("\r\n", "\n", "\r", "\n", "\f", "\n\n").Replace(decode(body)), "\n")
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
	var b strings.Builder
	for i, line := range lines {
		line = squeeze(line)
		if i > 0 && line != "" {
			if !unhyphenate(&b, line) {
				b.WriteByte(' ')
			}
		}
		b.WriteString(line)
	}
	return b.String()
}

// unhyphenate drops a hyphen at the end of what was written if the word goes on
// in next, and reports whether it did.
func unhyphenate(b *strings.Builder, next string) bool {
	said := b.String()
	if strings.HasSuffix(said, "\u00ad") { // a soft hyphen
		b.Reset()
		b.WriteString(strings.TrimSuffix(said, "\u00ad"))
		return true
	}
	if !strings.HasSuffix(said, "-") || len(said) < 3 {
		return false
	}
	before, _ := utf8.DecodeLastRuneInString(said[:len(said)-1])
	after, _ := utf8.DecodeRuneInString(next)
	if !isLower(before) || !isLower(after) {
		return false
	}
	b.Reset()
	b.WriteString(said[:len(said)-1])
	return true
}

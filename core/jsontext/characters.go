package jsontext

import (
	"bytes"
	"strconv"
	"unicode/utf8"
)

// Joiner puts characters together again that were cut in two: the bytes of one, or
// the halves of one that JSON escapes as a pair of surrogates (RFC 8259, 7).
type Joiner struct{ held []byte }

// Join returns the whole characters of what is held and text; what may go on is
// held. What was held and cannot go on becomes U+FFFD.
func (j *Joiner) Join(text []byte) []byte {
	if len(j.held) == 0 && utf8.Valid(text) {
		return text
	}
	all := append(j.held, text...)
	j.held = nil
	whole := make([]byte, 0, len(all))
	for len(all) > 0 {
		if high, ok := surrogate(all); ok && high < 0xDC00 {
			low, also := surrogate(all[3:])
			switch {
			case also && low >= 0xDC00:
				whole = utf8.AppendRune(whole, (high-0xD800)<<10+(low-0xDC00)+0x10000)
				all = all[6:]
				continue
			case len(all) == 3 || len(all) < 6 && all[3] == 0xED:
				j.held = all
				return whole
			}
		} else if ok {
			whole, all = utf8.AppendRune(whole, utf8.RuneError), all[3:]
			continue
		}
		if !utf8.FullRune(all) || len(all) == 2 && all[0] == 0xED && all[1] >= 0xA0 && all[1] <= 0xBF {
			j.held = all
			return whole
		}
		r, n := utf8.DecodeRune(all)
		if ok := r == utf8.RuneError && n == 1; ok && all[0] == 0xED && len(all) >= 3 {
			if _, half := surrogate(all); half {
				n = 3
			}
		}
		whole, all = utf8.AppendRune(whole, r), all[n:]
	}
	return whole
}

// Rest is what is held at the end.
func (j *Joiner) Rest() []byte {
	if len(j.held) == 0 {
		return nil
	}
	j.held = nil
	return []byte(string(utf8.RuneError))
}

// surrogate reads half a character as three bytes, as Halves writes it.
func surrogate(b []byte) (rune, bool) {
	if len(b) < 3 || b[0] != 0xED || b[1] < 0xA0 || b[1] > 0xBF || b[2]&0xC0 != 0x80 {
		return 0, false
	}
	return 0xD000 | rune(b[1]&0x3F)<<6 | rune(b[2]&0x3F), true
}

// Halves writes escaped halves of characters that stand alone in JSON as three
// bytes each, so that they come through a parser and can be joined.
func Halves(data []byte) []byte {
	if !bytes.Contains(data, []byte(`\ud`)) && !bytes.Contains(data, []byte(`\uD`)) {
		return data
	}
	var out []byte
	from := 0
	for i := 0; i+6 <= len(data); {
		if data[i] != '\\' {
			i++
			continue
		}
		if data[i+1] != 'u' {
			i += 2 // another escape, perhaps of a backslash
			continue
		}
		r, ok := escaped(data[i:])
		if !ok || r < 0xD800 || r > 0xDFFF {
			i += 6
			continue
		}
		if next, ok := escaped(data[i+6:]); ok && r < 0xDC00 && next >= 0xDC00 && next <= 0xDFFF {
			i += 12 // a whole pair
			continue
		}
		out = append(out, data[from:i]...)
		out = append(out, 0xED, 0x80|byte(r>>6&0x3F), 0x80|byte(r&0x3F))
		i += 6
		from = i
	}
	if out == nil {
		return data
	}
	return append(out, data[from:]...)
}

// escaped reads \uXXXX.
func escaped(b []byte) (rune, bool) {
	if len(b) < 6 || b[0] != '\\' || b[1] != 'u' {
		return 0, false
	}
	n, err := strconv.ParseUint(string(b[2:6]), 16, 16)
	return rune(n), err == nil
}

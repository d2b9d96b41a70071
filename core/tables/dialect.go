package tables

import (
	"bytes"
	"math"
)

// Dialect is how a file of separated values is written.
type Dialect struct {
	Comma   byte `json:"comma"`   // between cells
	Quote   byte `json:"quote"`   // around cells
	Escape  byte `json:"escape"`  // before a quote within quotes; that quote itself if it is doubled
	Columns int  `json:"columns"` // that most of its rows have
}

// oneColumn is what parts cells where nothing does: a sign that no text has.
const oneColumn = 0x1f

// mostSniffed is how many records are looked at to tell how a file is written.
const mostSniffed = 300

// Sniff tells from the beginning of a file, in UTF-8, how it is written: of all signs
// that may stand between cells the one that parts its records most evenly into the most
// cells that hold no other such sign.
func Sniff(head []byte) Dialect {
	best, score := Dialect{Comma: oneColumn, Quote: '"', Escape: '"', Columns: 1}, 0.0
	for _, quote := range []byte{'"', '\''} {
		if quote == '\'' && !quotes(head, '\'') {
			continue
		}
		escape := quote
		if bytes.Contains(head, []byte{'\\', quote}) && !bytes.Contains(head, []byte{quote, quote, quote}) {
			escape = '\\'
		}
		for _, comma := range []byte(",;\t|:") {
			d := Dialect{Comma: comma, Quote: quote, Escape: escape}
			s := d.fits(head)
			if quote == '\'' {
				s *= 1.05 // it is there, around cells
			}
			if s > score {
				best, score = d, s
			}
		}
	}
	best.Columns = max(1, best.modal(head))
	return best
}

// quotes reports whether cells of a file often stand between quotes of a kind.
func quotes(head []byte, quote byte) bool {
	begins, ends := 0, 0
	for i := 1; i < len(head); i++ {
		sign := bytes.IndexByte([]byte(",;\t|\n\r"), head[i-1]) >= 0
		if sign && head[i] == quote {
			begins++
		}
		if head[i-1] == quote && bytes.IndexByte([]byte(",;\t|\n\r"), head[i]) >= 0 {
			ends++
		}
	}
	return begins > 2 && ends > 2 && begins*2 > ends && ends*2 > begins && !bytes.ContainsRune(head, '"')
}

// widths counts the cells of the first records.
func (d Dialect) widths(head []byte) (widths []int, odd, cells int) {
	for len(head) > 0 && len(widths) < mostSniffed {
		record, rest, whole := d.cut(head)
		if !whole && len(widths) > 0 {
			break // the head ends within it
		}
		head = rest
		if len(bytes.TrimSpace(record)) == 0 {
			continue
		}
		fields := d.fields(nil, record)
		widths = append(widths, len(fields))
		for _, f := range fields {
			cells++
			if bytes.ContainsAny(f, ";\t|") {
				odd++
			}
		}
	}
	return widths, odd, cells
}

func (d Dialect) modal(head []byte) int {
	widths, _, _ := d.widths(head)
	n, _ := modalOf(widths)
	return n
}

func modalOf(widths []int) (width, times int) {
	count := map[int]int{}
	for _, n := range widths {
		count[n]++
		if count[n] > times || count[n] == times && n > width {
			width, times = n, count[n]
		}
	}
	return width, times
}

// fits is how well a file is parted this way; 0: not at all.
func (d Dialect) fits(head []byte) float64 {
	widths, odd, cells := d.widths(head)
	width, times := modalOf(widths)
	if width < 2 {
		return 0
	}
	even := float64(times) / float64(len(widths))
	clean := 1 - float64(odd)/float64(cells)
	usual := 1.0
	if d.Comma == ':' {
		usual = 0.5 // it stands in times of day
	}
	return even * even * clean * usual * (1 + math.Log2(float64(width))/20)
}

// cut cuts the first record off; whole is false where the text ends before it does.
func (d Dialect) cut(text []byte) (record, rest []byte, whole bool) {
	quoted := false
	for at := 0; at < len(text); {
		end := bytes.IndexByte(text[at:], '\n')
		if end < 0 {
			break
		}
		quoted = d.quotedAfter(text[at:at+end+1], quoted)
		if at += end + 1; !quoted {
			return trimLine(text[:at]), text[at:], true
		}
	}
	return text, nil, false
}

// quotedAfter reports whether at the end of a line a cell in quotes goes on, where it
// did or did not at the line's beginning. A quote opens only where a cell begins.
func (d Dialect) quotedAfter(line []byte, quoted bool) bool {
	begins := true
	for i := 0; i < len(line); i++ {
		switch c := line[i]; {
		case quoted && c == d.Escape && d.Escape != d.Quote:
			i++
		case quoted && c == d.Quote && d.Escape == d.Quote && i+1 < len(line) && line[i+1] == d.Quote:
			i++
		case quoted && c == d.Quote:
			quoted, begins = false, false
		case quoted:
		case c == d.Quote && begins:
			quoted = true
		case c == d.Comma:
			begins = true
		case c != ' ':
			begins = false
		}
	}
	return quoted
}

// fields parts a record into its cells, without their quotes.
func (d Dialect) fields(into [][]byte, record []byte) [][]byte {
	for {
		start := 0
		for start < len(record) && record[start] == ' ' {
			start++
		}
		if start < len(record) && record[start] == d.Quote {
			field, rest, more := d.quoted(record[start+1:])
			into = append(into, field)
			if !more {
				return into
			}
			record = rest
			continue
		}
		end := bytes.IndexByte(record, d.Comma)
		if end < 0 {
			return append(into, record)
		}
		into = append(into, record[:end])
		record = record[end+1:]
	}
}

// quoted reads a cell whose opening quote is behind; what stands between its closing
// quote and the next comma belongs to it.
func (d Dialect) quoted(record []byte) (field, rest []byte, more bool) {
	for i := 0; i < len(record); i++ {
		switch c := record[i]; {
		case c == d.Escape && d.Escape != d.Quote && i+1 < len(record):
			i++
			field = append(field, record[i])
		case c == d.Quote && d.Escape == d.Quote && i+1 < len(record) && record[i+1] == d.Quote:
			i++
			field = append(field, c)
		case c == d.Quote:
			end := bytes.IndexByte(record[i+1:], d.Comma)
			if end < 0 {
				return append(field, bytes.TrimRight(record[i+1:], " ")...), nil, false
			}
			return append(field, bytes.TrimRight(record[i+1:i+1+end], " ")...), record[i+1+end+1:], true
		default:
			field = append(field, c)
		}
	}
	return field, nil, false // it never ends
}

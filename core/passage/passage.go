// Package passage splits documents into passages: chunks of a size that a model
// can be shown several of, which follow the document's structure and know where
// in it they are.
//
// What is never parted while it fits is a unit: a sentence, an entry of a list,
// a row, a line of code. Chunks begin and end with units, and overlap by whole
// ones. Every text of a document is in a chunk, but for headings that nothing
// follows.
//
//	for _, c := range passage.Split(d, passage.Options{Target: 220, Overlap: 40}) {
//		fmt.Println(strings.Join(c.Path, " > "), c.Size)
//	}
//
// A chunk's ID is made of what is in it: what did not change in a document that
// is read again keeps its vectors and its references.
package passage

import (
	"crypto/sha256"
	"encoding/hex"
	"strconv"
	"strings"

	"juvalogos/core/evidence"
	"juvalogos/core/language"
	"juvalogos/core/reading"
)

// Chunk is a piece of a document.
type Chunk struct {
	// ID is made of what is in it: a changed document keeps those of the
	// passages that did not change.
	ID    string             `json:"id"`
	Path  []string           `json:"path"` // the headings above it
	Text  string             `json:"text"` // that of the spans, with line ends between blocks
	Spans []evidence.Offsets `json:"spans"`
	Size  int                `json:"size"` // as Options.Count has it, without the path
}

// Options say how to split.
type Options struct {
	// Target is the size that a passage should have, Overlap how much of it is
	// in the next one too; both in what Count counts.
	Target, Overlap int
	// Count is the size of a text; nil counts words.
	Count func(text string) int
}

// unit is what is never parted while it fits: a sentence, an entry, a row.
type unit struct {
	span    evidence.Offsets
	size    int
	heading int // its level; 0: it is none
}

// Split splits a document. No passage is larger than the target, but where a
// single word is. Every text of the document is in a passage, but for headings
// that nothing follows.
func Split(d reading.Document, o Options) []Chunk {
	if o.Count == nil {
		o.Count = func(text string) int { return len(strings.Fields(text)) }
	}
	o.Target = max(1, o.Target)
	o.Overlap = min(max(0, o.Overlap), o.Target*3/4)
	units := unitsOf(d, o)
	var all []Chunk
	seen := map[string]int{}
	for begin := 0; begin < len(units); {
		end, size := begin, 0
		for end < len(units) {
			u := units[end]
			if end > begin && size+u.size > o.Target {
				break
			}
			// A heading begins the next passage once this one is large enough,
			// and a chapter always does.
			if u.heading > 0 && size > 0 && !onlyHeadings(units[begin:end]) && (size*2 >= o.Target || u.heading == 1) {
				break
			}
			size += u.size
			end++
		}
		// No passage ends with a heading.
		for end < len(units) && end-1 > begin && units[end-1].heading > 0 {
			end--
			size -= units[end].size
		}
		if end-begin > 0 && (!onlyHeadings(units[begin:end]) || end == len(units) && begin == 0) {
			all = append(all, build(d, units[begin:end], size, seen))
		}
		if end == len(units) {
			break
		}
		begin = next(units, begin, end, o.Overlap)
	}
	return all
}

func onlyHeadings(units []unit) bool {
	for _, u := range units {
		if u.heading == 0 {
			return false
		}
	}
	return true
}

// next is where the passage after one begins: so far back that the overlap is
// in it, but not before a heading that it would begin with anyway.
func next(units []unit, begin, end, overlap int) int {
	if units[end].heading > 0 {
		return end
	}
	at, size := end, 0
	for at-1 > begin && size+units[at-1].size <= overlap && units[at-1].heading == 0 {
		at--
		size += units[at].size
	}
	return at
}

// unitsOf cuts a document into units.
func unitsOf(d reading.Document, o Options) []unit {
	var all []unit
	for i, b := range d.Blocks {
		if b.Kind == reading.Heading {
			all = append(all, unit{evidence.Offsets{Block: i, To: len(b.Text)}, min(o.Count(b.Text), o.Target/2),
				max(1, b.Level)})
			continue
		}
		var stretches [][2]int
		switch {
		case b.Kind == reading.Code:
			stretches = linesOf(b.Text)
		case o.Count(b.Text) <= o.Target/4:
			stretches = [][2]int{{0, len(b.Text)}}
		default:
			stretches = language.Sentences(b.Text)
		}
		for _, s := range stretches {
			for _, piece := range pieces(b.Text, s, o) {
				all = append(all, unit{evidence.Offsets{Block: i, From: piece[0], To: piece[1]},
					o.Count(b.Text[piece[0]:piece[1]]), 0})
			}
		}
	}
	return all
}

// linesOf is where the lines of code are that are not empty.
func linesOf(text string) [][2]int {
	var all [][2]int
	from := 0
	for line := range strings.Lines(text) {
		if strings.TrimSpace(line) != "" {
			all = append(all, [2]int{from, from + len(strings.TrimRight(line, "\n"))})
		}
		from += len(line)
	}
	return all
}

// pieces parts a stretch that is larger than the target between words.
func pieces(text string, s [2]int, o Options) [][2]int {
	if o.Count(text[s[0]:s[1]]) <= o.Target {
		return [][2]int{s}
	}
	var all [][2]int
	from, size, at := s[0], 0, s[0]
	for _, word := range strings.SplitAfter(text[s[0]:s[1]], " ") {
		n := o.Count(word)
		if size > 0 && size+n > o.Target {
			all = append(all, [2]int{from, at})
			from, size = at, 0
		}
		size += n
		at += len(word)
	}
	return append(all, [2]int{from, s[1]})
}

func build(d reading.Document, units []unit, size int, seen map[string]int) Chunk {
	p := Chunk{Size: size}
	first := 0
	for first < len(units)-1 && units[first].heading > 0 {
		first++
	}
	p.Path = reading.Path(d.Blocks, units[first].span.Block)
	for _, u := range units {
		if n := len(p.Spans); n > 0 && p.Spans[n-1].Block == u.span.Block {
			p.Spans[n-1].To = u.span.To
			continue
		}
		p.Spans = append(p.Spans, u.span)
	}
	p.Text = TextOf(d.Blocks, p.Spans)
	sum := sha256.Sum256([]byte(strings.Join(p.Path, "\x00") + "\x01" + p.Text))
	p.ID = hex.EncodeToString(sum[:8])
	if seen[p.ID]++; seen[p.ID] > 1 {
		p.ID += "-" + strconv.Itoa(seen[p.ID])
	}
	return p
}

// TextOf is the text of spans.
func TextOf(blocks []reading.Block, spans []evidence.Offsets) string {
	parts := make([]string, len(spans))
	for i, s := range spans {
		parts[i] = blocks[s.Block].Text[s.From:s.To]
	}
	return strings.Join(parts, "\n")
}

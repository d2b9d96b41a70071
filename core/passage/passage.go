// Package passage splits documents into passages: chunks of a size that a model
// can be shown several of, which follow the document's structure and know where
// in it they are.
//
// What is never parted while it fits is a unit: a sentence, an entry of a list,
// a row, a line of code. Chunks begin and end with units, and overlap by whole
// ones. Every text of a document is in a chunk, but for lists of contents and
// what stands again and again in many documents (Edges, Shares).
//
//	for c := range passage.Split(ctx, d, passage.Options{Target: 220, Overlap: 40}) {
//		fmt.Println(strings.Join(c.Path, " > "), c.Size)
//	}
//
// A chunk's ID is made of what is in it: what did not change in a document that
// is read again keeps its vectors and its references.
package passage

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"iter"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

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

// What shelves are split by that nobody has changed: sizes in tokens of a
// vocabulary, which is that of no model in particular.
const (
	Vocabulary     = "o200k_base"
	DefaultTarget  = 310
	DefaultOverlap = 155
)

// Options say how to split.
type Options struct {
	// Target is the size that a passage should have, Overlap how much of it is
	// in the next one too; both in what Count counts.
	Target, Overlap int
	// Count is the size of a text; nil counts words.
	Count func(text string) int
	// Skip are blocks that are in no passage, beside lists of contents.
	Skip map[int]bool
}

// unit is what is never parted while it fits: a sentence, an entry, a row.
type unit struct {
	span    evidence.Offsets
	size    int
	heading int      // its level; 0: it is none
	path    []string // the headings above it
}

// Split hands over the passages of a document one by one, as they are asked for,
// and no more once ctx ends: whoever needs to know asks it. No passage is larger
// than the target. Every text of the document is in a passage, but for lists of
// contents and what is to be skipped.
func Split(ctx context.Context, d reading.Document, o Options) iter.Seq[Chunk] {
	if o.Count == nil {
		o.Count = func(text string) int { return len(strings.Fields(text)) }
	}
	o.Target = max(1, o.Target)
	o.Overlap = min(max(0, o.Overlap), o.Target*3/4)
	return func(yield func(Chunk) bool) {
		s := splitter{ctx: ctx, d: d, Options: o, seen: map[string]int{}}
		for s.there(0) {
			end, size := s.passage()
			if ctx.Err() != nil || !yield(s.build(s.units[:end], size)) {
				return
			}
			if !s.there(end) {
				return
			}
			s.units = s.units[s.next(end):]
		}
	}
}

// splitter cuts a document into units as they are needed.
type splitter struct {
	Options
	ctx   context.Context
	d     reading.Document
	block int // the next one that is cut
	units []unit
	heads []headed
	path  []string
	seen  map[string]int // by id
}

// headed is a heading that what follows stands under.
type headed struct {
	text  string
	level int
}

// there reports whether there is a unit of a number, and cuts what it takes.
func (s *splitter) there(at int) bool {
	for len(s.units) <= at && s.block < len(s.d.Blocks) && s.ctx.Err() == nil {
		if b := s.d.Blocks[s.block]; b.Kind != reading.Listing && !s.Skip[s.block] {
			s.cut(b)
		}
		s.block++
	}
	return len(s.units) > at
}

// passage returns how many units make the next passage, and their size.
func (s *splitter) passage() (end, size int) {
	heads := true // nothing but headings so far
	for s.there(end) {
		u := s.units[end]
		if end > 0 && size+u.size > s.Target {
			break
		}
		// A heading begins the next passage once this one is large enough,
		// and a chapter always does.
		if u.heading > 0 && size > 0 && !heads && (size*2 >= s.Target || u.heading == 1) {
			break
		}
		size += u.size
		heads = heads && u.heading > 0
		end++
	}
	// No passage ends with a heading, but where nothing follows.
	for s.there(end) && end > 1 && s.units[end-1].heading > 0 {
		end--
		size -= s.units[end].size
	}
	return end, size
}

// next is where the passage after one begins: so far back that the overlap is
// in it, but not before a heading that it would begin with anyway.
func (s *splitter) next(end int) int {
	if s.units[end].heading > 0 {
		return end
	}
	at, size := end, 0
	for at-1 > 0 && size+s.units[at-1].size <= s.Overlap && s.units[at-1].heading == 0 {
		at--
		size += s.units[at].size
	}
	return at
}

// cut cuts the next block into units.
func (s *splitter) cut(b reading.Block) {
	if b.Kind == reading.Heading {
		level := max(1, b.Level)
		for len(s.heads) > 0 && s.heads[len(s.heads)-1].level >= level {
			s.heads = s.heads[:len(s.heads)-1]
		}
		s.path = nil
		for _, h := range s.heads {
			s.path = append(s.path, h.text)
		}
		s.units = append(s.units, unit{evidence.Offsets{Block: s.block, To: len(b.Text)},
			min(s.size(b.Text), s.Target/2), level, s.path})
		s.heads = append(s.heads, headed{b.Text, level})
		s.path = append(slices.Clip(s.path), b.Text)
		return
	}
	for _, long := range stretches(b.Text) {
		text := b.Text[long[0]:long[1]]
		var parts [][2]int
		if b.Kind == reading.Code {
			parts = linesOf(text)
		} else {
			// What is long is parted without being counted as a whole.
			if small := s.Target / 4; len(text) <= small*bytesEach {
				if size := s.size(text); size <= small {
					s.add(long[0], long[1], size)
					continue
				}
			}
			parts = language.Sentences(text)
		}
		for _, p := range parts {
			s.pieces(b.Text, long[0]+p[0], long[0]+p[1])
		}
		if s.ctx.Err() != nil {
			return
		}
	}
}

func (s *splitter) add(from, to, size int) {
	s.units = append(s.units, unit{evidence.Offsets{Block: s.block, From: from, To: to}, size, 0, s.path})
}

// pieces adds a stretch of the block, parted between words if it is larger than
// the target.
func (s *splitter) pieces(text string, from, to int) {
	if to-from <= s.Target*bytesEach {
		if size := s.size(text[from:to]); size <= s.Target {
			s.add(from, to, size)
			return
		}
	}
	size, at := 0, from
	for _, word := range wordsOf(text[from:to]) {
		n := s.Count(word)
		if size > 0 && size+n > s.Target {
			s.add(from, at, size)
			from, size = at, 0
		}
		size += n
		at += len(word)
	}
	s.add(from, to, size)
}

// size is that of a text. What has no white space for long is counted in parts:
// what counts tokens takes its time over it.
func (s *splitter) size(text string) (size int) {
	if longestWithout(text) < longWord {
		return s.Count(text)
	}
	for _, word := range wordsOf(text) {
		size += s.Count(word)
	}
	return size
}

const (
	// longStretch is how much of a block is looked at at once, in bytes.
	longStretch = 64 << 10
	// bytesEach are more than what is counted as one has, on average.
	bytesEach = 8
	// longWord is as long as no word is, in bytes.
	longWord = 100
)

func longestWithout(text string) (longest int) {
	run := 0
	for i := range len(text) {
		if text[i] == ' ' || text[i] == '\n' {
			run = 0
			continue
		}
		run++
		longest = max(longest, run)
	}
	return longest
}

// stretches parts a very long text between words; what is not long is one.
func stretches(text string) (all [][2]int) {
	from := 0
	for len(text)-from > longStretch {
		to := from + longStretch
		if space := strings.LastIndexAny(text[from:to], " \n"); space > longStretch/2 {
			to = from + space + 1
		} else {
			for to > from && !utf8.RuneStart(text[to]) {
				to--
			}
		}
		all = append(all, [2]int{from, to})
		from = to
	}
	return append(all, [2]int{from, len(text)})
}

// wordsOf parts a text after spaces, and longer words than there are between
// letters.
func wordsOf(text string) (all []string) {
	for word := range strings.SplitAfterSeq(text, " ") {
		for len(word) > longWord {
			to := longWord
			for to > 0 && !utf8.RuneStart(word[to]) {
				to--
			}
			if to == 0 {
				to = longWord // no text at all
			}
			all = append(all, word[:to])
			word = word[to:]
		}
		all = append(all, word)
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

func (s *splitter) build(units []unit, size int) Chunk {
	p := Chunk{Size: size}
	first := 0
	for first < len(units)-1 && units[first].heading > 0 {
		first++
	}
	p.Path = units[first].path
	for _, u := range units {
		if n := len(p.Spans); n > 0 && p.Spans[n-1].Block == u.span.Block {
			p.Spans[n-1].To = u.span.To
			continue
		}
		p.Spans = append(p.Spans, u.span)
	}
	p.Text = TextOf(s.d.Blocks, p.Spans)
	sum := sha256.Sum256([]byte(strings.Join(p.Path, "\x00") + "\x01" + p.Text))
	p.ID = hex.EncodeToString(sum[:8])
	if s.seen[p.ID]++; s.seen[p.ID] > 1 {
		p.ID += "-" + strconv.Itoa(s.seen[p.ID])
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

// Package reading turns the bytes of a file into blocks of text that know their
// place in it.
//
//	d, err := reading.Read(ctx, "handbook.md", body, nil, reading.DefaultLimits)
//	for _, b := range d.Blocks {
//		fmt.Println(b.Kind, b.Text, b.Line)
//	}
//
// A block is a heading, a paragraph, an entry of a list, a row of a table, code
// or a caption. Its Marks say where on a page, or when in a talk, each stretch
// of its text is. Files come from strangers: every reader is bounded in bytes,
// pages, nesting and expansion, obeys its context, and returns a *Problem, a
// sentence about the file, instead of failing in any other way. PDFs are drawn
// and spelt out by an Engine that is given, since that is no computation of
// ours; ordering what it finds is (FromPages).
package reading

import (
	"context"
	"strings"
	"unicode"
	"unicode/utf8"

	"juvalogos/core/evidence"
	"juvalogos/core/phrase"
)

// BlockKind is what a block is.
type BlockKind string

// The kinds.
const (
	Heading   BlockKind = "heading"
	Paragraph BlockKind = "paragraph"
	Item      BlockKind = "item" // of a list
	Row       BlockKind = "row"  // of a table
	Code      BlockKind = "code"
	Caption   BlockKind = "caption"
	// Listing is an entry of a list of contents or of an index: it says where
	// something stands and is not searched.
	Listing BlockKind = "listing"
)

// Block is a piece of a document.
type Block struct {
	Kind  BlockKind  `json:"kind"`
	Text  string     `json:"text"`
	Level int        `json:"level,omitempty"` // of a heading 1 to 6, of an item how deep it is
	Line  int        `json:"line,omitempty"`  // where it begins, from 1, in files that have lines
	Sheet string     `json:"sheet,omitempty"` // of a row
	Row   int        `json:"row,omitempty"`   // from 1, as the sheet counts
	Marks []Position `json:"marks,omitempty"` // in the order of At
	// Chapter and Paragraph count, from 1, in files that have neither pages nor
	// lines; Chapter in books only, where paragraphs begin anew with each.
	Chapter int `json:"chapter,omitempty"`
	// Links: all of its text is links.
	Links     bool `json:"links,omitempty"`
	Paragraph int  `json:"paragraph,omitempty"`
}

// Position says where a stretch of a block's text is, which begins at a byte and
// ends where the next one begins.
type Position struct {
	At   int        `json:"at"`
	Page int        `json:"page,omitempty"` // from 1
	Box  [4]float64 `json:"box,omitzero"`   // left, top, width, height, as parts of the page's
	Time float64    `json:"time,omitempty"` // in seconds
}

// Document is a file that was read.
type Document struct {
	Title    string  `json:"title"`
	Format   string  `json:"format"` // html, pdf, docx …
	Language string  `json:"language,omitempty"`
	Pages    int     `json:"pages,omitempty"`
	Blocks   []Block `json:"blocks"`
	Words    int     `json:"words"` // of the blocks, as white space parts them
	// Original is how many words a reader of the original sees, as Words counts
	// them, and Left what of them is not among the blocks or not searched, the
	// most first.
	Original int                 `json:"original"`
	Left     []evidence.Omission `json:"left,omitempty"`

	account
}

// Problem says what is wrong with a file, to whoever brought it.
type Problem struct {
	File string
	What phrase.Phrase
}

func (p *Problem) Error() string { return p.File + ": " + p.What.String() }

func problem(file, form string, values ...any) *Problem {
	return &Problem{file, phrase.Of(form, values...)}
}

// Limits bound what a file may take.
type Limits struct {
	Bytes    int // of the file
	Expanded int // of what is packed in it, in bytes
	Files    int // packed in it
	Pages    int
	Blocks   int
	Depth    int // how deep elements nest
}

// DefaultLimits suit documents that people write.
var DefaultLimits = Limits{Bytes: 100 << 20, Expanded: 400 << 20, Files: 20_000, Pages: 3000, Blocks: 400_000,
	Depth: 300}

// Read reads a file of any format but a ZIP; its name says what it is where
// its bytes do not. engine opens those that are pages, PDFs and pictures; nil:
// there is none. The error is a *Problem, or the context's cause.
func Read(ctx context.Context, name string, body []byte, engine Engine, l Limits) (d Document, err error) {
	if len(body) > l.Bytes {
		return d, problem(name, "it has %d MB; up to %d MB are read", len(body)>>20, l.Bytes>>20)
	}
	if len(strings.TrimSpace(string(body[:min(len(body), 4096)]))) == 0 && len(strings.TrimSpace(string(body))) == 0 {
		return d, problem(name, "it is empty")
	}
	f, err := formatOf(name, body)
	if err != nil {
		return d, err
	}
	if f.read == nil && engine == nil {
		return d, problem(name, "PDFs and pictures cannot be read by this service")
	}
	// A library that trips over a file must not take the service with it.
	defer func() {
		if r := recover(); r != nil {
			d, err = Document{}, problem(name, "it could not be read: the file is broken")
		}
	}()
	if f.read == nil {
		return readPages(ctx, name, body, f.name, engine, l)
	}
	if d, err = f.read(ctx, name, body, l); err != nil {
		return Document{}, err
	}
	d.Format = f.name
	return finish(name, d, l)
}

// finish tidies a document and adds up what is in it.
func finish(name string, d Document, l Limits) (Document, error) {
	if len(d.Blocks) > l.Blocks {
		return d, problem(name, "it has more than %d pieces", l.Blocks)
	}
	kept := d.Blocks[:0]
	for _, b := range d.Blocks {
		if strings.TrimSpace(b.Text) == "" {
			continue
		}
		b.Text = strings.ToValidUTF8(strings.ReplaceAll(b.Text, "\x00", "\uFFFD"), "\uFFFD")
		kept = append(kept, b)
		d.Words += fieldsOf(b.Text)
	}
	d.Blocks = kept
	if len(kept) == 0 {
		return d, problem(name, "there is no text in it")
	}
	d.number()
	d.Original, d.Left = d.close(kept)
	d.account = account{}
	if d.Title = strings.Join(strings.Fields(d.Title), " "); d.Title == "" {
		d.Title = titleOf(name, kept)
	}
	if utf8.RuneCountInString(d.Title) > 200 {
		d.Title = string([]rune(d.Title)[:199]) + "…"
	}
	if d.Language == "" {
		d.Language = languageOf(kept)
	}
	return d, nil
}

// number counts the paragraphs of a file that has neither pages nor lines.
func (d *Document) number() {
	for _, b := range d.Blocks {
		if b.Line > 0 || b.Sheet != "" || len(b.Marks) > 0 {
			return
		}
	}
	chapter, n := 0, 0
	for i := range d.Blocks {
		if b := &d.Blocks[i]; b.Chapter != chapter {
			chapter, n = b.Chapter, 0
		}
		n++
		d.Blocks[i].Paragraph = n
	}
}

// fieldsOf counts the words of a text as people do: what white space parts, if
// there is a letter or a digit in it.
func fieldsOf(text string) (n int) {
	for f := range strings.FieldsSeq(text) {
		if strings.ContainsFunc(f, func(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) }) {
			n++
		}
	}
	return n
}

// titleOf is the first heading of the highest level among the first few
// blocks, else the file's name.
func titleOf(name string, blocks []Block) string {
	best := ""
	level := 7
	for i, b := range blocks {
		if b.Kind == Heading && b.Level < level && i < 20 {
			best, level = b.Text, b.Level
		}
	}
	if best != "" {
		return best
	}
	name = name[strings.LastIndexAny(name, `/\`)+1:]
	if dot := strings.LastIndexByte(name, '.'); dot > 0 {
		name = name[:dot]
	}
	return strings.TrimSpace(strings.NewReplacer("_", " ", "-", " ").Replace(name))
}

// squeeze makes one space of every run of white space.
func squeeze(text string) string { return strings.Join(strings.FieldsFunc(text, unicode.IsSpace), " ") }

// Path is the headings above a block, from the outermost.
func Path(blocks []Block, at int) []string {
	var path []string
	level := 7
	for i := at; i >= 0 && level > 1; i-- {
		if b := blocks[i]; b.Kind == Heading && b.Level < level && i < at {
			path = append([]string{b.Text}, path...)
			level = b.Level
		} else if i == at && b.Kind == Heading {
			level = b.Level
		}
	}
	return path
}

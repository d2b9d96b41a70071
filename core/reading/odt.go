package reading

import (
	"bytes"
	"context"
	"encoding/xml"
	"strconv"
	"strings"

	"juvalogos/core/evidence"
)

var _ = register(format{name: "odt", title: "ODT", endings: []string{".odt"},
	holds:  []string{"content.xml", "mimetype"},
	binary: true, read: readODT})

// readODT reads text documents, and as far as it goes sheets and slides, of the
// OpenDocument format (ISO/IEC 26300). Notes follow the paragraph that they are
// about, text boxes the one they are at.
func readODT(ctx context.Context, name string, body []byte, l Limits) (d Document, err error) {
	z, err := openZip(name, body)
	if err != nil {
		return d, err
	}
	room := l.Expanded
	if meta, err := part(name, z, "meta.xml", &room); err == nil {
		_ = xmlWalkTitle(ctx, name, meta, l, &d.Title)
	}
	manifest, err := part(name, z, "META-INF/manifest.xml", &room)
	if err == nil && bytes.Contains(manifest, []byte("encryption-data")) {
		return d, problem(name, "it is locked with a password; save it without one and add it again")
	}
	content, err := part(name, z, "content.xml", &room)
	if err != nil {
		return d, err
	}
	w := &odt{d: &d, repeat: 1}
	if err = xmlWalk(ctx, name, content, l, w.open, w.shut, w.chars); err != nil {
		return d, err
	}
	d.count(evidence.Pictures, w.pictures)
	d.original = func(yield func(string) bool) { openTexts(ctx, name, content, l, yield) }
	if styles, err := part(name, z, "styles.xml", &room); err == nil && styles != nil {
		err = headersOf(ctx, name, styles, l, &d)
		return d, err
	}
	return d, nil
}

// asides are elements within the text whose words are not the text's own.
var asides = map[string]evidence.Why{"tracked-changes": evidence.Deleted, "annotation": evidence.Comments,
	"note-citation": evidence.Unseen,
	"forms":         evidence.Unseen, "scripts": evidence.Unseen, "title": evidence.Unseen, "desc": evidence.Unseen,
	"event-listeners": evidence.Unseen}

// openTexts are the texts of a document's paragraphs, whatever they stand in.
func openTexts(ctx context.Context, name string, content []byte, l Limits, yield func(string) bool) {
	var b strings.Builder
	deep, skip := 0, 0
	_ = xmlWalk(ctx, name, content, l, func(e xml.StartElement) { // it has been read once
		local := e.Name.Local
		switch {
		case asides[local] != "":
			skip++
		case local == "p" || local == "h":
			deep++
		}
		if local == "p" || local == "h" || local == "s" || local == "tab" || local == "line-break" {
			b.WriteByte(' ')
		}
	}, func(local string) {
		switch {
		case asides[local] != "":
			skip--
		case local == "p" || local == "h":
			deep--
			b.WriteByte(' ')
		}
	}, func(text string) {
		if deep > 0 && skip == 0 {
			b.WriteString(text)
		}
	})
	yield(b.String())
}

// headersOf notes what stands at the upper and lower edge of pages.
func headersOf(ctx context.Context, name string, styles []byte, l Limits, d *Document) error {
	var why evidence.Why
	var b strings.Builder
	return xmlWalk(ctx, name, styles, l, func(e xml.StartElement) {
		switch e.Name.Local {
		case "header", "header-left", "header-first":
			why = evidence.Header
		case "footer", "footer-left", "footer-first":
			why = evidence.Footer
		}
	}, func(local string) {
		switch local {
		case "header", "header-left", "header-first", "footer", "footer-left", "footer-first":
			d.leave(why, squeeze(b.String()))
			b.Reset()
			why = ""
		case "p":
			b.WriteByte(' ')
		}
	}, func(text string) {
		if why != "" {
			b.WriteString(text)
		}
	})
}

// mostRepeated is how many cells one that stands for many is taken for.
const mostRepeated = 100

// odt makes blocks of the elements of a document. Paragraphs nest: one in a note
// or a text box stands within the one that it is at.
type odt struct {
	d        *Document
	begun    []*wordParagraph
	table    grid
	aside    []Block        // notes of a table's row, which follow it
	items    int            // how deep in lists
	listings int            // how deep in lists of contents
	repeat   int            // of the cell
	skipped  []evidence.Why // what is not the text's own, the innermost last
	pictures int
}

func (w *odt) open(e xml.StartElement) {
	if why := asides[e.Name.Local]; why != "" {
		w.skipped = append(w.skipped, why)
	}
	switch e.Name.Local {
	case "h", "p":
		p := &wordParagraph{block: Block{Kind: Paragraph}}
		switch {
		case w.listings > 0:
			p.block.Kind = Listing
		case e.Name.Local == "h":
			level, _ := strconv.Atoi(attribute(e, "outline-level"))
			p.block.Kind, p.block.Level = Heading, max(1, min(6, level))
		case w.items > 0:
			p.block.Kind, p.block.Level = Item, w.items
		}
		w.begun = append(w.begun, p)
	case "list-item", "list-header":
		w.items++
	case "index-body":
		w.listings++
	case "s":
		n, _ := strconv.Atoi(attribute(e, "c"))
		w.write(strings.Repeat(" ", max(1, min(n, mostRepeated))))
	case "tab", "line-break":
		w.write(" ")
	case "image", "object":
		w.pictures++
	case "table":
		w.table.begin()
	case "table-row":
		w.table.beginRow()
	case "table-cell", "covered-table-cell":
		w.table.beginCell()
		w.repeat, _ = strconv.Atoi(attribute(e, "number-columns-repeated"))
		w.repeat = max(1, min(w.repeat, mostRepeated))
	}
}

func (w *odt) shut(local string) {
	if asides[local] != "" && len(w.skipped) > 0 {
		w.skipped = w.skipped[:len(w.skipped)-1]
	}
	switch local {
	case "h", "p":
		w.paragraph()
	case "list-item", "list-header":
		w.items--
	case "index-body":
		w.listings--
	case "table-cell", "covered-table-cell":
		w.table.endCell(1, w.repeat)
		w.repeat = 1
	case "table-row":
		w.rows(w.table.endRow())
	case "table":
		rows := w.table.end()
		if w.rows(rows); !w.table.within() {
			w.d.Blocks, w.aside = append(w.d.Blocks, w.aside...), nil
		}
	}
}

// rows adds what rows there are; their notes follow them.
func (w *odt) rows(rows []Block) {
	if len(rows) > 0 {
		w.d.Blocks = append(append(w.d.Blocks, rows...), w.aside...)
		w.aside = nil
	}
}

// paragraph ends one: it goes to the one around it, to its cell, or to the
// document.
func (w *odt) paragraph() {
	if len(w.begun) == 0 {
		return
	}
	p := w.begun[len(w.begun)-1]
	w.begun = w.begun[:len(w.begun)-1]
	p.block.Text = squeeze(p.text.String())
	switch {
	case len(w.skipped) > 0:
	case len(w.begun) > 0:
		outer := w.begun[len(w.begun)-1]
		if p.block.Text != "" {
			outer.after = append(outer.after, Block{Kind: Paragraph, Text: p.block.Text})
		}
		outer.after = append(outer.after, p.after...)
	case w.table.within():
		w.table.add(p.block.Text)
		w.aside = append(w.aside, p.after...)
	default:
		w.d.Blocks = append(append(w.d.Blocks, p.block), p.after...)
	}
}

func (w *odt) write(text string) {
	if n := len(w.begun); n > 0 && len(w.skipped) == 0 {
		w.begun[n-1].text.WriteString(text)
	}
}

func (w *odt) chars(s string) {
	if n := len(w.skipped); n > 0 {
		if why := w.skipped[n-1]; why != evidence.Unseen {
			w.d.leave(why, s)
		}
		return
	}
	w.write(s)
}

func xmlWalkTitle(ctx context.Context, name string, body []byte, l Limits, title *string) error {
	in := false
	return xmlWalk(ctx, name, body, l, func(e xml.StartElement) { in = e.Name.Local == "title" },
		func(string) { in = false }, func(s string) {
			if in {
				*title += s
			}
		})
}

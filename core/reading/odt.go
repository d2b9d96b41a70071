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
	w := &odt{nested: nested{d: &d}, repeat: 1}
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

// odt makes blocks of the elements of a document.
type odt struct {
	nested
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
		b := Block{Kind: Paragraph}
		switch {
		case w.listings > 0:
			b.Kind = Listing
		case e.Name.Local == "h":
			level, _ := strconv.Atoi(attribute(e, "outline-level"))
			b.Kind, b.Level = Heading, max(1, min(6, level))
		case w.items > 0:
			b.Kind, b.Level = Item, w.items
		}
		w.begin(b)
	case "list-item", "list-header":
		w.items++
	case "index-body":
		w.listings++
	case "s":
		n, _ := strconv.Atoi(attribute(e, "c"))
		w.say(strings.Repeat(" ", max(1, min(n, mostRepeated))))
	case "tab", "line-break":
		w.say(" ")
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
		w.endTable()
	}
}

// paragraph ends one; one that is not the text's own is left out.
func (w *odt) paragraph() {
	if len(w.skipped) > 0 && len(w.begun) > 0 {
		w.begun = w.begun[:len(w.begun)-1]
		return
	}
	w.end()
}

func (w *odt) say(text string) {
	if len(w.skipped) == 0 {
		w.write(text)
	}
}

func (w *odt) chars(s string) {
	if n := len(w.skipped); n > 0 {
		if why := w.skipped[n-1]; why != evidence.Unseen {
			w.d.leave(why, s)
		}
		return
	}
	w.say(s)
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

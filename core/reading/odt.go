package reading

import (
	"bytes"
	"context"
	"encoding/xml"
	"strconv"
	"strings"
)

var _ = register(format{name: "odt", title: "ODT", endings: []string{".odt"},
	holds:  []string{"content.xml", "mimetype"},
	binary: true, read: readODT})

// readODT reads text documents, and as far as it goes sheets and slides, of the
// OpenDocument format (ISO/IEC 26300).
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
	err = xmlWalk(ctx, name, content, l, w.open, w.shut, w.chars)
	return d, err
}

// mostRepeated is how many cells one that stands for many is taken for.
const mostRepeated = 100

// odt makes blocks of the elements of a document.
type odt struct {
	d      *Document
	text   strings.Builder
	table  grid
	level  int // of the heading
	items  int // how deep in lists
	repeat int // of the cell
	skip   int // within what is not the text's own
}

func (w *odt) open(e xml.StartElement) {
	switch e.Name.Local {
	case "tracked-changes", "annotation", "note-citation":
		w.skip++
	case "h":
		w.level, _ = strconv.Atoi(attribute(e, "outline-level"))
		w.level = max(1, min(6, w.level))
		w.text.Reset()
	case "p":
		w.text.Reset()
	case "list-item":
		w.items++
	case "s", "tab", "line-break":
		w.text.WriteByte(' ')
	case "table":
		w.table.begin()
	case "table-row":
		w.table.beginRow()
	case "table-cell":
		w.table.beginCell()
		w.repeat, _ = strconv.Atoi(attribute(e, "number-columns-repeated"))
		w.repeat = max(1, min(w.repeat, mostRepeated))
	}
}

func (w *odt) shut(local string) {
	switch local {
	case "tracked-changes", "annotation", "note-citation":
		w.skip--
	case "h", "p":
		w.paragraph(local == "h")
	case "list-item":
		w.items--
	case "table-cell":
		w.table.endCell(w.repeat)
	case "table-row":
		if b, is := w.table.endRow(); is {
			w.d.Blocks = append(w.d.Blocks, b)
		}
	case "table":
		w.table.end()
	}
}

func (w *odt) paragraph(heading bool) {
	b := Block{Kind: Paragraph, Text: squeeze(w.text.String())}
	w.text.Reset()
	switch {
	case w.table.within():
		w.table.add(b.Text)
		return
	case heading:
		b.Kind, b.Level = Heading, w.level
	case w.items > 0:
		b.Kind, b.Level = Item, w.items
	}
	w.d.Blocks = append(w.d.Blocks, b)
}

func (w *odt) chars(s string) {
	if w.skip == 0 {
		w.text.WriteString(s)
	}
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

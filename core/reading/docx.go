package reading

import (
	"archive/zip"
	"context"
	"encoding/xml"
	"iter"
	"regexp"
	"strconv"
	"strings"

	"juvalogos/core/evidence"
)

var (
	headingStyle = regexp.MustCompile(`(?i)^(?:heading|überschrift|titre|kop|rubrik|título|pennawd)\s*(\d)?$`)
	listingStyle = regexp.MustCompile(`(?i)^(?:toc \d|table of (?:figures|authorities)|index \d)$`)
)

var _ = register(format{name: "docx", title: "DOCX", endings: []string{".docx"}, holds: []string{"word/document.xml"},
	binary: true, lockable: true, read: readDOCX})

// readDOCX reads text documents of the Office Open XML format (ECMA-376). Notes
// follow the paragraph that they are about, text boxes the one they are at.
func readDOCX(ctx context.Context, name string, body []byte, l Limits) (d Document, err error) {
	z, err := openZip(name, body)
	if err != nil {
		return d, err
	}
	room := l.Expanded
	if properties, err := part(name, z, "docProps/core.xml", &room); err == nil {
		d.Title = coreTitle(properties)
	}
	const document = "word/document.xml"
	text, err := part(name, z, document, &room)
	if err != nil {
		return d, err
	}
	w := &docx{nested: nested{d: &d}, notes: map[string][]Block{}}
	w.levels, w.listings = styles(ctx, name, z, l, &room)
	seen := [][]byte{text}
	_, parts := relations(ctx, name, z, document, l, &room)
	for _, kind := range []string{"footnotes", "endnotes"} {
		for _, file := range parts[kind] {
			notes, err := part(name, z, file, &room)
			if err != nil {
				return d, err
			}
			seen = append(seen, notes)
			if err := w.readNotes(ctx, name, kind, notes, l); err != nil {
				return d, err
			}
		}
	}
	if err = xmlWalk(ctx, name, text, l, w.open, w.shut, w.chars); err != nil {
		return d, err
	}
	w.rest()
	for kind, why := range map[string]evidence.Why{"header": evidence.Header, "footer": evidence.Footer,
		"comments": evidence.Comments} {
		for _, file := range parts[kind] {
			content, err := part(name, z, file, &room)
			if err != nil {
				return d, err
			}
			d.leave(why, strings.Join(drawnText(ctx, name, content, l, true), " "))
		}
	}
	for _, kind := range []string{"chart", "diagramData"} {
		for _, file := range parts[kind] {
			content, err := part(name, z, file, &room)
			if err != nil {
				return d, err
			}
			for _, line := range drawnText(ctx, name, content, l, true) {
				d.Blocks = append(d.Blocks, Block{Kind: Caption, Text: line})
			}
		}
	}
	d.count(evidence.Pictures, w.pictures)
	d.original = wordTexts(ctx, name, seen, l)
	return d, nil
}

// wordTexts are the texts of parts of a document, whatever they stand in.
func wordTexts(ctx context.Context, name string, parts [][]byte, l Limits) iter.Seq[string] {
	return func(yield func(string) bool) {
		var b strings.Builder
		for _, body := range parts {
			in, boxes := false, 0
			_ = xmlWalk(ctx, name, body, l, func(e xml.StartElement) { // it has been read once
				switch in = e.Name.Local == "t" && boxes == 0; e.Name.Local {
				case "Fallback":
					boxes++
				case "tab", "br", "cr", "p":
					b.WriteByte(' ')
				}
			}, func(local string) {
				if in = false; local == "Fallback" {
					boxes--
				}
			}, func(text string) {
				if in {
					b.WriteString(text)
				}
			})
			b.WriteByte(' ')
		}
		yield(b.String())
	}
}

// styles are the levels of the styles that are headings, by the styles' ids, and
// those of lists of contents.
func styles(ctx context.Context, name string, z *zip.Reader, l Limits, room *int) (levels map[string]int,
	listings map[string]bool) {
	levels, listings = map[string]int{}, map[string]bool{}
	styles, err := part(name, z, "word/styles.xml", room)
	if err != nil || styles == nil {
		return levels, listings
	}
	id := ""
	_ = xmlWalk(ctx, name, styles, l, func(e xml.StartElement) { // styles that are broken are none
		switch e.Name.Local {
		case "style":
			id = attribute(e, "styleId")
		case "name":
			called := attribute(e, "val")
			if m := headingStyle.FindStringSubmatch(called); m != nil {
				n, _ := strconv.Atoi(m[1])
				levels[id] = max(1, min(6, n))
			} else if strings.EqualFold(called, "title") {
				levels[id] = 1
			}
			listings[id] = listingStyle.MatchString(called)
		case "outlineLvl":
			if n, err := strconv.Atoi(attribute(e, "val")); err == nil && n < 6 && levels[id] == 0 {
				levels[id] = n + 1
			}
		}
	}, ignore, ignore)
	return levels, listings
}

// docx makes blocks of the elements of a document.
type docx struct {
	nested
	levels   map[string]int
	listings map[string]bool
	notes    map[string][]Block // by kind and number
	wide     int                // of the cell, in columns
	inText   bool
	deleted  bool
	boxes    int // what says again, for old programs, what was said before
	pictures int
}

// readNotes reads foot- or endnotes.
func (w *docx) readNotes(ctx context.Context, name, kind string, body []byte, l Limits) error {
	var d Document
	n := &docx{nested: nested{d: &d}, levels: w.levels, listings: w.listings}
	id := ""
	err := xmlWalk(ctx, name, body, l, func(e xml.StartElement) {
		if local := e.Name.Local; local == "footnote" || local == "endnote" {
			id = attribute(e, "id")
		}
		n.open(e)
	}, func(local string) {
		n.shut(local)
		if local == "footnote" || local == "endnote" {
			for i := range d.Blocks {
				d.Blocks[i].Kind, d.Blocks[i].Level = Paragraph, 0
			}
			w.notes[kind+id] = d.Blocks
			d.Blocks = nil
		}
	}, n.chars)
	return err
}

// rest adds notes that no paragraph names.
func (w *docx) rest() {
	for _, kind := range []string{"footnotes", "endnotes"} {
		for n := range len(w.notes) + 2 {
			if id := kind + strconv.Itoa(n); w.notes[id] != nil {
				w.d.Blocks = append(w.d.Blocks, w.notes[id]...)
			}
		}
	}
}

func (w *docx) open(e xml.StartElement) {
	switch e.Name.Local {
	case "p":
		if w.boxes == 0 {
			w.begin(Block{Kind: Paragraph})
		}
	case "Fallback":
		w.boxes++
	case "t":
		w.inText = w.boxes == 0
	case "delText":
		w.deleted = true
	case "tab", "br", "cr":
		w.say(" ")
	case "noBreakHyphen":
		w.say("-")
	case "tbl":
		w.table.begin()
	case "tr":
		w.table.beginRow()
	case "tc":
		w.table.beginCell()
		w.wide = 1
	case "gridSpan":
		n, _ := strconv.Atoi(attribute(e, "val"))
		w.wide = max(1, min(n, mostSpanned))
	case "footnoteReference":
		w.note("footnotes" + attribute(e, "id"))
	case "endnoteReference":
		w.note("endnotes" + attribute(e, "id"))
	case "blip", "imagedata":
		if w.boxes == 0 {
			w.pictures++
		}
	default:
		w.style(e)
	}
}

func (w *docx) note(id string) {
	if p := w.now(); p != nil {
		p.after = append(p.after, w.notes[id]...)
		delete(w.notes, id)
	}
}

// style is told what sort of paragraph this is.
func (w *docx) style(e xml.StartElement) {
	p := w.now()
	if p == nil {
		return
	}
	b := &p.block
	switch e.Name.Local {
	case "pStyle":
		if n := w.levels[attribute(e, "val")]; n > 0 {
			b.Kind, b.Level = Heading, n
		} else if w.listings[attribute(e, "val")] {
			b.Kind = Listing
		} else if strings.EqualFold(attribute(e, "val"), "caption") {
			b.Kind = Caption
		}
	case "numPr":
		if b.Kind == Paragraph {
			b.Kind, b.Level = Item, 1
		}
	case "ilvl":
		if n, err := strconv.Atoi(attribute(e, "val")); err == nil && b.Kind == Item {
			b.Level = n + 1
		}
	}
}

func (w *docx) shut(local string) {
	switch local {
	case "t":
		w.inText = false
	case "delText":
		w.deleted = false
	case "Fallback":
		w.boxes--
	case "p":
		if w.boxes == 0 {
			w.end()
		}
	case "tc":
		w.table.endCell(w.wide, 1)
		w.wide = 1
	case "tr":
		w.rows(w.table.endRow())
	case "tbl":
		w.endTable()
	}
}

// say adds to the paragraph what is not said again.
func (w *docx) say(text string) {
	if w.boxes == 0 {
		w.write(text)
	}
}

func (w *docx) chars(s string) {
	if w.inText {
		w.say(s)
	} else if w.deleted {
		w.d.leave(evidence.Deleted, s)
	}
}

package reading

import (
	"archive/zip"
	"context"
	"encoding/xml"
	"regexp"
	"strconv"
	"strings"
)

var headingStyle = regexp.MustCompile(`(?i)^(?:heading|überschrift|titre|kop|rubrik|título|pennawd)\s*(\d)?$`)

var _ = register(format{name: "docx", title: "DOCX", endings: []string{".docx"}, holds: []string{"word/document.xml"},
	binary: true, lockable: true, read: readDOCX})

// readDOCX reads text documents of the Office Open XML format (ECMA-376).
func readDOCX(ctx context.Context, name string, body []byte, l Limits) (d Document, err error) {
	z, err := openZip(name, body)
	if err != nil {
		return d, err
	}
	room := l.Expanded
	if properties, err := part(name, z, "docProps/core.xml", &room); err == nil {
		d.Title = coreTitle(properties)
	}
	w := &docx{d: &d, levels: headingLevels(ctx, name, z, l, &room)}
	document, err := part(name, z, "word/document.xml", &room)
	if err != nil {
		return d, err
	}
	err = xmlWalk(ctx, name, document, l, w.open, w.shut, w.chars)
	return d, err
}

// headingLevels are the levels of the styles that are headings, by the styles'
// ids.
func headingLevels(ctx context.Context, name string, z *zip.Reader, l Limits, room *int) map[string]int {
	levels := map[string]int{}
	styles, err := part(name, z, "word/styles.xml", room)
	if err != nil || styles == nil {
		return levels
	}
	id := ""
	_ = xmlWalk(ctx, name, styles, l, func(e xml.StartElement) { // styles that are broken are none
		switch e.Name.Local {
		case "style":
			id = attribute(e, "styleId")
		case "name":
			if m := headingStyle.FindStringSubmatch(attribute(e, "val")); m != nil {
				n, _ := strconv.Atoi(m[1])
				levels[id] = max(1, min(6, n))
			} else if strings.EqualFold(attribute(e, "val"), "title") {
				levels[id] = 1
			}
		case "outlineLvl":
			if n, err := strconv.Atoi(attribute(e, "val")); err == nil && n < 6 && levels[id] == 0 {
				levels[id] = n + 1
			}
		}
	}, ignore, ignore)
	return levels
}

// docx makes blocks of the elements of a document.
type docx struct {
	d      *Document
	levels map[string]int
	text   strings.Builder
	block  Block
	table  grid
	inText bool
	boxes  int // what says again, for old programs, what was said before
}

func (w *docx) open(e xml.StartElement) {
	switch e.Name.Local {
	case "p":
		if w.boxes == 0 {
			w.block = Block{Kind: Paragraph}
			w.text.Reset()
		}
	case "Fallback":
		w.boxes++
	case "t":
		w.inText = w.boxes == 0
	case "tab", "br", "cr":
		w.text.WriteByte(' ')
	case "noBreakHyphen":
		w.text.WriteByte('-')
	case "tbl":
		w.table.begin()
	case "tr":
		w.table.beginRow()
	case "tc":
		w.table.beginCell()
	default:
		w.style(e)
	}
}

// style is told what sort of paragraph this is.
func (w *docx) style(e xml.StartElement) {
	b := &w.block
	switch e.Name.Local {
	case "pStyle":
		if n := w.levels[attribute(e, "val")]; n > 0 {
			b.Kind, b.Level = Heading, n
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
	case "Fallback":
		w.boxes--
	case "p":
		w.paragraph()
	case "tc":
		w.table.endCell(1)
	case "tr":
		if b, is := w.table.endRow(); is {
			w.d.Blocks = append(w.d.Blocks, b)
		}
	case "tbl":
		w.table.end()
	}
}

func (w *docx) paragraph() {
	if w.boxes > 0 {
		return
	}
	if w.block.Text = squeeze(w.text.String()); w.table.within() {
		w.table.add(w.block.Text)
	} else {
		w.d.Blocks = append(w.d.Blocks, w.block)
	}
	w.text.Reset()
}

func (w *docx) chars(s string) {
	if w.inText {
		w.text.WriteString(s)
	}
}

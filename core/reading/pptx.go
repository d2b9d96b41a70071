package reading

import (
	"archive/zip"
	"context"
	"encoding/xml"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

var slideNumber = regexp.MustCompile(`^ppt/slides/slide(\d+)\.xml$`)

var _ = register(format{name: "pptx", title: "PPTX", endings: []string{".pptx"}, binary: true, lockable: true,
	holds: []string{"ppt/presentation.xml"}, read: readPPTX})

// readPPTX reads slides of the Office Open XML format (ECMA-376): each is a
// page; its title is a heading.
func readPPTX(ctx context.Context, name string, body []byte, l Limits) (d Document, err error) {
	z, err := openZip(name, body)
	if err != nil {
		return d, err
	}
	room := l.Expanded
	if properties, err := part(name, z, "docProps/core.xml", &room); err == nil {
		d.Title = coreTitle(properties)
	}
	slides := slidesOf(z)
	if len(slides) > l.Pages {
		return d, problem(name, "it has more than %d slides", l.Pages)
	}
	for page, n := range slides {
		slide, err := part(name, z, path.Join("ppt/slides", "slide"+strconv.Itoa(n)+".xml"), &room)
		if err != nil {
			return d, err
		}
		if err := readSlide(ctx, name, slide, l, page+1, &d); err != nil {
			return d, err
		}
		notes, _ := part(name, z, path.Join("ppt/notesSlides", "notesSlide"+strconv.Itoa(n)+".xml"), &room)
		if notes != nil {
			if err := readSlide(ctx, name, notes, l, page+1, &d); err != nil {
				return d, err
			}
		}
	}
	d.Pages = len(slides)
	return d, nil
}

// slidesOf are the numbers of the slides, in their order.
func slidesOf(z *zip.Reader) (slides []int) {
	for _, f := range z.File {
		if m := slideNumber.FindStringSubmatch(f.Name); m != nil {
			n, _ := strconv.Atoi(m[1])
			slides = append(slides, n)
		}
	}
	slices.Sort(slides)
	return slides
}

func readSlide(ctx context.Context, name string, body []byte, l Limits, page int, d *Document) error {
	w := &slide{d: d, page: page}
	return xmlWalk(ctx, name, body, l, w.open, w.shut, w.chars)
}

// slide makes blocks of the elements of a slide, or of its notes.
type slide struct {
	d      *Document
	page   int
	text   strings.Builder
	table  grid
	inText bool
	title  bool // of the slide
	number bool // or date or footer, which are not its text
}

func (w *slide) add(b Block) {
	b.Marks = []Position{{Page: w.page}}
	w.d.Blocks = append(w.d.Blocks, b)
}

func (w *slide) open(e xml.StartElement) {
	switch e.Name.Local {
	case "sp":
		w.title, w.number = false, false
	case "ph":
		kind := attribute(e, "type")
		w.title = kind == "title" || kind == "ctrTitle"
		w.number = kind == "sldNum" || kind == "dt" || kind == "ftr"
	case "t":
		w.inText = true
	case "br":
		w.text.WriteByte(' ')
	case "tbl":
		w.table.begin()
	case "tr":
		w.table.beginRow()
	case "tc":
		w.table.beginCell()
	}
}

func (w *slide) shut(local string) {
	switch local {
	case "t":
		w.inText = false
	case "p":
		w.paragraph()
	case "tc":
		w.table.endCell(1)
	case "tr":
		if b, is := w.table.endRow(); is {
			w.add(b)
		}
	case "tbl":
		w.table.end()
	}
}

func (w *slide) paragraph() {
	t := squeeze(w.text.String())
	w.text.Reset()
	switch {
	case t == "" || w.number:
	case w.table.within():
		w.table.add(t)
	case w.title:
		w.add(Block{Kind: Heading, Text: t, Level: 2})
	default:
		w.add(Block{Kind: Item, Text: t, Level: 1})
	}
}

func (w *slide) chars(s string) {
	if w.inText {
		w.text.WriteString(s)
	}
}

package reading

import (
	"archive/zip"
	"context"
	"encoding/xml"
	"iter"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"juvalogos/core/evidence"
)

var slideNumber = regexp.MustCompile(`^ppt/slides/slide(\d+)\.xml$`)

var _ = register(format{name: "pptx", title: "PPTX", endings: []string{".pptx"}, binary: true, lockable: true,
	holds: []string{"ppt/presentation.xml"}, read: readPPTX})

// readPPTX reads slides of the Office Open XML format (ECMA-376): each is a
// page; its title is a heading, and its notes follow it.
func readPPTX(ctx context.Context, name string, body []byte, l Limits) (d Document, err error) {
	z, err := openZip(name, body)
	if err != nil {
		return d, err
	}
	room := l.Expanded
	if properties, err := part(name, z, "docProps/core.xml", &room); err == nil {
		d.Title = coreTitle(properties)
	}
	slides, err := slidesOf(ctx, name, z, l, &room)
	if err != nil {
		return d, err
	}
	if len(slides) > l.Pages {
		return d, problem(name, "it has more than %d slides", l.Pages)
	}
	var seen [][]byte
	pictures := 0
	for i, file := range slides {
		_, parts := relations(ctx, name, z, file, l, &room)
		for _, file := range slices.Concat([]string{file}, parts["notesSlide"]) {
			content, err := part(name, z, file, &room)
			if err != nil {
				return d, err
			}
			w := &slide{d: &d, page: i + 1}
			if err := xmlWalk(ctx, name, content, l, w.open, w.shut, w.chars); err != nil {
				return d, err
			}
			pictures += w.pictures
			seen = append(seen, content)
		}
		for _, file := range slices.Concat(parts["chart"], parts["diagramData"]) {
			content, err := part(name, z, file, &room)
			if err != nil {
				return d, err
			}
			w := &slide{d: &d, page: i + 1}
			for _, line := range drawnText(ctx, name, content, l, true) {
				w.add(Block{Kind: Caption, Text: line})
			}
		}
		for _, file := range parts["comments"] {
			if content, err := part(name, z, file, &room); err == nil {
				d.leave(evidence.Comments, strings.Join(drawnText(ctx, name, content, l, true), " "))
			}
		}
	}
	d.Pages = len(slides)
	d.count(evidence.Pictures, pictures)
	d.original = slideTexts(ctx, name, seen, l)
	return d, nil
}

// slideTexts are the texts of slides, whatever they stand in.
func slideTexts(ctx context.Context, name string, parts [][]byte, l Limits) iter.Seq[string] {
	return func(yield func(string) bool) {
		for _, body := range parts {
			for _, line := range drawnText(ctx, name, body, l, true) {
				if !yield(line) {
					return
				}
			}
		}
	}
}

// slidesOf are the files of the slides, in the order in which they are shown.
func slidesOf(ctx context.Context, name string, z *zip.Reader, l Limits, room *int) (slides []string, err error) {
	const presentation = "ppt/presentation.xml"
	list, err := part(name, z, presentation, room)
	if err != nil {
		return nil, err
	}
	files, _ := relations(ctx, name, z, presentation, l, room)
	_ = xmlWalk(ctx, name, list, l, func(e xml.StartElement) { // else they go by their numbers
		if e.Name.Local != "sldId" {
			return
		}
		for _, a := range e.Attr {
			if a.Name.Local == "id" && a.Name.Space != "" && files[a.Value] != "" {
				slides = append(slides, files[a.Value])
			}
		}
	}, ignore, ignore)
	if slides != nil {
		return slides, nil
	}
	for _, f := range z.File {
		if slideNumber.MatchString(f.Name) {
			slides = append(slides, f.Name)
		}
	}
	number := func(file string) int {
		n, _ := strconv.Atoi(slideNumber.FindStringSubmatch(file)[1])
		return n
	}
	slices.SortFunc(slides, func(a, b string) int { return number(a) - number(b) })
	return slides, nil
}

// slide makes blocks of the elements of a slide, or of its notes.
type slide struct {
	d        *Document
	page     int
	text     strings.Builder
	table    grid
	inText   bool
	title    bool         // of the slide
	edge     evidence.Why // date, number or footer, which are not its text
	boxes    int          // what says again, for old programs, what was said before
	pictures int
}

func (w *slide) add(b Block) {
	b.Marks = []Position{{Page: w.page}}
	w.d.Blocks = append(w.d.Blocks, b)
}

func (w *slide) open(e xml.StartElement) {
	switch e.Name.Local {
	case "sp":
		w.title, w.edge = false, ""
	case "ph":
		switch attribute(e, "type") {
		case "title", "ctrTitle":
			w.title = true
		case "sldNum":
			w.edge = evidence.PageNumbers
		case "dt", "ftr", "hdr":
			w.edge = evidence.Footer
		}
	case "Fallback":
		w.boxes++
	case "pic":
		w.pictures++
	case "t":
		w.inText = w.boxes == 0
	case "br", "tab":
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
	case "Fallback":
		w.boxes--
	case "p":
		w.paragraph()
	case "tc":
		w.table.endCell(1, 1)
	case "tr":
		for _, b := range w.table.endRow() {
			w.add(b)
		}
	case "tbl":
		for _, b := range w.table.end() {
			w.add(b)
		}
	}
}

func (w *slide) paragraph() {
	t := squeeze(w.text.String())
	w.text.Reset()
	switch {
	case t == "":
	case w.edge != "":
		w.d.leave(w.edge, t)
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

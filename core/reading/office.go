package reading

import (
	"bytes"
	"context"
	"encoding/xml"
	"io"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// xmlWalk hands over the elements and texts of an XML file. open and shut get
// local names; a file that nests too deep or is no XML ends with a problem.
func xmlWalk(ctx context.Context, name string, body []byte, l Limits, open func(e xml.StartElement), shut func(local string), text func(string)) error {
	d := xml.NewDecoder(bytes.NewReader(body))
	d.Strict = false
	d.Entity = xml.HTMLEntity
	d.CharsetReader = func(_ string, r io.Reader) (io.Reader, error) { return r, nil }
	deep := 0
	for n := 0; ; n++ {
		if n%4096 == 0 && ctx.Err() != nil {
			return context.Cause(ctx)
		}
		token, err := d.RawToken()
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return problem(name, "it is broken: its text cannot be read to the end")
		}
		switch t := token.(type) {
		case xml.StartElement:
			if deep++; deep > l.Depth {
				return problem(name, "it nests its elements too deep")
			}
			open(t)
		case xml.EndElement:
			deep--
			shut(t.Name.Local)
		case xml.CharData:
			text(string(t))
		}
	}
}

func attribute(e xml.StartElement, local string) string {
	for _, a := range e.Attr {
		if a.Name.Local == local {
			return a.Value
		}
	}
	return ""
}

// coreTitle is the title in an office document's properties.
func coreTitle(body []byte) string {
	var p struct {
		Title    string `xml:"title"`
		Language string `xml:"language"`
	}
	_ = xml.Unmarshal(body, &p) // without it the first heading is the title
	return p.Title
}

var headingStyle = regexp.MustCompile(`(?i)^(?:heading|überschrift|titre|kop|rubrik|título|pennawd)\s*(\d)?$`)

func readDOCX(ctx context.Context, name string, body []byte, l Limits) (d Document, err error) {
	z, err := openZip(name, body)
	if err != nil {
		return d, err
	}
	room := l.Expanded
	if properties, err := part(name, z, "docProps/core.xml", &room); err == nil {
		d.Title = coreTitle(properties)
	}
	levels := map[string]int{} // of heading styles
	if styles, err := part(name, z, "word/styles.xml", &room); err == nil && styles != nil {
		id := ""
		_ = xmlWalk(ctx, name, styles, l, func(e xml.StartElement) {
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
		}, func(string) {}, func(string) {})
	}
	document, err := part(name, z, "word/document.xml", &room)
	if err != nil {
		return d, err
	}
	var text strings.Builder
	var b Block
	var cells, header []string
	var cell []string
	inText, inTable, rows, boxes := false, 0, 0, 0
	err = xmlWalk(ctx, name, document, l, func(e xml.StartElement) {
		switch e.Name.Local {
		case "p":
			if boxes == 0 {
				b = Block{Kind: Paragraph}
				text.Reset()
			}
		case "Fallback":
			boxes++ // says again, for old programs, what was said before
		case "pStyle":
			if n := levels[attribute(e, "val")]; n > 0 {
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
		case "t":
			inText = boxes == 0
		case "tab", "br", "cr":
			text.WriteByte(' ')
		case "noBreakHyphen":
			text.WriteByte('-')
		case "tbl":
			if inTable++; inTable == 1 {
				header, rows = nil, 0
			}
		case "tr":
			if inTable == 1 {
				cells = nil
			}
		case "tc":
			if inTable == 1 {
				cell = nil
			}
		}
	}, func(local string) {
		switch local {
		case "t":
			inText = false
		case "Fallback":
			boxes--
		case "p":
			if boxes > 0 {
				return
			}
			if b.Text = squeeze(text.String()); inTable > 0 {
				cell = append(cell, b.Text)
			} else {
				d.Blocks = append(d.Blocks, b)
			}
			text.Reset()
		case "tc":
			if inTable == 1 {
				cells = append(cells, squeeze(strings.Join(cell, " ")))
			}
		case "tr":
			if inTable != 1 {
				return
			}
			if rows++; rows == 1 && !numeric(cells) && len(cells) > 1 {
				header = cells
				return
			}
			d.Blocks = append(d.Blocks, Block{Kind: Row, Text: row(header, cells), Row: rows})
		case "tbl":
			inTable--
		}
	}, func(s string) {
		if inText {
			text.WriteString(s)
		}
	})
	return d, err
}

// readODT reads text documents, and as far as it goes sheets and slides, of the
// OpenDocument format.
func readODT(ctx context.Context, name string, body []byte, l Limits) (d Document, err error) {
	z, err := openZip(name, body)
	if err != nil {
		return d, err
	}
	room := l.Expanded
	if meta, err := part(name, z, "meta.xml", &room); err == nil {
		_ = xmlWalkTitle(ctx, name, meta, l, &d.Title)
	}
	if manifest, err := part(name, z, "META-INF/manifest.xml", &room); err == nil && bytes.Contains(manifest, []byte("encryption-data")) {
		return d, problem(name, "it is locked with a password; save it without one and add it again")
	}
	content, err := part(name, z, "content.xml", &room)
	if err != nil {
		return d, err
	}
	var text strings.Builder
	var cells, header, cell []string
	level, items, tables, rows, repeat, skip := 0, 0, 0, 0, 1, 0
	err = xmlWalk(ctx, name, content, l, func(e xml.StartElement) {
		switch e.Name.Local {
		case "tracked-changes", "annotation", "note-citation":
			skip++
		case "h":
			level, _ = strconv.Atoi(attribute(e, "outline-level"))
			level = max(1, min(6, level))
			text.Reset()
		case "p":
			text.Reset()
		case "list-item":
			items++
		case "s":
			text.WriteByte(' ')
		case "tab", "line-break":
			text.WriteByte(' ')
		case "table":
			if tables++; tables == 1 {
				header, rows = nil, 0
			}
		case "table-row":
			cells = nil
		case "table-cell":
			cell = nil
			repeat, _ = strconv.Atoi(attribute(e, "number-columns-repeated"))
			repeat = max(1, min(repeat, 100))
		}
	}, func(local string) {
		switch local {
		case "tracked-changes", "annotation", "note-citation":
			skip--
		case "h", "p":
			t := squeeze(text.String())
			text.Reset()
			switch {
			case tables > 0:
				cell = append(cell, t)
			case local == "h":
				d.Blocks = append(d.Blocks, Block{Kind: Heading, Text: t, Level: level})
			case items > 0:
				d.Blocks = append(d.Blocks, Block{Kind: Item, Text: t, Level: items})
			default:
				d.Blocks = append(d.Blocks, Block{Kind: Paragraph, Text: t})
			}
		case "list-item":
			items--
		case "table-cell":
			for range repeat {
				cells = append(cells, squeeze(strings.Join(cell, " ")))
			}
		case "table-row":
			if rows++; rows == 1 && !numeric(cells) && len(cells) > 1 {
				header = cells
			} else {
				d.Blocks = append(d.Blocks, Block{Kind: Row, Text: row(header, cells), Row: rows})
			}
		case "table":
			tables--
		}
	}, func(s string) {
		if skip == 0 {
			text.WriteString(s)
		}
	})
	return d, err
}

func xmlWalkTitle(ctx context.Context, name string, body []byte, l Limits, title *string) error {
	in := false
	return xmlWalk(ctx, name, body, l, func(e xml.StartElement) { in = e.Name.Local == "title" }, func(string) { in = false }, func(s string) {
		if in {
			*title += s
		}
	})
}

var slideNumber = regexp.MustCompile(`^ppt/slides/slide(\d+)\.xml$`)

// readPPTX reads slides: each is a page; its title is a heading.
func readPPTX(ctx context.Context, name string, body []byte, l Limits) (d Document, err error) {
	z, err := openZip(name, body)
	if err != nil {
		return d, err
	}
	room := l.Expanded
	if properties, err := part(name, z, "docProps/core.xml", &room); err == nil {
		d.Title = coreTitle(properties)
	}
	var slides []int
	for _, f := range z.File {
		if m := slideNumber.FindStringSubmatch(f.Name); m != nil {
			n, _ := strconv.Atoi(m[1])
			slides = append(slides, n)
		}
	}
	slices.Sort(slides)
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

func readSlide(ctx context.Context, name string, slide []byte, l Limits, page int, d *Document) error {
	var text strings.Builder
	var cells, header, cell []string
	inText, title, number, rows, tables := false, false, false, 0, 0
	add := func(b Block) {
		b.Marks = []Mark{{Page: page}}
		d.Blocks = append(d.Blocks, b)
	}
	return xmlWalk(ctx, name, slide, l, func(e xml.StartElement) {
		switch e.Name.Local {
		case "sp":
			title, number = false, false
		case "ph":
			kind := attribute(e, "type")
			title = kind == "title" || kind == "ctrTitle"
			number = kind == "sldNum" || kind == "dt" || kind == "ftr"
		case "t":
			inText = true
		case "br":
			text.WriteByte(' ')
		case "tbl":
			tables, rows, header = 1, 0, nil
		case "tr":
			cells = nil
		case "tc":
			cell = nil
		}
	}, func(local string) {
		switch local {
		case "t":
			inText = false
		case "p":
			t := squeeze(text.String())
			text.Reset()
			switch {
			case t == "" || number:
			case tables > 0:
				cell = append(cell, t)
			case title:
				add(Block{Kind: Heading, Text: t, Level: 2})
			default:
				add(Block{Kind: Item, Text: t, Level: 1})
			}
		case "tc":
			cells = append(cells, squeeze(strings.Join(cell, " ")))
		case "tr":
			if rows++; rows == 1 && !numeric(cells) && len(cells) > 1 {
				header = cells
			} else {
				add(Block{Kind: Row, Text: row(header, cells), Row: rows})
			}
		case "tbl":
			tables = 0
		}
	}, func(s string) {
		if inText {
			text.WriteString(s)
		}
	})
}

// readEPUB reads a book's chapters in the order of its spine.
func readEPUB(ctx context.Context, name string, body []byte, l Limits) (d Document, err error) {
	z, err := openZip(name, body)
	if err != nil {
		return d, err
	}
	room := l.Expanded
	container, err := part(name, z, "META-INF/container.xml", &room)
	if err != nil {
		return d, err
	}
	if locked, _ := part(name, z, "META-INF/encryption.xml", &room); bytes.Contains(locked, []byte("EncryptedData")) && bytes.Contains(locked, []byte(".xhtml")) {
		return d, problem(name, "its text is locked; add a copy without protection")
	}
	opf := ""
	_ = xmlWalk(ctx, name, container, l, func(e xml.StartElement) {
		if e.Name.Local == "rootfile" && opf == "" {
			opf = attribute(e, "full-path")
		}
	}, func(string) {}, func(string) {})
	list, err := part(name, z, opf, &room)
	if err != nil {
		return d, err
	}
	files, spine, in := map[string]string{}, []string{}, ""
	err = xmlWalk(ctx, name, list, l, func(e xml.StartElement) {
		switch in = e.Name.Local; in {
		case "item":
			files[attribute(e, "id")] = attribute(e, "href")
		case "itemref":
			spine = append(spine, attribute(e, "idref"))
		}
	}, func(string) { in = "" }, func(s string) {
		if in == "title" && d.Title == "" {
			d.Title = strings.TrimSpace(s)
		}
		if in == "language" && d.Language == "" {
			d.Language, _, _ = strings.Cut(strings.ToLower(strings.TrimSpace(s)), "-")
		}
	})
	if err != nil {
		return d, err
	}
	for _, id := range spine {
		chapter, err := part(name, z, path.Join(path.Dir(opf), files[id]), &room)
		if err != nil {
			return d, err
		}
		if len(bytes.TrimSpace(chapter)) == 0 {
			continue
		}
		read, err := readHTML(ctx, name, chapter, l)
		if err != nil {
			return d, err
		}
		d.Blocks = append(d.Blocks, read.Blocks...)
	}
	return d, nil
}

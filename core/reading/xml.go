package reading

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/xml"
	"io"
	"path"
	"strings"

	"golang.org/x/net/html/charset"
)

// xmlWalk hands over the elements and texts of an XML file. open and shut get
// local names; a file that nests too deep or is no XML ends with a problem.
func xmlWalk(ctx context.Context, name string, body []byte, l Limits, open func(e xml.StartElement),
	shut func(local string), text func(string)) error {
	d := xml.NewDecoder(bytes.NewReader(body))
	d.Strict = false
	d.Entity = xml.HTMLEntity
	d.CharsetReader = charset.NewReaderLabel
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

// ignore is for what of an XML file does not matter.
func ignore(string) {}

// drawnText is the text of a drawing, chart or diagram (DrawingML), a line for
// each paragraph and, if they are wanted, each value of a chart.
func drawnText(ctx context.Context, name string, body []byte, l Limits, values bool) (lines []string) {
	var b strings.Builder
	in, boxes := false, 0
	end := func() {
		if text := squeeze(b.String()); text != "" {
			lines = append(lines, text)
		}
		b.Reset()
	}
	_ = xmlWalk(ctx, name, body, l, func(e xml.StartElement) { // as far as it can be read
		switch in = boxes == 0 && (e.Name.Local == "t" || values && e.Name.Local == "v"); e.Name.Local {
		case "Fallback":
			boxes++
		case "br", "tab":
			b.WriteByte(' ')
		}
	}, func(local string) {
		if local == "Fallback" {
			boxes--
		}
		if in = false; local == "p" || local == "v" {
			end()
		}
	}, func(text string) {
		if in {
			b.WriteString(text)
		}
	})
	end()
	return lines
}

// relations are what the parts of an office file name by ids: paths by id, and
// by kind (the last word of its type).
func relations(ctx context.Context, name string, z *zip.Reader, of string, l Limits,
	room *int) (byID map[string]string, byKind map[string][]string) {
	byID, byKind = map[string]string{}, map[string][]string{}
	file := path.Join(path.Dir(of), "_rels", path.Base(of)+".rels")
	body, err := part(name, z, file, room)
	if err != nil || body == nil {
		return byID, byKind
	}
	_ = xmlWalk(ctx, name, body, l, func(e xml.StartElement) { // what cannot be read names nothing
		if e.Name.Local != "Relationship" || attribute(e, "TargetMode") == "External" {
			return
		}
		target := attribute(e, "Target")
		if !strings.HasPrefix(target, "/") {
			target = path.Join(path.Dir(of), target)
		}
		target = strings.TrimPrefix(target, "/")
		kind := path.Base(attribute(e, "Type"))
		byID[attribute(e, "Id")] = target
		byKind[kind] = append(byKind[kind], target)
	}, ignore, ignore)
	return byID, byKind
}

// grid gathers the rows of a table from its elements; tables within a cell are
// part of its text. The zero value is outside of any table.
type grid struct {
	depth int
	rows  tableRows
	cells []string
	cell  []string
}

func (g *grid) within() bool { return g.depth > 0 }

// begin and end are those of a table; end returns what no row has said.
func (g *grid) begin() {
	if g.depth++; g.depth == 1 {
		g.rows = tableRows{}
	}
}

func (g *grid) end() []Block {
	if g.depth--; g.depth == 0 {
		return g.rows.end(nil)
	}
	return nil
}

func (g *grid) beginRow() {
	if g.depth == 1 {
		g.cells = nil
	}
}

func (g *grid) beginCell() {
	if g.depth == 1 {
		g.cell = nil
	}
}

// add adds a paragraph to the cell.
func (g *grid) add(text string) { g.cell = append(g.cell, text) }

// endCell ends a cell that goes over so many columns, or stands for so many.
func (g *grid) endCell(wide, repeat int) {
	if g.depth != 1 {
		return
	}
	text := squeeze(strings.Join(g.cell, " "))
	for i := range wide * repeat {
		if i > 0 && (wide > 1 || len(text) > longSpanned) {
			text = ""
		}
		g.cells = append(g.cells, text)
	}
	g.cell = nil
}

// endRow returns the row that ended; the first one is the header where it can
// be one.
func (g *grid) endRow() []Block {
	if g.depth != 1 {
		return nil
	}
	filled := 0
	for _, c := range g.cells {
		if c != "" {
			filled++
		}
	}
	if filled == 0 {
		g.rows.number++
		return nil
	}
	heads := g.rows.number == 0 && !numeric(g.cells) && filled > 1
	return g.rows.add(nil, g.cells, heads)
}

package reading

import (
	"bytes"
	"context"
	"encoding/xml"
	"io"
	"strings"
)

// xmlWalk hands over the elements and texts of an XML file. open and shut get
// local names; a file that nests too deep or is no XML ends with a problem.
func xmlWalk(ctx context.Context, name string, body []byte, l Limits, open func(e xml.StartElement),
	shut func(local string), text func(string)) error {
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

// ignore is for what of an XML file does not matter.
func ignore(string) {}

// grid gathers the rows of a table from its elements; tables within a cell are
// part of its text. The zero value is outside of any table.
type grid struct {
	depth         int
	rows          int
	header, cells []string
	cell          []string
}

func (g *grid) within() bool { return g.depth > 0 }

// begin and end are those of a table.
func (g *grid) begin() {
	if g.depth++; g.depth == 1 {
		g.header, g.rows = nil, 0
	}
}

func (g *grid) end() { g.depth-- }

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

// endCell ends a cell that stands for so many.
func (g *grid) endCell(repeat int) {
	if g.depth != 1 {
		return
	}
	for range repeat {
		g.cells = append(g.cells, squeeze(strings.Join(g.cell, " ")))
	}
}

// endRow returns the row that ended; the first one is the header where it can
// be one, and then none is returned.
func (g *grid) endRow() (Block, bool) {
	if g.depth != 1 {
		return Block{}, false
	}
	if g.rows++; g.rows == 1 && !numeric(g.cells) && len(g.cells) > 1 {
		g.header = g.cells
		return Block{}, false
	}
	return Block{Kind: Row, Text: row(g.header, g.cells), Row: g.rows}, true
}

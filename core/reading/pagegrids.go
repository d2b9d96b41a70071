package reading

import (
	"bytes"
	"context"
	"fmt"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"
	"golang.org/x/net/html/charset"
)

// mostPageTables is how many tables of a page are read.
const mostPageTables = 50

// gridsOfPage are the tables of a page that have rows and columns: those that lay a page
// out, with other tables in them, are none.
func gridsOfPage(ctx context.Context, name string, body []byte, l Limits) (all []Grid, err error) {
	r, err := charset.NewReader(bytes.NewReader(body), "")
	if err != nil {
		return nil, garbled(name)
	}
	top, err := html.ParseWithOptions(r, html.ParseOptionEnableScripting(false))
	if err != nil {
		return nil, problem(name, "it is no page that can be read")
	}
	for n := range top.Descendants() {
		if ctx.Err() != nil {
			return nil, context.Cause(ctx)
		}
		if n.Type != html.ElementNode || n.DataAtom != atom.Table || holdsTable(n) || len(all) == mostPageTables {
			continue
		}
		rows := rowsOfTable(n, l)
		if len(rows) < 2 || len(rows[0]) < 2 {
			continue
		}
		title := titleOfTable(n)
		if title == "" {
			title = fmt.Sprintf("Table %d", len(all)+1)
		}
		all = append(all, Grid{Sheet: title, Merged: true, Rows: func(do func(int, []string) error) error {
			for i, cells := range rows {
				if err := do(i+1, cells); err != nil {
					return err
				}
			}
			return nil
		}})
	}
	return all, nil
}

func holdsTable(n *html.Node) bool {
	for inner := range n.Descendants() {
		if inner.Type == html.ElementNode && inner.DataAtom == atom.Table {
			return true
		}
	}
	return false
}

func titleOfTable(n *html.Node) string {
	for inner := range n.Descendants() {
		if inner.Type == html.ElementNode && inner.DataAtom == atom.Caption {
			return squeeze(cellText(inner))
		}
	}
	return ""
}

// rowsOfTable are a table's rows; heads that span several columns are in each of them.
func rowsOfTable(table *html.Node, l Limits) (rows [][]string) {
	var t tableRows
	held := 0
	for tr := range table.Descendants() {
		if tr.Type != html.ElementNode || tr.DataAtom != atom.Tr {
			continue
		}
		cells, _ := t.cells(tr)
		if held += len(cells); held > l.Blocks*10 {
			return rows
		}
		if len(cells) > 0 {
			rows = append(rows, cells)
		}
	}
	return rows
}

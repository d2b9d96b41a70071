package reading

import (
	"bytes"
	"context"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"juvalogos/core/evidence"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"
	"golang.org/x/net/html/charset"
)

var _ = register(format{name: "html", title: "HTML", endings: []string{".html", ".htm", ".xhtml"},
	head: func(text string) bool {
		return strings.HasPrefix(text, "<!doctype html") || strings.HasPrefix(text, "<html") ||
			strings.HasPrefix(text, "<?xml") && strings.Contains(text, "<html")
	}, read: readHTML})

// readHTML reads all of a page that a reader could see, hidden parts too, since
// scripts reveal them. What helps to find one's way, menus, the page's own
// header and footer, is left out by its elements.
func readHTML(ctx context.Context, name string, body []byte, l Limits) (Document, error) {
	text, err := webText(name, body)
	if err != nil {
		return Document{}, err
	}
	// Parsed elements hold each other; a page that nests too deep is refused
	// before anything goes down into it.
	root, err := html.ParseWithOptions(strings.NewReader(text), html.ParseOptionEnableScripting(false))
	if err != nil || depth(root, l.Depth) > l.Depth {
		return Document{}, problem(name, "it nests its elements too deep, or is no HTML")
	}
	h := htmlReader{ctx: ctx}
	if title := find(root, func(n *html.Node) bool { return n.DataAtom == atom.Title }); title != nil {
		h.d.Title = squeeze(textOf(title))
	}
	if doc := find(root, func(n *html.Node) bool { return n.DataAtom == atom.Html }); doc != nil {
		h.d.Language, _, _ = strings.Cut(strings.ToLower(attr(doc, "lang")), "-")
	}
	page := find(root, func(n *html.Node) bool { return n.DataAtom == atom.Body })
	if page == nil {
		page = root
	}
	h.lone = find(page, func(n *html.Node) bool { return n.DataAtom == atom.H1 && !within(n, isPageHeader) }) == nil
	h.walk(page)
	h.flush(Paragraph, 0)
	if len(h.d.Blocks) == 0 && len(h.d.left) > 0 { // a page that is nothing but a menu
		h.all, h.d.left = true, nil
		h.walk(page)
		h.flush(Paragraph, 0)
	}
	if ctx.Err() != nil {
		return Document{}, context.Cause(ctx)
	}
	h.d.original = func(yield func(string) bool) { yield(textOf(page)) }
	h.d.count(evidence.Pictures, h.pictures)
	markContents(h.d.Blocks)
	h.d.linked = mostlyLinks(page)
	// The first heading says more shortly what a page is about.
	for _, b := range h.d.Blocks[:min(len(h.d.Blocks), 3)] {
		if b.Kind == Heading && b.Level == 1 && strings.HasPrefix(h.d.Title, b.Text) {
			h.d.Title = b.Text
		}
	}
	return h.d, nil
}

// markContents marks the links below the title of a list of contents as such.
func markContents(blocks []Block) {
	for i, b := range blocks {
		if len(b.Text) > 60 || !contentsTitle.MatchString(strings.Trim(b.Text, " :")) {
			continue
		}
		for j := i + 1; j < len(blocks) && blocks[j].Links && blocks[j].Kind == Item; j++ {
			blocks[j].Kind = Listing
		}
	}
}

// mostlyLinks reports a page that is a list of links to other places, as a
// book's contents are.
func mostlyLinks(page *html.Node) bool {
	linked, links := 0, 0
	for d := range page.Descendants() {
		if d.DataAtom == atom.A && attr(d, "href") != "" {
			links++
			linked += Words(textOf(d))
		}
	}
	return links >= 5 && linked*10 > Words(textOf(page))*7
}

var (
	xmlEncoding = regexp.MustCompile(`^<\?xml[^>]*\bencoding\s*=\s*["']([A-Za-z0-9._-]+)["']`)
	// selfClosed are elements that XML closes at once and HTML would leave open, so
	// that they took in all that follows.
	selfClosed = regexp.MustCompile(`<(a|abbr|b|cite|code|div|em|h[1-6]|i|iframe|li|ol|p|pre|script|section|span|` +
		`strong|style|sub|sup|svg|table|td|textarea|th|title|tr|ul)(\s(?:[^<>"']|"[^"]*"|'[^']*')*)?/>`)
)

// webText is a page's text in UTF-8: its encoding is what the page says, else
// what other texts are taken for. An XML page's empty elements are written so
// that HTML closes them too.
func webText(name string, body []byte) (string, error) {
	text := ""
	head := body[:min(len(body), 1024)]
	encoding, _, certain := charset.DetermineEncoding(head, "")
	if said := xmlEncoding.FindSubmatch(head); said != nil && !certain {
		if e, _ := charset.Lookup(string(said[1])); e != nil {
			encoding, certain = e, true
		}
	}
	if certain {
		if decoded, err := encoding.NewDecoder().Bytes(body); err == nil {
			text = string(decoded)
		}
	}
	if text == "" {
		var err error
		if text, err = decode(name, body); err != nil {
			return "", err
		}
	}
	if bytes.HasPrefix(bytes.TrimSpace(head), []byte("<?xml")) || bytes.Contains(head, []byte("/1999/xhtml")) {
		text = selfClosed.ReplaceAllString(text, "<$1$2></$1>")
	}
	return text, nil
}

// depth is how deep a tree is; it stops looking below most.
func depth(n *html.Node, most int) int {
	deepest, at := 0, 0
	for n != nil {
		if at > deepest {
			deepest = at
		}
		if n.FirstChild != nil && at <= most {
			n = n.FirstChild
			at++
			continue
		}
		for n != nil && n.NextSibling == nil {
			n = n.Parent
			at--
		}
		if n != nil {
			n = n.NextSibling
		}
	}
	return deepest
}

func find(n *html.Node, is func(*html.Node) bool) *html.Node {
	for d := range n.Descendants() {
		if d.Type == html.ElementNode && is(d) {
			return d
		}
	}
	return nil
}

// within reports whether an element that is such a one is around a node.
func within(n *html.Node, is func(*html.Node) bool) bool {
	for p := n.Parent; p != nil; p = p.Parent {
		if is(p) {
			return true
		}
	}
	return false
}

func attr(n *html.Node, key string) string {
	for _, a := range n.Attr {
		if a.Key == key {
			return a.Val
		}
	}
	return ""
}

// undrawn reports elements that no browser draws as text.
func undrawn(n *html.Node) bool {
	switch n.DataAtom {
	case atom.Script, atom.Style, atom.Template, atom.Noscript, atom.Iframe, atom.Head, atom.Title, atom.Object,
		atom.Audio, atom.Video, atom.Canvas, atom.Noembed, atom.Noframes, atom.Datalist, atom.Rp:
		return true
	}
	switch n.Data {
	case "annotation", "annotation-xml", "desc", "metadata", "defs": // of formulas and drawings
		return n.Namespace != ""
	}
	return false
}

// isPageHeader and isPageFooter report what a page has around what it is about.
func isPageHeader(n *html.Node) bool {
	return n.Type == html.ElementNode && (attr(n, "role") == "banner" ||
		n.DataAtom == atom.Header && !within(n, sections))
}

func isPageFooter(n *html.Node) bool {
	return n.Type == html.ElementNode && (attr(n, "role") == "contentinfo" ||
		n.DataAtom == atom.Footer && !within(n, sections))
}

// sections have headers and footers of their own.
func sections(n *html.Node) bool {
	switch n.DataAtom {
	case atom.Main, atom.Article, atom.Section, atom.Blockquote, atom.Figure, atom.Details, atom.Dialog, atom.Td:
		return true
	}
	return attr(n, "role") == "main"
}

func isMenu(n *html.Node) bool { return n.DataAtom == atom.Nav || attr(n, "role") == "navigation" }

// chrome tells what an element helps to find one's way by; "" if it does not.
func (h *htmlReader) chrome(n *html.Node) evidence.Why {
	switch {
	case h.all:
		return ""
	case isMenu(n):
		return evidence.Navigation
	case isPageHeader(n):
		// The only title of a page is worth reading with what stands around it, and so
		// is one that stands there without a menu: a site's name goes as what all its
		// pages have.
		if titled := find(n, func(c *html.Node) bool { return c.DataAtom == atom.H1 }) != nil; titled &&
			(h.lone || find(n, isMenu) == nil) {
			return ""
		}
		return evidence.Header
	case isPageFooter(n):
		return evidence.Footer
	}
	return ""
}

// anchor reports a link to the very place where it stands.
func anchor(n *html.Node) bool {
	if n.DataAtom != atom.A || !strings.HasPrefix(attr(n, "href"), "#") {
		return false
	}
	switch strings.TrimSpace(textOf(n)) {
	case "¶", "#", "§", "🔗":
		return true
	}
	return false
}

// breaks reports elements whose text does not run on with what is around them.
func breaks(n *html.Node) bool {
	switch n.DataAtom {
	case atom.P, atom.Div, atom.Section, atom.Article, atom.Main, atom.Blockquote, atom.Ul, atom.Ol, atom.Dl,
		atom.Header, atom.Footer, atom.Aside, atom.Nav, atom.Figure, atom.Address, atom.Details, atom.Summary,
		atom.Fieldset, atom.Legend, atom.Hr, atom.Form, atom.Dialog, atom.Center, atom.Menu, atom.Dir, atom.Hgroup,
		atom.Search, atom.Table, atom.Tr, atom.Td, atom.Th, atom.Tbody, atom.Thead, atom.Tfoot, atom.Li, atom.Dt,
		atom.Dd, atom.H1, atom.H2, atom.H3, atom.H4, atom.H5, atom.H6, atom.Pre, atom.Figcaption, atom.Caption,
		atom.Listing, atom.Xmp, atom.Plaintext:
		return true
	}
	return false
}

// apart reports elements that stand in a line with others but not glued to them.
func apart(n *html.Node) bool {
	switch n.DataAtom {
	case atom.Button, atom.Option, atom.Optgroup, atom.Select, atom.Label, atom.Textarea, atom.Input, atom.Rt:
		return true
	}
	return strings.Contains(n.Data, "-") || n.Namespace != "" && n.Data != "mi" && n.Data != "mn"
}

// textOf is all text below an element that can be seen, with white space where
// elements part it.
func textOf(n *html.Node) string {
	var b strings.Builder
	eachText(n, func(text string) bool { b.WriteString(text); return true })
	return b.String()
}

// eachText hands over the text below an element as it is drawn, piece by piece.
func eachText(n *html.Node, yield func(string) bool) bool {
	if n.Type == html.TextNode {
		return yield(n.Data)
	}
	if n.Type == html.ElementNode && undrawn(n) && n.DataAtom != atom.Title {
		return true
	}
	parted := ""
	switch {
	case n.DataAtom == atom.Br:
		return yield("\n")
	case breaks(n):
		parted = "\n"
	case n.Type == html.ElementNode && apart(n):
		parted = " "
	}
	if parted != "" && !yield(parted) {
		return false
	}
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		if !eachText(c, yield) {
			return false
		}
	}
	return parted == "" || yield(parted)
}

// htmlReader gathers running text and ends it as a block where an element does
// that is one.
type htmlReader struct {
	ctx      context.Context
	d        Document
	text     strings.Builder
	deep     int  // of lists
	lone     bool // the only title is in the page's header
	all      bool // menus too
	pictures int  // without words that stand for them
	within   bool // a link
	linked   bool // some of the text is such
	plain    bool // some of it is not
}

func (h *htmlReader) flush(kind BlockKind, level int) {
	if text := squeeze(h.text.String()); text != "" {
		h.d.Blocks = append(h.d.Blocks, Block{Kind: kind, Text: text, Level: level, Links: h.linked && !h.plain})
	}
	h.text.Reset()
	h.linked, h.plain = false, false
}

func (h *htmlReader) walk(n *html.Node) {
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		if h.ctx.Err() != nil {
			return
		}
		switch {
		case c.Type == html.TextNode:
			h.text.WriteString(c.Data)
			if hasWords(c.Data) {
				h.linked = h.linked || h.within
				h.plain = h.plain || !h.within
			}
		case c.Type == html.ElementNode:
			h.element(c)
		}
	}
}

// element reads an element that can be seen; what is left out of it is noted.
func (h *htmlReader) element(n *html.Node) {
	if why := h.chrome(n); why != "" {
		h.flush(h.running())
		h.d.leave(why, squeeze(textOf(n)))
		return
	}
	switch {
	case n.DataAtom == atom.Noscript || n.DataAtom == atom.Template:
		h.d.leave(evidence.Unseen, squeeze(everyText(n)))
	case undrawn(n), anchor(n):
	case n.DataAtom == atom.Img:
		if alt := squeeze(attr(n, "alt")); len(alt) > 20 {
			h.text.WriteString(" " + alt + " ")
		} else {
			h.pictures++
		}
	case n.DataAtom == atom.Input:
		if kind := attr(n, "type"); kind == "submit" || kind == "button" || kind == "reset" {
			h.text.WriteString(" " + attr(n, "value") + " ")
		}
	default:
		h.content(n)
	}
}

func everyText(n *html.Node) string {
	var b strings.Builder
	for d := range n.Descendants() {
		if d.Type == html.TextNode {
			b.WriteString(d.Data + " ")
		}
	}
	return b.String()
}

func (h *htmlReader) content(n *html.Node) {
	block := func(kind BlockKind, level int) {
		h.flush(h.running())
		h.walk(n)
		h.flush(kind, level)
	}
	switch n.DataAtom {
	case atom.H1, atom.H2, atom.H3, atom.H4, atom.H5, atom.H6:
		block(Heading, int(n.Data[1]-'0'))
	case atom.Li, atom.Dd:
		h.flush(h.running())
		h.deep++
		h.walk(n)
		h.flush(Item, h.deep)
		h.deep--
	case atom.Dt:
		block(Item, max(1, h.deep))
	case atom.Figcaption, atom.Caption:
		block(Caption, 0)
	case atom.Pre, atom.Listing, atom.Xmp, atom.Plaintext:
		h.flush(h.running())
		if text := strings.Trim(textOf(n), "\n"); strings.TrimSpace(text) != "" {
			h.d.Blocks = append(h.d.Blocks, Block{Kind: Code, Text: text})
		}
	case atom.Table:
		h.flush(h.running())
		h.table(n)
		h.flush(h.running())
	case atom.Br:
		h.text.WriteByte('\n')
	default:
		switch {
		case breaks(n):
			h.flush(h.running())
			h.walk(n)
			h.flush(h.running())
		case isLink(n):
			h.within = true
			h.walk(n)
			h.within = false
		case apart(n):
			h.text.WriteByte(' ')
			h.walk(n)
			h.text.WriteByte(' ')
		default:
			h.walk(n)
		}
	}
}

// isLink reports a link.
func isLink(n *html.Node) bool { return n.DataAtom == atom.A && attr(n, "href") != "" }

func hasWords(text string) bool {
	return strings.ContainsFunc(text, func(r rune) bool { return isLetter(r) || unicode.IsDigit(r) })
}

// onlyLinks reports whether all words below an element are links.
func onlyLinks(n *html.Node) bool {
	some, away := false, true
	for d := range n.Descendants() {
		if d.Type == html.TextNode && hasWords(d.Data) {
			some = true
			away = away && within(d, isLink)
		}
	}
	return some && away
}

// running is what text is that stands in no element of its own.
func (h *htmlReader) running() (BlockKind, int) {
	if h.deep > 0 {
		return Item, h.deep
	}
	return Paragraph, 0
}

const (
	// mostSpanned is over how many columns or rows a cell may go.
	mostSpanned = 50
	// longSpanned is how long a cell's text may be that is said in all of them.
	longSpanned = 200
)

// table reads a table's rows with the names of their columns. A table with
// blocks in its cells is there for the layout and read as running text.
func (h *htmlReader) table(n *html.Node) {
	if find(n, func(d *html.Node) bool {
		switch d.DataAtom {
		case atom.Table, atom.H1, atom.H2, atom.H3, atom.Pre, atom.Nav, atom.Header, atom.Footer:
			return true
		}
		return false
	}) != nil || !onlyRows(n) {
		h.walk(n)
		return
	}
	if c := find(n, func(d *html.Node) bool { return d.DataAtom == atom.Caption }); c != nil {
		h.d.Blocks = append(h.d.Blocks, Block{Kind: Caption, Text: squeeze(textOf(c))})
	}
	t := tableRows{}
	for tr := range n.Descendants() {
		if tr.DataAtom == atom.Img && len(attr(tr, "alt")) <= 20 {
			h.pictures++
		}
		if tr.DataAtom != atom.Tr {
			continue
		}
		cells, heads := t.cells(tr)
		before := len(h.d.Blocks)
		if len(cells) > 0 {
			h.d.Blocks = t.add(h.d.Blocks, cells, heads)
		}
		if n := len(h.d.Blocks); n > before {
			h.d.Blocks[n-1].Links = onlyLinks(tr)
		}
	}
	h.d.Blocks = t.end(h.d.Blocks)
}

// onlyRows reports whether all text of a table is in its caption and cells.
func onlyRows(n *html.Node) bool {
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		switch c.DataAtom {
		case atom.Thead, atom.Tbody, atom.Tfoot, atom.Tr:
			if !onlyRows(c) {
				return false
			}
		case atom.Td, atom.Th, atom.Caption, atom.Colgroup, atom.Col:
		default:
			if strings.TrimSpace(textOf(c)) != "" {
				return false
			}
		}
	}
	return true
}

// tableRows writes the rows of a table with the names of their columns.
type tableRows struct {
	header []string
	said   bool // the header, in a row
	number int
	above  []spanned // cells of rows before that go on, by column
}

type spanned struct {
	text string
	rows int
}

// cells are those of a row by column, with those of rows above that go on in it;
// all reports whether all are heads.
func (t *tableRows) cells(tr *html.Node) (cells []string, heads bool) {
	own, all := 0, true
	goOn := func() {
		for len(cells) < len(t.above) && t.above[len(cells)].rows > 0 {
			a := &t.above[len(cells)]
			a.rows--
			cells = append(cells, a.text)
		}
	}
	for c := tr.FirstChild; c != nil; c = c.NextSibling {
		if c.DataAtom != atom.Th && c.DataAtom != atom.Td {
			continue
		}
		goOn()
		own++
		all = all && c.DataAtom == atom.Th
		text := squeeze(cellText(c))
		wide, tall := span(c, "colspan"), span(c, "rowspan")
		for i := range wide {
			said := text
			if i > 0 && (c.DataAtom == atom.Td || len(text) > longSpanned) {
				said = ""
			}
			if tall > 1 {
				for len(t.above) <= len(cells) {
					t.above = append(t.above, spanned{})
				}
				if t.above[len(cells)] = (spanned{said, tall - 1}); len(said) > longSpanned {
					t.above[len(cells)].text = "" // it is said once
				}
			}
			cells = append(cells, said)
		}
	}
	if own == 0 {
		return nil, false
	}
	goOn()
	return cells, all
}

// cellText is a cell's text, without links to the place where it stands.
func cellText(n *html.Node) string {
	if find(n, anchor) == nil && find(n, func(d *html.Node) bool { return d.DataAtom == atom.Img }) == nil {
		return textOf(n)
	}
	h := htmlReader{ctx: context.Background()}
	h.walk(n)
	h.flush(Paragraph, 0)
	parts := make([]string, len(h.d.Blocks))
	for i, b := range h.d.Blocks {
		parts[i] = b.Text
	}
	return strings.Join(parts, " ")
}

func span(n *html.Node, key string) int {
	v, _ := strconv.Atoi(attr(n, key))
	return max(1, min(v, mostSpanned))
}

// add adds a row; the first that is all heads names the columns, and heads that
// follow it at once add to the names. One head over all columns is what the table
// is called.
func (t *tableRows) add(blocks []Block, cells []string, heads bool) []Block {
	t.number++
	switch {
	case heads && len(cells) > 1 && same(cells):
		return append(blocks, Block{Kind: Caption, Text: cells[0]})
	case heads && t.header == nil && len(cells) > 1:
		t.header = cells
		return blocks
	case heads && t.header != nil && !t.said && len(cells) == len(t.header):
		for i, c := range cells {
			if c != t.header[i] {
				t.header[i] = squeeze(t.header[i] + " " + c)
			}
		}
		return blocks
	}
	blocks = t.unsaid(blocks, cells)
	t.said = true
	return append(blocks, Block{Kind: Row, Text: row(t.header, cells), Row: t.number})
}

func same(cells []string) bool {
	return !slices.ContainsFunc(cells, func(c string) bool { return c != cells[0] })
}

// unsaid adds the names of columns that a row has nothing in: they would be
// lost where no other row says them.
func (t *tableRows) unsaid(blocks []Block, cells []string) []Block {
	if t.said || t.header == nil {
		return blocks
	}
	for i, name := range t.header {
		if name != "" && (i >= len(cells) || cells[i] == "") {
			return append(blocks, Block{Kind: Row, Text: row(nil, t.header), Row: 1})
		}
	}
	return blocks
}

// end adds the header if no row said it.
func (t *tableRows) end(blocks []Block) []Block {
	if !t.said && t.header != nil {
		return append(blocks, Block{Kind: Row, Text: row(nil, t.header), Row: 1})
	}
	return blocks
}

// row writes a row with the names of its columns.
func row(header, cells []string) string {
	var parts []string
	for i, c := range cells {
		c = squeeze(c)
		if c == "" {
			continue
		}
		if i < len(header) && header[i] != "" && header[i] != c {
			c = header[i] + ": " + c
		}
		parts = append(parts, c)
	}
	return strings.Join(parts, "; ")
}

// textBlocks reads a fragment of HTML that stands in a file of another format.
func textBlocks(ctx context.Context, fragment string, most int) []Block {
	root, err := html.ParseWithOptions(strings.NewReader(fragment), html.ParseOptionEnableScripting(false))
	if err != nil || depth(root, most) > most {
		return nil
	}
	h := htmlReader{ctx: ctx, all: true}
	h.walk(root)
	h.flush(Paragraph, 0)
	return slices.Clip(h.d.Blocks)
}

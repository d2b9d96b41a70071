package reading

import (
	"bytes"
	"context"
	"net/url"
	"strings"

	"codeberg.org/readeck/go-readability/v2"
	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"
	"golang.org/x/net/html/charset"
)

var _ = register(format{name: "html", title: "HTML", endings: []string{".html", ".htm", ".xhtml"},
	head: func(text string) bool {
		return strings.HasPrefix(text, "<!doctype html") || strings.HasPrefix(text, "<html") ||
			strings.HasPrefix(text, "<?xml") && strings.Contains(text, "<html")
	}, read: readHTML})

// readHTML reads a page's main content.
func readHTML(ctx context.Context, name string, body []byte, l Limits) (Document, error) {
	text, err := charset.NewReader(bytes.NewReader(body), "text/html")
	if err != nil {
		text = strings.NewReader(decode(body))
	}
	// Parsed elements hold each other; a page that nests too deep is refused
	// before anything goes down into it.
	root, err := html.ParseWithOptions(text, html.ParseOptionEnableScripting(false))
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
	h.walk(mainContent(root))
	h.flush(Paragraph, 0)
	if ctx.Err() != nil {
		return Document{}, context.Cause(ctx)
	}
	// The first heading says more shortly what a page is about.
	for _, b := range h.d.Blocks[:min(len(h.d.Blocks), 3)] {
		if b.Kind == Heading && b.Level == 1 && strings.HasPrefix(h.d.Title, b.Text) {
			h.d.Title = b.Text
		}
	}
	return h.d, nil
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

// mainContent is the part of a page that it is about: what it marks itself as
// such, else what a reader mode would show, else all of it.
func mainContent(root *html.Node) *html.Node {
	marks := []func(n *html.Node) bool{
		func(n *html.Node) bool { return n.DataAtom == atom.Main || attr(n, "role") == "main" },
		func(n *html.Node) bool { return n.DataAtom == atom.Article },
	}
	for _, is := range marks {
		if found := find(root, is); found != nil &&
			(found.DataAtom != atom.Article ||
				find(root, func(n *html.Node) bool { return n != found && is(n) }) == nil) {
			return found
		}
	}
	body := find(root, func(n *html.Node) bool { return n.DataAtom == atom.Body })
	if body == nil {
		return root
	}
	all := len(visible(body))
	if all > 2000 && find(root, func(n *html.Node) bool {
		return n.DataAtom == atom.Nav || n.DataAtom == atom.Aside || attr(n, "role") == "navigation"
	}) == nil {
		var copied bytes.Buffer
		if html.Render(&copied, root) == nil {
			if article, err := readability.FromReader(&copied, &url.URL{}); err == nil && article.Node != nil &&
				3*len(visible(article.Node)) > all {
				return article.Node
			}
		}
	}
	return body
}

func visible(n *html.Node) string { return squeeze(textOf(n)) }

func find(n *html.Node, is func(*html.Node) bool) *html.Node {
	for d := range n.Descendants() {
		if d.Type == html.ElementNode && is(d) {
			return d
		}
	}
	return nil
}

func attr(n *html.Node, key string) string {
	for _, a := range n.Attr {
		if a.Key == key {
			return a.Val
		}
	}
	return ""
}

// textOf is all text below an element that can be seen.
func textOf(n *html.Node) string {
	var b strings.Builder
	var walk func(*html.Node)
	walk = func(n *html.Node) {
		if n.Type == html.TextNode {
			b.WriteString(n.Data)
		}
		if n.Type == html.ElementNode && unseen(n) {
			return
		}
		if n.DataAtom == atom.Br {
			b.WriteByte('\n')
		}
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			walk(c)
		}
	}
	walk(n)
	return b.String()
}

// unseen reports elements that are no content: scripts, menus, forms, links to
// the very place where they stand.
func unseen(n *html.Node) bool {
	switch n.DataAtom {
	case atom.Script, atom.Style, atom.Noscript, atom.Template, atom.Svg, atom.Nav, atom.Form, atom.Button, atom.Select,
		atom.Iframe, atom.Footer, atom.Aside:
		return true
	case atom.A:
		if strings.HasPrefix(attr(n, "href"), "#") {
			text := strings.TrimSpace(plainText(n))
			return text == "¶" || text == "#" || text == "§" || text == "🔗"
		}
	}
	if role := attr(n, "role"); role == "navigation" || role == "search" || role == "banner" ||
		role == "complementary" || role == "contentinfo" {
		return true
	}
	style := strings.ReplaceAll(attr(n, "style"), " ", "")
	return attr(n, "hidden") != "" || attr(n, "aria-hidden") == "true" && n.DataAtom != atom.Span ||
		strings.Contains(style, "display:none")
}

func plainText(n *html.Node) string {
	var b strings.Builder
	for d := range n.Descendants() {
		if d.Type == html.TextNode {
			b.WriteString(d.Data)
		}
	}
	return b.String()
}

// htmlReader gathers running text and ends it as a block where an element does
// that is one.
type htmlReader struct {
	ctx  context.Context
	d    Document
	text strings.Builder
	deep int // of lists
}

func (h *htmlReader) flush(kind BlockKind, level int) {
	if text := squeeze(h.text.String()); text != "" {
		h.d.Blocks = append(h.d.Blocks, Block{Kind: kind, Text: text, Level: level})
	}
	h.text.Reset()
}

func (h *htmlReader) walk(n *html.Node) {
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		if h.ctx.Err() != nil {
			return
		}
		switch {
		case c.Type == html.TextNode:
			h.text.WriteString(c.Data)
		case c.Type != html.ElementNode || unseen(c):
		default:
			h.element(c)
		}
	}
}

func (h *htmlReader) element(n *html.Node) {
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
	case atom.Pre:
		h.flush(h.running())
		if text := strings.Trim(textOf(n), "\n"); strings.TrimSpace(text) != "" {
			h.d.Blocks = append(h.d.Blocks, Block{Kind: Code, Text: text})
		}
	case atom.Table:
		h.flush(h.running())
		h.table(n)
	case atom.Br:
		h.text.WriteByte('\n')
	case atom.Img:
		if alt := attr(n, "alt"); len(alt) > 20 {
			h.text.WriteString(" " + alt + " ")
		}
	case atom.P, atom.Div, atom.Section, atom.Article, atom.Main, atom.Blockquote, atom.Ul, atom.Ol, atom.Dl,
		atom.Header, atom.Figure, atom.Address, atom.Details, atom.Summary, atom.Fieldset, atom.Hr:
		h.flush(h.running())
		h.walk(n)
		h.flush(h.running())
	default:
		h.walk(n)
	}
}

// running is what text is that stands in no element of its own.
func (h *htmlReader) running() (BlockKind, int) {
	if h.deep > 0 {
		return Item, h.deep
	}
	return Paragraph, 0
}

// table reads a table's rows with the names of their columns. A table with
// blocks in its cells is there for the layout and read as running text.
func (h *htmlReader) table(n *html.Node) {
	if find(n, func(d *html.Node) bool {
		return d.DataAtom == atom.Table || d.DataAtom == atom.H2 || d.DataAtom == atom.Pre
	}) != nil {
		h.walk(n)
		return
	}
	if c := find(n, func(d *html.Node) bool { return d.DataAtom == atom.Caption }); c != nil {
		h.d.Blocks = append(h.d.Blocks, Block{Kind: Caption, Text: squeeze(textOf(c))})
	}
	var header []string
	number := 0
	for tr := range n.Descendants() {
		if tr.DataAtom != atom.Tr {
			continue
		}
		var cells []string
		heads := 0
		for c := tr.FirstChild; c != nil; c = c.NextSibling {
			if c.DataAtom == atom.Th {
				heads++
			}
			if c.DataAtom == atom.Th || c.DataAtom == atom.Td {
				cells = append(cells, squeeze(textOf(c)))
			}
		}
		if len(cells) == 0 {
			continue
		}
		number++
		if header == nil && heads == len(cells) {
			header = cells
			continue
		}
		h.d.Blocks = append(h.d.Blocks, Block{Kind: Row, Text: row(header, cells), Row: number})
	}
}

// row writes a row with the names of its columns.
func row(header, cells []string) string {
	var parts []string
	for i, c := range cells {
		c = squeeze(c)
		if c == "" {
			continue
		}
		if i < len(header) && header[i] != "" {
			c = header[i] + ": " + c
		}
		parts = append(parts, c)
	}
	return strings.Join(parts, "; ")
}

package reading

import (
	"bytes"
	"context"
	"regexp"
	"strings"

	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/extension"
	east "github.com/yuin/goldmark/extension/ast"
	"github.com/yuin/goldmark/text"
	"github.com/yuin/goldmark/util"
)

var _ = register(format{name: "markdown", title: "Markdown", endings: []string{".md", ".markdown"},
	read: readMarkdown})

// readMarkdown reads CommonMark with tables.
func readMarkdown(ctx context.Context, name string, body []byte, l Limits) (Document, error) {
	decoded, err := decode(name, body)
	if err != nil {
		return Document{}, err
	}
	source := []byte(strings.ReplaceAll(decoded, "\r\n", "\n"))
	title, source := frontMatter(source)
	if deepest(source) > l.Depth {
		return Document{}, problem(name, "it nests too deep")
	}
	root := goldmark.New(goldmark.WithExtensions(extension.Table, extension.Strikethrough)).Parser().
		Parse(text.NewReader(source))
	m := markdownReader{ctx: ctx, source: source, d: Document{Title: title}, most: l.Depth}
	m.lines = append(m.lines, 0)
	for i, b := range source {
		if b == '\n' {
			m.lines = append(m.lines, i+1)
		}
	}
	m.walk(root, 0)
	m.d.original = func(yield func(string) bool) { markedText(source, yield) }
	return m.d, context.Cause(ctx)
}

var (
	markComment = regexp.MustCompile(`(?s)<!--.*?-->`)
	markTag     = regexp.MustCompile(`(?s)</?[A-Za-z][A-Za-z0-9-]*(?:\s[^<>]*)?/?>`)
	markTarget  = regexp.MustCompile(`\]\((?:<[^<>\n]*>|[^()\s]*(?:\([^()\s]*\)[^()\s]*)*)(?:\s+(?:"[^"]*"|'[^']*'))?\s*\)`)
	markNamed   = regexp.MustCompile(`(?m)^ {0,3}\[[^\]\n]+\]:[ \t]*\S+.*$`)
	markRef     = regexp.MustCompile(`\]\[[^\]\n]*\]`)
	markFence   = regexp.MustCompile("(?m)^[ >]*(?:```+|~~~+).*$")
)

// markedText is what a reader sees of a text as far as its marks tell without
// taking it apart.
func markedText(source []byte, yield func(string) bool) {
	for _, mark := range []*regexp.Regexp{markComment, markFence, markNamed, markTarget, markRef, markTag} {
		source = mark.ReplaceAll(source, []byte("] "))
	}
	yield(string(spelt(source)))
}

// deepest is how deep quotations and lists may nest at most in a text.
func deepest(source []byte) int {
	most := 0
	for line := range bytes.Lines(source) {
		n := 0
		for _, b := range line {
			if b == '>' || b == '-' || b == '*' || b == '+' {
				n++
			} else if b != ' ' && b != '\t' {
				break
			}
		}
		most = max(most, n, (len(line)-len(bytes.TrimLeft(line, " \t")))/2)
	}
	return most
}

// frontMatter takes a title from the YAML that some programs put on top, and
// leaves empty lines in its place, so that lines count as in the file.
func frontMatter(source []byte) (title string, rest []byte) {
	if !bytes.HasPrefix(source, []byte("---\n")) {
		return "", source
	}
	end := bytes.Index(source, []byte("\n---\n"))
	if end < 0 || end > 10_000 {
		return "", source
	}
	for line := range strings.Lines(string(source[:end+1])) {
		if t, ok := strings.CutPrefix(line, "title:"); ok {
			title = strings.Trim(strings.TrimSpace(t), `"'`)
		}
	}
	head := bytes.Repeat([]byte("\n"), bytes.Count(source[:end+5], []byte("\n")))
	return title, append(head, source[end+5:]...)
}

type markdownReader struct {
	ctx    context.Context
	most   int // how deep HTML may nest
	source []byte
	lines  []int // where each begins
	d      Document
}

func (m *markdownReader) walk(parent ast.Node, deep int) {
	for n := parent.FirstChild(); n != nil; n = n.NextSibling() {
		switch n := n.(type) {
		case *ast.Heading:
			m.add(Block{Kind: Heading, Text: m.inline(n), Level: n.Level}, n)
		case *ast.List:
			m.walk(n, deep+1)
		case *ast.ListItem:
			m.walk(n, deep)
		case *ast.FencedCodeBlock, *ast.CodeBlock:
			var b strings.Builder
			for i := range n.Lines().Len() {
				s := n.Lines().At(i)
				b.Write(s.Value(m.source))
			}
			m.add(Block{Kind: Code, Text: strings.Trim(b.String(), "\n")}, n)
		case *ast.ThematicBreak:
		case *ast.HTMLBlock:
			m.html(n)
		case *east.Table:
			m.table(n)
		case *ast.Blockquote:
			m.walk(n, deep)
		default:
			kind, level := Paragraph, 0
			if deep > 0 {
				kind, level = Item, deep
			}
			m.add(Block{Kind: kind, Text: m.inline(n), Level: level}, n)
		}
	}
}

// html reads HTML that stands between the blocks.
func (m *markdownReader) html(n *ast.HTMLBlock) {
	var b strings.Builder
	for i := range n.Lines().Len() {
		s := n.Lines().At(i)
		b.Write(s.Value(m.source))
	}
	if n.HasClosure() {
		b.Write(n.ClosureLine.Value(m.source))
	}
	for _, block := range textBlocks(m.ctx, b.String(), m.most) {
		m.add(block, n)
	}
}

func (m *markdownReader) table(n *east.Table) {
	t := tableRows{}
	for r := n.FirstChild(); r != nil; r = r.NextSibling() {
		var cells []string
		for c := r.FirstChild(); c != nil; c = c.NextSibling() {
			cells = append(cells, m.inline(c))
		}
		_, heads := r.(*east.TableHeader)
		for _, b := range t.add(nil, cells, heads) {
			m.add(b, r)
		}
	}
	for _, b := range t.end(nil) {
		m.add(b, n)
	}
}

// inline is the text of a block without its marks.
func (m *markdownReader) inline(n ast.Node) string {
	var b strings.Builder
	_ = ast.Walk(n, func(c ast.Node, entering bool) (ast.WalkStatus, error) {
		if !entering {
			return ast.WalkContinue, nil
		}
		switch c := c.(type) {
		case *ast.Text:
			if inCode(c) {
				b.Write(c.Segment.Value(m.source))
			} else {
				b.Write(spelt(c.Segment.Value(m.source)))
			}
			if c.SoftLineBreak() || c.HardLineBreak() {
				b.WriteByte(' ')
			}
		case *ast.String:
			b.Write(c.Value)
		case *ast.AutoLink:
			b.Write(c.Label(m.source))
		case *ast.RawHTML:
			return ast.WalkSkipChildren, nil
		}
		return ast.WalkContinue, nil
	})
	return squeeze(b.String())
}

func inCode(n ast.Node) bool { return n.Parent() != nil && n.Parent().Kind() == ast.KindCodeSpan }

// spelt is text with its entities and escapes resolved.
func spelt(text []byte) []byte {
	return util.UnescapePunctuations(util.ResolveEntityNames(util.ResolveNumericReferences(text)))
}

func (m *markdownReader) add(b Block, n ast.Node) {
	b.Line = m.line(n)
	m.d.Blocks = append(m.d.Blocks, b)
}

// line is the line on which a node begins.
func (m *markdownReader) line(n ast.Node) int {
	at := -1
	_ = ast.Walk(n, func(c ast.Node, entering bool) (ast.WalkStatus, error) {
		if entering && at < 0 {
			if t, is := c.(*ast.Text); is {
				at = t.Segment.Start
			} else if c.Type() == ast.TypeBlock && c.Lines() != nil && c.Lines().Len() > 0 {
				at = c.Lines().At(0).Start
			}
		}
		return ast.WalkContinue, nil
	})
	if at < 0 {
		return 0
	}
	line := 1
	for lo, hi := 0, len(m.lines); lo < hi; {
		mid := (lo + hi) / 2
		if m.lines[mid] <= at {
			line, lo = mid+1, mid+1
		} else {
			hi = mid
		}
	}
	return line
}

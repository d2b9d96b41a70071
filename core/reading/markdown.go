package reading

import (
	"bytes"
	"context"
	"strings"

	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/extension"
	east "github.com/yuin/goldmark/extension/ast"
	"github.com/yuin/goldmark/text"
)

var _ = register(format{name: "markdown", title: "Markdown", endings: []string{".md", ".markdown"},
	read: readMarkdown})

// readMarkdown reads CommonMark with tables.
func readMarkdown(ctx context.Context, name string, body []byte, l Limits) (Document, error) {
	source := []byte(strings.ReplaceAll(decode(body), "\r\n", "\n"))
	title, source := frontMatter(source)
	if deepest(source) > l.Depth {
		return Document{}, problem(name, "it nests too deep")
	}
	root := goldmark.New(goldmark.WithExtensions(extension.Table, extension.Strikethrough)).Parser().
		Parse(text.NewReader(source))
	m := markdownReader{source: source, d: Document{Title: title}}
	m.lines = append(m.lines, 0)
	for i, b := range source {
		if b == '\n' {
			m.lines = append(m.lines, i+1)
		}
	}
	m.walk(root, 0)
	return m.d, context.Cause(ctx)
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
		case *ast.HTMLBlock, *ast.ThematicBreak:
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

func (m *markdownReader) table(t *east.Table) {
	var header []string
	number := 0
	for r := t.FirstChild(); r != nil; r = r.NextSibling() {
		var cells []string
		for c := r.FirstChild(); c != nil; c = c.NextSibling() {
			cells = append(cells, m.inline(c))
		}
		number++
		if _, is := r.(*east.TableHeader); is {
			header = cells
			continue
		}
		m.add(Block{Kind: Row, Text: row(header, cells), Row: number}, r)
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
			b.Write(c.Segment.Value(m.source))
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

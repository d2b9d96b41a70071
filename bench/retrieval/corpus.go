package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"golang.org/x/net/html"

	"juvalogos/core/reading"
)

// page is a document of the corpus.
type page struct {
	path string // below the corpus
	doc  reading.Document
}

// question is a query with the pages that are right.
type question struct {
	text  string
	right map[string]bool // empty: nothing answers it
}

// readCorpus reads all HTML pages below a folder that are no index.
func readCorpus(folder string) (pages []page, bytes int, err error) {
	err = filepath.WalkDir(folder, func(path string, e os.DirEntry, err error) error {
		name := strings.TrimPrefix(path, folder+"/")
		if err != nil || e.IsDir() || !strings.HasSuffix(name, ".html") || strings.HasPrefix(name, "genindex") ||
			strings.HasPrefix(name, "_") ||
			name == "search.html" || name == "bookindex.html" || name == "py-modindex.html" ||
			name == "contents.html" || name == "index.html" {
			return err
		}
		body, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		d, err := reading.Read(context.Background(), name, body, nil, reading.DefaultLimits)
		if err != nil {
			return nil // an empty page
		}
		bytes += len(body)
		pages = append(pages, page{name, d})
		return nil
	})
	return pages, bytes, err
}

// readIndex reads the entries of a general index, each with the pages that it
// points to. An entry below another one is asked for together with it.
func readIndex(file string, known map[string]bool) ([]question, error) {
	f, err := os.Open(file)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	root, err := html.Parse(f)
	if err != nil {
		return nil, err
	}
	var all []question
	add := func(text string, right map[string]bool) {
		for p := range right {
			if !known[p] {
				delete(right, p)
			}
		}
		if text = strings.Join(strings.Fields(text), " "); len(right) > 0 && len(text) > 1 {
			all = append(all, question{text, right})
		}
	}
	var walk func(n *html.Node, above string)
	walk = func(n *html.Node, above string) {
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			if c.Type != html.ElementNode {
				continue
			}
			switch {
			case c.Data == "li" || c.Data == "dt": // own text, then links, then lists
				own, right := "", map[string]bool{}
				for d := c.FirstChild; d != nil; d = d.NextSibling {
					switch {
					case d.Data == "a":
						right[target(d)] = true
						if text := inner(d); c.Data == "li" && !strings.HasPrefix(text, "[") {
							own += text
						}
					case d.Type == html.TextNode || d.Data == "code":
						own += inner(d)
					}
				}
				own, _, _ = strings.Cut(own, ", ")
				own = strings.Trim(own, ", \n")
				add(above+" "+own, right)
				walk(c, own)
			case c.Data == "dd":
				before := ""
				for d := c.PrevSibling; d != nil; d = d.PrevSibling {
					if d.Data == "dt" {
						before, _, _ = strings.Cut(inner(d), ",")
						break
					}
				}
				walk(c, before)
			default:
				walk(c, above)
			}
		}
	}
	walk(root, "")
	return all, nil
}

func target(a *html.Node) string {
	for _, at := range a.Attr {
		if at.Key == "href" {
			path, _, _ := strings.Cut(at.Val, "#")
			return path
		}
	}
	return ""
}

func inner(n *html.Node) string {
	if n.Type == html.TextNode {
		return n.Data
	}
	var b strings.Builder
	for d := range n.Descendants() {
		if d.Type == html.TextNode {
			b.WriteString(d.Data)
		}
	}
	return b.String()
}

// readQuestions reads lines of a question, a tab and the pages that answer it.
func readQuestions(file string, known map[string]bool) ([]question, error) {
	text, err := os.ReadFile(file)
	if err != nil {
		return nil, err
	}
	var all []question
	for line := range strings.Lines(string(text)) {
		q, pages, ok := strings.Cut(strings.TrimRight(line, "\n"), "\t")
		if !ok {
			return nil, fmt.Errorf("%s: %q has no tab", file, line)
		}
		right := map[string]bool{}
		for _, p := range strings.Fields(pages) {
			if !known[p] {
				return nil, fmt.Errorf("%s: there is no page %q", file, p)
			}
			right[p] = true
		}
		all = append(all, question{q, right})
	}
	return all, nil
}

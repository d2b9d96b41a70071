package main

import (
	"bytes"
	"cmp"
	"compress/gzip"
	"context"
	"fmt"
	"hash/fnv"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"juvalogos/core/passage"
	"juvalogos/core/reading"
)

// harvested is what the documents of a Debian package ask and answer
// themselves: headings that are questions, which nobody here wrote. They are
// taken out of the documents.
type harvested struct {
	name  string
	pages []page
	asked []natural
}

// natural is a question with the blocks of a page that answer it.
type natural struct {
	text     string
	page     int
	from, to int // blocks, the last left out
}

const (
	mostFiles     = 25 // of a package
	mostFileBytes = 600_000
	mostAsked     = 20 // of a package
	fewestAsked   = 4
	fewestLetters = 80    // of an answer
	mostLetters   = 1_500 // of it that count
)

var (
	numbered    = regexp.MustCompile(`^(?:[Qq](?:uestion)?\s*[\d.]*\s*[:.)]|[\[(]?\d+(?:[.\-]\d+)*[\])]?[.:)]?|[A-Z]\d*[.:)])\s+`)
	asksNothing = regexp.MustCompile(`(?i)^(?:changelog|copyright|news|authors|todo|license)`)
)

// questionOf is the question that a block is, "" if it is none.
func questionOf(b reading.Block) string {
	text := strings.Join(strings.Fields(b.Text), " ")
	for {
		shorter := numbered.ReplaceAllString(text, "")
		if shorter == text {
			break
		}
		text = shorter
	}
	text = strings.Trim(text, "¶# ")
	words := len(strings.Fields(text))
	if !strings.HasSuffix(text, "?") || words < 4 || words > 25 || strings.Count(text, "?") > 1 ||
		strings.Contains(text, ". ") {
		return ""
	}
	return text
}

// harvest reads a package's documents, which are unpacked below a folder.
func harvest(folder string) (*harvested, error) {
	h := &harvested{name: filepath.Base(folder)}
	var files []string
	err := filepath.WalkDir(folder, func(path string, e os.DirEntry, err error) error {
		if err != nil || e.IsDir() || !e.Type().IsRegular() || asksNothing.MatchString(e.Name()) {
			return err
		}
		files = append(files, path)
		return nil
	})
	if err != nil {
		return nil, err
	}
	faq := func(path string) int {
		if strings.Contains(strings.ToLower(filepath.Base(path)), "faq") {
			return 0
		}
		return 1
	}
	slices.SortStableFunc(files, func(a, b string) int { return cmp.Compare(faq(a), faq(b)) })
	for _, path := range files {
		if len(h.pages) == mostFiles {
			break
		}
		if d, ok := readUnpacked(path); ok {
			h.take(strings.TrimPrefix(path, folder+"/"), d)
		}
	}
	if len(h.asked) < fewestAsked {
		return nil, nil
	}
	return h, nil
}

func readUnpacked(path string) (d reading.Document, ok bool) {
	body, err := os.ReadFile(path)
	if err != nil || len(body) > mostFileBytes {
		return d, false
	}
	name := filepath.Base(path)
	if strings.HasSuffix(name, ".gz") {
		z, err := gzip.NewReader(bytes.NewReader(body))
		if err != nil {
			return d, false
		}
		if body, err = io.ReadAll(io.LimitReader(z, mostFileBytes)); err != nil {
			return d, false
		}
		name = strings.TrimSuffix(name, ".gz")
	}
	switch strings.ToLower(filepath.Ext(name)) {
	case ".html", ".htm", ".xhtml", ".md":
	case ".txt", ".rst", "":
		name += ".txt"
	default:
		return d, false
	}
	d, err = reading.Read(context.Background(), name, body, nil, reading.DefaultLimits)
	return d, err == nil && (d.Language == "" || d.Language == "en") && d.Words > 30
}

// take adds a page, the questions that are headings in it taken out.
func (h *harvested) take(path string, d reading.Document) {
	asks := map[string]bool{}
	for i, b := range d.Blocks {
		if q := questionOf(b); q != "" && (b.Kind == reading.Heading || i+1 < len(d.Blocks)) && b.Kind != reading.Code {
			asks[q] = true
		}
	}
	var kept []reading.Block
	open, level := -1, 0
	var found []natural
	end := func() {
		if open >= 0 {
			found[open].to = len(kept)
			open = -1
		}
	}
	for _, b := range d.Blocks {
		if q := questionOf(b); q != "" && asks[q] {
			end()
			found = append(found, natural{text: q, page: len(h.pages), from: len(kept), to: len(kept)})
			open, level = len(found)-1, 9
			if b.Kind == reading.Heading {
				level = b.Level
			}
			continue
		}
		if b.Kind == reading.Heading && (level == 9 || b.Level <= level) {
			end()
		}
		kept = append(kept, b)
	}
	end()
	d.Blocks = kept
	if asks[d.Title] {
		d.Title = ""
	}
	h.pages = append(h.pages, page{h.name + "/" + path, d})
	for _, n := range found {
		letters := 0
		for i := n.from; i < n.to; i++ {
			if letters += len(d.Blocks[i].Text); letters > mostLetters {
				n.to = i + 1
			}
		}
		if letters >= fewestLetters && !strings.HasSuffix(d.Blocks[n.from].Text, "?") {
			h.asked = append(h.asked, n)
		}
	}
}

// answers reports whether a passage of the right page answers: most of the
// answer is in it, or most of it is answer.
func (n natural) answers(c passage.Chunk, d reading.Document) bool {
	whole, own, other := 0, 0, 0
	for i := n.from; i < n.to; i++ {
		whole += len(d.Blocks[i].Text)
	}
	for _, s := range c.Spans {
		if s.Block >= n.from && s.Block < n.to {
			own += s.To - s.From
		} else {
			other += s.To - s.From
		}
	}
	return own > 0 && (own*2 >= min(whole, 600) || own >= other)
}

// part says what a package is used for, by its name alone.
func part(name string) string {
	h := fnv.New32a()
	h.Write([]byte(name)) // never fails
	return [...]string{"learn", "learn", "choose", "report"}[h.Sum32()%4]
}

// harvestAll reads the packages unpacked below a folder, by what they are used
// for.
func harvestAll(folder string) (map[string][]*harvested, error) {
	entries, err := os.ReadDir(folder)
	if err != nil {
		return nil, err
	}
	all := map[string][]*harvested{}
	seen := map[string]bool{}
	for _, e := range entries {
		lay := slices.ContainsFunc(reportedLay, func(c layCorpus) bool { return c.name == e.Name() })
		if strings.HasPrefix(e.Name(), ".") || lay {
			continue
		}
		h, err := harvest(filepath.Join(folder, e.Name()))
		if err != nil {
			return nil, err
		}
		if h == nil {
			continue
		}
		h.asked = slices.DeleteFunc(h.asked, func(n natural) bool {
			key := strings.ToLower(n.text)
			again := seen[key]
			seen[key] = true
			return again
		})
		if len(h.asked) < fewestAsked {
			continue
		}
		h.asked = everyNatural(h.asked, mostAsked)
		all[part(h.name)] = append(all[part(h.name)], h)
	}
	return all, nil
}

func everyNatural(all []natural, most int) (some []natural) {
	for i := range min(most, len(all)) {
		some = append(some, all[i*len(all)/min(most, len(all))])
	}
	return some
}

// describe prints what there is.
func describe(all map[string][]*harvested) {
	for _, use := range []string{"learn", "choose", "report"} {
		pages, asked := 0, 0
		for _, h := range all[use] {
			pages, asked = pages+len(h.pages), asked+len(h.asked)
		}
		fmt.Printf("%s: %d packages, %d pages, %d questions\n", use, len(all[use]), pages, asked)
	}
	for _, use := range []string{"learn", "choose", "report"} {
		for _, h := range all[use] {
			fmt.Printf("%s\t%s\t%d pages\t%d questions\n", use, h.name, len(h.pages), len(h.asked))
		}
	}
}

package main

import (
	"bufio"
	"compress/gzip"
	"context"
	"fmt"
	"io"
	"io/fs"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"unicode"

	"juvalogos/core/embedding"
	"juvalogos/core/language"
	"juvalogos/core/reading"
)

// bag is the words of a text that have a vector, each with the root of how
// often it is said.
type bag struct {
	words  []int32
	counts []float32
}

// pair is two texts that belong together: a short one and what it is about.
type pair struct{ short, long bag }

// gatherer collects pairs.
type gatherer struct {
	words *embedding.Words
	r     *rand.Rand
	pairs []pair
}

func gather(folder string, words *embedding.Words) ([]pair, error) {
	g := &gatherer{words: words, r: rand.New(rand.NewPCG(3, 4))}
	for _, source := range []struct {
		name string
		from func(string) error
	}{{"descriptions", g.descriptions}, {"pages", g.pages}, {"synonyms", g.synonyms},
		{"dictionaries", g.dictionaries}} {
		before := len(g.pairs)
		if err := source.from(folder); err != nil {
			return nil, fmt.Errorf("%s: %w", source.name, err)
		}
		fmt.Printf("%s: %d pairs\n", source.name, len(g.pairs)-before)
	}
	return g.pairs, nil
}

func (g *gatherer) add(short, long string) {
	p := pair{g.bag(short, 40), g.bag(long, 150)}
	if len(short) >= 6 && len(long) >= 30 && len(p.short.words) > 0 && len(p.long.words) > 2 {
		g.pairs = append(g.pairs, p)
	}
}

// around adds sentences, each with those around it.
func (g *gatherer) around(text string, times int) {
	sentences := language.Sentences(text)
	if len(sentences) < 3 {
		return
	}
	for range times {
		i := g.r.IntN(len(sentences))
		first, last := sentences[max(0, i-5)], sentences[min(len(sentences)-1, i+5)]
		s := sentences[i]
		g.add(text[s[0]:s[1]], text[first[0]:s[0]]+" "+text[s[1]:last[1]])
	}
}

func (g *gatherer) bag(text string, most int) (b bag) {
	at := map[int32]int{}
	n := 0
	for _, word := range strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) }) {
		i, known := g.words.Find(word)
		if !known {
			continue
		}
		if n++; n > most {
			break
		}
		k, there := at[i]
		if !there {
			k = len(b.words)
			at[i] = k
			b.words, b.counts = append(b.words, i), append(b.counts, 0)
		}
		b.counts[k]++
	}
	for i, c := range b.counts {
		b.counts[i] = float32(math.Sqrt(float64(c)))
	}
	return b
}

// many are packages of which there are thousands that say nearly the same.
var many = regexp.MustCompile(`^(lib|golang-|rust-|python3?-|node-|ruby-|r-cran|r-bioc|haskell|texlive|task-|linux-|gcc-|fonts-)|-dbg$|-dev$|l10n`)

// descriptions reads the descriptions of packages.
func (g *gatherer) descriptions(folder string) error {
	body, err := os.ReadFile(filepath.Join(folder, "Translation-en"))
	if err != nil {
		return err
	}
	for entry := range strings.SplitSeq(string(body), "\n\n") {
		name, rest, _ := strings.Cut(strings.TrimPrefix(entry, "Package: "), "\n")
		_, rest, found := strings.Cut(rest, "Description-en: ")
		summary, long, more := strings.Cut(rest, "\n")
		if !found || !more || many.MatchString(name) && g.r.Float64() > 0.15 {
			continue
		}
		long = strings.Join(strings.Fields(strings.ReplaceAll(long, "\n .\n", "\n")), " ")
		g.add(summary, long)
		g.around(long, 1)
	}
	return nil
}

var (
	page    = regexp.MustCompile(`\.(x?html?|page|docbook)$`)
	foreign = regexp.MustCompile(`/(de|fr|es|it|ja|pt|ru|zh|cs|pl|nl|sv|da|ko|ro|hu|el|ca|fi|tr|uk|vi|id|ar|[a-z]{2}[-_](?:[A-TV-Z][A-Z]|U[A-RT-Z]))(/|$)|[._](de|fr|es|it|ja|pt|ru|zh|nl|hu|ca|cs)\.html`)
)

// mostOfOne is how many sections of one package are read.
const mostOfOne = 20_000

// pages reads the pages of documentation.
func (g *gatherer) pages(folder string) error {
	sections := map[string]int{}
	return filepath.WalkDir(folder, func(path string, e fs.DirEntry, err error) error {
		if err != nil || !e.Type().IsRegular() || !page.MatchString(path) || foreign.MatchString(path) {
			return err
		}
		name, _ := filepath.Rel(folder, path)
		of, _, _ := strings.Cut(name, "/")
		if sections[of] > mostOfOne {
			return nil
		}
		body, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		d, err := reading.Read(context.Background(), strings.TrimSuffix(name, filepath.Ext(name))+".html", body,
			nil, reading.DefaultLimits)
		if err != nil || d.Language != "" && d.Language != "en" {
			return nil // nothing to learn from
		}
		heading, text := "", ""
		end := func() {
			if len(text) < 120 {
				return
			}
			sections[of]++
			if heading != "" {
				g.add(d.Title+" "+heading, text)
			}
			g.around(text[:min(len(text), 4000)], 2)
		}
		for _, b := range d.Blocks {
			switch {
			case b.Kind == reading.Heading:
				end()
				heading, text = b.Text, ""
			case b.Kind != reading.Code && len(b.Text) > 30:
				text += b.Text + " "
			}
		}
		end()
		return nil
	})
}

// synonyms reads WordNet: what means the same, with its definition.
func (g *gatherer) synonyms(folder string) error {
	for _, kind := range []string{"noun", "verb", "adj", "adv"} {
		err := lines(filepath.Join(folder, "wordnet-base/usr/share/wordnet/data."+kind), func(line string) {
			left, gloss, found := strings.Cut(line, " | ")
			f := strings.Fields(left)
			if !found || strings.HasPrefix(line, "  ") || len(f) < 5 {
				return
			}
			var n int
			if _, err := fmt.Sscanf(f[3], "%x", &n); err != nil || len(f) < 4+2*n {
				return
			}
			short := ""
			for i := range n {
				short += strings.ReplaceAll(f[4+2*i], "_", " ") + ", "
			}
			if unicode.IsUpper(rune(short[0])) {
				return // a name
			}
			definition, example, _ := strings.Cut(strings.TrimSpace(gloss), `; "`)
			g.add(short+example, definition)
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// partOfLarge is how many of the largest dictionary's entries are taken.
const partOfLarge = 0.35

var marks = regexp.MustCompile(`\[[^\]]*\]|[{}]|\\[^\\]*\\`)

// dictionaries reads files of dictd: words with their definitions.
func (g *gatherer) dictionaries(folder string) error {
	for _, name := range []string{"foldoc", "gcide", "jargon"} {
		base := filepath.Join(folder, "dict-"+name, "usr/share/dictd", name)
		f, err := os.Open(base + ".dict.dz")
		if err != nil {
			return err
		}
		unpacked, err := gzip.NewReader(f)
		if err != nil {
			return err
		}
		body, err := io.ReadAll(unpacked)
		f.Close()
		if err != nil {
			return err
		}
		err = lines(base+".index", func(line string) {
			f := strings.Split(line, "\t")
			if len(f) < 3 || strings.HasPrefix(f[0], "00") || len(f[0]) < 3 || name == "gcide" &&
				g.r.Float64() > partOfLarge {
				return
			}
			at, length := number(f[1]), number(f[2])
			if at+length > len(body) {
				return
			}
			_, definition, _ := strings.Cut(marks.ReplaceAllString(string(body[at:at+length]), ""), "\n")
			definition = strings.Join(strings.Fields(definition), " ")
			g.add(f[0], definition[:min(len(definition), 500)])
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// number reads one as dictd writes it, to the base of 64.
func number(s string) (n int) {
	const digits = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/"
	for _, c := range s {
		n = n*64 + strings.IndexRune(digits, c)
	}
	return n
}

func lines(path string, do func(string)) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	s := bufio.NewScanner(f)
	s.Buffer(nil, 1<<20)
	for s.Scan() {
		do(s.Text())
	}
	return s.Err()
}

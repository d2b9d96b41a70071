// Command retrieval measures how well questions find their pages, on a corpus
// and judgements that nobody here wrote, beside PostgreSQL's full text search
// and a plain BM25.
package main

import (
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"juvalogos/core/embedding"
	"juvalogos/core/passage"
	"juvalogos/core/retrieval"
)

func main() {
	corpus := flag.String("corpus", "", "folder of HTML pages; left out: Debian's python3-doc")
	index := flag.String("index", "genindex-all.html", "the corpus's general index")
	questions := flag.String("questions", "bench/retrieval/questions.tsv", "questions with the pages that answer them")
	most := flag.Int("most", 1000, "how many of the index's entries to ask")
	show := flag.Bool("show", false, "show the questions that are missed")
	tuning := flag.Bool("tune", false, "set the weights of the last stage anew on this corpus")
	flag.Parse()
	if err := run(*corpus, *index, *questions, *most, *show, *tuning); err != nil {
		fmt.Fprintln(os.Stderr, "retrieval:", err)
		os.Exit(1)
	}
}

// built is a corpus that can be searched.
type built struct {
	pages  []page
	index  *retrieval.Index
	words  *embedding.Words
	common []float32
}

func build(pages []page) *built {
	b := &built{pages: pages, index: retrieval.New(), words: embedding.Load()}
	var entries []retrieval.Entry
	var vectors [][]float32
	for i, p := range pages {
		for n, ps := range passage.Split(p.doc, passage.Options{Target: 200, Overlap: 100}) {
			e := retrieval.Entry{Key: int64(len(entries)), Document: int64(i), Number: n, Title: p.doc.Title, Path: ps.Path, Text: ps.Text, Language: p.doc.Language}
			if v, known := b.words.Vector(p.doc.Title + " " + ps.Text); known {
				e.Vector = v[:]
				vectors = append(vectors, e.Vector)
			}
			entries = append(entries, e)
		}
	}
	b.common = embedding.Common(vectors)
	for _, v := range vectors {
		embedding.Remove(v, b.common)
	}
	b.index.Add(entries)
	return b
}

func (b *built) ask(text string, limit int, o retrieval.Options) retrieval.Result {
	q := retrieval.Query{Text: text, Limit: limit}
	if v, known := b.words.Vector(text); known {
		embedding.Remove(v[:], b.common)
		q.Vector = v[:]
	}
	return b.index.Search(q, o)
}

// search ranks pages by their best passage.
func (b *built) search(text string, o retrieval.Options) ([]string, retrieval.Result) {
	r := b.ask(text, 40, o)
	var ranked []string
	seen := map[int64]bool{}
	for _, h := range r.Hits {
		if !seen[h.Document] {
			seen[h.Document] = true
			ranked = append(ranked, b.pages[h.Document].path)
		}
	}
	return ranked[:min(10, len(ranked))], r
}

func run(corpus, index, questionFile string, most int, show, tuning bool) error {
	if corpus == "" {
		found, _ := filepath.Glob("/usr/share/doc/python3.*/html/library")
		if len(found) == 0 {
			return fmt.Errorf("the package python3-doc is not installed; run make bench")
		}
		corpus = filepath.Dir(found[0])
	}
	began := time.Now()
	pages, bytes, err := readCorpus(corpus)
	if err != nil {
		return err
	}
	fmt.Printf("read %d pages, %.1f MB in %v\n", len(pages), float64(bytes)/1e6, time.Since(began))
	began = time.Now()
	b := build(pages)
	fmt.Printf("indexed %d passages in %v\n", b.index.Len(), time.Since(began))
	known := map[string]bool{}
	for _, p := range pages {
		known[p.path] = true
	}
	entries, err := readIndex(filepath.Join(corpus, index), known)
	if err != nil {
		return err
	}
	step := max(1, len(entries)/most)
	var asked []question
	for i := 0; i < len(entries); i += step {
		asked = append(asked, entries[i])
	}
	lay, err := readQuestions(questionFile, known)
	if err != nil {
		return err
	}
	if tuning {
		tune(b, lay, asked)
		return nil
	}
	lexical := retrieval.DefaultOptions
	lexical.VectorWeight, lexical.Candidates, lexical.Expand, lexical.Distinct = 0, 0, 0, false
	expanded := lexical
	expanded.Expand = retrieval.DefaultOptions.Expand
	fused := lexical
	fused.VectorWeight = retrieval.DefaultOptions.VectorWeight
	base := newPlain(pages)
	ways := []struct {
		name string
		find func(string) []string
	}{
		{"plain BM25 of pages", func(q string) []string { return base.search(q, pages) }},
		{"lexical", func(q string) []string { r, _ := b.search(q, lexical); return r }},
		{"lexical, expanded", func(q string) []string { r, _ := b.search(q, expanded); return r }},
		{"fused", func(q string) []string { r, _ := b.search(q, fused); return r }},
		{"full", func(q string) []string { r, _ := b.search(q, retrieval.DefaultOptions); return r }},
	}
	for _, set := range []struct {
		name string
		all  []question
	}{{"index entries", asked}, {"lay questions", lay}} {
		fmt.Println("##", set.name)
		for _, way := range ways {
			var f figures
			began := time.Now()
			for _, q := range set.all {
				if len(q.right) > 0 {
					got := way.find(q.text)
					f.judge(got, q.right)
					if show && way.name == "full" && set.name == "lay questions" && (len(got) == 0 || !q.right[got[0]]) {
						fmt.Println("   ", q.text, "->", got[:min(4, len(got))])
					}
				}
			}
			m := f.mean()
			fmt.Printf("%-22s nDCG@10 %.3f  recall@5 %.3f  MRR %.3f  (%d)  %.1f/s\n", way.name, m.ndcg, m.recall, m.mrr, m.n, float64(m.n)/time.Since(began).Seconds())
		}
	}
	var yes, no []float64
	for _, q := range lay {
		_, r := b.search(q.text, retrieval.DefaultOptions)
		if len(q.right) > 0 {
			yes = append(yes, r.Answers)
		} else {
			no = append(no, r.Answers)
		}
	}
	fmt.Printf("answered against not: area %.3f\n", area(yes, no))
	return nil
}

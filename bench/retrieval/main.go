// Command retrieval measures how well questions find their pages, on a corpus
// and judgements that nobody here wrote, beside PostgreSQL's full text search
// and a plain BM25.
package main

import (
	"context"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"juvalogos/core/embedding"
	"juvalogos/core/encoder"
	"juvalogos/core/passage"
	"juvalogos/core/prompt"
	"juvalogos/core/reading"
	"juvalogos/core/retrieval"
)

type options struct {
	corpus, index, questions, write string
	develop, harvest                string
	most                            int
	show, tuning                    bool
	short, tuningShort, large       bool
	claims, reporting               bool
	showClaims                      string
	encoding                        *encoding // nil: without the encoder
}

func main() {
	var o options
	flag.StringVar(&o.corpus, "corpus", "", "folder of HTML pages; left out: Debian's python3-doc")
	flag.StringVar(&o.index, "index", "genindex-all.html", "the corpus's general index")
	flag.StringVar(&o.questions, "questions", "bench/retrieval/questions.tsv",
		"questions with the pages that answer them")
	flag.StringVar(&o.write, "write", "", "write the tables into this Markdown file, between its marks")
	flag.IntVar(&o.most, "most", 1000, "how many of the index's entries to ask")
	flag.BoolVar(&o.show, "show", false, "show the questions that are missed")
	flag.BoolVar(&o.tuning, "tune", false, "with -harvest and -develop: learn the weights of the last "+
		"stage, and of what tells whether anything answers")
	flag.BoolVar(&o.large, "large", false, "only measure 100,000 passages")
	flag.BoolVar(&o.short, "short", false, "only ask the short questions over the sample handbook")
	flag.BoolVar(&o.tuningShort, "tune-short", false, "set the weights and the calibration of short answers anew")
	flag.StringVar(&o.develop, "develop", "", "measure on the corpora that weights are set on, whose packages are "+
		"unpacked in this folder (/: installed)")
	flag.StringVar(&o.harvest, "harvest", "", "folder with packages, each unpacked in a folder of its name, whose "+
		"own questions are asked")
	encoded := flag.String("encoded", "", "file that keeps the encoder's vectors from one run to the next")
	flag.BoolVar(&o.reporting, "report", false, "with -harvest: measure on the packages that nothing was chosen on")
	flag.BoolVar(&o.claims, "claims", false, "with -harvest: hold claims made of the sentences against them")
	flag.StringVar(&o.showClaims, "show-claims", "", "with -claims: show those of a kind that are judged wrongly")
	flag.Parse()
	if *encoded != "" {
		var err error
		if o.encoding, err = openEncoding(*encoded); err != nil {
			fmt.Fprintln(os.Stderr, "retrieval:", err)
			os.Exit(1)
		}
	}
	if err := run(o); err != nil {
		fmt.Fprintln(os.Stderr, "retrieval:", err)
		os.Exit(1)
	}
}

// built is a corpus that can be searched.
type built struct {
	pages   []page
	index   *retrieval.Index
	entries []retrieval.Entry
	words   *embedding.Words
	common  []float32
	chunks  []passage.Chunk
	encoder *encoder.Encoder // nil: none
}

func build(pages []page, enc *encoding) (*built, error) {
	b := &built{pages: pages, index: retrieval.New(), words: embedding.Load()}
	var entries []retrieval.Entry
	var vectors [][]float32
	var windows []string
	var owners []int
	edges := make([][]passage.Edge, len(pages))
	for i, p := range pages {
		edges[i] = passage.Edges(p.doc)
	}
	shares := passage.SharesOf(edges)
	for i, p := range pages {
		for n, ps := range splitAs(p.doc, shares.Repeated(edges[i])...) {
			e := retrieval.Entry{Key: int64(len(entries)), Document: int64(i), Number: n, Title: p.doc.Title,
				Path: ps.Path, Text: ps.Text, Language: p.doc.Language}
			if v, known := b.words.Vector(p.doc.Title + " " + ps.Text); known {
				e.Vector = v[:]
				vectors = append(vectors, e.Vector)
			}
			entries = append(entries, e)
			b.chunks = append(b.chunks, ps)
			for _, w := range encoder.Windows(p.doc.Title, ps.Text) {
				windows, owners = append(windows, w), append(owners, len(entries)-1)
			}
		}
	}
	b.common = embedding.Common(vectors)
	for _, v := range vectors {
		embedding.Remove(v, b.common)
	}
	if enc != nil {
		b.encoder = encoder.Load()
		codes, err := enc.codes(windows)
		if err != nil {
			return nil, err
		}
		for i, c := range codes {
			entries[owners[i]].Windows = append(entries[owners[i]].Windows, c)
		}
	}
	b.entries = entries
	b.index.Add(entries)
	return b, nil
}

func (b *built) ask(text string, limit int, o retrieval.Options) retrieval.Result {
	q := retrieval.Query{Text: text, Limit: limit}
	if v, known := b.words.Vector(text); known {
		embedding.Remove(v[:], b.common)
		q.Vector = v[:]
	}
	if b.encoder != nil {
		q.Sense = b.encoder.Encode(text)
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

func run(o options) error {
	switch {
	case o.tuningShort:
		return tuneShort()
	case o.short:
		r := &report{}
		err := measureShort(r, o.show)
		fmt.Print(r)
		return err
	case o.harvest != "":
		all, err := harvestAll(o.harvest)
		switch {
		case err != nil:
			return err
		case o.claims:
			fmt.Print(judgeClaims(claimsOf(all["choose"], 200), o.showClaims))
			return nil
		case o.reporting:
			r := &report{}
			if err := reportHarvested(all["report"], o.encoding, r); err != nil {
				return err
			}
			r.line("\n%s", judgeClaims(claimsOf(all["report"], 200), o.showClaims))
			if err := reportLay(o.harvest, o.encoding, r); err != nil {
				return err
			}
			fmt.Print(r)
			if o.write == "" {
				return nil
			}
			return r.into(o.write, naturalMark)
		}
		if err == nil && o.tuning {
			return learnFrom(all, o)
		}
		if err == nil {
			describe(all)
			err = compareHarvested(all, o)
		}
		return err
	case o.develop != "":
		return runDeveloped(o)
	}
	m, err := prepare(o)
	if err != nil {
		return err
	}
	if o.large {
		lines, err := m.large()
		fmt.Println(strings.Join(lines, "\n"))
		return err
	}
	r := &report{}
	r.line("%s", m.speed)
	if err := m.compareWays(context.Background(), r, o.show); err != nil {
		return err
	}
	r.line("Answered questions against %d that the documents do not answer: the area under the ROC curve is %.3f "+
		"(aim 0.9).", 20, m.told(m.lay))
	if o.corpus == "" {
		lines, err := m.large()
		if err != nil {
			return err
		}
		r.line("\n## 100,000 passages\n\n| what | figure |\n|---|---|\n%s", strings.Join(lines, "\n"))
	}
	if err := measureShort(r, o.show); err != nil {
		return err
	}
	fmt.Print(r.String())
	if o.write == "" {
		return nil
	}
	return r.into(o.write, beginMark)
}

// runDeveloped works on the corpora that weights are chosen on.
func runDeveloped(o options) error {
	all, err := develop(o.develop, o.encoding)
	switch {
	case err != nil:
		return err
	default:
		compare(all, retrieval.DefaultOptions)
	}
	return nil
}

// measured is a corpus, its index, and what is asked of it.
type measured struct {
	*built
	asked, lay []question
	speed      string // how fast it was read and indexed
}

// prepare reads and indexes a corpus and its questions.
func prepare(o options) (*measured, error) {
	corpus := o.corpus
	if corpus == "" {
		found, _ := filepath.Glob("/usr/share/doc/python3.*/html/library")
		if len(found) == 0 {
			return nil, fmt.Errorf("the package python3-doc is not installed; run make bench")
		}
		corpus = filepath.Dir(found[0])
	}
	began := time.Now()
	pages, bytes, err := readCorpus(corpus)
	if err != nil {
		return nil, err
	}
	reading := time.Since(began).Seconds()
	began = time.Now()
	before := heap()
	built, err := build(pages, o.encoding)
	if err != nil {
		return nil, err
	}
	m := &measured{built: built}
	indexing, memory := time.Since(began).Seconds(), heap()-before
	m.speed = fmt.Sprintf("Read and indexed: %d pages, %.1f MB, %d passages; reading %.0f pages and %.1f MB a second, "+
		"indexing %.0f pages and %.1f MB a second; the index takes %d MB.",
		len(pages), float64(bytes)/1e6, m.index.Len(), float64(len(pages))/reading, float64(bytes)/1e6/reading,
		float64(len(pages))/indexing, float64(bytes)/1e6/indexing, memory>>20)
	known := map[string]bool{}
	for _, p := range pages {
		known[p.path] = true
	}
	entries, err := readIndex(filepath.Join(corpus, o.index), known)
	if err != nil {
		return nil, err
	}
	m.asked = everySo(entries, o.most)
	m.lay, err = readQuestions(o.questions, known)
	return m, err
}

// large measures an index of 100,000 passages with the same questions.
func (m *measured) large() ([]string, error) {
	return large(m.pages, append(everySo(m.asked, 200), m.lay...), 100_000)
}

// compareWays asks all questions in every way, beside the yardsticks.
func (m *measured) compareWays(ctx context.Context, r *report, show bool) error {
	text, err := startFullText(ctx, m.pages)
	if err != nil {
		return err
	}
	defer text.stop()
	base := newPlain(m.pages)
	for _, set := range []struct {
		name string
		all  []question
	}{{fmt.Sprintf("%d entries of the general index", len(m.asked)), m.asked}, {"60 lay questions", m.lay}} {
		if err := text.choose(ctx, everySo(set.all, 80)); err != nil {
			return err
		}
		r.begin(set.name)
		for _, way := range m.ways(base, func(q string) []string {
			got, _ := text.search(ctx, q, text.chosen) // a query that fails finds nothing
			return got
		}) {
			var f figures
			began := time.Now()
			for _, q := range set.all {
				if len(q.right) == 0 {
					continue
				}
				got := way.find(q.text)
				f.judge(got, q.right)
				missed := len(got) == 0 || !q.right[got[0]]
				if show && missed && way.name == "full" && set.name == "60 lay questions" {
					fmt.Println("   ", q.text, "->", got[:min(4, len(got))])
				}
			}
			r.row(way.name, f.mean(), float64(f.n)/time.Since(began).Seconds())
		}
		r.line("\nPostgreSQL's best setting here: %s.", text.chosen)
	}
	return nil
}

func everySo(all []question, most int) (some []question) {
	step := max(1, len(all)/most)
	for i := 0; i < len(all); i += step {
		some = append(some, all[i])
	}
	return some
}

// way is one way of finding pages.
type way struct {
	name string
	find func(string) []string
}

// ways are the baselines, the stages, and the whole without one part each.
func (b *built) ways(base *plain, fullText func(string) []string) []way {
	full := retrieval.DefaultOptions
	lexical := full
	lexical.VectorWeight, lexical.Candidates, lexical.Expand, lexical.Distinct = 0, 0, 0, false
	vector := lexical
	vector.VectorWeight = 1e6
	fused := lexical
	fused.VectorWeight = full.VectorWeight
	with := func(change func(*retrieval.Options)) retrieval.Options {
		o := full
		change(&o)
		return o
	}
	ours := func(o retrieval.Options) func(string) []string {
		return func(q string) []string { got, _ := b.search(q, o); return got }
	}
	return []way{
		{"PostgreSQL, ts_rank_cd", fullText},
		{"plain BM25 of whole pages", func(q string) []string { return base.search(q, b.pages) }},
		{"lexical", ours(lexical)},
		{"vector", ours(vector)},
		{"fused", ours(fused)},
		{"full", ours(full)},
		{"full without words that mean the same", ours(with(func(o *retrieval.Options) { o.Expand = 0 }))},
		{"full without vectors among candidates", ours(with(func(o *retrieval.Options) { o.VectorWeight = 0 }))},
		{"full without title and headings", ours(with(func(o *retrieval.Options) {
			o.TitleWeight, o.PathWeight = 0, 0
			o.Weights.Title, o.Weights.Titled, o.Weights.Headed, o.Weights.Named = 0, 0, 0, 0
		}))},
		{"full without the rest of the document", ours(with(func(o *retrieval.Options) {
			o.Weights.Document, o.Weights.Page, o.Weights.About, o.Weights.Whole, o.Weights.Lead = 0, 0, 0, 0, 0
		}))},
	}
}

// told is how well questions that are answered are told from others.
func (b *built) told(lay []question) float64 {
	var yes, no []float64
	for _, q := range lay {
		_, r := b.search(q.text, retrieval.DefaultOptions)
		if len(q.right) > 0 {
			yes = append(yes, r.Answers)
		} else {
			no = append(no, r.Answers)
		}
	}
	return area(yes, no)
}

// counter counts what passages are measured in.
var counter = sync.OnceValue(func() prompt.Counter {
	c, err := prompt.NewCounter(passage.Vocabulary)
	if err != nil {
		panic(err) // it is built in
	}
	return c
})

// splitAs splits a document as shelves do that nobody has changed, without what
// stands at the edges of many.
func splitAs(d reading.Document, repeated ...int) []passage.Chunk {
	skip := map[int]bool{}
	for _, b := range repeated {
		skip[b] = true
	}
	return slices.Collect(passage.Split(context.Background(), d, passage.Options{Target: passage.DefaultTarget,
		Overlap: passage.DefaultOverlap, Count: counter().Count, Skip: skip}))
}

package main

import (
	"fmt"
	"path/filepath"

	"juvalogos/core/retrieval"
)

// development are the corpora that weights are set on, none of which is
// reported on: documents of Debian's packages with lay questions of ours.
// The folders are where the packages postgresql-doc-15, git-doc and gimp-help-en
// put their pages, below the root.
var development = []struct{ name, folder, index string }{
	{"postgresql", "usr/share/doc/postgresql-doc-15/html", "bookindex.html"},
	{"git", "usr/share/doc/git-doc", ""},
	{"gimp", "usr/share/gimp/2.0/help/en", ""},
}

// developed is a corpus for setting weights.
type developed struct {
	name         string
	b            *built
	base         *plain
	lay, entries []question
}

func develop(root string, enc *encoding) (all []*developed, err error) {
	for _, c := range development {
		corpus, err := filepath.EvalSymlinks(filepath.Join(root, c.folder))
		if err != nil {
			return nil, fmt.Errorf("%w; unpack or install the package %s", err, c.name)
		}
		pages, _, err := readCorpus(corpus)
		if err != nil {
			return nil, err
		}
		known := map[string]bool{}
		for _, p := range pages {
			known[p.path] = true
		}
		b, err := build(pages, enc)
		if err != nil {
			return nil, err
		}
		d := &developed{name: c.name, b: b, base: newPlain(pages)}
		if d.lay, err = readQuestions("bench/retrieval/dev-"+c.name+".tsv", known); err != nil {
			return nil, err
		}
		if c.index != "" {
			entries, err := readIndex(filepath.Join(corpus, c.index), known)
			if err != nil {
				return nil, err
			}
			d.entries = everySo(entries, 250)
		}
		all = append(all, d)
	}
	return all, nil
}

// compare prints how well each corpus's questions find their pages, beside the
// plain BM25.
func compare(all []*developed, o retrieval.Options) {
	vector := o
	vector.Candidates, vector.Expand, vector.VectorWeight = 0, 0, 1e6
	for _, d := range all {
		of := func(set []question, find func(string) []string) float64 {
			var f figures
			for _, q := range set {
				if len(q.right) > 0 {
					f.judge(find(q.text), q.right)
				}
			}
			return f.mean().ndcg
		}
		plain := func(q string) []string { return d.base.search(q, d.b.pages) }
		ours := func(o retrieval.Options) func(string) []string {
			return func(q string) []string { got, _ := d.b.search(q, o); return got }
		}
		fmt.Printf("%-12s lay questions: plain %.3f, vector %.3f, full %.3f; answered told from others: %.3f\n", d.name,
			of(d.lay, plain), of(d.lay, ours(vector)), of(d.lay, ours(o)), d.b.told(d.lay))
		if len(d.entries) > 0 {
			fmt.Printf("%-12s entries of the index: plain %.3f, vector %.3f, full %.3f\n", d.name,
				of(d.entries, plain), of(d.entries, ours(vector)), of(d.entries, ours(o)))
		}
	}
}

package main

import (
	"fmt"
	"path/filepath"

	"juvalogos/core/retrieval"
)

// reportedLay are corpora for ordinary people with questions of ours that were written
// from their pages after all weights were set: below a folder with a folder for each
// package.
var reportedLay = []layCorpus{
	{"gnucash-docs", "usr/share/doc/gnucash-docs/gnucash-guide-en"},
}

type layCorpus struct{ name, folder string }

// reportLay measures these, if they are there.
func reportLay(root string, enc *encoding, r *report) error {
	for _, c := range reportedLay {
		folder := filepath.Join(root, c.name, c.folder)
		pages, _, err := readCorpus(folder)
		if err != nil {
			return fmt.Errorf("%w; scripts/fetchdocs.sh fetches %s", err, c.name)
		}
		known := map[string]bool{}
		for _, p := range pages {
			known[p.path] = true
		}
		asked, err := readQuestions("bench/retrieval/lay-"+c.name+".tsv", known)
		if err != nil {
			return err
		}
		b, err := build(pages, enc)
		if err != nil {
			return err
		}
		reportLayOf(c.name, b, newPlain(pages), asked, r)
	}
	return nil
}

func reportLayOf(name string, b *built, base *plain, asked []question, r *report) {
	full := retrieval.DefaultOptions
	without := full
	without.SenseWeight, without.Weights.Sense = 0, 0
	answered := 0
	for _, q := range asked {
		if len(q.right) > 0 {
			answered++
		}
	}
	fmt.Fprintf(r,
		"\n## Lay questions: %s\n\n%d pages, %d passages; %d questions that they answer, %d that they do not.\n\n"+
			"| way | MRR@10 of pages | a right page among %d |\n|---|---|---|\n", name, len(b.pages), len(b.entries),
		answered,
		len(asked)-answered, handedOver)
	row := func(way string, find func(string) []string) {
		rr, among := 0.0, 0
		for _, q := range asked {
			if len(q.right) == 0 {
				continue
			}
			for i, p := range find(q.text) {
				if q.right[p] {
					rr += 1 / float64(i+1)
					break
				}
			}
			if b.hands(q, full) {
				among++
			}
		}
		handed := ""
		if way == "all" {
			handed = fmt.Sprintf("%d of %d", among, answered)
		}
		fmt.Fprintf(r, "| %s | %.3f | %s |\n", way, rr/float64(answered), handed)
	}
	row("plain BM25 of pages", func(q string) []string { return base.search(q, b.pages) })
	row("all but the encoder", func(q string) []string { got, _ := b.search(q, without); return got })
	row("all", func(q string) []string { got, _ := b.search(q, full); return got })
	var yes, no []float64
	refused, declines := 0.0, 0.0
	for _, q := range asked {
		likely := b.ask(q.text, handedOver, full).Answers
		low := one(likely < retrieval.UsuallyEnough)
		if len(q.right) > 0 {
			yes, refused = append(yes, likely), refused+low
		} else {
			no, declines = append(no, likely), declines+low
		}
	}
	r.line("\nTold apart: area %.3f; %.2f declined where 8 %% of the answered are refused. Below %.2f: %.0f of %d "+
		"answered refused, %.0f of %d others declined.", area(yes, no), declined(yes, no), retrieval.UsuallyEnough,
		refused, len(yes), declines, len(no))
}

// hands reports whether a passage of a right page is among those handed over.
func (b *built) hands(q question, o retrieval.Options) bool {
	for _, h := range b.ask(q.text, handedOver, o).Hits {
		if q.right[b.pages[h.Document].path] {
			return true
		}
	}
	return false
}

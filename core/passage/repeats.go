package passage

import (
	"hash/fnv"
	"maps"
	"slices"
	"strings"

	"juvalogos/core/reading"
)

// Edge is a block at the beginning or the end of a document, where what all
// documents of a site have stands: its name, ways to other pages, who made it.
type Edge struct {
	Block   int      `json:"b"`
	Bottom  bool     `json:"o,omitempty"` // at the end
	Heading bool     `json:"h,omitempty"`
	Links   bool     `json:"l,omitempty"` // nothing but ways elsewhere
	Words   int      `json:"w"`
	Key     uint64   `json:"k,string"`
	Parts   []uint64 `json:"p,omitempty"` // where signs part it, as in a row of links
}

// Edges are a document's, from each end inwards.
const edgeBlocks = 10

// mostRepeatable is how many words a block has at most that is looked at.
const mostRepeatable = 40

// Edges returns what stands at the edges of a document. Those of tables and of
// data are none: rows are alike because they are.
func Edges(d reading.Document) (all []Edge) {
	switch d.Format {
	case "csv", "xlsx", "json", "jsonl", "srt", "webvtt":
		return nil
	}
	var texts []int
	for i, b := range d.Blocks {
		if b.Kind != reading.Listing {
			texts = append(texts, i)
		}
	}
	for _, at := range texts[:min(edgeBlocks, len(texts))] {
		all = append(all, edge(d.Blocks[at], at, false))
	}
	for i := len(texts) - 1; i >= max(0, len(texts)-edgeBlocks); i-- { // a short one has but one edge
		all = append(all, edge(d.Blocks[texts[i]], texts[i], true))
	}
	return all
}

func edge(b reading.Block, at int, bottom bool) Edge {
	text := strings.ToLower(strings.Join(strings.Fields(b.Text), " "))
	e := Edge{Block: at, Bottom: bottom, Heading: b.Kind == reading.Heading, Links: b.Links,
		Words: len(strings.Fields(text)),
		Key:   keyOf(text)}
	if parts := strings.FieldsFunc(text, func(r rune) bool {
		return strings.ContainsRune(";|·»›•←→<>",
			r)
	}); len(parts) > 1 &&
		e.Words <= mostRepeatable {
		for _, p := range parts {
			if p = strings.TrimSpace(p); p != "" {
				e.Parts = append(e.Parts, keyOf(p))
			}
		}
	}
	return e
}

func keyOf(text string) uint64 {
	h := fnv.New64a()
	h.Write([]byte(text))
	return h.Sum64()
}

// Shares tells how often what stands at the edges of documents stands there.
type Shares struct {
	documents int
	counts    map[uint64]int
}

// fewDocuments tell nothing.
const fewDocuments = 4

// SharesOf counts over the edges of documents that belong together.
func SharesOf(documents [][]Edge) Shares {
	s := Shares{counts: map[uint64]int{}}
	for _, edges := range documents {
		if len(edges) == 0 {
			continue
		}
		s.documents++
		own := map[uint64]bool{}
		for _, e := range edges {
			own[e.Key] = true
			for _, p := range e.Parts {
				own[p] = true
			}
		}
		for k := range maps.Keys(own) {
			s.counts[k]++
		}
	}
	return s
}

// often reports whether a key is in some share of the documents, and in three at
// least.
func (s Shares) often(key uint64, share float64) bool {
	n := s.counts[key]
	return n >= 3 && float64(n) >= share*float64(s.documents)
}

const (
	// What comes before all that is a document's own stands in a third of the
	// documents, what comes after the first of it in most.
	shareOutside = 0.3
	shareInside  = 0.6
	// mostOwn is how many short blocks of its own a document may have between what
	// all have, such as its title in a row of links.
	mostOwn      = 2
	wordsOwn     = 12
	shareHeading = 0.8
)

// Repeated are the blocks of a document that stand at the edges of many: from
// each end inwards until something longer is the document's own. Ways to other
// pages beside such blocks are the page before and the next.
func (s Shares) Repeated(edges []Edge) []int {
	if s.documents < fewDocuments {
		return nil
	}
	var all []int
	for _, bottom := range []bool{false, true} {
		own, headed, dropped := 0, false, false
		for _, e := range edges {
			if e.Bottom != bottom {
				continue
			}
			share := shareOutside
			if own > 0 {
				share = shareInside
			}
			if s.repeats(e, share, headed) || e.Links && dropped && e.Words <= mostRepeatable {
				all, dropped = append(all, e.Block), true
				continue
			}
			dropped = false
			headed = headed || e.Heading
			if own++; own > mostOwn || e.Words > wordsOwn {
				break
			}
		}
	}
	slices.Sort(all)
	return slices.Compact(all)
}

// repeats reports whether a block is none of the document's own. A heading is
// one in nearly all documents or not, and never below one that is its own:
// documents of a kind have their sections in common.
func (s Shares) repeats(e Edge, share float64, headed bool) bool {
	if e.Words > mostRepeatable {
		return false
	}
	if e.Heading {
		return !headed && s.often(e.Key, max(share, shareHeading))
	}
	if s.often(e.Key, share) {
		return true
	}
	common := 0
	for _, p := range e.Parts {
		if s.often(p, share) {
			common++
		}
	}
	return common >= 2 && common*2 >= len(e.Parts)
}

package retrieval

import (
	"cmp"
	"math/bits"
	"slices"
	"sync"

	"juvalogos/core/lexicon"
)

// alike is a term of the index that means nearly the same as a word.
type alike struct {
	id      uint32
	similar float64 // 0 to 1
	form    bool    // it is another form of the word
}

// expansions remembers what words are like until the index changes.
type expansions struct {
	mu    sync.Mutex
	known map[int32][]alike
}

func (e *expansions) forget() {
	e.mu.Lock()
	e.known = nil
	e.mu.Unlock()
}

const (
	mostExpansions = 20_000 // remembered
	leastCosine    = 0.5    // of words that can stand for each other
	unlike         = 0.3    // cosine of words that have little to do with each other
	mostBits       = 44     // in which their signatures may differ
	nearestKept    = 12
)

// similarity makes of a cosine how well one word stands for another.
func similarity(cosine float32) float64 {
	return max(0, float64(cosine)-unlike) / (1 - unlike)
}

// mostBitsCovered is how many bits of their signatures may differ for two words
// to be compared at all: of those that differ in more, hardly any are alike.
const mostBitsCovered = 55

func bitsApart(a, b [2]uint64) int {
	return bits.OnesCount64(a[0]^b[0]) + bits.OnesCount64(a[1]^b[1])
}

// How well a word's kin stands for it: another form, and what means the same in its
// most frequent meaning or the next.
const (
	kinForms    = 0.95
	kinSynonyms = 0.8
	kinSenses   = 2
)

// related gives a word of a question the terms of its kin, which it is looked for by
// as well.
func (x *Index) related(w *wanted) {
	forms, synonyms := lexicon.Load().Kin(w.surface, kinSenses)
	w.alike = slices.Clip(w.alike) // what is remembered stays as it is
	add := func(words []string, how float64, form bool) {
		for _, word := range words {
			id, known := x.known(x.stems.of("en", word))
			if !known || id == w.id && w.known || w.kin[id] >= how {
				continue
			}
			if w.kin == nil {
				w.kin = map[uint32]float64{}
			}
			w.kin[id] = how
			at := slices.IndexFunc(w.alike, func(a alike) bool { return a.id == id })
			if at < 0 {
				w.alike = append(w.alike, alike{id, how, form})
			} else if w.alike[at].similar < how {
				w.alike = slices.Clone(w.alike)
				w.alike[at] = alike{id, how, form}
			}
		}
	}
	add(forms, kinForms, true)
	add(synonyms, kinSynonyms, false)
}

// inEnglish reports whether any passage may be in English.
func (x *Index) inEnglish() bool {
	return x.languages["en"] || x.languages[""] || len(x.languages) == 0
}

// alike returns the terms of the index that mean nearly the same as a word, the
// nearest first, without the word's own stem.
func (x *Index) alike(word int32, own string) []alike {
	x.expanded.mu.Lock()
	found, ok := x.expanded.known[word]
	x.expanded.mu.Unlock()
	if ok {
		return found
	}
	mark := x.words.Signature(word)
	for id, w := range x.surfaces {
		if w < 0 || w == word || bitsApart(mark, x.marks[id]) > mostBits || x.names[id] == own ||
			x.alive[id] == 0 {
			continue
		}
		if c := x.words.Cosine(word, w); c >= leastCosine {
			found = append(found, alike{id: uint32(id), similar: similarity(c)})
		}
	}
	slices.SortFunc(found, func(a, b alike) int {
		return cmp.Or(cmp.Compare(b.similar, a.similar),
			cmp.Compare(x.names[a.id], x.names[b.id]))
	})
	found = slices.Clip(found[:min(len(found), nearestKept)])
	x.expanded.mu.Lock()
	if x.expanded.known == nil || len(x.expanded.known) > mostExpansions {
		x.expanded.known = map[int32][]alike{}
	}
	x.expanded.known[word] = found
	x.expanded.mu.Unlock()
	return found
}

package retrieval

import (
	"math"
	"slices"
	"sync"

	"juvalogos/core/embedding"
)

// Index holds passages to search. It may be used by many goroutines.
type Index struct {
	stems stems
	words *embedding.Words

	mu        sync.RWMutex
	terms     map[string]uint32
	names     []string
	surfaces  []int32 // of each term the number of a word with a vector, or -1
	marks     [][2]uint64
	postings  [][]posting
	passages  []passage
	documents []document
	byDoc     map[int64]uint32 // the number of a document that is there
	dead      int
	vectors   vectors
	meanings  vectors // of a model
	total     lengths // of those alive
	expanded  *expansions
	languages map[string]bool // of the passages, English left out
}

// posting says how often a term stands in the fields of a passage.
type posting struct {
	at    uint32
	text  uint16
	path  uint8
	title uint8
}

type lengths struct{ text, path, title float64 }

// document is what passages have in common.
type document struct {
	id       int64
	passages []uint32
	text     float64   // length in tokens, of all passages
	title    []float32 // built-in vector, nil: none of its words is known
	sum      []float32 // of the passages' vectors
}

type passage struct {
	key, document int64
	doc           uint32
	number        int32
	dead          bool
	text          uint16 // lengths in tokens
	path, title   uint8
	sequence      []uint32 // the terms of the text, in order
	head          []uint32 // those of title and headings
	titles        int32    // how many of head are the title's
}

// New returns an empty index.
func New() *Index {
	return &Index{words: embedding.Load(), terms: map[string]uint32{}, byDoc: map[int64]uint32{}, expanded: &expansions{}, languages: map[string]bool{}}
}

// Len is how many passages are in it.
func (x *Index) Len() int {
	x.mu.RLock()
	defer x.mu.RUnlock()
	return len(x.passages) - x.dead
}

// Meant reports whether passages have a model's vectors.
func (x *Index) Meant() bool {
	x.mu.RLock()
	defer x.mu.RUnlock()
	return len(x.meanings.row) > 0
}

// analysed is an entry whose text was taken apart, which needs no lock.
type analysed struct {
	Entry
	text, path, title []token
}

// Add adds passages. Those of a document that is there already stand beside it:
// remove it first.
func (x *Index) Add(entries []Entry) {
	prepared := x.analyseAll(entries)
	x.mu.Lock()
	defer x.mu.Unlock()
	x.addAll(prepared)
}

// Replace puts passages in the place of a document's; no search misses it
// meanwhile.
func (x *Index) Replace(document int64, entries []Entry) {
	prepared := x.analyseAll(entries)
	x.mu.Lock()
	defer x.mu.Unlock()
	x.remove(document)
	x.addAll(prepared)
}

func (x *Index) addAll(prepared []analysed) {
	for i := range prepared {
		x.add(&prepared[i])
	}
	x.expanded.forget()
}

func (x *Index) analyseAll(entries []Entry) []analysed {
	prepared := make([]analysed, len(entries))
	var all sync.WaitGroup
	const chunk = 256
	room := make(chan struct{}, 4)
	for from := 0; from < len(entries); from += chunk {
		room <- struct{}{}
		all.Go(func() {
			defer func() { <-room }()
			for i := from; i < min(from+chunk, len(entries)); i++ {
				prepared[i] = x.analyse(entries[i])
			}
		})
	}
	all.Wait()
	return prepared
}

func (x *Index) analyse(e Entry) analysed {
	a := analysed{Entry: e}
	collect := func(list *[]token) func(token) { return func(t token) { *list = append(*list, t) } }
	x.stems.tokens(e.Text, e.Language, collect(&a.text))
	for _, h := range e.Path {
		x.stems.tokens(h, e.Language, collect(&a.path))
	}
	x.stems.tokens(e.Title, e.Language, collect(&a.title))
	return a
}

func (x *Index) term(t token) uint32 {
	id, ok := x.terms[t.term]
	if !ok {
		id = uint32(len(x.names))
		x.terms[t.term] = id
		x.names = append(x.names, t.term)
		x.surfaces = append(x.surfaces, -1)
		x.marks = append(x.marks, [2]uint64{})
		x.postings = append(x.postings, nil)
	}
	// The most frequent word of a stem stands for it.
	if w, known := x.words.Find(t.surface); known && !t.whole && (x.surfaces[id] < 0 || w < x.surfaces[id]) {
		x.surfaces[id] = w
		x.marks[id] = x.words.Signature(w)
	}
	return id
}

func (x *Index) add(a *analysed) {
	if a.Language != "" && a.Language != "en" {
		x.languages[a.Language] = true
	}
	at := uint32(len(x.passages))
	p := passage{
		key: a.Key, document: a.Document, number: int32(a.Number),
		text: uint16(min(len(a.text), math.MaxUint16)), path: uint8(min(len(a.path), 255)), title: uint8(min(len(a.title), 255)),
		titles: int32(len(a.title)),
	}
	counts := make(map[uint32]*posting, len(a.text))
	count := func(tokens []token, up func(*posting), keep *[]uint32) {
		for _, t := range tokens {
			id := x.term(t)
			*keep = append(*keep, id)
			c := counts[id]
			if c == nil {
				c = &posting{at: at}
				counts[id] = c
			}
			up(c)
		}
	}
	p.head = make([]uint32, 0, len(a.title)+len(a.path))
	p.sequence = make([]uint32, 0, len(a.text))
	count(a.title, func(c *posting) { c.title = uint8(min(int(c.title)+1, 255)) }, &p.head)
	count(a.path, func(c *posting) { c.path = uint8(min(int(c.path)+1, 255)) }, &p.head)
	count(a.text, func(c *posting) { c.text = uint16(min(int(c.text)+1, math.MaxUint16)) }, &p.sequence)
	for id, c := range counts {
		x.postings[id] = append(x.postings[id], *c)
	}
	doc, there := x.byDoc[a.Document]
	if !there {
		doc = uint32(len(x.documents))
		x.documents = append(x.documents, document{id: a.Document})
		if v, known := x.words.Vector(a.Title); known {
			x.documents[doc].title = v[:]
		}
		x.byDoc[a.Document] = doc
	}
	d := &x.documents[doc]
	d.passages = append(d.passages, at)
	d.text += float64(p.text)
	if a.Vector != nil {
		if len(d.sum) != len(a.Vector) {
			d.sum = make([]float32, len(a.Vector))
		}
		for i, v := range a.Vector {
			d.sum[i] += v
		}
	}
	p.doc = doc
	x.passages = append(x.passages, p)
	x.vectors.add(at, a.Vector)
	x.meanings.add(at, a.Meaning)
	x.total.text += float64(p.text)
	x.total.path += float64(p.path)
	x.total.title += float64(p.title)
}

// Remove takes a document's passages out.
func (x *Index) Remove(document int64) {
	x.mu.Lock()
	defer x.mu.Unlock()
	x.remove(document)
}

func (x *Index) remove(document int64) {
	doc, there := x.byDoc[document]
	if !there {
		return
	}
	for _, at := range x.documents[doc].passages {
		p := &x.passages[at]
		p.dead = true
		x.dead++
		x.total.text -= float64(p.text)
		x.total.path -= float64(p.path)
		x.total.title -= float64(p.title)
		x.vectors.remove(at)
		x.meanings.remove(at)
	}
	delete(x.byDoc, document)
	x.documents[doc].passages = nil
	if x.dead > 1000 && x.dead*4 > len(x.passages) {
		x.sweep()
	}
	x.expanded.forget()
}

// Improve makes searches of a large index faster, a little at each call, so
// that others can search and add in between; false if there is nothing to do.
func (x *Index) Improve() bool {
	const atOnce = 8 // some milliseconds
	x.mu.Lock()
	defer x.mu.Unlock()
	return x.vectors.grow(atOnce) || x.meanings.grow(atOnce)
}

// sweep leaves out what was removed. Terms keep their numbers.
func (x *Index) sweep() {
	moved := make([]uint32, len(x.passages))
	var kept []passage
	var built, meanings vectors
	for at, p := range x.passages {
		if p.dead {
			continue
		}
		moved[at] = uint32(len(kept))
		built.add(uint32(len(kept)), x.vectors.of(uint32(at)))
		meanings.add(uint32(len(kept)), x.meanings.of(uint32(at)))
		kept = append(kept, p)
	}
	for id, list := range x.postings {
		alive := list[:0]
		for _, p := range list {
			if !x.passages[p.at].dead {
				p.at = moved[p.at]
				alive = append(alive, p)
			}
		}
		x.postings[id] = slices.Clip(alive)
	}
	for _, d := range x.documents {
		for i, at := range d.passages {
			d.passages[i] = moved[at]
		}
	}
	x.passages, x.vectors, x.meanings, x.dead = kept, built, meanings, 0
}

// idf is how rare a term is (Robertson and Spärck Jones's weight, kept above
// zero).
func (x *Index) idf(id uint32) float64 {
	n, df := float64(len(x.passages)-x.dead), float64(len(x.postings[id]))
	df = min(df, n)
	return math.Log(1 + (n-df+0.5)/(df+0.5))
}

// rarest is the weight of a term that no passage has.
func (x *Index) rarest() float64 {
	n := float64(len(x.passages) - x.dead)
	return math.Log(1 + (n+0.5)/0.5)
}

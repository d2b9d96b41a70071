package retrieval

import (
	"maps"
	"math"
	"slices"
	"strings"
	"sync"

	"juvalogos/core/embedding"
	"juvalogos/core/encoder"
)

// Index holds passages to search. It may be used by many goroutines.
type Index struct {
	stems stems
	words *embedding.Words

	mu sync.RWMutex
	// lexicon has the terms of each word as it stood in a text, by language: a
	// word is taken apart once.
	lexicon map[string]map[string][]uint32
	counts  []counted // by term, in the passage that is being added

	terms     map[string]uint32
	names     []string
	surfaces  []int32 // of each term the number of a word with a vector, or -1
	marks     [][2]uint64
	postings  [][]posting
	alive     []uint32 // postings of each term whose passages are there
	passages  []passage
	shapes    []shape // of the passages
	documents []document
	byDoc     map[int64]uint32 // the number of a document that is there
	dead      int
	vectors   vectors
	meanings  vectors // of a model
	senses    senses  // of the encoder
	total     lengths // of those alive
	expanded  *expansions
	languages map[string]bool // that passages had, "" for those of which it is not known
}

// posting says how often a term stands in the fields of a passage.
type posting struct {
	at    uint32
	text  uint16
	path  uint8
	title uint8
}

// counted says where among a passage's postings a term has its own.
type counted struct{ passage, at uint32 }

type lengths struct{ text, path, title float64 }

// document is what passages have in common.
type document struct {
	id       int64
	passages []uint32
	text     float64   // length in tokens, of all passages
	title    []float32 // built-in vector, nil: none of its words is known
	sum      []float32 // of the passages' vectors
}

// shape is what of a passage every posting needs: kept apart so that much of it
// is near at hand.
type shape struct {
	doc         uint32 // its document's number, or gone
	text        uint16 // lengths in tokens
	path, title uint8
}

const gone = math.MaxUint32

type passage struct {
	key, document int64
	doc           uint32
	number        int32
	dead          bool
	sequence      []uint32 // the terms of the text, in order
	head          []uint32 // those of title and headings
	titles        int32    // how many of head are the title's
}

// New returns an empty index.
func New() *Index {
	return &Index{words: embedding.Load(), lexicon: map[string]map[string][]uint32{}, terms: map[string]uint32{},
		byDoc: map[int64]uint32{}, expanded: &expansions{}, languages: map[string]bool{}}
}

// Len is how many passages are in it.
func (x *Index) Len() int {
	x.mu.RLock()
	defer x.mu.RUnlock()
	return len(x.passages) - x.dead
}

// Has reports whether passages of a document are in it.
func (x *Index) Has(document int64) bool {
	x.mu.RLock()
	defer x.mu.RUnlock()
	_, there := x.byDoc[document]
	return there
}

// Meant reports whether passages have a model's vectors.
func (x *Index) Meant() bool {
	x.mu.RLock()
	defer x.mu.RUnlock()
	return len(x.meanings.row) > 0
}

// Languages are those of the passages that were added, as far as they are known; they
// stay where the passages go.
func (x *Index) Languages() []string {
	x.mu.RLock()
	defer x.mu.RUnlock()
	return slices.DeleteFunc(slices.Sorted(maps.Keys(x.languages)), func(l string) bool { return l == "" })
}

// Sense gives passages of a document, by their numbers, the encoder's vectors of
// their windows; a document that is not there, or any of whose passages is not, is
// left as it is.
func (x *Index) Sense(document int64, windows map[int][]*encoder.Code) {
	x.mu.Lock()
	defer x.mu.Unlock()
	doc, there := x.byDoc[document]
	if !there {
		return
	}
	for _, at := range x.documents[doc].passages {
		if codes := windows[int(x.passages[at].number)]; len(codes) > 0 {
			x.senses.remove(at)
			x.senses.add(at, codes)
		}
	}
}

// Sensed reports whether any passage has the encoder's vectors.
func (x *Index) Sensed() bool {
	x.mu.RLock()
	defer x.mu.RUnlock()
	return len(x.senses.has) > 0
}

// analysed is an entry whose text was taken apart into words, which needs no
// lock.
type analysed struct {
	Entry
	text, path, title []string
}

// together is how many passages are added at once.
const together = 2000

// Add adds passages; searches go on between thousands of them. Those of a
// document that is there already stand beside it: remove it first.
func (x *Index) Add(entries []Entry) {
	next := make(chan []analysed, 1) // is taken apart while the last is added
	go func() {
		defer close(next)
		for from := 0; from < len(entries); from += together {
			next <- x.analyseAll(entries[from:min(from+together, len(entries))])
		}
	}()
	for prepared := range next {
		x.mu.Lock()
		x.addAll(prepared)
		x.mu.Unlock()
	}
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
	sideBySide(len(entries), func(i int) { prepared[i] = x.analyse(entries[i]) })
	return prepared
}

// Embed gives entries the built-in vectors of their titles and texts, with what
// they have in common still in them.
func Embed(entries []Entry) {
	words := embedding.Load()
	sideBySide(len(entries), func(i int) {
		if v, known := words.Vector(entries[i].Title + " " + entries[i].Text); known {
			entries[i].Vector = v[:]
		}
	})
}

// sideBySide does something for each of so many, a few at once.
func sideBySide(n int, do func(int)) {
	var all sync.WaitGroup
	const chunk = 256
	room := make(chan struct{}, 4)
	for from := 0; from < n; from += chunk {
		room <- struct{}{}
		all.Go(func() {
			defer func() { <-room }()
			for i := from; i < min(from+chunk, n); i++ {
				do(i)
			}
		})
	}
	all.Wait()
}

func (x *Index) analyse(e Entry) analysed {
	a := analysed{Entry: e, text: make([]string, 0, len(e.Text)/5)}
	collect := func(list *[]string) func(string) { return func(word string) { *list = append(*list, word) } }
	scan(e.Text, collect(&a.text))
	for _, h := range e.Path {
		scan(h, collect(&a.path))
	}
	scan(e.Title, collect(&a.title))
	return a
}

// termsOf returns the terms of a word as it stands in a text.
func (x *Index) termsOf(known map[string][]uint32, word, language string) []uint32 {
	ids, there := known[word]
	if !there {
		x.stems.split(word, language, func(t token) { ids = append(ids, x.term(t)) })
		if len(known) < mostStems {
			known[strings.Clone(word)] = slices.Clip(ids)
		}
	}
	return ids
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
		x.alive = append(x.alive, 0)
	}
	// The most frequent word of a stem stands for it.
	if w, known := x.words.Find(t.surface); known && !t.whole && (x.surfaces[id] < 0 || w < x.surfaces[id]) {
		x.surfaces[id] = w
		x.marks[id] = x.words.Signature(w)
	}
	return id
}

func (x *Index) add(a *analysed) {
	x.languages[a.Language] = true
	at := uint32(len(x.passages))
	known := x.lexicon[a.Language]
	if known == nil {
		known = map[string][]uint32{}
		x.lexicon[a.Language] = known
	}
	p := passage{key: a.Key, document: a.Document, number: int32(a.Number)}
	own := func(id uint32) *posting {
		for len(x.counts) <= int(id) {
			x.counts = append(x.counts, counted{})
		}
		list := x.postings[id]
		if c := x.counts[id]; c.passage == at+1 {
			return &list[c.at]
		}
		x.counts[id] = counted{at + 1, uint32(len(list))}
		x.alive[id]++
		x.postings[id] = append(list, posting{at: at})
		return &x.postings[id][len(list)]
	}
	p.head = make([]uint32, 0, len(a.title)+len(a.path))
	p.sequence = make([]uint32, 0, len(a.text)+len(a.text)/16)
	for _, word := range a.title {
		for _, id := range x.termsOf(known, word, a.Language) {
			c := own(id)
			c.title = uint8(min(int(c.title)+1, 255))
			p.head = append(p.head, id)
		}
	}
	titles := len(p.head)
	for _, word := range a.path {
		for _, id := range x.termsOf(known, word, a.Language) {
			c := own(id)
			c.path = uint8(min(int(c.path)+1, 255))
			p.head = append(p.head, id)
		}
	}
	for _, word := range a.text {
		for _, id := range x.termsOf(known, word, a.Language) {
			c := own(id)
			c.text = uint16(min(int(c.text)+1, math.MaxUint16))
			p.sequence = append(p.sequence, id)
		}
	}
	p.titles = int32(titles)
	s := shape{title: uint8(min(titles, 255)), path: uint8(min(len(p.head)-titles, 255)),
		text: uint16(min(len(p.sequence), math.MaxUint16))}
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
	d.text += float64(s.text)
	if a.Vector != nil {
		if len(d.sum) != len(a.Vector) {
			d.sum = make([]float32, len(a.Vector))
		}
		for i, v := range a.Vector {
			d.sum[i] += v
		}
	}
	p.doc, s.doc = doc, doc
	x.passages, x.shapes = append(x.passages, p), append(x.shapes, s)
	x.vectors.add(at, a.Vector)
	x.meanings.add(at, a.Meaning)
	x.senses.add(at, a.Windows)
	x.total.text += float64(s.text)
	x.total.path += float64(s.path)
	x.total.title += float64(s.title)
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
		s := &x.shapes[at]
		x.passages[at].dead = true
		x.dead++
		x.total.text -= float64(s.text)
		x.total.path -= float64(s.path)
		x.total.title -= float64(s.title)
		s.doc = gone
		x.forgetTerms(&x.passages[at])
		x.vectors.remove(at)
		x.meanings.remove(at)
		x.senses.remove(at)
	}
	delete(x.byDoc, document)
	x.documents[doc].passages = nil
	if x.dead > 1000 && x.dead*4 > len(x.passages) {
		x.sweep()
	}
	x.expanded.forget()
}

// forgetTerms counts a passage's terms as one fewer.
func (x *Index) forgetTerms(p *passage) {
	own := slices.Concat(p.sequence, p.head)
	slices.Sort(own)
	for _, id := range slices.Compact(own) {
		x.alive[id]--
	}
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
	var shapes []shape
	var built, meanings vectors
	var sensed senses
	for at, p := range x.passages {
		if p.dead {
			continue
		}
		moved[at] = uint32(len(kept))
		built.add(uint32(len(kept)), x.vectors.of(uint32(at)))
		meanings.add(uint32(len(kept)), x.meanings.of(uint32(at)))
		sensed.add(uint32(len(kept)), x.senses.windows(uint32(at)))
		kept, shapes = append(kept, p), append(shapes, x.shapes[at])
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
	clear(x.counts) // passages have other numbers
	x.shapes = shapes
	x.passages, x.vectors, x.meanings, x.senses, x.dead = kept, built, meanings, sensed, 0
}

// idf is how rare a term is (Robertson and Spärck Jones's weight, kept above
// zero).
func (x *Index) idf(id uint32) float64 {
	n, df := float64(len(x.passages)-x.dead), float64(x.alive[id])
	df = min(df, n)
	return math.Log(1 + (n-df+0.5)/(df+0.5))
}

// rarest is the weight of a term that no passage has.
func (x *Index) rarest() float64 {
	n := float64(len(x.passages) - x.dead)
	return math.Log(1 + (n+0.5)/0.5)
}

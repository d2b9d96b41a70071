package shelf

import (
	"context"
	"iter"
	"slices"
	"strings"
	"sync"
	"time"

	"juvalogos/core/embedding"
	"juvalogos/core/retrieval"
	"juvalogos/internal/record"
	"juvalogos/internal/store"
)

// live is what of a shelf is searched.
type live struct {
	loaded chan struct{} // closed once it was filled
	model  string        // whose vectors the passages have, beside the built-in ones; set before loaded
	mu     sync.Mutex    // of changes
	index  *retrieval.Index
	senses senses

	commonMu sync.RWMutex
	common   []float32 // what the passages' vectors have in common
	counted  int       // of so many passages; grown past them it is filled anew
	filledOf int       // of so many passages, as it was filled

	// Under the library's lock: of a conversation's own shelf, and while it is
	// filled anew beside this one which documents changed meanwhile.
	private   bool
	used      time.Time
	refilling bool
	again     bool // and is to be once more after that
	changed   []int64
}

func newLive() *live {
	return &live{loaded: make(chan struct{}), index: retrieval.New(), senses: newSenses()}
}

// indexes are what of the shelves is searched, in memory.
type indexes struct {
	*common
	meanings  *meanings
	listening chan struct{} // closed once changes are heard of

	mu   sync.Mutex
	live map[int64]*live
}

// shelf returns what is searched of a shelf, and begins to fill it.
func (l *indexes) shelf(id int64) *live {
	l.mu.Lock()
	defer l.mu.Unlock()
	v := l.live[id]
	if v == nil {
		v = newLive()
		l.live[id] = v
		l.all.Go(func() { l.fill(id, v) })
	}
	return v
}

// use returns what is searched of the shelf with a name.
func (l *indexes) use(slug string, id int64) *live {
	v := l.shelf(id)
	if Private(slug) {
		l.mu.Lock()
		v.private, v.used = true, l.Now()
		l.mu.Unlock()
	}
	return v
}

// forget has a shelf searched no more.
func (l *indexes) forget(id int64) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if v := l.live[id]; v != nil {
		v.senses.stop()
	}
	delete(l.live, id)
}

// follow fills all shelves and keeps them current.
func (l *indexes) follow(ctx context.Context) {
	first := true
	for ctx.Err() == nil {
		err := l.Store.Shelves.ShelfNews(ctx, func() {
			if first {
				close(l.listening)
			}
			// What happened while nobody listened is not known: all is filled
			// anew, and the old is searched until then.
			shelves, err := l.Store.Shelves.Shelves(ctx)
			if err != nil {
				l.Log.Warn("shelves could not be filled", "error", err)
			}
			for _, f := range shelves {
				if first {
					l.shelf(f.ID)
				} else {
					l.refill(f.ID)
				}
			}
			first = false
		}, func(shelf, document int64) {
			l.stopReading(ctx, document)
			l.mu.Lock()
			_, known := l.live[shelf]
			l.mu.Unlock()
			if document > 0 {
				l.applyResting(ctx, document)
			}
			switch {
			case !known:
			case document == store.NewCommon:
				l.all.Go(func() { l.takeCommon(ctx, shelf) })
			case document == 0:
				l.refill(shelf)
			default:
				l.apply(ctx, shelf, document)
			}
		})
		if ctx.Err() == nil {
			l.Log.Warn("shelves may be out of date until the database is back", "error", err)
			select {
			case <-ctx.Done():
			case <-time.After(2 * time.Second):
			}
		}
	}
}

// slugOf is the name of a shelf.
func (l *indexes) slugOf(ctx context.Context, shelf int64) (string, error) {
	if known, is := l.slugs.Load(shelf); is {
		return known.(string), nil
	}
	slug, err := l.Store.Shelves.ShelfSlug(ctx, shelf)
	if err == nil {
		l.slugs.Store(shelf, slug)
	}
	return slug, err
}

// takeCommon fills a shelf anew if what its passages have in common is not what
// is on record.
func (l *indexes) takeCommon(ctx context.Context, id int64) {
	v := l.shelf(id)
	select {
	case <-v.loaded:
	case <-ctx.Done():
		return
	}
	_, of, err := l.Store.Shelves.Common(ctx, id)
	v.mu.Lock()
	has := v.filledOf == of
	v.mu.Unlock()
	if err == nil && !has {
		l.refill(id)
	}
}

// refill fills a shelf anew beside the one that is searched.
func (l *indexes) refill(id int64) {
	l.mu.Lock()
	old := l.live[id]
	busy := old != nil && old.refilling
	if old != nil {
		old.refilling, old.again = true, busy
	}
	l.mu.Unlock()
	if old == nil {
		l.shelf(id)
		return
	}
	if busy {
		return
	}
	fresh := newLive()
	l.all.Go(func() {
		l.fill(id, fresh)
		l.mu.Lock()
		fresh.private, fresh.used = old.private, old.used
		l.live[id] = fresh
		old.senses.stop()
		changed, again := old.changed, old.again
		l.mu.Unlock()
		if again {
			l.refill(id)
		}
		for _, document := range changed {
			l.apply(l.background, id, document)
		}
	})
}

// together is how many passages are looked up or embedded at once.
const together = 2000

// embedded reads the passages of a shelf; the first are given their vectors while
// others are still read.
func (l *indexes) embedded(id int64) ([]retrieval.Entry, error) {
	var parts [][]retrieval.Entry
	var part []retrieval.Entry
	var all sync.WaitGroup
	embed := func() {
		some := part
		all.Go(func() { retrieval.Embed(some) })
		parts, part = append(parts, some), make([]retrieval.Entry, 0, together)
	}
	err := l.Store.Shelves.EachPassage(context.Background(), id, 0, func(p record.ShelfPassage) error {
		if part = append(part, entryOf(p)); len(part) == together {
			embed()
		}
		return nil
	})
	embed()
	all.Wait()
	return slices.Concat(parts...), err
}

func (l *indexes) fill(id int64, v *live) {
	v.mu.Lock()
	defer v.mu.Unlock()
	defer close(v.loaded)
	select {
	case <-l.listening: // from now on no change is missed
	case <-l.background.Done():
		return
	}
	began := l.Now()
	all, err := l.embedded(id)
	var vectors [][]float32
	for _, e := range all {
		if e.Vector != nil {
			vectors = append(vectors, e.Vector)
		}
	}
	if err == nil {
		var settings Settings
		settings, err = l.settings(context.Background(), id)
		v.senses.off = settings.SenseWeight == 0 || l.NoSentences
		if err == nil && settings.Embedding != "" {
			v.model = l.path(settings.Embedding)
			err = l.addMeanings(context.Background(), v.model, all)
		}
	}
	if err != nil {
		l.Log.Error("a shelf could not be filled", "shelf", id, "error", err)
		return
	}
	common, err := l.commonOf(id, v, vectors)
	if err != nil {
		l.Log.Error("a shelf could not be filled", "shelf", id, "error", err)
		return
	}
	for _, vector := range vectors {
		embedding.Remove(vector, common)
	}
	v.commonMu.Lock()
	v.common = common
	v.commonMu.Unlock()
	v.index.Add(all)
	l.senseSoon(id, v, documentsOf(all))
	l.all.Go(func() { // while it is searched already
		for l.background.Err() == nil && v.index.Improve() {
			time.Sleep(time.Millisecond)
		}
	})
	l.Log.Debug("shelf filled", "shelf", id, "passages", len(all), "took", l.Now().Sub(began))
}

// documentsOf are the documents of passages, which follow each other by document.
func documentsOf(all []retrieval.Entry) (documents []int64) {
	for _, e := range all {
		if n := len(documents); n == 0 || documents[n-1] != e.Document {
			documents = append(documents, e.Document)
		}
	}
	return documents
}

// commonOf is what the vectors of a shelf's passages have in common: what is on
// record, so that the same is found after every start, or, where the shelf has
// more than twice as many passages now, what a sample of them tells.
func (l *indexes) commonOf(id int64, v *live, vectors [][]float32) ([]float32, error) {
	ctx := context.Background()
	common, of, err := l.Store.Shelves.Common(ctx, id)
	if err == nil && len(vectors) > 2*of+30 {
		sample := vectors
		if step := len(vectors) / 4000; step > 1 {
			sample = nil
			for i := 0; i < len(vectors); i += step {
				sample = append(sample, vectors[i])
			}
		}
		// Of several instances one decides.
		if _, err = l.Store.Shelves.KeepCommon(ctx, id, embedding.Common(sample), len(vectors), of); err == nil {
			common, of, err = l.Store.Shelves.Common(ctx, id)
		}
	}
	v.counted, v.filledOf = of, of
	return common, err
}

// addMeanings gives passages the vectors of a model, as far as it has embedded
// them.
func (l *indexes) addMeanings(ctx context.Context, model string, all []retrieval.Entry) error {
	if model == "" {
		return nil
	}
	for from := 0; from < len(all); from += together {
		some := all[from:min(from+together, len(all))]
		hashes := make([][32]byte, len(some))
		for i, e := range some {
			hashes[i] = meaningHash(record.ShelfPassage{StoredPassage: record.StoredPassage{Path: e.Path, Text: e.Text},
				Title: e.Title})
		}
		vectors, err := l.Store.Shelves.Vectors(ctx, model, hashes)
		if err != nil {
			return err
		}
		for i := range some {
			some[i].Meaning = vectors[hashes[i]]
		}
	}
	return nil
}

// path is a model's name that no other has; what is not known stays as it is.
func (l *indexes) path(name string) string {
	if l.Models != nil {
		if entry, err := l.Models.Find(name); err == nil {
			return entry.Path()
		}
	}
	return name
}

// entryOf is a passage as the index takes it.
func entryOf(p record.ShelfPassage) retrieval.Entry {
	return retrieval.Entry{
		Key: int64(p.Number), Document: p.Document, Number: p.Number, Title: strings.Clone(p.Title), Path: p.Path,
		Text: strings.Clone(p.Text), Language: p.Language,
	}
}

// vector is the vector of a text as the shelf's passages have theirs.
func (v *live) vector(text string) []float32 {
	vector, known := embedding.Load().Vector(text)
	if !known {
		return nil
	}
	v.commonMu.RLock()
	defer v.commonMu.RUnlock()
	embedding.Remove(vector[:], v.common)
	return vector[:]
}

// apply takes over what is on record of a document. What is on a tray is searched
// elsewhere.
func (l *indexes) apply(ctx context.Context, shelf, document int64) {
	if l.isTray(ctx, shelf) {
		l.applyResting(ctx, document)
		return
	}
	v := l.shelf(shelf)
	l.mu.Lock()
	if v.refilling {
		v.changed = append(v.changed, document)
	}
	l.mu.Unlock()
	<-v.loaded
	v.mu.Lock()
	var some []record.ShelfPassage
	err := l.Store.Shelves.EachPassage(ctx, shelf, document, func(p record.ShelfPassage) error {
		some = append(some, p)
		return nil
	})
	all := v.entriesOf(some)
	if err == nil {
		err = l.addMeanings(ctx, v.model, all)
	}
	if err == nil {
		v.index.Replace(document, all)
		if l.senseSoon(shelf, v, documentsOf(all)); len(all) == 0 {
			v.senses.forget(document)
		}
	}
	n := v.index.Len()
	v.commonMu.RLock()
	grown := n > 2*v.counted+30
	v.commonMu.RUnlock()
	if grown {
		v.commonMu.Lock()
		v.counted = n // once is enough
		v.commonMu.Unlock()
	}
	v.mu.Unlock()
	if err != nil {
		l.Log.Warn("a shelf may be out of date", "shelf", shelf, "document", document, "error", err)
		return
	}
	if grown { // what the vectors have in common is another thing now
		l.refill(shelf)
	}
}

// ahead hands on what is about to be put on record, and puts it into the index
// before the last of it is taken, so that what is on record as read is found.
func (l *indexes) ahead(d record.Document,
	passages iter.Seq2[record.StoredPassage, error]) iter.Seq2[record.StoredPassage, error] {
	return func(yield func(record.StoredPassage, error) bool) {
		ctx := l.background
		where := l.resting(ctx, d.ID)
		if !l.isTray(ctx, d.Shelf) {
			if where == nil {
				where = map[int64]*live{}
			}
			where[d.Shelf] = l.shelf(d.Shelf)
		}
		for _, v := range where {
			<-v.loaded
		}
		var all []record.ShelfPassage
		for p, err := range passages {
			if err == nil {
				p.Document = d.ID
				all = append(all, record.ShelfPassage{StoredPassage: p, Title: d.Title, Language: d.Language})
			}
			if !yield(p, err) || err != nil {
				return
			}
		}
		for _, v := range where {
			entries := v.entriesOf(all)
			v.mu.Lock()
			v.index.Replace(d.ID, entries)
			v.mu.Unlock()
		}
	}
}

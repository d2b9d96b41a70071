package shelf

import (
	"context"
	"crypto/sha256"
	"runtime"
	"sync"
	"time"

	"juvalogos/core/encoder"
	"juvalogos/internal/record"
)

// senses are the encoder's vectors of a shelf's windows, as far as they are made.
// They are made in the background, while the shelf is searched without them.
type senses struct {
	mu      sync.Mutex
	codes   map[[32]byte]*encoder.Code
	made    map[int64]bool // documents; false: they wait or are being encoded
	waiting []int64
	queued  map[int64]bool // those that wait
	busy    bool
	off     bool // none are made: it is switched off, or another one took this one's place
}

func newSenses() senses {
	return senses{codes: map[[32]byte]*encoder.Code{}, made: map[int64]bool{}, queued: map[int64]bool{}}
}

// stop ends what is being made.
func (s *senses) stop() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.off, s.waiting = true, nil
}

func (s *senses) stopped() bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.off
}

// forget is for a document that is gone.
func (s *senses) forget(document int64) {
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.made, document)
}

// windowsOf are the texts that are encoded for a passage: what it says, with the
// title of its document before each stretch.
func windowsOf(p record.ShelfPassage) []string {
	if p.Language != "" && p.Language != "en" {
		return nil
	}
	return encoder.Windows(p.Title, p.Text)
}

// senseSoon has documents of a shelf encoded in the background.
func (l *indexes) senseSoon(shelf int64, v *live, documents []int64) {
	v.senses.mu.Lock()
	defer v.senses.mu.Unlock()
	if v.senses.off {
		return
	}
	for _, d := range documents {
		v.senses.made[d] = false
		if !v.senses.queued[d] {
			v.senses.queued[d] = true
			v.senses.waiting = append(v.senses.waiting, d)
		}
	}
	if !v.senses.busy && len(v.senses.waiting) > 0 {
		v.senses.busy = true
		l.all.Go(func() { l.sense(l.background, shelf, v) })
	}
}

// afterTrouble is how long encoding waits for a database that did not answer.
const afterTrouble = 2 * time.Second

// sense encodes what waits, one document after the other; one that went wrong comes
// again.
func (l *indexes) sense(ctx context.Context, shelf int64, v *live) {
	for {
		v.senses.mu.Lock()
		if len(v.senses.waiting) == 0 || ctx.Err() != nil {
			v.senses.busy, v.senses.waiting = false, nil
			v.senses.mu.Unlock()
			return
		}
		next := v.senses.waiting[0]
		v.senses.waiting = v.senses.waiting[1:]
		delete(v.senses.queued, next)
		v.senses.mu.Unlock()
		if err := l.senseDocument(ctx, shelf, v, next); err != nil && ctx.Err() == nil {
			l.Log.Warn("a document is found by its words alone for now", "document", next, "error", err)
			select {
			case <-ctx.Done():
			case <-time.After(afterTrouble):
				l.senseSoon(shelf, v, []int64{next})
			}
		}
	}
}

func (l *indexes) senseDocument(ctx context.Context, shelf int64, v *live, document int64) error {
	var texts []string
	var hashes [][32]byte
	var numbers []int // of the passage of each
	err := l.Store.Shelves.EachPassage(ctx, shelf, document, func(p record.ShelfPassage) error {
		for _, w := range windowsOf(p) {
			texts, hashes = append(texts, w), append(hashes, sha256.Sum256([]byte(w)))
			numbers = append(numbers, p.Number)
		}
		return nil
	})
	if err != nil {
		return err
	}
	codes, err := l.codesOf(ctx, v, texts, hashes)
	if err != nil || codes == nil && len(texts) > 0 {
		return err
	}
	by := map[int][]*encoder.Code{}
	for i, n := range numbers {
		by[n] = append(by[n], codes[i])
	}
	v.index.Sense(document, by)
	v.senses.mu.Lock()
	v.senses.made[document] = true
	v.senses.mu.Unlock()
	return nil
}

// inOne is how many windows are encoded before they are put on record.
const inOne = 64

// codesOf are the codes of texts: those that are known here, those on record, and
// the others, which are made.
func (l *indexes) codesOf(ctx context.Context, v *live, texts []string, hashes [][32]byte) ([]*encoder.Code, error) {
	recorded, err := l.Store.Shelves.Senses(ctx, hashes)
	if err != nil {
		return nil, err
	}
	codes := make([]*encoder.Code, len(texts))
	var lacking []int
	asked := map[[32]byte]bool{}
	v.senses.mu.Lock()
	for i, h := range hashes {
		switch known := v.senses.codes[h]; {
		case known != nil:
			codes[i] = known
		case recorded[h] != nil:
			codes[i] = recorded[h]
			v.senses.codes[h] = codes[i]
		case !asked[h]:
			lacking, asked[h] = append(lacking, i), true
		}
	}
	v.senses.mu.Unlock()
	for from := 0; from < len(lacking); from += inOne {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if v.senses.stopped() {
			return nil, nil // another one makes them
		}
		some := lacking[from:min(from+inOne, len(lacking))]
		if err := l.encode(ctx, v, some, texts, hashes); err != nil {
			return nil, err
		}
	}
	v.senses.mu.Lock()
	defer v.senses.mu.Unlock()
	for i, h := range hashes {
		codes[i] = v.senses.codes[h]
	}
	return codes, nil
}

// encode makes codes and puts them on record, of one shelf at a time: half of the
// cores stay for those who ask.
func (l *indexes) encode(ctx context.Context, v *live, some []int, texts []string, hashes [][32]byte) error {
	said, own := make([]string, len(some)), make([][32]byte, len(some))
	for k, i := range some {
		said[k], own[k] = texts[i], hashes[i]
	}
	made := make([]*encoder.Code, len(some))
	l.encoding.Lock()
	vectors := encoder.Load().EncodeAll(said, max(1, runtime.GOMAXPROCS(0)/2))
	l.encoding.Unlock()
	for k, vector := range vectors {
		if made[k] = encoder.CodeOf(vector); made[k] == nil {
			made[k] = &encoder.Code{} // it is near nothing
		}
	}
	if err := l.Store.Shelves.KeepSenses(ctx, own, made); err != nil {
		return err
	}
	v.senses.mu.Lock()
	defer v.senses.mu.Unlock()
	for k, h := range own {
		v.senses.codes[h] = made[k]
	}
	return nil
}

// Sensed tells how many documents of a shelf the encoder reads, and how many it has
// read; both 0 where it is switched off.
func (l *Library) Sensed(slug string, id int64) (documents, made int) {
	v := l.indexes.use(slug, id)
	v.senses.mu.Lock()
	defer v.senses.mu.Unlock()
	for _, is := range v.senses.made {
		documents++
		if is {
			made++
		}
	}
	return documents, made
}

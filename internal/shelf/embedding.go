package shelf

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"strings"
	"sync"
	"time"

	"juvalogos/core/prompt"
	"juvalogos/internal/models"
	"juvalogos/internal/record"
)

// A shelf's passages have the built-in vectors; a model's too, if the shelf
// names one. What a model costs is said before: a priced one embeds only when
// somebody says so (EmbedNow).

// Embedding tells how far a shelf's model is.
type Embedding struct {
	Model    string // "": none
	Priced   bool
	Passages int
	Embedded int
	// Of the passages that are not embedded yet.
	Tokens int
	Cost   float64
	// So far.
	SpentTokens int64
	SpentCost   float64
	Problem     string // that stopped it last
	// Documents of which the service makes the meanings of sentences, and has made them.
	ToSense, Sensed int
}

// meanings are the vectors that models make of passages and questions.
type meanings struct {
	*common
	indexes *indexes

	mu sync.Mutex
	// embedding are the shelves that are being embedded; true: once more then.
	embedding map[int64]bool
}

// meaningText is what of a passage is embedded.
func meaningText(p record.ShelfPassage) string {
	return strings.TrimSpace(p.Title + "\n" + strings.Join(p.Path, " > ") + "\n" + p.Text)
}

func meaningHash(p record.ShelfPassage) [32]byte { return sha256.Sum256([]byte(meaningText(p))) }

// embedder is the model that a shelf names; nil: none. The error is a *Problem
// where there is no such model.
func (l *meanings) embedder(name string) (*models.Entry, error) {
	if name == "" {
		return nil, nil
	}
	if l.Models == nil {
		return nil, wrong("this service knows no models")
	}
	entry, err := l.Models.Find(name)
	if err != nil {
		return nil, wrong("%v", err)
	}
	if !entry.Able("embeddings") {
		return nil, wrong("the model %s makes no embeddings; choose one whose can: in the connection file names "+
			"embeddings", name)
	}
	return &entry, nil
}

// lacking hands over the passages of a shelf, or of one document on it if that is not 0, whose texts its model has not
// embedded, some at a time, and counts all passages.
func (l *meanings) lacking(ctx context.Context, shelf, document int64, model string,
	do func([]record.ShelfPassage) error) (passages int, err error) {
	const atOnce = 500
	var some []record.ShelfPassage
	flush := func() error {
		hashes := make([][32]byte, len(some))
		for i, p := range some {
			hashes[i] = meaningHash(p)
		}
		lacking, err := l.Store.Shelves.Lacking(ctx, model, hashes)
		if err != nil {
			return err
		}
		var left []record.ShelfPassage
		for i, p := range some {
			if lacking[hashes[i]] {
				delete(lacking, hashes[i]) // the same text twice is one
				left = append(left, p)
			}
		}
		some = nil
		if len(left) == 0 {
			return nil
		}
		return do(left)
	}
	// All are read before a model is asked: its answers take their time.
	var all []record.ShelfPassage
	err = l.Store.Shelves.EachPassage(ctx, shelf, document, func(p record.ShelfPassage) error {
		p.Title, p.Text = strings.Clone(p.Title), strings.Clone(p.Text)
		all = append(all, p)
		return nil
	})
	for _, p := range all {
		if err != nil {
			return 0, err
		}
		if some = append(some, p); len(some) == atOnce {
			err = flush()
		}
	}
	if err == nil && len(some) > 0 {
		err = flush()
	}
	return len(all), err
}

// Embedding tells how far a shelf's model is, and what the rest will cost.
func (l *Library) Embedding(ctx context.Context, slug string) (e Embedding, err error) {
	f, err := l.Shelf(ctx, slug)
	if err != nil {
		return e, err
	}
	e.Passages = f.Passages
	e.ToSense, e.Sensed = l.Sensed(slug, f.ID)
	spent := func() (err error) {
		e.SpentTokens, e.SpentCost, e.Problem, err = l.Store.Shelves.Embedding(ctx, f.ID)
		return err
	}
	name := settingsOf(f.Settings).Embedding
	entry, err := l.meanings.embedder(name)
	if err != nil || entry == nil {
		if err := spent(); err != nil {
			return e, err
		}
	}
	if err != nil {
		var p *Problem
		if errors.As(err, &p) { // the model went away
			e.Model, e.Problem = name, p.What.String()
			return e, nil
		}
		return e, err
	}
	if entry == nil {
		return e, nil
	}
	e.Model, e.Priced = entry.Path(), entry.Price.In > 0
	left := 0
	e.Passages, err = l.meanings.lacking(ctx, f.ID, 0, e.Model, func(some []record.ShelfPassage) error {
		for _, p := range some {
			e.Tokens += prompt.Estimate{}.Count(meaningText(p))
		}
		left += len(some)
		return nil
	})
	e.Embedded, e.Cost = e.Passages-left, entry.Price.Of(e.Tokens, 0, 0)
	if err != nil {
		return e, err
	}
	// Last, so that what is told to be embedded is told to have been paid for.
	return e, spent()
}

// EmbedNow has a shelf's model embed what it has not yet; whoever asks for it
// has seen what it costs.
func (l *Library) EmbedNow(ctx context.Context, slug string) error {
	f, err := l.Shelf(ctx, slug)
	if err != nil {
		return err
	}
	entry, err := l.meanings.embedder(settingsOf(f.Settings).Embedding)
	if err != nil {
		return err
	}
	if entry == nil {
		return wrong("the shelf names no model for embeddings; choose one in its settings")
	}
	if err := l.Store.Shelves.AgreeToEmbed(ctx, f.ID, true); err != nil {
		return err
	}
	l.meanings.embedSoon(f.ID)
	return nil
}

// embedSoon has a shelf's model embed in the background what it has not yet,
// and once more if it is called meanwhile.
func (l *meanings) embedSoon(shelf int64) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if _, busy := l.embedding[shelf]; busy {
		l.embedding[shelf] = true
		return
	}
	l.embedding[shelf] = false
	l.all.Go(func() {
		for again := true; again; {
			l.embedPatiently(shelf)
			l.mu.Lock()
			if again = l.embedding[shelf] && l.background.Err() == nil; again {
				l.embedding[shelf] = false
			} else {
				delete(l.embedding, shelf)
			}
			l.mu.Unlock()
		}
	})
}

// mostTries is how often a model is asked in all that does not answer.
const mostTries = 6

func (l *meanings) embedPatiently(shelf int64) {
	for try := 1; ; try++ {
		err := l.embed(l.background, shelf)
		if err == nil || l.background.Err() != nil {
			return
		}
		l.Log.Warn("a shelf could not be embedded", "shelf", shelf, "try", try, "error", err)
		if err := l.Store.Shelves.NoteEmbedding(l.background, shelf, Advice(err)); err != nil {
			l.Log.Warn("what went wrong could not be put on record", "error", err)
		}
		if try == mostTries {
			return
		}
		select {
		case <-l.background.Done():
			return
		case <-time.After(time.Duration(try*try) * time.Second):
		}
	}
}

// embedRest goes on with what an earlier service left.
func (l *meanings) embedRest(ctx context.Context) {
	shelves, err := l.Store.Shelves.Shelves(ctx)
	if err != nil {
		l.Log.Warn("what is not embedded yet waits", "error", err)
	}
	for _, f := range shelves {
		if settingsOf(f.Settings).Embedding != "" {
			l.embedSoon(f.ID)
		}
	}
}

// Texts go to the model so many at a time.
const mostTexts, mostTokens = 64, 8000

func (l *meanings) embed(ctx context.Context, shelf int64) error {
	settings, err := l.settings(ctx, shelf)
	if err != nil {
		return err
	}
	entry, err := l.embedder(settings.Embedding)
	if err != nil || entry == nil {
		return err
	}
	if entry.Price.In > 0 {
		if agreed, err := l.Store.Shelves.AgreedToEmbed(ctx, shelf); err != nil || !agreed {
			return err
		}
	}
	fresh := false
	_, err = l.lacking(ctx, shelf, 0, entry.Path(), func(some []record.ShelfPassage) error {
		fresh = true
		return l.inBatches(some, func(batch []record.ShelfPassage) error {
			_, _, err := l.embedSome(ctx, shelf, entry, batch)
			return err
		})
	})
	if fresh { // what there is so far is used, whatever went wrong then
		if err := l.Store.Shelves.RefillShelf(context.WithoutCancel(ctx), shelf); err != nil {
			return err
		}
	}
	if err == nil { // what comes later is to be agreed to anew
		err = l.Store.Shelves.AgreeToEmbed(ctx, shelf, false)
	}
	return err
}

// inBatches hands over passages as many at a time as a model takes.
func (*meanings) inBatches(some []record.ShelfPassage, do func([]record.ShelfPassage) error) error {
	for len(some) > 0 {
		n, room := 0, mostTokens
		for n < len(some) && n < mostTexts && (n == 0 || room > 0) {
			room -= prompt.Estimate{}.Count(meaningText(some[n]))
			n++
		}
		if err := do(some[:n]); err != nil {
			return err
		}
		some = some[n:]
	}
	return nil
}

func (l *meanings) embedSome(ctx context.Context, shelf int64, entry *models.Entry,
	some []record.ShelfPassage) (tokens int, cost float64, err error) {
	texts, hashes := make([]string, len(some)), make([][32]byte, len(some))
	counter, err := entry.Counter()
	if err != nil {
		return 0, 0, err
	}
	for i, p := range some {
		texts[i], hashes[i] = prompt.Cut(counter, meaningText(p), entry.Context), meaningHash(p)
	}
	vectors, tokens, err := entry.Embed(ctx, texts)
	if err != nil {
		return 0, 0, err
	}
	if tokens == 0 {
		for _, t := range texts {
			tokens += counter.Count(t)
		}
	}
	cost = entry.Price.Of(tokens, 0, 0)
	if err := l.Store.Shelves.KeepVectors(ctx, shelf, entry.Path(), hashes, vectors, tokens, cost); err != nil {
		return tokens, cost, fmt.Errorf("keep vectors: %w", err)
	}
	return tokens, cost, nil
}

// EmbeddingCall is a question that a model was asked the vector of.
type EmbeddingCall struct {
	Model  string
	At     time.Time
	Took   time.Duration
	Tokens int
	Cost   float64
	Error  string // the search went on without
}

// meaning is a question's vector by the model that a shelf's passages were
// embedded with; nil: there is none.
func (l *meanings) meaning(ctx context.Context, model, question string) ([]float32, *EmbeddingCall) {
	if model == "" || l.Models == nil {
		return nil, nil
	}
	asked := &EmbeddingCall{Model: model, At: l.Now()}
	entry, err := l.Models.Find(model)
	var vectors [][]float32
	if err == nil {
		vectors, asked.Tokens, err = entry.Embed(ctx, []string{question})
	}
	asked.Took = l.Now().Sub(asked.At)
	if err != nil {
		asked.Error = err.Error()
		l.Log.Warn("a question could not be embedded; it is looked for by the built-in vectors", "model", model,
			"error", err)
		return nil, asked
	}
	if asked.Tokens == 0 {
		asked.Tokens = prompt.Estimate{}.Count(question)
	}
	asked.Cost = entry.Price.Of(asked.Tokens, 0, 0)
	return vectors[0], asked
}

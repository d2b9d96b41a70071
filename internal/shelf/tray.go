package shelf

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"

	"juvalogos/core/phrase"
	"juvalogos/core/prompt"
	"juvalogos/core/retrieval"
	"juvalogos/internal/models"
	"juvalogos/internal/record"
	"juvalogos/internal/source"
)

// What visitors have a desk bring is kept on a tray: one of the desk's for all its
// visitors, and one for each visitor who brings what is for them alone. A tray is
// never searched. The shelf of a conversation has what was brought into it beside
// what was attached (EachPassage), so one work is fetched and read once, and found
// in every conversation that rests on it.
//
// No shelf that makers make can have such a name: it has two hyphens together.
const trayPrefix = "tray--"

// Tray returns the tray of a desk; with a visitor that visitor's own. Its passages
// are embedded by the model of a name beside the built-in vectors; "": by none.
func (l *Library) Tray(ctx context.Context, desk int64, visitor *record.Visitor, model string) (int64, error) {
	s := DefaultSettings()
	s.Embedding = model
	settings, err := json.Marshal(s)
	if err != nil {
		return 0, err
	}
	slug := fmt.Sprintf("%s%d", trayPrefix, desk)
	if visitor != nil {
		slug += "-" + uuid.NewString()
	}
	return l.Store.Errands.Tray(ctx, desk, visitor, slug, settings, l.Now())
}

// isTray reports whether a shelf is a tray. A shelf never becomes one.
func (l *common) isTray(ctx context.Context, shelf int64) bool {
	if known, is := l.trays.Load(shelf); is {
		return known.(bool)
	}
	yes, err := l.Store.Errands.IsTray(ctx, shelf)
	if err == nil {
		l.trays.Store(shelf, yes)
	}
	return yes
}

// KeepWork keeps the files of a work on its tray, and returns the documents that they
// are. They are read once Rest has a conversation rest on them.
func (l *Library) KeepWork(ctx context.Context, w record.Work, items []source.Item) (id int64, documents []int64,
	err error) {
	var files []record.Document
	for _, i := range items {
		hash, size, err := l.Store.Shelves.KeepContent(ctx, bytes.NewReader(i.Body), int64(l.Limits.Bytes))
		if errors.Is(err, record.ErrTooLarge) {
			return 0, nil, wrong("it has more than %d MB", l.Limits.Bytes>>20)
		}
		if err != nil {
			return 0, nil, fmt.Errorf("keep %s: %w", i.Name, err)
		}
		if size == 0 {
			return 0, nil, wrong("it is empty")
		}
		w.Bytes += size
		files = append(files, record.Document{Name: cleanName(i.Name), Source: i.Address, Hash: hash, Size: size})
	}
	return l.Store.Errands.KeepWork(ctx, w, files)
}

// Own makes sure that a conversation that is the visitor's, or is to begin, has a
// shelf of its own, and begins to fill what is searched of it. model is what Tray
// was given.
func (l *Library) Own(ctx context.Context, conversation uuid.UUID, visitor record.Visitor, desk int64,
	model string) error {
	s := DefaultSettings()
	s.Embedding = model
	a, err := l.own(ctx, conversation, visitor, desk, s)
	if err == nil {
		l.indexes.use(a.Slug, a.ID)
	}
	return err
}

// Rest has an errand's conversation rest on documents, from a place on in its order,
// and has those read that are not read yet.
func (l *Library) Rest(ctx context.Context, errand uuid.UUID, documents []int64, from int) error {
	if err := l.Store.Errands.Rest(ctx, errand, documents, from); err != nil {
		return err
	}
	for _, id := range documents {
		d, err := l.Store.Shelves.Document(ctx, id)
		switch {
		case err != nil:
			return err
		case d.State == record.Waiting:
			if _, waits := l.queued.Load(id); waits {
				continue
			}
			if err := l.queue(ctx, id); err != nil {
				return err
			}
		case d.State == record.Ready:
			l.indexes.applyResting(ctx, id)
		}
	}
	return nil
}

// Refresh has conversations search what is on record of documents that they rest on,
// or do not any more.
func (l *Library) Refresh(ctx context.Context, documents []int64) {
	for _, id := range documents {
		l.indexes.applyResting(ctx, id)
	}
}

// MostWords is how many words a conversation may rest on.
const MostWords = mostWordsTogether

// PutAway takes what an errand brought out of its conversation, or brings it back.
func (l *Library) PutAway(ctx context.Context, e record.Errand, back bool) error {
	at := new(l.Now())
	if back {
		at = nil
	}
	if err := l.Store.Errands.PutAway(ctx, e.ID, e.Visitor, at); err != nil {
		return err
	}
	for _, d := range e.Documents {
		l.indexes.applyResting(ctx, d.ID)
	}
	return nil
}

// Resting returns what a conversation of a visitor's rests on: what was brought into
// it, in its order, and what was attached to it.
func (l *Library) Resting(ctx context.Context, conversation uuid.UUID, visitor record.Visitor) (brought []record.Errand,
	attached []record.Document, err error) {
	brought, err = l.Store.Errands.InConversation(ctx, conversation, visitor)
	if err != nil || len(brought) == 0 {
		return nil, nil, err
	}
	attached, err = l.Attached(ctx, conversation, visitor)
	return brought, attached, err
}

// SearchBrought finds what answers a question in what a conversation rests on, in the
// documents with some ids alone.
func (l *Library) SearchBrought(ctx context.Context, conversation uuid.UUID, visitor record.Visitor,
	brought []record.Errand,
	only map[int64]bool, q Query) (Results, error) {
	a, err := l.Store.Shelves.AttachedTo(ctx, conversation, visitor)
	if err != nil {
		return Results{}, err
	}
	v := l.indexes.use(a.Slug, a.ID)
	select {
	case <-v.loaded:
	case <-ctx.Done():
		return Results{}, context.Cause(ctx)
	}
	for _, e := range brought {
		l.indexes.complete(ctx, a.ID, v, e.Documents)
	}
	q.Only = map[string]map[int64]bool{a.Slug: only}
	return l.Search(ctx, []string{a.Slug}, q)
}

// resting are what is searched of the conversations, in memory here, that rest on a
// document.
func (l *indexes) resting(ctx context.Context, document int64) (all map[int64]*live) {
	l.mu.Lock()
	any := false
	for _, v := range l.live {
		any = any || v.private
	}
	l.mu.Unlock()
	if !any {
		return nil
	}
	shelves, err := l.Store.Errands.RestingOn(ctx, document)
	if err != nil {
		if ctx.Err() == nil {
			l.Log.Warn("conversations may be out of date", "document", document, "error", err)
		}
		return nil
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	all = map[int64]*live{}
	for _, id := range shelves {
		if v := l.live[id]; v != nil {
			all[id] = v
		}
	}
	return all
}

// applyResting takes over what is on record of a document in the conversations that
// rest on it.
func (l *indexes) applyResting(ctx context.Context, document int64) {
	for id := range l.resting(ctx, document) {
		l.apply(ctx, id, document)
	}
}

// complete takes over documents that are read and not yet searched here: news of them
// is on its way.
func (l *indexes) complete(ctx context.Context, shelf int64, v *live, documents []record.BroughtDocument) {
	for _, d := range documents {
		if d.State == record.Ready && d.Passages > 0 && !v.index.Has(d.ID) {
			l.apply(ctx, shelf, d.ID)
		}
	}
}

// Estimate is what embedding would take.
type Estimate struct {
	Model  string // "": none embeds
	Priced bool
	Tokens int
	Cost   float64
}

// EstimateFor tells what embedding documents on a tray by the model of a name would
// take; what is embedded already takes nothing.
func (l *Library) EstimateFor(ctx context.Context, tray int64, model string, documents []int64) (e Estimate,
	err error) {
	entry, err := l.meanings.embedder(model)
	if err != nil || entry == nil {
		return e, err
	}
	e.Model, e.Priced = entry.Path(), entry.Price.In > 0
	err = l.meanings.lackingOf(ctx, tray, documents, e.Model, func(some []record.ShelfPassage) error {
		for _, p := range some {
			e.Tokens += prompt.Estimate{}.Count(meaningText(p))
		}
		return nil
	})
	e.Cost = entry.Price.Of(e.Tokens, 0, 0)
	return e, err
}

// EmbedFor has documents on a tray embedded by the model of a name, and returns what
// it took. Conversations that rest on them find by it from then on.
func (l *Library) EmbedFor(ctx context.Context, tray int64, model string, documents []int64) (tokens int, cost float64,
	err error) {
	entry, err := l.meanings.embedder(model)
	if err != nil || entry == nil {
		return 0, 0, err
	}
	err = l.meanings.lackingOf(ctx, tray, documents, entry.Path(), func(some []record.ShelfPassage) error {
		return l.meanings.inBatches(some, func(batch []record.ShelfPassage) error {
			n, c, err := l.meanings.embedSome(ctx, tray, entry, batch)
			tokens, cost = tokens+n, cost+c
			return err
		})
	})
	for _, id := range documents {
		l.indexes.applyResting(context.WithoutCancel(ctx), id)
	}
	return tokens, cost, err
}

// lackingOf is lacking for some documents of a shelf.
func (l *meanings) lackingOf(ctx context.Context, shelf int64, documents []int64, model string,
	do func([]record.ShelfPassage) error) error {
	for _, id := range documents {
		if _, err := l.lacking(ctx, shelf, id, model, do); err != nil {
			return err
		}
	}
	return nil
}

// Advice is what went wrong with a model, for makers.
func Advice(err error) string {
	var failure *models.Error
	if errors.As(err, &failure) {
		return failure.Advice()
	}
	return err.Error()
}

// Title is what of a desk's documents a visitor may choose to talk about.
type Title struct {
	Shelf    string
	Document record.Document
}

// Titles are the documents on some shelves that are ready and whose title or name has
// the words of a search, by title; at most so many. more tells that there are others.
func (l *Library) Titles(ctx context.Context, shelves []string, search string, most int) (all []Title, more bool,
	err error) {
	for _, slug := range shelves {
		f, err := l.Shelf(ctx, slug)
		if err != nil {
			return nil, false, err
		}
		documents, err := l.Store.Shelves.Documents(ctx, f.ID)
		if err != nil {
			return nil, false, err
		}
		for _, d := range documents {
			if d.State == record.Ready && hasWords(d, search) {
				all = append(all, Title{slug, d})
			}
		}
	}
	slices.SortStableFunc(all, func(a, b Title) int {
		return strings.Compare(strings.ToLower(a.Document.Title), strings.ToLower(b.Document.Title))
	})
	more = len(all) > most
	return all[:min(most, len(all))], more, nil
}

// hasWords reports whether a document's title or file name has some words.
func hasWords(d record.Document, words string) bool {
	name := strings.ToLower(d.Title + " " + d.Name)
	for _, w := range strings.Fields(strings.ToLower(words)) {
		if !strings.Contains(name, w) {
			return false
		}
	}
	return true
}

// Said is what of an error can be told to whoever asked; nothing where it is none of
// theirs.
func Said(err error) phrase.Phrase {
	var p *Problem
	if errors.As(err, &p) {
		return p.What
	}
	return phrase.Phrase{}
}

// entriesOf are passages as an index takes them, with the vectors that it has.
func (v *live) entriesOf(some []record.ShelfPassage) []retrieval.Entry {
	all := make([]retrieval.Entry, len(some))
	for i, p := range some {
		all[i] = entryOf(p)
		all[i].Vector = v.vector(p.Title + " " + p.Text)
	}
	return all
}

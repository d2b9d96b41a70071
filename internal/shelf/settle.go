package shelf

import (
	"context"
	"encoding/json"
	"net/url"
	"slices"
	"strings"
	"sync"

	"juvalogos/core/evidence"
	"juvalogos/core/passage"
	"juvalogos/core/reading"
	"juvalogos/internal/record"
)

// What stands again and again at the edges of a shelf's documents, a site's name
// or ways to other pages, is known only once they have been read. Then it is
// taken out of their passages.

// settling are the shelves that are being settled; true: once more after that.
type settling struct {
	mu   sync.Mutex
	busy map[int64]bool
}

// settleSoon settles a shelf in the background once all on it has been read.
func (l *Library) settleSoon(shelf int64) {
	if l.isTray(l.background, shelf) {
		return // what lies there has nothing in common; errands embed it
	}
	s := &l.settling
	s.mu.Lock()
	defer s.mu.Unlock()
	if _, busy := s.busy[shelf]; busy {
		s.busy[shelf] = true
		return
	}
	s.busy[shelf] = false
	l.all.Go(func() {
		for again := true; again; {
			if err := l.settle(l.background, shelf); err != nil && l.background.Err() == nil {
				l.Log.Warn("what a shelf's documents have in common could not be taken out", "shelf", shelf,
					"error", err)
			}
			s.mu.Lock()
			if again = s.busy[shelf] && l.background.Err() == nil; again {
				s.busy[shelf] = false
			} else {
				delete(s.busy, shelf)
			}
			s.mu.Unlock()
		}
	})
}

// settle takes out of the passages of a shelf what stands at the edges of many
// documents, and has its model embed what is left. It does nothing while
// documents wait.
func (l *Library) settle(ctx context.Context, shelf int64) error {
	unread, err := l.Store.Shelves.UnreadOn(ctx, shelf)
	if err != nil || unread > 0 {
		return err
	}
	all, err := l.Store.Shelves.Edges(ctx, shelf)
	if err != nil {
		return err
	}
	settings, err := l.settings(ctx, shelf)
	if err != nil {
		return err
	}
	groups := map[string][]record.Edges{}
	for _, e := range all {
		groups[site(e)] = append(groups[site(e)], e)
	}
	for _, group := range groups {
		if err := l.settleGroup(ctx, group, settings); err != nil {
			return err
		}
	}
	if settings.Embedding != "" && len(all) > 0 {
		l.meanings.embedSoon(shelf) // a model that costs waits until somebody has agreed
	}
	return nil
}

// site tells which documents go together: those of a format that came from one
// host, or in one folder.
func site(e record.Edges) string {
	where, _, _ := strings.Cut(e.Name, "/")
	if where == e.Name {
		where = ""
	}
	if u, err := url.Parse(e.Source); err == nil && u.Host != "" {
		where = u.Host
	}
	return e.Format + " " + where
}

// settleGroup splits those of documents that go together anew of which other
// blocks are to be skipped than are.
func (l *Library) settleGroup(ctx context.Context, group []record.Edges, s Settings) error {
	edges := make([][]passage.Edge, len(group))
	for i, e := range group {
		if err := json.Unmarshal(e.Edges, &edges[i]); err != nil {
			return err
		}
	}
	shares := passage.SharesOf(edges)
	for i, e := range group {
		var skip []int32
		for _, b := range shares.Repeated(edges[i]) {
			skip = append(skip, int32(b))
		}
		if slices.Equal(skip, e.Skipped) {
			continue
		}
		if err := l.splitAnew(ctx, e.Document, skip, s); err != nil {
			return err
		}
	}
	return nil
}

// splitAnew splits a document as it was read, with some of its blocks skipped.
func (l *Library) splitAnew(ctx context.Context, id int64, skip []int32, s Settings) error {
	d, err := l.Store.Shelves.Document(ctx, id)
	if err != nil {
		return nil // removed meanwhile
	}
	packed, err := l.Store.Shelves.Blocks(ctx, id)
	if err != nil || packed == nil {
		return err
	}
	blocks, err := unpack(packed)
	if err != nil {
		return err
	}
	d.LeftOut = slices.DeleteFunc(d.LeftOut, func(o evidence.Omission) bool { return o.Why == evidence.Shared })
	if o := shared(blocks, skip); o.Words > 0 {
		d.LeftOut = append(d.LeftOut, o)
	}
	if len(skip) == len(blocks) {
		return nil // all of it stands elsewhere too: it stays as it is
	}
	if err := l.Store.Shelves.KeepSplit(ctx, d, skip, l.split(ctx, reading.Document{Blocks: blocks}, s,
		skip)); err != nil {
		return err
	}
	l.indexes.apply(ctx, d.Shelf, d.ID)
	return nil
}

// shared tells what is skipped.
func shared(blocks []reading.Block, skip []int32) evidence.Omission {
	o := evidence.Omission{Why: evidence.Shared}
	for _, b := range skip {
		text := blocks[b].Text
		o.Words += reading.Words(text)
		if o.Sample == "" {
			o.Sample = reading.Sample(text)
		}
	}
	return o
}

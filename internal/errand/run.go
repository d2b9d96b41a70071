package errand

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"strings"
	"sync"
	"time"

	"juvalogos/core/deskfile"
	"juvalogos/core/phrase"
	"juvalogos/internal/fair"
	"juvalogos/internal/limits"
	"juvalogos/internal/record"
	"juvalogos/internal/shelf"
	"juvalogos/internal/source"
)

// order is what an errand is run by.
type order struct {
	settings deskfile.File
	address  string // as it was wanted, with what is not put on record
	shelf    string
	document int64
	aside    bool // the conversation does not rest on it
}

// The longest that an errand may take, and how many works of one are fetched at once.
const (
	longestErrand = 10 * time.Minute
	fetchedAtOnce = 3
)

// launch runs an errand in the background.
func (s *Service) launch(p fair.Party, e record.Errand, o order, taken *limits.Reservation) {
	ctx, cancel := context.WithCancelCause(fair.With(s.background, p))
	r := &running{cancel: cancel, over: make(chan struct{})}
	s.mu.Lock()
	s.running[e.ID] = r
	s.mu.Unlock()
	s.all.Go(func() {
		defer func() {
			taken.Done()
			cancel(nil)
			s.mu.Lock()
			delete(s.running, e.ID)
			s.mu.Unlock()
		}()
		limited, end := context.WithTimeout(ctx, longestErrand)
		defer end()
		trip := &trip{Service: s, e: e, order: o, taken: taken}
		trip.run(limited)
		close(r.over)
		s.after(limited, trip)
	})
}

// trip is an errand on its way.
type trip struct {
	*Service
	order
	taken *limits.Reservation

	mu      sync.Mutex
	e       record.Errand
	name    string
	address string // of what was found
}

// run runs the errand to its end, and puts that on record.
func (t *trip) run(ctx context.Context) {
	began := t.Now()
	err := t.bring(ctx)
	t.mu.Lock()
	defer t.mu.Unlock()
	t.e.Seconds += t.Now().Sub(began).Seconds()
	at := t.Now()
	t.e.EndedAt = &at
	switch said := told(err); {
	case t.background.Err() != nil:
		return // the next instance goes on with it
	case errors.Is(context.Cause(ctx), errStopped):
		t.e.State = record.ErrandStopped
	case err == nil && len(t.e.Meanings) > 0:
		t.e.State = record.ErrandChoose
	case err == nil && t.e.Brought == 0:
		t.e.State = record.ErrandFailed
		if len(t.e.Failed) > 0 {
			t.e.Problem = t.e.Failed[0].Problem
		} else {
			t.e.Problem = phrase.Of("nothing was found on “%s”", t.e.Wanted)
		}
	case err == nil:
		t.e.State = record.ErrandReady
	case errors.Is(err, context.DeadlineExceeded):
		t.e.State, t.e.Problem = record.ErrandFailed, phrase.Of("it took longer than %d minutes",
			int(longestErrand.Minutes()))
	case said.IsZero():
		t.Log.Error("an errand failed", "errand", t.e.ID, "error", err)
		t.e.State, t.e.Problem = record.ErrandFailed,
			phrase.Of("something went wrong on our side; try again in a while")
	default:
		t.e.State, t.e.Problem = record.ErrandFailed, said
		if source.Misplaced(err) {
			t.Log.Error("a desk names a place to look that is none", "desk", t.settings.Slug, "source", t.e.Source,
				"error", err)
		}
	}
	// While the database is away the end waits for it: nobody else would bring it.
	for !t.keep(context.WithoutCancel(ctx)) {
		select {
		case <-t.background.Done():
			return
		case <-time.After(time.Second):
		}
	}
}

// told is what of an error is told to the visitor.
func told(err error) phrase.Phrase {
	if said := source.Told(err); !said.IsZero() {
		return said
	}
	var known *phrase.Error
	if errors.As(err, &known) {
		return known.Phrase
	}
	return shelf.Said(err)
}

// keep puts on record how far the errand is. It ends the errand if the visitor has
// stopped it meanwhile, and reports whether it is on record. The caller holds mu.
func (t *trip) keep(ctx context.Context) bool {
	goesOn, err := t.Store.Progress(ctx, t.e, t.Instance)
	if err != nil && ctx.Err() == nil {
		t.Log.Warn("how far an errand is could not be put on record", "errand", t.e.ID, "error", err)
	}
	if err == nil && !goesOn {
		t.cancel(t.e.ID)
	}
	return err == nil
}

// bring brings what is wanted.
func (t *trip) bring(ctx context.Context) error {
	leave, err := t.line.Enter(ctx, nil)
	if err != nil {
		return err
	}
	defer leave()
	if t.e.Kind == record.ByDocument {
		return t.choose(ctx)
	}
	tray, err := t.Shelves.Tray(ctx, t.e.DeskID, nil, t.settings.Bring.Embedding)
	if err != nil {
		return err
	}
	trays := []int64{tray}
	switch own, err := t.Store.OwnTray(ctx, t.e.DeskID, t.e.Visitor); {
	case err == nil:
		trays = append(trays, own)
	case !errors.Is(err, record.ErrNotFound):
		return err
	}
	for _, on := range trays {
		if there, err := t.known(ctx, on); there || err != nil {
			return err
		}
	}
	look, err := t.look(ctx, trays)
	if err != nil {
		return err
	}
	t.mu.Lock()
	t.e.Nearest, t.e.LeftOut, t.e.Total = look.Nearest, look.LeftOut, len(look.Works)
	for _, m := range look.Meanings {
		t.e.Meanings = append(t.e.Meanings, record.Meaning{Title: record.OneLine(m.Title, longestName),
			About: record.OneLine(m.About, longestName)})
	}
	t.keep(ctx)
	t.mu.Unlock()
	return t.bringAll(ctx, tray, look)
}

// choose lets the conversation rest on one of the desk's own documents.
func (t *trip) choose(ctx context.Context) error {
	_, d, err := t.Shelves.One(ctx, t.shelf, t.document)
	if err != nil {
		return err
	}
	if err := t.Shelves.Rest(ctx, t.e.ID, []int64{d.ID}, 0); err != nil {
		return err
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	t.e.Wanted, t.e.Total, t.e.Brought, t.e.Kept = d.Title, 1, 1, 1
	t.name = d.Title
	return nil
}

// wish is what the errand asks for, as it is remembered what that led to.
func (t *trip) wish() string {
	words := strings.Join(strings.Fields(t.e.Wanted), " ")
	if t.e.Kind != record.ByAddress {
		words = strings.ToLower(words)
	}
	sum := sha256.Sum256(fmt.Appendf(nil, "%s %s %d %s", t.e.Kind, t.e.Source, t.e.Most, words))
	return hex.EncodeToString(sum[:])
}

func (t *trip) fresh(at time.Time) bool {
	return t.Now().Sub(at) < time.Duration(t.settings.Bring.FreshHours)*time.Hour
}

// known lets the conversation rest on what the same wish led to before, if all of
// that is there and as good as new.
func (t *trip) known(ctx context.Context, tray int64) (bool, error) {
	led, err := t.Store.LedTo(ctx, tray, t.wish())
	if errors.Is(err, record.ErrNotFound) || err == nil && !t.fresh(led.LookedAt) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	works, err := t.Store.Works(ctx, led.Works)
	if err != nil || len(works) == 0 || len(works) < len(led.Works) {
		return false, err
	}
	for _, w := range works {
		if !t.fresh(w.CheckedAt) {
			return false, nil
		}
	}
	t.mu.Lock()
	t.e.Nearest, t.e.LeftOut, t.e.Total = led.Nearest, led.LeftOut, len(works)
	t.mu.Unlock()
	for i, w := range works {
		documents, err := t.Store.WorkDocuments(ctx, w.ID)
		if err != nil {
			return false, err
		}
		t.arrived(ctx, w, documents, true, i)
	}
	return true, nil
}

// look sees what the wish leads to.
func (t *trip) look(ctx context.Context, trays []int64) (source.Look, error) {
	switch t.e.Kind {
	case record.ByTopic:
		return t.Sources.LookForTopic(ctx, t.e.Source, t.e.Wanted)
	case record.BySearch:
		return t.Sources.LookForPapers(ctx, t.e.Source, t.e.Wanted, t.e.Most)
	}
	return t.Sources.LookAtAddress(ctx, t.order.address, t.e.Most,
		func(address string) (string, time.Time, bool) {
			for _, tray := range trays {
				if w, err := t.Store.Work(ctx, tray, address); err == nil {
					return w.Version, dated(w.Dated), true
				}
			}
			return "", time.Time{}, false
		})
}

func dated(at *time.Time) time.Time {
	if at == nil {
		return time.Time{}
	}
	return *at
}

// bringAll brings the works that a look found, several at once, and remembers what
// the wish led to.
func (t *trip) bringAll(ctx context.Context, tray int64, look source.Look) error {
	var all sync.WaitGroup
	turns := make(chan struct{}, fetchedAtOnce)
	ids := make([]int64, len(look.Works))
	shelves := make([]int64, len(look.Works))
	for i, w := range look.Works {
		select {
		case turns <- struct{}{}:
		case <-ctx.Done():
			all.Wait()
			return context.Cause(ctx)
		}
		all.Go(func() {
			defer func() { <-turns }()
			var err error
			ids[i], shelves[i], err = t.one(ctx, tray, w, i)
			if err != nil && ctx.Err() == nil {
				t.missed(ctx, w.Name, err)
			}
		})
	}
	all.Wait()
	if ctx.Err() != nil {
		return context.Cause(ctx)
	}
	return t.remember(ctx, tray, look, ids, shelves)
}

// remember puts on record what the wish led to, if all of it came and lies on one
// tray.
func (t *trip) remember(ctx context.Context, tray int64, look source.Look, ids, shelves []int64) error {
	if len(ids) == 0 {
		return nil
	}
	on := shelves[0]
	for i, id := range ids {
		if id == 0 || shelves[i] != on {
			return nil
		}
	}
	led := record.LedTo{Works: ids, Nearest: look.Nearest, LeftOut: look.LeftOut, LookedAt: t.Now()}
	return t.Store.KeepLedTo(ctx, on, t.wish(), led)
}

// missed notes a work that did not come.
func (t *trip) missed(ctx context.Context, name string, err error) {
	said := told(err)
	if said.IsZero() {
		t.Log.Warn("a work was not brought", "errand", t.e.ID, "error", err)
		said = phrase.Of("something went wrong on our side; try again in a while")
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	t.e.Failed = append(t.e.Failed, record.NotBrought{Name: record.OneLine(name, longestName), Problem: said})
	t.keep(ctx)
}

// one brings one work: from the tray, if it is there and as it was, else from where
// it is published.
func (t *trip) one(ctx context.Context, tray int64, w source.Work, place int) (id, on int64, err error) {
	w.Name = record.OneLine(w.Name, longestName)
	if len(w.Address) > longestAddress {
		return 0, 0, &phrase.Error{Phrase: phrase.Of("its address is too long")}
	}
	if !strings.HasPrefix(w.Address, "http://") && !strings.HasPrefix(w.Address, "https://") {
		return 0, 0, &phrase.Error{Phrase: phrase.Of("its address is none of the web")}
	}
	w.Address, w.Version = record.OneLine(w.Address, 0), record.OneLine(w.Version, longestName)
	if w.Private || t.e.Private {
		if tray, err = t.Shelves.Tray(ctx, t.e.DeskID, &t.e.Visitor, t.settings.Bring.Embedding); err != nil {
			return 0, 0, err
		}
		t.mu.Lock()
		t.e.Private = true
		t.mu.Unlock()
	}
	there, err := t.Store.Work(ctx, tray, w.Address)
	isThere := err == nil
	if err != nil && !errors.Is(err, record.ErrNotFound) {
		return 0, 0, err
	}
	items := w.Items
	same := isThere && (w.Unchanged || w.Version != "" && w.Version == there.Version ||
		w.Fetch != nil && w.Version == "" && t.fresh(there.CheckedAt))
	if !same && items == nil && w.Fetch != nil {
		select {
		case t.fetches <- struct{}{}:
			defer func() { <-t.fetches }()
		case <-ctx.Done():
			return 0, 0, context.Cause(ctx)
		}
		items, err = w.Fetch(ctx)
		if same = source.IsUnchanged(err) && isThere; err != nil && !same {
			return 0, 0, err
		}
	}
	if same {
		documents, err := t.Store.WorkDocuments(ctx, there.ID)
		if err == nil {
			err = t.Store.Checked(ctx, there.ID, t.Now())
		}
		if err != nil {
			return 0, 0, err
		}
		t.arrived(ctx, there, documents, true, place)
		return there.ID, tray, nil
	}
	kept := record.Work{Shelf: tray, Address: w.Address, Kind: w.Kind, Name: w.Name, Version: w.Version,
		FetchedAt: t.Now()}
	if !w.Dated.IsZero() {
		kept.Dated = &w.Dated
	}
	bytes := 0
	for _, i := range items {
		bytes += len(i.Body)
	}
	t.taken.Take(limits.FetchedBytes, int64(bytes))
	id, documents, err := t.Shelves.KeepWork(ctx, kept, items)
	if err != nil {
		return 0, 0, err
	}
	kept.ID = id
	t.mu.Lock()
	t.e.Bytes += int64(bytes)
	t.mu.Unlock()
	t.arrived(ctx, kept, documents, false, place)
	return id, tray, nil
}

// mostFiles is how many files a work has at most.
const mostFiles = 4

// arrived lets the conversation rest on a work, which stands at a place among those
// of the errand.
func (t *trip) arrived(ctx context.Context, w record.Work, documents []int64, kept bool, place int) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if err := t.Shelves.Rest(ctx, t.e.ID, documents, place*mostFiles); err != nil {
		if ctx.Err() == nil {
			t.Log.Warn("a conversation does not rest on what was brought", "errand", t.e.ID, "error", err)
			t.e.Failed = append(t.e.Failed, record.NotBrought{Name: w.Name,
				Problem: phrase.Of("something went wrong on our side; try again in a while")})
		}
		return
	}
	t.e.Brought++
	if kept {
		t.e.Kept++
	}
	if t.name == "" {
		t.name, t.address = w.Name, w.Address
	}
	t.keep(ctx)
}

// after does what is left once an errand is over: what was brought is counted, and
// embedded if the desk says so.
func (s *Service) after(ctx context.Context, t *trip) {
	t.mu.Lock()
	e, name := t.e, t.name
	t.mu.Unlock()
	if e.State == record.ErrandRunning || e.State == record.ErrandChoose {
		return
	}
	s.bound(ctx, t)
	if model := t.settings.Bring.Embedding; model != "" && e.Brought > 0 && e.Kind != record.ByDocument {
		s.embed(ctx, e, model, false)
	}
	if e.Private {
		return
	}
	if e.Kind == record.BySearch || name == "" {
		name = strings.Join(strings.Fields(e.Wanted), " ")
		if e.Kind != record.ByAddress {
			name = strings.ToLower(name)
		}
	}
	name = record.OneLine(name, longestName)
	if err := s.Store.Count(context.WithoutCancel(ctx), e, name, t.address); err != nil {
		s.Log.Warn("what was wanted could not be counted", "error", err)
	}
}

// bound takes out again what is too much for one conversation, once it is known how
// many words it has, and says so.
func (s *Service) bound(ctx context.Context, t *trip) {
	e, err := s.read(ctx, t.e)
	if err != nil {
		return
	}
	all, err := s.Store.InConversation(ctx, e.Conversation, e.Visitor)
	if err != nil {
		return
	}
	words := 0
	for _, other := range all {
		for _, d := range other.Documents {
			if other.ID != e.ID {
				words += d.Words
			}
		}
	}
	var out []int64
	for _, d := range e.Documents {
		if words += d.Words; words > shelf.MostWords {
			out = append(out, d.ID)
			e.Failed = append(e.Failed, record.NotBrought{Name: d.Title,
				Problem: phrase.Of("the documents of this conversation would have %d words together; up to %d are "+
					"read", words,
					shelf.MostWords)})
			words -= d.Words
		}
	}
	if out == nil {
		return
	}
	if err := s.Store.Unrest(ctx, e.ID, out); err != nil {
		s.Log.Warn("a conversation rests on more than it may", "errand", e.ID, "error", err)
		return
	}
	if _, err := s.Store.Progress(ctx, e, s.Instance); err != nil {
		s.Log.Warn("what was too much could not be put on record", "errand", e.ID, "error", err)
	}
	s.Shelves.Refresh(ctx, out)
}

// embed has a model embed what an errand brought, once it is read. One with a price
// does so only if that was agreed to.
func (s *Service) embed(ctx context.Context, e record.Errand, model string, agreed bool) {
	e, err := s.read(ctx, e)
	if err != nil {
		return
	}
	for tray, documents := range byTray(e) {
		estimate, err := s.Shelves.EstimateFor(ctx, tray, model, documents)
		if err == nil && (estimate.Tokens == 0 || estimate.Priced && !agreed) {
			continue
		}
		tokens, cost := 0, 0.0
		if err == nil {
			tokens, cost, err = s.Shelves.EmbedFor(ctx, tray, model, documents)
		}
		if tokens > 0 {
			if err := s.Store.Embedded(context.WithoutCancel(ctx), e.ID, tokens, cost); err != nil {
				s.Log.Warn("what embedding cost could not be put on record", "error", err)
			}
		}
		if err != nil && ctx.Err() == nil {
			s.Log.Warn("what was brought is not embedded; it is found by the built-in vectors", "model", model, "error",
				shelf.Advice(err))
		}
	}
}

// read waits until what an errand brought is read, or cannot be.
func (s *Service) read(ctx context.Context, e record.Errand) (record.Errand, error) {
	for {
		now, err := s.Store.Errand(ctx, e.ID, e.Visitor)
		if err != nil || !Reads(now) {
			return now, err
		}
		select {
		case <-ctx.Done():
			return now, context.Cause(ctx)
		case <-time.After(100 * time.Millisecond):
		}
	}
}

// Reads reports whether something of what an errand brought is still being read.
func Reads(e record.Errand) bool {
	for _, d := range e.Documents {
		if d.State == record.Waiting || d.State == record.Reading {
			return true
		}
	}
	return false
}

// resumeEvery is how often errands are looked for that another instance left.
const resumeEvery = 10 * time.Second

// rounds goes on with errands that another instance left, from the start on, and
// once in a while clears the trays.
func (s *Service) rounds() {
	for n := 0; ; n++ {
		s.resume(s.background)
		if n%360 == 1 {
			s.purge(s.background)
		}
		select {
		case <-s.background.Done():
			return
		case <-time.After(resumeEvery):
		}
	}
}

func (s *Service) resume(ctx context.Context) {
	left, err := s.Store.Orphans(ctx)
	if err != nil && ctx.Err() == nil {
		s.Log.Warn("errands that were left could not be looked for", "error", err)
	}
	for _, e := range left {
		claimed, err := s.Store.Claim(ctx, e.ID, s.Instance)
		if err != nil || !claimed {
			continue
		}
		slug, err := s.Desks.SlugOf(ctx, e.DeskID)
		if err != nil {
			continue
		}
		d, err := s.Desks.Open(ctx, slug)
		if err != nil || e.Kind == record.ByDocument {
			_ = s.Store.Stop(ctx, e.ID, e.Visitor, s.Now())
			continue
		}
		e.Brought, e.Kept, e.Failed, e.Total = 0, 0, nil, 0
		s.launch(fair.Party{Visitor: string(e.Visitor[:])}, e, order{settings: d.Settings, address: e.Wanted}, nil)
	}
}

// keptFor is for how long what nobody asks for stays on a tray.
const keptFor = 60 * 24 * time.Hour

func (s *Service) purge(ctx context.Context) {
	gone, err := s.Store.Purge(ctx, s.Now().Add(-keptFor))
	if err != nil && ctx.Err() == nil {
		s.Log.Warn("the trays could not be cleared", "error", err)
	}
	if gone > 0 {
		s.Log.Info("taken off the trays, since nobody asked for it", "documents", gone)
	}
}

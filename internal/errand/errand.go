// Package errand brings what visitors want to read: an address, an encyclopedia's
// article on a topic, papers that a search finds, one document of a desk's shelves.
// An errand belongs to a conversation and is on record from its beginning, so that
// a page comes back to it and another instance goes on with it. What it brings is
// kept on the desk's tray (internal/shelf): a work is fetched and read once, by its
// own address, and the conversations rest on it.
//
//	e, err := errands.Begin(ctx, errand.Wish{Slug: "reference", Conversation: id, Visitor: who,
//		Kind: record.ByTopic, Source: "https://encyclopedia.example.org/w/api.php", Wanted: "ling honey"})
package errand

import (
	"context"
	"errors"
	"log/slog"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"github.com/google/uuid"

	"juvalogos/core/deskfile"
	"juvalogos/internal/desk"
	"juvalogos/internal/fair"
	"juvalogos/internal/fault"
	"juvalogos/internal/limits"
	"juvalogos/internal/record"
	"juvalogos/internal/shelf"
	"juvalogos/internal/source"
	"juvalogos/internal/store"
)

// Options are what a Service of errands is made of.
type Options struct {
	Store   *store.Errands
	Desks   *desk.Service
	Shelves *shelf.Library
	// Sources are where visitors may look; nil: nothing is fetched for them.
	Sources  *source.Sources
	Limits   *limits.Table
	Log      *slog.Logger
	Instance int32
	Now      func() time.Time // nil: time.Now
}

// Service runs errands. It is safe for concurrent use. Errors are *fault.Problem, a
// sentence for the visitor, *shelf.Problem or *limits.Exceeded.
type Service struct {
	Options
	background context.Context
	stop       context.CancelFunc
	all        sync.WaitGroup
	line       *fair.Line
	fetches    chan struct{} // works that are fetched, and in memory, at once

	mu      sync.Mutex
	running map[uuid.UUID]*running
}

// running is an errand that runs here.
type running struct {
	cancel context.CancelCauseFunc
	over   chan struct{}
}

// How many errands run at once, of all and of one visitor or address.
const (
	mostAtOnce = 8
	eachAtOnce = 3
	// mostFetches is how many works of all errands are fetched at once.
	mostFetches = 8
)

// mostTogether is how many errands a conversation may rest on.
const mostTogether = 12

// The longest that is looked for, in characters, and the longest address, in bytes.
const (
	longestWish    = 300
	longestAddress = 2000
	longestName    = 300
)

// soon is how long whoever begins an errand waits for its end before they are told
// how far it is: what is there already is there at once.
const soon = 400 * time.Millisecond

var errStopped = errors.New("stopped by the visitor")

// New returns a service of errands, which goes on with those that another instance
// left.
func New(o Options) *Service {
	if o.Now == nil {
		o.Now = time.Now
	}
	s := &Service{Options: o, line: fair.NewLine(mostAtOnce), running: map[uuid.UUID]*running{},
		fetches: make(chan struct{}, mostFetches)}
	s.line.Each(eachAtOnce, eachAtOnce)
	s.background, s.stop = context.WithCancel(context.Background())
	s.all.Go(s.rounds)
	return s
}

// Close stops the errands that run here; the next instance goes on with them.
func (s *Service) Close() {
	s.stop()
	s.all.Wait()
}

// Wish is what a visitor wants brought.
type Wish struct {
	Slug         string
	Conversation uuid.UUID // zero: one that is to begin
	Visitor      record.Visitor
	Kind         record.ErrandKind // "": what the words look like
	Source       string            // the title of one of the desk's; "": the first of the kind
	Wanted       string            // an address, a topic, a search
	Shelf        string            // of a document
	Document     int64
}

// Begin begins an errand and returns how far it is: done, if what is wanted is there
// already.
func (s *Service) Begin(ctx context.Context, w Wish) (record.Errand, error) {
	d, err := s.Desks.Open(ctx, w.Slug)
	if err != nil {
		return record.Errand{}, fault.Logged(s.Log, "bring", err)
	}
	if s.Shelves == nil {
		return record.Errand{}, fault.Say(fault.NotOffered, "This service fetches nothing for visitors.")
	}
	e, err := s.errandOf(d.Settings, &w)
	if err != nil {
		return e, err
	}
	e.Conversation, e.Visitor = w.Conversation, w.Visitor
	if e.Conversation == uuid.Nil {
		e.Conversation = uuid.Must(uuid.NewV7())
	}
	there, err := s.Store.InConversation(ctx, e.Conversation, e.Visitor)
	if err != nil {
		return e, fault.Logged(s.Log, "bring", fault.New(fault.NoRecords, err))
	}
	if len(there) >= mostTogether {
		return e,
			fault.Say(fault.Invalid, "This conversation is about %d things already. Put one away first, or begin "+
				"another conversation.", mostTogether)
	}
	if e, err = s.begin(ctx, d, e, order{shelf: w.Shelf, document: w.Document}); err != nil {
		return e, err
	}
	return s.Wait(ctx, e, soon)
}

// begin puts an errand of a visitor in a conversation on record, and launches it.
func (s *Service) begin(ctx context.Context, d *desk.Desk, e record.Errand, o order) (record.Errand, error) {
	e.ID, e.DeskID, e.State, e.MadeAt = uuid.Must(uuid.NewV7()), d.DeskID, record.ErrandRunning, s.Now()
	taken, err := s.Limits.Reserve(ctx, d.Slug,
		limits.Amounts{limits.Errands: 1, limits.ErrandsAtOnce: 1, limits.FetchedBytes: 0})
	if err != nil {
		return e, err
	}
	if err := s.Shelves.Own(ctx, e.Conversation, e.Visitor, d.DeskID, d.Settings.Bring.Embedding); err != nil {
		taken.Undo()
		return e, err
	}
	o.settings, o.address = d.Settings, hideSecret(&e)
	if o.aside {
		e.PutAwayAt = &e.MadeAt
	}
	if err := s.Store.Begin(ctx, e, s.Instance); err != nil {
		taken.Undo()
		return e, fault.Logged(s.Log, "bring", fault.New(fault.NoRecords, err))
	}
	s.launch(fair.Of(ctx), e, o, taken)
	return e, nil
}

// hideSecret takes a name and a password out of an address that is wanted, and
// returns it as it was.
func hideSecret(e *record.Errand) (whole string) {
	if e.Kind != record.ByAddress {
		return e.Wanted
	}
	whole = e.Wanted
	u, err := url.Parse(whole)
	if err != nil {
		return whole
	}
	e.Private = u.User != nil || u.RawQuery != ""
	if u.User != nil {
		u.User = nil
		e.Wanted = u.String()
	}
	return whole
}

// errandOf is what a wish means at a desk; or why it is not brought.
func (s *Service) errandOf(f deskfile.File, w *Wish) (e record.Errand, err error) {
	b := f.Bring
	w.Wanted = record.OneLine(w.Wanted, 0)
	if w.Kind == "" {
		w.Kind = guess(b, w.Wanted)
	}
	if w.Kind == record.ByDocument {
		if !b.Documents || !slices.Contains(f.Shelves, w.Shelf) {
			return e, fault.Say(fault.NotOffered, "At this desk no single document can be chosen.")
		}
		return record.Errand{Kind: w.Kind, Most: 1}, nil
	}
	if w.Wanted == "" {
		return e, fault.Say(fault.Invalid, "Write an address or a topic first.")
	}
	if utf8.RuneCountInString(w.Wanted) > longestWish && w.Kind != record.ByAddress {
		return e, fault.Say(fault.Invalid, "This is too long for an address or a topic.")
	}
	if s.Sources == nil {
		return e, fault.Say(fault.NotOffered, "This service fetches nothing for visitors.")
	}
	e = record.Errand{Kind: w.Kind, Wanted: w.Wanted, Most: b.Most}
	kind := ""
	switch w.Kind {
	case record.ByAddress:
		if !b.Addresses {
			return e, fault.Say(fault.NotOffered, "At this desk no addresses can be read.")
		}
		if len(e.Wanted) > longestAddress {
			return e, fault.Say(fault.Invalid, "This is too long for an address or a topic.")
		}
		if !strings.Contains(e.Wanted, "://") {
			e.Wanted = "https://" + e.Wanted
		}
		return e, nil
	case record.ByTopic:
		kind = deskfile.Encyclopedia
	case record.BySearch:
		kind = deskfile.Papers
	default:
		return e, fault.Say(fault.Invalid, "The kind is one of: %s.", "address, topic, search, document")
	}
	for _, from := range b.Sources {
		if from.Kind == kind && (w.Source == "" || w.Source == from.Title) {
			e.Source = from.Address
			return e, nil
		}
	}
	return e, fault.Say(fault.NotOffered, "At this desk that cannot be looked for.")
}

// guess is what words look like: an address, or what the desk's first source is for.
func guess(b deskfile.Bring, wanted string) record.ErrandKind {
	if looksLikeAddress(wanted) || len(b.Sources) == 0 {
		return record.ByAddress
	}
	if b.Sources[0].Kind == deskfile.Papers {
		return record.BySearch
	}
	return record.ByTopic
}

// looksLikeAddress reports whether words are an address rather than a topic.
func looksLikeAddress(wanted string) bool {
	if strings.ContainsAny(wanted, " \t\n") {
		return false
	}
	if strings.HasPrefix(wanted, "http://") || strings.HasPrefix(wanted, "https://") {
		return true
	}
	host, _, _ := strings.Cut(wanted, "/")
	dot := strings.LastIndexByte(host, '.')
	return dot > 0 && dot < len(host)-2 && !strings.HasSuffix(host, ".")
}

// Wait waits for the end of an errand, so long at most, and returns how far it is.
func (s *Service) Wait(ctx context.Context, e record.Errand, most time.Duration) (record.Errand, error) {
	s.mu.Lock()
	r := s.running[e.ID]
	s.mu.Unlock()
	if r != nil {
		select {
		case <-r.over:
		case <-time.After(most):
		case <-ctx.Done():
		}
	}
	return s.Errand(ctx, e.ID, e.Visitor)
}

// Errand returns one of a visitor's errands.
func (s *Service) Errand(ctx context.Context, id uuid.UUID, visitor record.Visitor) (record.Errand, error) {
	e, err := s.Store.Errand(ctx, id, visitor)
	if errors.Is(err, record.ErrNotFound) {
		return e, fault.Say(fault.NotHere, "There is no such thing to read. It may belong to another browser.")
	}
	if err != nil {
		return e, fault.Logged(s.Log, "show an errand", fault.New(fault.NoRecords, err))
	}
	return e, nil
}

// List returns what a conversation of a visitor's rests on, in its order.
func (s *Service) List(ctx context.Context, conversation uuid.UUID, visitor record.Visitor) ([]record.Errand, error) {
	all, err := s.Store.InConversation(ctx, conversation, visitor)
	if err != nil {
		return nil, fault.Logged(s.Log, "list errands", fault.New(fault.NoRecords, err))
	}
	return all, nil
}

// Choose goes on with one of an errand's meanings, or tries one again that failed if
// title is empty.
func (s *Service) Choose(ctx context.Context, slug string, id uuid.UUID, visitor record.Visitor,
	title string) (record.Errand, error) {
	e, err := s.Errand(ctx, id, visitor)
	if err != nil {
		return e, err
	}
	d, err := s.Desks.Open(ctx, slug)
	if err != nil {
		return e, fault.Logged(s.Log, "bring", err)
	}
	if d.DeskID != e.DeskID {
		return e, fault.Plain(fault.NoDesk)
	}
	title = strings.TrimSpace(title)
	if title == "" {
		title = e.Wanted
	} else if !slices.ContainsFunc(e.Meanings, func(m record.Meaning) bool { return m.Title == title }) {
		return e, fault.Say(fault.Invalid, "“%s” is none of its meanings.", title)
	}
	if e.Kind == record.ByDocument || e.State == record.ErrandRunning {
		return e, nil
	}
	if _, err := s.errandOf(d.Settings, &Wish{Kind: e.Kind, Wanted: title}); err != nil {
		return e, err // the desk does not offer it any more
	}
	taken, err := s.Limits.Reserve(ctx, d.Slug,
		limits.Amounts{limits.Errands: 1, limits.ErrandsAtOnce: 1, limits.FetchedBytes: 0})
	if err != nil {
		return e, err
	}
	if err := s.Store.Again(ctx, id, title, s.Instance); err != nil {
		taken.Undo()
		if errors.Is(err, record.ErrNotFound) { // it runs already
			return s.Wait(ctx, e, soon)
		}
		return e, fault.Logged(s.Log, "bring", fault.New(fault.NoRecords, err))
	}
	e, err = s.Errand(ctx, id, visitor)
	if err != nil {
		taken.Undo()
		return e, err
	}
	s.launch(fair.Of(ctx), e, order{settings: d.Settings, address: e.Wanted}, taken)
	return s.Wait(ctx, e, soon)
}

// Stop ends an errand on its way; what came stays.
func (s *Service) Stop(ctx context.Context, id uuid.UUID, visitor record.Visitor) error {
	if _, err := s.Errand(ctx, id, visitor); err != nil {
		return err
	}
	if err := s.Store.Stop(ctx, id, visitor, s.Now()); err != nil {
		return fault.Logged(s.Log, "stop an errand", fault.New(fault.NoRecords, err))
	}
	s.cancel(id)
	return nil
}

func (s *Service) cancel(id uuid.UUID) {
	s.mu.Lock()
	r := s.running[id]
	s.mu.Unlock()
	if r != nil {
		r.cancel(errStopped)
	}
}

// PutAway takes what an errand brought out of its conversation; back brings it
// back.
func (s *Service) PutAway(ctx context.Context, id uuid.UUID, visitor record.Visitor, back bool) error {
	e, err := s.Errand(ctx, id, visitor)
	if err != nil {
		return err
	}
	if err := s.Shelves.PutAway(ctx, e, back); err != nil {
		return fault.Logged(s.Log, "put something away", fault.New(fault.NoRecords, err))
	}
	if !back {
		s.cancel(id)
	}
	return nil
}

// Agree has what an errand brought embedded by the desk's priced model; whoever
// agrees has seen the estimate.
func (s *Service) Agree(ctx context.Context, slug string, id uuid.UUID, visitor record.Visitor) error {
	e, err := s.Errand(ctx, id, visitor)
	if err != nil {
		return err
	}
	d, err := s.Desks.Open(ctx, slug)
	if err != nil {
		return fault.Logged(s.Log, "embed", err)
	}
	if d.DeskID != e.DeskID {
		return fault.Plain(fault.NoDesk)
	}
	s.all.Go(func() { s.embed(s.background, e, d.Settings.Bring.Embedding, true) })
	return nil
}

// Estimate is what embedding what an errand brought would take; nothing where no
// model with a price is to.
func (s *Service) Estimate(ctx context.Context, slug string, e record.Errand) (shelf.Estimate, error) {
	f, err := s.Desks.Face(ctx, slug)
	if err != nil || f.Bring.Embedding == "" || e.Kind == record.ByDocument || e.State == record.ErrandRunning {
		return shelf.Estimate{}, err
	}
	var sum shelf.Estimate
	for tray, documents := range byTray(e) {
		one, err := s.Shelves.EstimateFor(ctx, tray, f.Bring.Embedding, documents)
		if err != nil || !one.Priced {
			return shelf.Estimate{}, nil // it goes without
		}
		sum.Model, sum.Priced = one.Model, true
		sum.Tokens, sum.Cost = sum.Tokens+one.Tokens, sum.Cost+one.Cost
	}
	return sum, nil
}

// byTray are the documents of an errand that are read, by the trays that they lie on.
func byTray(e record.Errand) map[int64][]int64 {
	all := map[int64][]int64{}
	for _, d := range e.Documents {
		if d.State == record.Ready {
			all[d.Shelf] = append(all[d.Shelf], d.ID)
		}
	}
	return all
}

// Package standing keeps replies current: a desk file says what is asked, and it is asked anew
// when what the reply is made of has changed. Visitors read the newest, with what is new in it
// beside the one before. Sections that have not changed are kept and cost nothing.
//
//	s := standing.New(standing.Options{Store: store.Standing, Desks: desks, Replies: replies, ...})
//	defer s.Close()
//
// Unless a method says otherwise it fails with *fault.Problem, whose sentence may be shown to
// whoever asked.
package standing

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"log/slog"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"

	"juvalogos/core/deskfile"
	"juvalogos/core/evidence"
	"juvalogos/core/phrase"
	"juvalogos/internal/desk"
	"juvalogos/internal/errand"
	"juvalogos/internal/fair"
	"juvalogos/internal/fault"
	"juvalogos/internal/record"
	"juvalogos/internal/reply"
	"juvalogos/internal/store"
)

// Options are what a Service of standing replies is made of.
type Options struct {
	Store    *store.Standing
	Shelves  *store.Shelves // nil: there are none, and nothing is kept current
	Desks    *desk.Service
	Replies  *reply.Service
	Errands  *errand.Service
	Log      *slog.Logger
	Instance int32
	Now      func() time.Time // nil: time.Now
	// Every is how often it is looked whether one is due; 0: 30 seconds.
	Every time.Duration
}

// Service keeps replies current. It is safe for concurrent use.
type Service struct {
	Options
	background context.Context
	stop       context.CancelFunc
	all        sync.WaitGroup
}

// New returns a service that has begun to look after what desks keep current.
func New(o Options) *Service {
	if o.Now == nil {
		o.Now = time.Now
	}
	if o.Every == 0 {
		o.Every = 30 * time.Second
	}
	s := &Service{Options: o}
	// It is nobody's question: only the models' lines bound it.
	s.background, s.stop = context.WithCancel(fair.With(context.Background(), fair.Party{}))
	if o.Shelves != nil {
		s.all.Go(s.rounds)
	}
	return s
}

// Close ends what is being made; it is made anew when a service runs again.
func (s *Service) Close() {
	s.stop()
	s.all.Wait()
}

func (s *Service) rounds() {
	for {
		s.Look(s.background)
		select {
		case <-s.background.Done():
			return
		case <-time.After(s.Every):
		}
	}
}

// Look makes anew what is due, one after the other, and returns when that is done.
func (s *Service) Look(ctx context.Context) {
	desks, err := s.Desks.Desks(ctx)
	if err != nil {
		if ctx.Err() == nil {
			s.Log.Warn("what desks keep current could not be looked at", "error", err)
		}
		return
	}
	keep := []int64{}
	for _, d := range desks {
		if d.Published == 0 || !strings.Contains(d.File, "standing") {
			continue
		}
		f, err := deskfile.Read(d.Slug, []byte(d.File))
		if err != nil {
			keep = append(keep, d.DeskID)
			continue // its page says so
		}
		keep = append(keep, d.DeskID)
		titles := make([]string, 0, len(f.Standing))
		for _, one := range f.Standing {
			titles = append(titles, one.Title)
			s.look(ctx, d.DeskID, f, one)
		}
		if err := s.Store.Drop(ctx, d.DeskID, titles); err != nil && ctx.Err() == nil {
			s.Log.Warn("what a desk keeps current no more could not be removed", "desk", d.Slug, "error", err)
		}
	}
	if err := s.Store.DropOthers(ctx, keep); err != nil && ctx.Err() == nil {
		s.Log.Warn("what desks keep current no more could not be removed", "error", err)
	}
}

// look makes one anew if it is due and has changed.
func (s *Service) look(ctx context.Context, id int64, f deskfile.File, one deskfile.Standing) {
	plain, err := json.Marshal([]any{one.Ask, one.Inputs, one.Address, f.Shelves, f.Recipe, f.RecipeSettings})
	if err != nil {
		return // cannot happen: texts marshal
	}
	asked := hashOf(string(plain))
	since := s.Now().Add(-time.Duration(one.Hours) * time.Hour)
	r, err := s.Store.Claim(ctx, id, one.Title, asked, since, s.Instance)
	if errors.Is(err, record.ErrNotFound) {
		return // not due, or looked after elsewhere
	}
	if err == nil {
		changed := r.Asked != asked || r.MadeAt == nil
		r.Asked, r.LookedAt = asked, new(s.Now())
		err = s.renew(ctx, f, one, r, changed)
	}
	if err == nil || ctx.Err() != nil {
		return // done, or left to the next instance
	}
	s.Log.Warn("what a desk keeps current could not be made anew", "desk", f.Slug, "title", one.Title, "error", err)
	r.Problem = fault.Told(err)
	if err := s.Store.Looked(ctx, r); err != nil && ctx.Err() == nil {
		s.Log.Warn("what a desk keeps current could not be put on record", "desk", f.Slug, "error", err)
	}
}

// errNotYet is that documents are still being read: it is looked again soon.
var errNotYet = fault.Say(fault.Invalid, "Documents are still being read; it is made when they are.")

// renew finds out what there is, and asks if that has changed.
func (s *Service) renew(ctx context.Context, f deskfile.File, one deskfile.Standing, r record.Standing,
	changed bool) error {
	conversation, documents, err := s.material(ctx, f, one)
	if errors.Is(err, errNotYet) {
		// Looked at anew in the next round, whatever the hours.
		r.LookedAt, r.Asked, r.Problem = nil, "", errNotYet.Sentence
		return s.Store.Looked(ctx, r)
	}
	if err != nil {
		return err
	}
	content := contentOf(documents)
	if !changed && content == r.Content {
		r.Problem = phrase.Phrase{}
		return s.Store.Looked(ctx, r)
	}
	made, err := s.ask(ctx, f.Slug, one, conversation)
	if err != nil {
		return err
	}
	first := r.MadeAt == nil
	sections, keys := sectionsOf(made)
	news := newsOf(r, documents, sections, keys)
	if first {
		news = record.News{}
	}
	r.MadeAt, r.Content, r.Documents, r.Sections, r.News = r.LookedAt, content, documents, keys, news
	r.Conversation, r.Turn = &made.Conversation, &made.Turn
	if r.Share == "" {
		r.Share = strings.ToLower(rand.Text())
	}
	return s.Store.Keep(ctx, r)
}

// asks is the visitor as which a desk's standing reply is asked for: nobody can be it.
func asks(slug, title string) (v record.Visitor) {
	sum := sha256.Sum256([]byte("standing/" + slug + "/" + title))
	copy(v[:], sum[:])
	return v
}

// material is what the reply is made of: the documents of the shelves, or what is at an address,
// brought into a conversation.
func (s *Service) material(ctx context.Context, f deskfile.File, one deskfile.Standing) (uuid.UUID,
	[]record.StandingDocument, error) {
	if one.Address == "" {
		documents, unread, err := s.Shelves.OnShelves(ctx, f.Shelves)
		if err == nil && unread {
			err = errNotYet
		}
		if err == nil && len(documents) == 0 {
			err = fault.Say(fault.Invalid, "There is nothing on the desk's shelves yet.")
		}
		return uuid.Nil, documents, err
	}
	if s.Errands == nil {
		return uuid.Nil, nil, fault.Say(fault.NotOffered, "This service fetches nothing for visitors.")
	}
	e, err := s.Errands.Begin(ctx, errand.Wish{Slug: f.Slug, Visitor: asks(f.Slug, one.Title), Kind: record.ByAddress,
		Wanted: one.Address})
	if err == nil {
		e, err = s.Errands.Wait(ctx, e, longestFetch)
	}
	switch {
	case err != nil:
		return e.Conversation, nil, err
	case e.State != record.ErrandReady:
		return e.Conversation, nil, &fault.Problem{Code: fault.Invalid, Sentence: e.Problem}
	}
	var documents []record.StandingDocument
	for _, d := range e.Documents {
		if d.State == record.Waiting || d.State == record.Reading {
			return e.Conversation, nil, errNotYet
		}
		documents = append(documents, record.StandingDocument{Title: d.WorkName, Hash: hex.EncodeToString(d.Hash)})
	}
	return e.Conversation, documents, nil
}

// longestFetch is how long something may take that is brought.
const longestFetch = 10 * time.Minute

func (s *Service) ask(ctx context.Context, slug string, one deskfile.Standing, conversation uuid.UUID) (*reply.Reply,
	error) {
	who := asks(slug, one.Title)
	r, err := s.Replies.Ask(context.WithoutCancel(ctx), reply.Question{Slug: slug, Conversation: conversation,
		Visitor: who,
		Channel: "standing", Text: one.Ask, Inputs: one.Inputs})
	if err != nil {
		return nil, err
	}
	if err := r.Wait(ctx); err != nil {
		_ = s.Replies.Stop(context.WithoutCancel(ctx), who, r.Turn)
		return nil, err
	}
	if end := r.Since(0, nil).End; end.State != record.Done {
		return nil, &fault.Problem{Code: end.Problem, Sentence: fault.Sentence(end.Problem)}
	}
	return r, nil
}

// sectionsOf are the sections that a reply has an outline of, in short, and a hash of each.
func sectionsOf(r *reply.Reply) (sections []evidence.Section, keys []string) {
	keys = []string{}
	for _, p := range r.Since(0, nil).End.Parts {
		if o, is := p.Value.(evidence.Outline); is {
			sections = append(sections, o.Sections...)
		}
	}
	for _, one := range sections {
		keys = append(keys, hashOf(one.Passage.Title+"\n"+one.Passage.Path.String()+"\n"+one.Text))
	}
	return sections, keys
}

// mostNews is how many sections are told as new.
const mostNews = 12

// newsOf is what is new beside a reply before.
func newsOf(before record.Standing, documents []record.StandingDocument, sections []evidence.Section,
	keys []string) (n record.News) {
	was, is := map[string]string{}, map[string]bool{}
	for _, d := range before.Documents {
		was[d.Title] = d.Hash
	}
	for _, d := range documents {
		is[d.Title] = true
		switch hash, there := was[d.Title]; {
		case !there:
			n.Came = append(n.Came, d.Title)
		case hash != d.Hash:
			n.Changed = append(n.Changed, d.Title)
		}
	}
	for _, d := range before.Documents {
		if !is[d.Title] {
			n.Went = append(n.Went, d.Title)
		}
	}
	known := map[string]bool{}
	for _, k := range before.Sections {
		known[k] = true
	}
	for i, one := range sections {
		if known[keys[i]] || one.Text == "" {
			continue
		}
		if len(n.Sections) == mostNews {
			n.More++
			continue
		}
		n.Sections = append(n.Sections, record.NewsSection{Title: one.Passage.Title, Place: placeOf(one.Passage),
			Text: one.Text})
	}
	return n
}

// placeOf is the heading of a section, or where it stands.
func placeOf(p evidence.Passage) string {
	if len(p.Path) > 0 && p.Path[len(p.Path)-1] != p.Title {
		return p.Path[len(p.Path)-1]
	}
	return ""
}

func contentOf(documents []record.StandingDocument) string {
	var all strings.Builder
	for _, d := range documents {
		all.WriteString(d.Title + "\n" + d.Hash + "\n")
	}
	return hashOf(all.String())
}

func hashOf(text string) string {
	sum := sha256.Sum256([]byte(text))
	return hex.EncodeToString(sum[:12])
}

// Kept are the standing replies of a desk that visitors may read, in the order of its file; those
// that were never made are among them, without a link.
func (s *Service) Kept(ctx context.Context, slug string) ([]record.Standing, error) {
	d, err := s.Desks.Current(ctx, slug)
	if err != nil {
		return nil, err
	}
	f, err := deskfile.Read(slug, []byte(d.File))
	if err != nil || len(f.Standing) == 0 {
		return []record.Standing{}, nil
	}
	all, err := s.Store.Standing(ctx, d.DeskID)
	if err != nil {
		return nil, fault.Logged(s.Log, "list standing replies", fault.New(fault.NoRecords, err))
	}
	kept := make([]record.Standing, 0, len(f.Standing))
	for _, one := range f.Standing {
		r := record.Standing{DeskID: d.DeskID, Title: one.Title}
		for _, there := range all {
			if there.Title == one.Title {
				r = there
			}
		}
		kept = append(kept, r)
	}
	return kept, nil
}

// LookNow has the standing replies of a desk looked at now, and returns when those are made that
// have changed, or ctx ends.
func (s *Service) LookNow(ctx context.Context, slug string) ([]record.Standing, error) {
	d, err := s.Desks.Current(ctx, slug)
	if err != nil {
		return nil, err
	}
	if err := s.Store.Due(ctx, d.DeskID); err != nil {
		return nil, fault.Logged(s.Log, "look at standing replies", fault.New(fault.NoRecords, err))
	}
	s.Look(fair.With(ctx, fair.Party{}))
	return s.Kept(ctx, slug)
}

// Shared is the standing reply whose link ends so; nil: none does.
func (s *Service) Shared(ctx context.Context, share string) (*record.Standing, error) {
	r, err := s.Store.Shared(ctx, share)
	if errors.Is(err, record.ErrNotFound) {
		return nil, nil
	}
	if err != nil {
		return nil, fault.Logged(s.Log, "read a standing reply", fault.New(fault.NoRecords, err))
	}
	return &r, nil
}

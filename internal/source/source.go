// Package source brings documents from where they are published: a page or a
// file, the pages of a sitemap, the captions of a recorded talk, an
// encyclopedia's article, papers that a search finds. It fetches and names them;
// what becomes of each is for whoever takes it.
//
//	s := source.New(reach.New(reach.Public{}, most, limit))
//	err := s.Address(ctx, "https://example.org/sitemap.xml", func(i source.Item) error {
//		fmt.Println(i.Name, len(i.Body), i.Problem)
//		return nil
//	})
//
// Makers have all brought at once; for visitors a look says first what would be
// brought (looks.go). Another source is one file here, and its line in
// web/shelves.go and in package errand.
package source

import (
	"context"
	"errors"
	"net/http"
	"sync"
	"time"

	"juvalogos/core/phrase"
	"juvalogos/internal/reach"
)

// Item is a document that was brought, or what became of one that was not.
type Item struct {
	Name    string // what its file is called, folders before it
	Address string // where it is published
	Body    []byte
	Problem phrase.Phrase // why it was not brought; then there is no body
}

// Take gets the items one after the other; its error ends the bringing.
type Take func(Item) error

// Mistake is the error of whoever asked; it says what to do.
type Mistake struct {
	What phrase.Phrase
	// Setup: it is the maker's, who named the place to look.
	Setup bool
}

func (m *Mistake) Error() string { return m.What.String() }

func wrong(form string, values ...any) error { return &Mistake{What: phrase.Of(form, values...)} }

// misplaced is the error of a place that is none to look in.
func misplaced(form string, values ...any) error {
	return &Mistake{What: phrase.Of(form, values...), Setup: true}
}

// Sources brings documents. It is safe for concurrent use. Its errors are
// *Mistake, the context's cause, or what Take returned.
type Sources struct {
	client *reach.Client
	guest  *reach.Guest // where visitors ask; nil: makers do
	// where interfaces are, by the addresses that tell of them
	places sync.Map
}

// place is where an interface is, as it was told then.
type place struct {
	at   string
	told time.Time
}

// placesFor is for how long that is believed.
const placesFor = time.Hour

// placed returns where an interface is, which find finds out.
func (s *Sources) placed(of string, find func() (string, error)) (string, error) {
	if p, known := s.places.Load(of); known && time.Since(p.(place).told) < placesFor {
		return p.(place).at, nil
	}
	at, err := find()
	if err == nil {
		s.places.Store(of, place{at, time.Now()})
	}
	return at, err
}

// New returns sources that are reached by a client, for makers.
func New(c *reach.Client) *Sources { return &Sources{client: c} }

// ForGuests returns sources for visitors: looks at them keep to what sites ask of
// programs.
func ForGuests(g *reach.Guest) *Sources { return &Sources{client: g.Client, guest: g} }

// get fetches an address; what is refused is the caller's mistake.
func (s *Sources) get(ctx context.Context, address string) (reach.Answer, error) {
	got, err := s.client.Do(ctx, reach.Request{Address: address})
	var refused *reach.Refused
	switch {
	case errors.As(err, &refused):
		return got, &Mistake{What: refused.What}
	case err == nil && got.Status != http.StatusOK:
		return got, wrong("%s answers %d %s", got.Address.Host, got.Status, http.StatusText(got.Status))
	}
	return got, err
}

// problemOf is what is said of an item whose fetching failed by a mistake;
// nothing where all is to end.
func problemOf(err error) phrase.Phrase {
	var m *Mistake
	if errors.As(err, &m) {
		return m.What
	}
	return phrase.Phrase{}
}

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
// Another source is one file here, and its line in web/shelves.go.
package source

import (
	"context"
	"errors"
	"net/http"

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
type Mistake struct{ What phrase.Phrase }

func (m *Mistake) Error() string { return m.What.String() }

func wrong(form string, values ...any) error { return &Mistake{phrase.Of(form, values...)} }

// Sources brings documents. It is safe for concurrent use. Its errors are
// *Mistake, the context's cause, or what Take returned.
type Sources struct{ client *reach.Client }

// New returns sources that are reached by a client.
func New(c *reach.Client) *Sources { return &Sources{c} }

// get fetches an address; what is refused is the caller's mistake.
func (s *Sources) get(ctx context.Context, address string) (reach.Answer, error) {
	got, err := s.client.Do(ctx, reach.Request{Address: address})
	var refused *reach.Refused
	switch {
	case errors.As(err, &refused):
		return got, &Mistake{refused.What}
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

package shelf_test

import (
	"context"
	"strings"
	"testing"

	"github.com/google/uuid"

	"juvalogos/core/reading"
	"juvalogos/internal/fair"
	"juvalogos/internal/record"
	"juvalogos/internal/testbed"
)

// stuck is a reader that never gets done with some files.
type stuck struct{ released chan struct{} }

func (s stuck) Read(ctx context.Context, name string, body []byte, l reading.Limits) (reading.Document, error) {
	if strings.HasPrefix(name, "stuck") {
		select {
		case <-ctx.Done():
			return reading.Document{}, context.Cause(ctx)
		case <-s.released:
		}
	}
	return reading.Read(ctx, name, body, nil, l)
}

func (stuck) Draw(context.Context, string, []byte, string, int, int) ([]byte, error) { return nil, nil }

func (stuck) Unpack(context.Context, string, []byte, reading.Limits, func(reading.Entry) error,
	func(*reading.Problem)) error {
	return nil
}

// One visitor's files that keep readers busy keep nobody else waiting: not another
// visitor, not one who comes with many names from one address, not makers.
func TestNobodysDocumentsWaitForAnothers(t *testing.T) {
	s := stuck{make(chan struct{})}
	b := testbed.New(t, testbed.Options{Reader: s})
	if _, err := b.Client.Publish(t.Context(), "reader.yaml", []byte("slug: reader\ntitle: Reader\npurpose: Reads.\n"+
		"model: thyme-mini\nattachments: true\n"), ""); err != nil {
		t.Fatal(err)
	}
	d, err := b.Desks.Open(t.Context(), "reader")
	if err != nil {
		t.Fatal(err)
	}
	attach := func(visitor byte, address, name string) func() string {
		who := record.Visitor{visitor}
		ctx := fair.With(t.Context(), fair.Party{Address: address, Visitor: string(who[:])})
		conversation := uuid.Must(uuid.NewV7())
		if _, err := b.Shelves.Attach(ctx, conversation, who, d.DeskID, name,
			strings.NewReader("# "+name+"\n\nThe extractor is lent for three days.")); err != nil {
			t.Fatal(err)
		}
		return func() string {
			documents, err := b.Shelves.Attached(t.Context(), conversation, who)
			if err != nil || len(documents) != 1 {
				t.Fatal(documents, err)
			}
			return string(documents[0].State)
		}
	}
	is := func(state func() string, what string) func() bool { return func() bool { return state() == what } }
	for i := range 6 {
		attach(1, "192.0.2.1", "stuck"+string(rune('a'+i))+".md")
	}
	other := attach(2, "192.0.2.2", "other.md")
	testbed.Until(t, "another visitor's document is read", is(other, "ready"))
	for i := range 6 {
		attach(byte(10+i), "198.51.100.7", "stuck"+string(rune('g'+i))+".md")
	}
	third := attach(3, "192.0.2.3", "third.md")
	if _, err := b.Shelves.Make(t.Context(), "handbook", "", "test"); err != nil {
		t.Fatal(err)
	}
	if _, err := b.Shelves.Add(t.Context(), "handbook", "minutes.md", "", "test",
		strings.NewReader("# Minutes\n\nNobody came.")); err != nil {
		t.Fatal(err)
	}
	testbed.Until(t, "a maker's document is read", func() bool {
		f, err := b.Shelves.Shelf(t.Context(), "handbook")
		return err == nil && f.Unread == 0 && f.Passages > 0
	})
	if got := third(); got != "waiting" && got != "ready" {
		t.Errorf("the third visitor's document: %s", got)
	}
	close(s.released)
	testbed.Until(t, "the third visitor's document is read", is(third, "ready"))
}

// Of what visitors attach so many words are read, of a document and of all in a
// conversation; what is too much is said.
func TestAttachedWordsAreBounded(t *testing.T) {
	b := testbed.New(t, testbed.Options{Reader: stuck{}})
	if _, err := b.Client.Publish(t.Context(), "reader.yaml", []byte("slug: reader\ntitle: Reader\npurpose: Reads.\n"+
		"model: thyme-mini\nattachments: true\n"), ""); err != nil {
		t.Fatal(err)
	}
	d, err := b.Desks.Open(t.Context(), "reader")
	if err != nil {
		t.Fatal(err)
	}
	conversation := uuid.Must(uuid.NewV7())
	for i, c := range []struct {
		words int
		says  string
	}{{601_000, "it has 601000 words; up to 600000"}, {590_000, ""}, {590_000, ""},
		{30_000, "1210000 words together"}} {
		name := string(rune('a'+i)) + ".txt"
		if _, err := b.Shelves.Attach(t.Context(), conversation, testbed.Alice, d.DeskID, name,
			strings.NewReader(name+strings.Repeat(" bees", c.words-1))); err != nil {
			t.Fatal(err)
		}
		testbed.Until(t, name+" is read or refused", func() bool {
			documents, err := b.Shelves.Attached(t.Context(), conversation, testbed.Alice)
			if err != nil || len(documents) != i+1 {
				t.Fatal(len(documents), err)
			}
			for _, d := range documents {
				if d.Name == name && (d.State == record.Ready || d.State == record.Unread) {
					if got := d.Problem.String(); (c.says == "") != (got == "") || !strings.Contains(got, c.says) {
						t.Errorf("%s: %q", name, got)
					}
					return true
				}
			}
			return false
		})
	}
}

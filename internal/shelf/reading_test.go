package shelf_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"juvalogos/core/evidence"
	"juvalogos/core/reading"
	"juvalogos/internal/readers"
	"juvalogos/internal/shelf"
	"juvalogos/internal/store/storetest"
	"juvalogos/internal/testbed"
)

// A document says how much of it was read and what was left out, and a shelf of
// how many documents words are missing.
func TestWhatWasLeftOutIsTold(t *testing.T) {
	b := made(t)
	add(t, b, "page.html", "<title>Bees</title><nav>One menu of five words</nav><p>They fly in May.</p><img src=x>")
	d := read(t, b)["page.html"]
	var got []string
	for _, o := range d.LeftOut {
		got = append(got, fmt.Sprintf("%s %d %d %s", o.Why, o.Words, o.Count, o.Sample))
	}
	if want := []string{"navigation 5 0 One menu of five words", "pictures 0 1 "}; !slices.Equal(got, want) ||
		d.Share != 1 {
		t.Errorf("%q, share %v", got, d.Share)
	}
	// What has neither pages nor lines has paragraphs, for the margin to open it at.
	if hits := finds(t, b, "When do they fly?"); len(hits) != 1 || hits[0].Place != "paragraph 1" {
		t.Errorf("its place: %+v", hits)
	}
	// A reader that loses words is found out, whatever loses them.
	l := losing{}
	b = testbed.New(t, testbed.Options{Reader: l})
	if _, err := b.Client.MakeShelf(t.Context(), "handbook", ""); err != nil {
		t.Fatal(err)
	}
	add(t, b, "lost.txt", "One two three four.")
	if d := read(t, b)["lost.txt"]; d.State != "ready" || d.Share != 0.75 || len(d.LeftOut) != 1 ||
		d.LeftOut[0].Why != evidence.Lost {
		t.Errorf("%+v", d)
	}
	if s, err := b.Client.Shelf(t.Context(), "handbook"); err != nil || s.Missed != 1 {
		t.Errorf("%+v, %v", s, err)
	}
}

// losing is a reader that drops one of four words.
type losing struct{ stuck }

func (losing) Read(ctx context.Context, name string, body []byte, l reading.Limits) (reading.Document, error) {
	d, err := reading.Read(ctx, name, body, nil, l)
	d.Left = append(d.Left, evidence.Omission{Why: evidence.Lost, Words: 1})
	return d, err
}

// page is one of a site's, with what all of them have around what is its own.
func page(n int) string {
	return fmt.Sprintf(`<title>Chapter %d</title><p>The Bee Site</p><table><tr><td>Prev</td><td>Chapter %d</td>`+
		`<td>Next</td></tr></table><h1>Chapter %d</h1><h2>Overview</h2><p>Hive number %d stands near the old mill and `+
		`is heavy with honey from lime trees.</p><p>Prev | Up | Next</p><p>All rights are reserved by nobody.</p>`,
		n, n, n, n)
}

// What stands at the edges of many documents is in no passage, whatever the order
// in which they came, and is told; headings that they have in common stay.
func TestWhatAllDocumentsHaveIsInNoPassage(t *testing.T) {
	b := made(t)
	for n := range 6 {
		add(t, b, fmt.Sprintf("site/%d.html", n), page(n))
	}
	add(t, b, "other.html", "<p>The Bee Site</p><p>is an answer here.</p>")
	clean := func(name string) bool {
		d := read(t, b)[name]
		_, passages, err := b.Shelves.Passages(t.Context(), "handbook", d.ID)
		if err != nil || len(passages) == 0 {
			t.Fatalf("%s: %+v, %v", name, passages, err)
		}
		text := ""
		for _, p := range passages {
			text += p.Text + "\n"
		}
		if !strings.Contains(text, "Overview") || !strings.Contains(text, "Hive number") {
			t.Errorf("%s: its own words are gone: %q", name, text)
		}
		return !strings.Contains(text, "Bee Site") && !strings.Contains(text, "Prev") &&
			!strings.Contains(text, "rights")
	}
	for n := range 6 {
		name := fmt.Sprintf("site/%d.html", n)
		testbed.Until(t, name+" is clean", func() bool { return clean(name) })
		d := read(t, b)[name]
		if i := slices.IndexFunc(d.LeftOut,
			func(o evidence.Omission) bool { return o.Why == evidence.Shared }); i < 0 ||
			d.LeftOut[i].Words < 12 || !strings.HasPrefix(d.LeftOut[i].Sample, "The Bee Site") {
			t.Errorf("%s: %+v", name, d.LeftOut)
		}
	}
	if hits := finds(t, b, "The Bee Site answer"); len(hits) == 0 || hits[0].Name != "other.html" {
		t.Errorf("what one document says itself: %+v", hits)
	}
	if hits := finds(t, b, "rights reserved by nobody"); len(hits) > 0 && hits[0].LexicalRank > 0 {
		t.Errorf("what all have is found: %+v", hits)
	}
}

// A document that is given up or taken off the shelf is read no further.
func TestReadingIsStopped(t *testing.T) {
	s := stuck{make(chan struct{})}
	b := testbed.New(t, testbed.Options{Reader: s})
	if _, err := b.Client.MakeShelf(t.Context(), "handbook", ""); err != nil {
		t.Fatal(err)
	}
	reads := func(name string) func() bool {
		return func() bool {
			documents, err := b.Client.ShelfDocuments(t.Context(), "handbook")
			if err != nil {
				t.Fatal(err)
			}
			for _, d := range documents {
				if d.Name == name {
					return d.State == "reading"
				}
			}
			return false
		}
	}
	add(t, b, "stuck one.txt", "First.")
	testbed.Until(t, "it is being read", reads("stuck one.txt"))
	if n, err := b.Shelves.Cancel(t.Context(), "handbook"); n != 1 || err != nil {
		t.Fatal(n, err)
	}
	two := add(t, b, "stuck two.txt", "Second.")
	testbed.Until(t, "the next is being read", reads("stuck two.txt"))
	if err := b.Client.RemoveDocument(t.Context(), "handbook", two.Document); err != nil {
		t.Fatal(err)
	}
	// The line is free again though nothing was released.
	for n := range 4 {
		add(t, b, fmt.Sprintf("free %d.txt", n), fmt.Sprintf("Free %d.", n))
	}
	if d := read(t, b); d["free 3.txt"].State != "ready" || d["stuck one.txt"].State != "failed" ||
		!strings.Contains(d["stuck one.txt"].Problem, "cancelled") {
		t.Errorf("%+v", d)
	}
	close(s.released)
	time.Sleep(100 * time.Millisecond)
	if d := read(t, b)["stuck one.txt"]; d.State != "failed" {
		t.Errorf("what was given up is read all the same: %+v", d)
	}
	// With all others it is read anew, though it failed.
	if n, err := b.Client.ReadShelf(t.Context(), "handbook"); n != 5 || err != nil ||
		read(t, b)["stuck one.txt"].State != "ready" {
		t.Errorf("%d are read anew, %v", n, err)
	}
	// One that failed is tried again when it is added again.
	add(t, b, "broken.docx", "no docx")
	if d := read(t, b)["broken.docx"]; d.State != "failed" {
		t.Errorf("%+v", d)
	}
	if again := add(t, b, "broken.docx", "no docx"); !again.Fresh || again.Replaced {
		t.Errorf("%+v", again)
	}
	read(t, b)
}

// Documents that an older edition read are read anew after a start, and found
// meanwhile; what cannot be read any more stays as it was.
func TestDocumentsOfAnOlderEditionAreReadAnew(t *testing.T) {
	url := storetest.URL(t)
	s := &stubborn{released: make(chan struct{})}
	b := testbed.New(t, testbed.Options{Database: url, Reader: s})
	if _, err := b.Client.MakeShelf(t.Context(), "handbook", ""); err != nil {
		t.Fatal(err)
	}
	add(t, b, "extractor.md", extractor)
	add(t, b, "wax.md", "# Wax\n\nWax is melted in a bath of water, never over a flame.\n")
	old := read(t, b)
	db, err := pgx.Connect(t.Context(), url)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close(t.Context())
	if _, err := db.Exec(t.Context(), `update document set edition = 0, original = 0, left_out = '[]'`); err != nil {
		t.Fatal(err)
	}
	s.now.Store(true)
	second, err := shelf.Open(t.Context(), shelf.Options{Store: b.Store, Log: b.Desks.Log, Instance: 99, Reader: s})
	if err != nil {
		t.Fatal(err)
	}
	defer second.Close(context.Background())
	testbed.Until(t, "they are to be read anew", func() bool {
		s, err := b.Client.Shelf(t.Context(), "handbook")
		return err == nil && s.Anew > 0
	})
	for range 5 {
		r, err := second.Search(t.Context(), []string{"handbook"}, shelf.Query{Text: "borrow the extractor", Limit: 3})
		if err != nil || len(r.Found) == 0 {
			t.Fatalf("it is not found meanwhile: %+v, %v", r, err)
		}
	}
	close(s.released)
	now := read(t, b)
	if d := now["extractor.md"]; d.Share != 1 || d.Passages != old["extractor.md"].Passages || d.Problem != "" {
		t.Errorf("%+v", d)
	}
	if d := now["wax.md"]; d.State != "ready" || d.Passages != 1 || !strings.Contains(d.Problem, "read before") {
		t.Errorf("%+v", d)
	}
	if hits := finds(t, b, "is wax melted over a flame"); len(hits) == 0 || hits[0].Name != "wax.md" {
		t.Errorf("%+v", hits)
	}
	if n, err := b.Client.ReadShelf(t.Context(), "handbook"); n != 2 || err != nil {
		t.Errorf("read by a command: %d, %v", n, err)
	}
}

// stubborn is a reader that waits from some moment on, and then cannot read what
// is about wax.
type stubborn struct {
	stuck
	now      atomic.Bool
	released chan struct{}
}

func (s *stubborn) Read(ctx context.Context, name string, body []byte, l reading.Limits) (reading.Document, error) {
	if !s.now.Load() {
		return reading.Read(ctx, name, body, nil, l)
	}
	<-s.released
	if strings.HasPrefix(name, "wax") {
		return reading.Document{}, &reading.Problem{File: name, What: readers.GivenUp}
	}
	return reading.Read(ctx, name, body, nil, l)
}

// The same shelf has the same passages after a restart, and the same is found
// with the same scores, however it came to be what it is.
func TestTheSameIsFoundAfterARestart(t *testing.T) {
	b := madeWith(t, testbed.Options{Sentences: true})
	words := strings.Fields("hive honey wax queen drone swarm mite smoker frame brood pollen nectar heather clover " +
		"lime " +
		"garden winter spring feed sugar sting veil comb cell larva extractor jar label market inspector")
	r := rand.New(rand.NewPCG(3, 5))
	sentence := func() string {
		var said []string
		for range 12 {
			said = append(said, words[r.IntN(len(words))])
		}
		return "The " + strings.Join(said, " ") + "."
	}
	for n := range 24 {
		var text strings.Builder
		for range 6 {
			text.WriteString(sentence() + "\n\n")
		}
		one := add(t, b, fmt.Sprintf("%02d.md", n), text.String())
		if n%7 == 0 { // some come and go
			read(t, b)
			if err := b.Client.RemoveDocument(t.Context(), "handbook", one.Document); err != nil {
				t.Fatal(err)
			}
		}
	}
	read(t, b)
	var questions []string
	for range 12 {
		questions = append(questions, sentence())
	}
	asked := func(l *shelf.Library) (all []string) {
		for _, q := range questions {
			found, err := l.Search(t.Context(), []string{"handbook"}, shelf.Query{Text: q, Limit: 5})
			if err != nil {
				t.Fatal(err)
			}
			for _, f := range found.Found {
				all = append(all, fmt.Sprintf("%s/%d %.6f", f.Document.Name, f.Position, f.Hit.Score))
			}
		}
		return all
	}
	open := func(n int32) *shelf.Library {
		l, err := shelf.Open(t.Context(), shelf.Options{Store: b.Store, Log: b.Desks.Log, Instance: n,
			Reader: readers.New(t.TempDir())})
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { l.Close(context.Background()) })
		return l
	}
	sensed := func(l *shelf.Library) *shelf.Library {
		asked(l) // it is filled then
		f, err := l.Shelf(t.Context(), "handbook")
		if err != nil {
			t.Fatal(err)
		}
		testbed.Until(t, "all sentences are encoded", func() bool {
			documents, made := l.Sensed("handbook", f.ID)
			return documents > 0 && made == documents
		})
		return l
	}
	first := asked(sensed(open(100)))
	if len(first) < len(questions) {
		t.Fatalf("%d hits", len(first))
	}
	// The library that came to know them one by one fills the shelf anew as it grows.
	testbed.Until(t, "it finds what one does that has just started", func() bool {
		return slices.Equal(asked(sensed(b.Shelves)), first)
	})
	if again := asked(sensed(open(101))); !slices.Equal(again, first) {
		t.Errorf("after another start:\n%s\nnot\n%s", strings.Join(again, "\n"), strings.Join(first, "\n"))
	}
}

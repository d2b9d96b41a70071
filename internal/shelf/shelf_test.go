package shelf_test

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"juvalogos/internal/api"
	"juvalogos/internal/client"
	"juvalogos/internal/readers"
	"juvalogos/internal/record"
	"juvalogos/internal/shelf"
	"juvalogos/internal/store"
	"juvalogos/internal/store/storetest"
	"juvalogos/internal/testbed"
)

func TestMain(m *testing.M) { testbed.Main(m) }

const extractor = "# The extractor\n\nMembers may borrow the extractor for three days against a deposit of 30 " +
	"crowns.\n\nIt must come back clean.\n"

func add(t *testing.T, b *testbed.Bed, name, body string) api.Added {
	t.Helper()
	all, err := b.Client.AddDocument(t.Context(), "handbook", name, strings.NewReader(body))
	if err != nil || len(all) != 1 {
		t.Fatalf("%s: %+v, %v", name, all, err)
	}
	return all[0]
}

func made(t *testing.T) *testbed.Bed {
	t.Helper()
	return madeWith(t, testbed.Options{})
}

func madeWith(t *testing.T, o testbed.Options) *testbed.Bed {
	t.Helper()
	b := testbed.New(t, o)
	if _, err := b.Client.MakeShelf(t.Context(), "handbook", ""); err != nil {
		t.Fatal(err)
	}
	return b
}

// read waits until everything was read and returns the documents by name.
func read(t *testing.T, b *testbed.Bed) map[string]api.Document {
	t.Helper()
	all := map[string]api.Document{}
	testbed.Until(t, "everything is read", func() bool {
		documents, err := b.Client.ShelfDocuments(t.Context(), "handbook")
		if err != nil {
			t.Fatal(err)
		}
		waiting := false
		for _, d := range documents {
			all[d.Name] = d
			waiting = waiting || d.State == "waiting" || d.State == "reading"
		}
		return !waiting
	})
	return all
}

func finds(t *testing.T, b *testbed.Bed, query string) []api.ShelfHit {
	t.Helper()
	found, err := b.Client.SearchShelf(t.Context(), "handbook", query, 5)
	if err != nil {
		t.Fatal(err)
	}
	return found.Hits
}

func TestADocumentIsAddedFoundReplacedRemovedAndRestored(t *testing.T) {
	b := made(t)
	one := add(t, b, "extractor.md", extractor)
	if again := add(t, b, "copy.md", extractor); again.Fresh || again.Document != one.Document {
		t.Errorf("the same content is added twice: %+v", again)
	}
	documents := read(t, b)
	if d := documents["extractor.md"]; d.State != "ready" || d.Title != "The extractor" || d.Passages != 1 ||
		d.Words < 15 || d.Language != "en" || d.AddedBy == "" || len(documents) != 1 {
		t.Errorf("%+v", documents)
	}
	hits := finds(t, b, "How long may I borrow the extractor?")
	if len(hits) != 1 || !strings.Contains(hits[0].Text, "three days") || hits[0].Place != "line 3" ||
		hits[0].LexicalRank != 1 || len(hits[0].Matched) == 0 {
		t.Fatalf("%+v", hits)
	}
	two := add(t, b, "extractor.md", strings.Replace(extractor, "three days", "two weeks", 1))
	if !two.Fresh || !two.Replaced || two.Document == one.Document {
		t.Errorf("%+v", two)
	}
	read(t, b)
	if hits = finds(t, b, "borrow the extractor"); len(hits) != 1 || !strings.Contains(hits[0].Text, "two weeks") {
		t.Errorf("%+v", hits)
	}
	if err := b.Client.RemoveDocument(t.Context(), "handbook", two.Document); err != nil {
		t.Fatal(err)
	}
	if hits = finds(t, b, "borrow the extractor"); len(hits) != 0 {
		t.Errorf("it is found right after it was removed: %+v", hits)
	}
	if err := b.Shelves.RestoreDocument(t.Context(), "handbook", two.Document); err != nil ||
		len(finds(t, b, "borrow the extractor")) != 1 {
		t.Errorf("it does not come back: %v", err)
	}
}

func TestBadFilesAmongGoodOnes(t *testing.T) {
	b := made(t)
	add(t, b, "good.md", extractor)
	add(t, b, "fake.pdf", "%PDF-1.4 and nothing else")
	add(t, b, "fake.docx", "no docx at all")
	if a := add(t, b, "empty.txt", ""); !strings.Contains(a.Problem, "empty") {
		t.Errorf("%+v", a)
	}
	var packed bytes.Buffer
	z := zip.NewWriter(&packed)
	for name, body := range map[string]string{"folder/swarm.txt": "A swarm is hived in the evening, when the " +
		"foragers are home.", "folder/broken.pptx": "x"} {
		w, _ := z.Create(name)
		_, _ = io.WriteString(w, body)
	}
	z.Close()
	if all, err := b.Client.AddDocument(t.Context(), "handbook", "some.zip", &packed); err != nil || len(all) != 2 {
		t.Fatalf("%+v, %v", all, err)
	}
	documents := read(t, b)
	for name, want := range map[string]string{"good.md": "", "folder/swarm.txt": "", "fake.pdf": "no whole PDF",
		"fake.docx": "not a DOCX", "folder/broken.pptx": "not a PPTX"} {
		d := documents[name]
		if want == "" && d.State != "ready" || want != "" &&
			(d.State != "failed" || !strings.Contains(d.Problem, want)) {
			t.Errorf("%s: %+v", name, d)
		}
	}
	if f, err := b.Client.Shelf(t.Context(), "handbook"); err != nil || f.Documents != 5 || f.Failed != 3 ||
		f.Waiting != 0 {
		t.Errorf("%+v, %v", f, err)
	}
}

func TestPDFsAndScansAreReadWithTheirPlaces(t *testing.T) {
	b := made(t)
	leaflet, err := os.ReadFile("../../demo/shelves/handbook/leaflets/wasps.pdf")
	if err != nil {
		t.Fatal(err)
	}
	d := add(t, b, "wasps.pdf", string(leaflet))
	read(t, b)
	hits := finds(t, b, "How far away do I hang traps for wasps?")
	if len(hits) == 0 || hits[0].Place != "page 1" ||
		!strings.Contains(hits[0].Text, "at least twenty metres away from the hives") {
		t.Fatalf("%+v", hits)
	}
	picture, err := b.Shelves.PagePicture(t.Context(), "handbook", d.Document, 1)
	if err != nil || !bytes.HasPrefix(picture, []byte("\x89PNG")) {
		t.Fatalf("%d bytes, %v", len(picture), err)
	}
	if _, err := b.Shelves.PagePicture(t.Context(), "handbook", d.Document, 2); err == nil {
		t.Error("there is a second page")
	}
	add(t, b, "scan.png", string(picture))
	if s := read(t, b)["scan.png"]; s.State != "ready" || s.Words < 150 {
		t.Errorf("%+v", s)
	}
}

func TestWhatWasLeftUnreadIsReadAfterARestart(t *testing.T) {
	database := storetest.URL(t)
	b := testbed.New(t, testbed.Options{Database: database})
	if _, err := b.Client.MakeShelf(t.Context(), "handbook", ""); err != nil {
		t.Fatal(err)
	}
	on, err := b.Store.Shelves.Shelf(t.Context(), "handbook")
	if err != nil {
		t.Fatal(err)
	}
	// What a service leaves that is killed while it reads: documents that an
	// instance claims which is no more.
	const many = 30
	for i := range many {
		hash, size, err := b.Store.Shelves.KeepContent(t.Context(),
			strings.NewReader(fmt.Sprintf("Document number %d tells of hive %d and its honey.", i, i)), 1000)
		if err != nil {
			t.Fatal(err)
		}
		id, _, _, err := b.Store.Shelves.AddDocument(t.Context(),
			record.Document{Shelf: on.ID, Name: fmt.Sprintf("%03d.txt", i), Hash: hash, Size: size, AddedBy: "x",
				AddedAt: time.Now()})
		if err != nil {
			t.Fatal(err)
		}
		if i%2 == 0 {
			if ok, err := b.Store.Shelves.BeginReading(t.Context(), id, 4711); !ok || err != nil {
				t.Fatal(ok, err)
			}
		}
	}
	// Its place in the queue too.
	db, err := pgx.Connect(t.Context(), database)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close(context.Background())
	if _, err := db.Exec(t.Context(), `insert into river_job (kind, state, args, queue, max_attempts, attempt, attempted_at,
			attempted_by) values ('read', 'running', '{"document": 1}', 'default', 25, 1, now(), array[$1])`,
		store.JobsOf(4711)); err != nil {
		t.Fatal(err)
	}
	second, err := shelf.Open(t.Context(), shelf.Options{Store: b.Store, Log: b.Desks.Log, Instance: 99,
		Reader: readers.New(t.TempDir())})
	if err != nil {
		t.Fatal(err)
	}
	defer second.Close(context.Background())
	documents := read(t, b)
	for name, d := range documents {
		if d.State != "ready" {
			t.Errorf("%s: %+v", name, d)
		}
	}
	if len(documents) != many {
		t.Errorf("%d documents", len(documents))
	}
	testbed.Until(t, "the dead one has no job", func() bool {
		n := 1
		return db.QueryRow(t.Context(), `select count(*) from river_job where state = 'running'`).Scan(&n) == nil && n == 0
	})
	// Both find it, whoever read it.
	testbed.Until(t, "both find it", func() bool {
		r, err := second.Search(t.Context(), []string{"handbook"}, shelf.Query{Text: "hive 17", Limit: 3})
		return err == nil && len(r.Found) > 0 && len(finds(t, b, "hive 17")) > 0
	})
}

func TestShelvesHaveGoodNames(t *testing.T) {
	b := made(t)
	var p *shelf.Problem
	for _, slug := range []string{"", "Big Letters", "handbook", "ü"} {
		if _, err := b.Shelves.Make(t.Context(), slug, "", "x"); !errors.As(err, &p) {
			t.Errorf("%q: %v", slug, err)
		}
	}
	if err := b.Client.RemoveShelf(t.Context(), "handbook"); err != nil {
		t.Fatal(err)
	}
	if _, err := b.Client.Shelf(t.Context(), "handbook"); err == nil {
		t.Error("it is still there")
	}
	if _, err := b.Client.MakeShelf(t.Context(), "handbook", "Again"); err != nil {
		t.Error(err)
	}
}

const deskFile = "slug: lib\ntitle: Library\npurpose: Tests.\nmodel: thyme-mini\nshelves: [handbook]\n"

func ask(t *testing.T, b *testbed.Bed, text string) (string, api.Outcome) {
	t.Helper()
	var reply strings.Builder
	o, err := b.Client.Ask(context.Background(), client.Question{Desk: "lib", Text: text},
		client.Follower{Begin: func(g api.Begin) { begun = g }, Text: func(s string) { reply.WriteString(s) }})
	if err != nil {
		t.Fatal(err)
	}
	return reply.String(), o
}

func TestADeskAnswersFromItsShelf(t *testing.T) {
	b := made(t)
	add(t, b, "extractor.md", extractor)
	read(t, b)
	if _, err := b.Client.Publish(t.Context(), "lib.yaml", []byte(deskFile), ""); err != nil {
		t.Fatal(err)
	}
	reply, o := ask(t, b, "How long may I borrow the extractor?")
	if !strings.Contains(reply, "three days") {
		t.Fatalf("%q", reply)
	}
	sources := client.Sources(o)
	if o.Reply == nil || !strings.HasSuffix(strings.TrimSpace(*o.Reply), "[1].") &&
		!strings.HasSuffix(strings.TrimSpace(*o.Reply), "[1]") || sources == nil || !sources.Supported ||
		len(sources.Sentences) == 0 {
		t.Fatalf("%v, %+v", o.Reply, sources)
	}
	n := sources.Sentences[0].Notes[0]
	if !strings.Contains(n.Quote, "three days") || n.Place != "line 3" || n.Section != "The extractor" ||
		len(n.Marks) != 1 || n.Marks[0].Block != 1 || sources.Passages[0].Title != "The extractor" {
		t.Errorf("%+v", sources)
	}
	// What is on record is the mended reply.
	if trace, err := b.Client.Trace(t.Context(), begun.Turn); err != nil || trace.Reply != *o.Reply {
		t.Errorf("%q is on record, %v", trace.Reply, err)
	}
	_, o = ask(t, b, "Which vaccinations does a puppy need?")
	if s := client.Sources(o); s == nil || s.Supported || len(s.Passages) != 0 {
		t.Errorf("%+v", s)
	}
	// A talk is quoted at its time, not at that of its paragraph.
	add(t, b, "talk.vtt", "WEBVTT Listening\n\n00:00:03.000 --> 00:00:06.000\nA hive tells you what goes on in it.\n"+
		"\n00:00:06.500 --> 00:00:09.000\nA colony without a queen moans.\n")
	read(t, b)
	_, o = ask(t, b, "What does a colony without a queen do, does it moan?")
	if s := client.Sources(o); s == nil || len(s.Sentences) == 0 || len(s.Sentences[0].Notes) == 0 ||
		s.Sentences[0].Notes[0].Place != "at 0:06" {
		t.Errorf("%+v", s)
	}
	// A revision knows the state of its shelf, and what changed since.
	add(t, b, "swarms.md", "# Swarms\n\nA swarm is hived in the evening.")
	read(t, b)
	published, err := b.Store.Desks.Published(t.Context(), "lib")
	if err != nil {
		t.Fatal(err)
	}
	changes, err := b.Store.Desks.ShelfChanges(t.Context(), published.DeskID, published.Number)
	if err != nil || len(changes) != 1 || changes[0].Now <= changes[0].Then ||
		!slices.Equal(changes[0].Added, []string{"swarms.md", "talk.vtt"}) || len(changes[0].Dropped) != 0 {
		t.Errorf("%+v, %v", changes, err)
	}
	if _, err := b.Client.Publish(t.Context(), "lib.yaml",
		[]byte(strings.Replace(deskFile, "[handbook]", "[handbok]", 1)), ""); err == nil ||
		!strings.Contains(fmt.Sprint(err), `unknown shelf "handbok"`) {
		t.Errorf("an unknown shelf: %v", err)
	}
	// What was removed is in no answer from now on.
	documents := read(t, b)
	if err := b.Client.RemoveDocument(t.Context(), "handbook", documents["extractor.md"].ID); err != nil {
		t.Fatal(err)
	}
	if reply, o = ask(t, b, "How long may I borrow the extractor?"); strings.Contains(reply, "three days") ||
		client.Sources(o).Supported {
		t.Errorf("%q", reply)
	}
}

var begun api.Begin

func TestAddressesAreFetched(t *testing.T) {
	b := testbed.New(t, testbed.Options{FetchPrivate: true})
	if _, err := b.Client.MakeShelf(t.Context(), "handbook", ""); err != nil {
		t.Fatal(err)
	}
	var site *httptest.Server
	site = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		kind, body := "text/html", ""
		switch r.URL.Path {
		case "/sitemap.xml":
			kind, body = "application/xml", `<urlset><url><loc>`+site.URL+`/wasps</loc></url><url><loc>`+site.URL+
				`/gone</loc></url><url><loc>http://elsewhere.test/x</loc></url></urlset>`
		case "/wasps":
			body = "<html><head><title>Wasps</title></head><body><main><p>Make the entrance " +
				"narrow.</p></main></body></html>"
		case "/talk":
			body = `<html><head><title>Why colonies die</title></head><body><video><track kind="captions" src="captions.vtt"></video></body></html>`
		case "/captions.vtt":
			kind, body = "text/vtt", "WEBVTT\n\n00:01:05.000 --> 00:01:08.000\nTwo thirds of them died of mites.\n"
		default:
			http.NotFound(w, r)
			return
		}
		w.Header().Set("Content-Type", kind)
		_, _ = io.WriteString(w, body)
	}))
	defer site.Close()
	added, err := b.Client.AddAddress(t.Context(), "handbook", site.URL+"/sitemap.xml")
	if err != nil || len(added) != 3 || added[0].Problem != "" || !strings.Contains(added[1].Problem, "404") ||
		!strings.Contains(added[2].Problem, "another host") {
		t.Errorf("%+v, %v", added, err)
	}
	if added, err = b.Client.AddAddress(t.Context(), "handbook", site.URL+"/talk"); err != nil || len(added) != 1 ||
		!added[0].Fresh {
		t.Errorf("%+v, %v", added, err)
	}
	read(t, b)
	if hits := finds(t, b, "What did most colonies die of?"); len(hits) == 0 || hits[0].Title != "Why colonies die" ||
		hits[0].Place != "at 1:05" {
		t.Errorf("%+v", hits)
	}
	if hits := finds(t, b, "entrance for wasps"); len(hits) == 0 || hits[0].Title != "Wasps" {
		t.Errorf("%+v", hits)
	}
	// Fetched again it is there already.
	if added, err = b.Client.AddAddress(t.Context(), "handbook", site.URL+"/wasps"); err != nil || added[0].Fresh {
		t.Errorf("%+v, %v", added, err)
	}
	if _, err = b.Client.AddAddress(t.Context(), "handbook", site.URL+"/nothing"); err == nil ||
		!strings.Contains(err.Error(), "404") {
		t.Errorf("%v", err)
	}
}

// Package testbed gives tests a whole Juvalogos on loopback: the simulated model
// server, a database of the test's own, the service, a client with a token.
package testbed

import (
	"bytes"
	"cmp"
	"context"
	"io/fs"
	"log/slog"
	"net"
	"net/http/httptest"
	"net/netip"
	"os"
	"path/filepath"
	"sync"
	"sync/atomic"
	"testing"
	"testing/fstest"
	"time"

	"juvalogos/internal/account"
	"juvalogos/internal/client"
	"juvalogos/internal/engine"
	"juvalogos/internal/limits"
	"juvalogos/internal/models"
	"juvalogos/internal/models/protocol"
	"juvalogos/internal/reach"
	"juvalogos/internal/readers"
	"juvalogos/internal/record"
	"juvalogos/internal/reply"
	"juvalogos/internal/service"
	"juvalogos/internal/shelf"
	"juvalogos/internal/source"
	"juvalogos/internal/store"
	"juvalogos/internal/store/storetest"
	"juvalogos/internal/table"
	"juvalogos/internal/vault"
	"juvalogos/internal/web"
	"juvalogos/standin/modelserver"
)

// Secrets that must never show anywhere.
const (
	ModelKey = "model-key-c0ffee"
	Token    = "jvl_token-decade"
)

// Desk is a desk file that tests publish.
const Desk = `slug: helper
title: The Helper
purpose: Answers questions.
model: thyme-mini
brief: You are Sprig.
openers: ["How do I light a smoker?", "What does a first year with bees look like?"]
sampling: {temperature: 0, max_tokens: 900}
memory: {turns: 10, tokens: 2000}
`

// Bed is a running Juvalogos.
type Bed struct {
	Model    *modelserver.Server
	ModelURL string
	Store    *store.Store
	library  *shelf.Library
	ahead    atomic.Int64 // of the clock
	*service.Rooms
	Address string
	Client  *client.Client // with a token
	Log     *Log
}

// Options change what New makes; zero is what most tests want.
type Options struct {
	BasePath       string
	Console        fs.FS         // nil: a bare document
	Patience       time.Duration // of the connection; zero: two seconds
	EmbeddingPrice float64       // of clover-embed, per million tokens
	FetchPrivate   bool          // shelves may fetch from this machine
	Visit          []string      // hosts that visitors may have something brought from; nil: none
	VisitLimit     time.Duration // that such a thing may take; 0: five seconds
	Database       string        // address; empty: one of the test's own
	Bare           bool          // no connection and no desk yet
	Limits         []limits.Limit
	Proxies        []netip.Prefix
	Gone           time.Duration // see reply.Options
	Programs       string        // folder of programs that connections may run
	Reader         shelf.Reader  // nil: files are read in confined processes
	Databases      string        // file of databases whose tables shelves may have; "": there are none
	Sentences      bool          // the meanings of sentences are made
}

// Now is the clock of the service.
func (b *Bed) Now() time.Time { return time.Now().Add(time.Duration(b.ahead.Load())) }

// Later has the service's clock go forward at once: what is kept for a while is
// read anew.
func (b *Bed) Later(d time.Duration) { b.ahead.Add(int64(d)) }

// Main runs a package's tests, as storetest.Main does; files are read in confined
// processes of the same program.
func Main(m *testing.M, stop ...func()) {
	readers.Child()
	engine.Child()
	storetest.Main(m, stop...)
}

// setKey lets every bed find the key of its models; t.Setenv would keep tests from running
// side by side.
var setKey = sync.OnceFunc(func() { os.Setenv("TESTBED_MODEL_KEY", ModelKey) })

// New starts everything and publishes Desk. It is stopped with the test.
func New(t testing.TB, o Options) *Bed {
	t.Helper()
	ctx := context.Background()
	b := &Bed{Model: &modelserver.Server{Key: ModelKey}, Log: &Log{}}
	b.Model.Set(Fast)
	model := httptest.NewServer(b.Model.Handler())
	b.ModelURL = model.URL
	log := slog.New(slog.NewTextHandler(b.Log, &slog.HandlerOptions{Level: slog.LevelDebug}))

	if o.Patience == 0 {
		o.Patience = 2 * time.Second
	}
	o.complete(t)
	setKey()
	file := modelsAt(model.URL, o.Patience, o.EmbeddingPrice)
	if o.Bare {
		file = models.File{}
	}
	registry := models.Open(file, protocol.All())
	t.Cleanup(registry.Close)

	var err error
	must := func() {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	b.Store, err = store.Open(ctx, o.Database)
	must()
	keys, err := vault.New("the master key of the tests")
	must()
	instance := reply.RandomInstance()
	confined := readers.New(filepath.Join(os.TempDir(), "juvalogos-testbed"))
	reader := o.Reader
	if reader == nil {
		reader = confined
	}
	sheets, err := table.New(table.Options{Store: b.Store.Tables, Turns: b.Store.Conversations,
		Files: b.Store.Shelves, Engine: engine.New(),
		Folder: t.TempDir(), Log: log, Now: b.Now})
	must()
	t.Cleanup(sheets.Close)
	b.library, err = shelf.Open(ctx, shelf.Options{Store: b.Store, Log: log, Instance: instance, Reader: reader,
		Tables: sheets, Databases: o.Databases, Now: b.Now, Models: registry, NoSentences: !o.Sentences,
		Sources: source.New(reach.New(reach.Public{Private: o.FetchPrivate}, 10<<20,
			30*time.Second))})
	must()
	allowed := limits.NewTable(o.Limits, b.Now)
	b.Rooms, err = service.OpenRooms(ctx, service.RoomOptions{
		Tables: sheets, Limits: allowed, Gone: o.Gone, ProgramFolder: o.Programs, Visits: o.visits(t),
		Now:    b.Now,
		Reader: confined, Currency: "EUR",
		Store: b.Store, Models: registry, Log: log, Vault: keys, Shelf: b.library, Instance: instance,
		Retry: models.Retry{Tries: 4, First: 20 * time.Millisecond, Most: 3 * time.Second, Waking: 3 * time.Second,
			Nap: 50 * time.Millisecond},
	})
	must()
	server, err := web.New(web.Options{Rooms: b.Rooms.Rooms, Ready: b.Store.Ready, Log: log, Console: o.Console,
		BasePath: o.BasePath, Version: "test", Limits: allowed, Proxies: o.Proxies,
		CookieKey: keys.Derive("cookies")})
	must()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	must()
	go func() { _ = server.Serve(l) }()
	b.Address = "http://" + l.Addr().String() + o.BasePath
	_, err = b.Store.Accounts.AddToken(ctx, record.Token{Name: "test", Scopes: account.AllScopes()}, Token)
	must()
	b.Client = &client.Client{Address: b.Address, Token: Token}
	if !o.Bare {
		_, err = b.Client.Publish(ctx, "helper.yaml", []byte(Desk), "")
		must()
	}
	t.Cleanup(func() { b.stop(server, model, confined) })
	return b
}

// complete fills in what was left out.
func (o *Options) complete(t testing.TB) {
	if o.Console == nil {
		o.Console = fstest.MapFS{"index.html": {Data: []byte("<html><head><!--desk--></head></html>")}}
	}
	if o.Database == "" {
		o.Database = storetest.URL(t)
	}
}

// visits is where visitors may have something brought from.
func (o Options) visits(t testing.TB) *source.Sources {
	if o.Visit == nil {
		return nil
	}
	hosts, err := reach.NewListed(o.Visit)
	if err != nil {
		t.Fatal(err)
	}
	return source.ForGuests(reach.NewGuest(reach.New(hosts, 10<<20, cmp.Or(o.VisitLimit, 5*time.Second)), nil))
}

// stop ends everything, in order.
func (b *Bed) stop(server *web.Server, model *httptest.Server, confined *readers.Pool) {
	ending, cancel := context.WithTimeout(context.Background(), 100*time.Millisecond)
	defer cancel()
	b.Close(ending)
	b.library.Close(ending)
	confined.Close()
	_ = server.Shutdown(ending)
	model.CloseClientConnections()
	model.Close()
	b.Store.Close()
}

func modelsAt(url string, patience time.Duration, embedding float64) models.File {
	return models.File{Connections: []models.Connection{{
		Name: "shed", Protocol: "chat-completions", Address: url + "/v1", Key: "env:TESTBED_MODEL_KEY",
		Patience: patience,
		Models: []models.Model{
			{Name: "thyme-mini", Can: []string{"chat"}, Context: 4096},
			{Name: "heather-2", Can: []string{"chat"}, Context: 8192, Vocabulary: "cl100k_base"},
			{Name: "orchid-eye", Can: []string{"chat", "see"}, Context: 16384, Price: models.Price{In: 1}},
			{Name: "daisy-glance", Can: []string{"chat", "see"}, Context: 8192,
				Takes: models.Takes{Side: 256, Kinds: []string{"png"}, Most: 1}},
			{Name: "alder-brush", Can: []string{"pictures"}, Context: 4096, Price: models.Price{Picture: 0.04},
				Takes: models.Takes{Shape: "cut", Kinds: []string{"png"}, Seeds: true}},
			{Name: "burdock-ear", Can: []string{"hear"}, Context: 2048, Price: models.Price{Minute: 0.6},
				Hears: models.Hears{Seconds: 60, English: true}},
			{Name: "clover-embed", Can: []string{"embeddings"}, Context: 2048, Price: models.Price{In: embedding}},
		},
	}}}
}

// ServeModelsFrom puts another server in the simulated one's place; desks that
// are open follow within a second.
func (b *Bed) ServeModelsFrom(url string) {
	b.Connections.Models.Replace(modelsAt(url, time.Minute, 0))
}

// Fast makes the simulated model answer at once, Slow word by word, and Lasting so that it
// is not done before somebody stops it, however busy the machine.
var (
	Fast    = modelserver.Control{FirstMS: new(0.0), Rate: new(0.0)}
	Slow    = modelserver.Control{FirstMS: new(0.0), Rate: new(50.0), Tokens: 200}
	Lasting = modelserver.Control{FirstMS: new(0.0), Rate: new(8.0), Tokens: 5000}
)

// With returns a control with a fault.
func With(c modelserver.Control, fault string, times, after int) modelserver.Control {
	c.Fault, c.Times, c.After = fault, times, after
	return c
}

// Log keeps what was logged.
type Log struct {
	mu   sync.Mutex
	text bytes.Buffer
}

func (l *Log) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.text.Write(p)
}

func (l *Log) String() string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.text.String()
}

// Patience is how long tests wait for what must happen. It is long, since machines are busy:
// it says that something never happens, not that it is slow.
const Patience = 2 * time.Minute

// Until waits until ok says yes, and fails the test if that takes longer than Patience.
func Until(t testing.TB, what string, ok func() bool) {
	t.Helper()
	for began := time.Now(); time.Since(began) < Patience; time.Sleep(10 * time.Millisecond) {
		if ok() {
			return
		}
	}
	t.Fatalf("not within %v: %s", Patience, what)
}

// Package shelf keeps documents for desks to answer from: it takes files in,
// has them read in the background, and finds the passages that answer a
// question. Records are in PostgreSQL; what is searched is in memory, filled at
// the start and kept current by notifications, so that every instance finds
// what any of them added.
package shelf

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"path"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"juvalogos/core/deskfile"
	"juvalogos/core/passage"
	"juvalogos/core/reading"
	"juvalogos/core/retrieval"
	"juvalogos/internal/models"
	"juvalogos/internal/record"
	"juvalogos/internal/source"
	"juvalogos/internal/store"
)

// Options are what a Library is made of.
type Options struct {
	Store    *store.Store
	Log      *slog.Logger
	Now      func() time.Time // nil: time.Now
	Instance int32            // under which this service is registered
	Limits   reading.Limits   // zero: reading.DefaultLimits
	// Sources bring what addresses lead to; nil: nothing is fetched.
	Sources *source.Sources
	// Models make embeddings where a shelf names one; nil: there are none.
	Models *models.Registry
	// Pages spells out PDFs; nil: they cannot be read.
	Pages reading.Engine
}

// Settings are how a shelf is split and searched; they stand beside it.
type Settings struct {
	Words        int     `json:"words"`         // of a passage
	Overlap      int     `json:"overlap"`       // words that are in the next passage too
	TitleWeight  float64 `json:"title_weight"`  // what a word counts in the title
	Expand       int     `json:"expand"`        // words that mean the same, for each word of a question
	VectorWeight float64 `json:"vector_weight"` // what the search by meaning counts; 0: none
	// Embedding is the model whose vectors the search by meaning goes by, like
	// connection/name; "": the built-in ones. MeaningWeight is what it counts.
	Embedding     string  `json:"embedding"`
	MeaningWeight float64 `json:"meaning_weight"`
	Candidates    int     `json:"candidates"` // passages that the last stage weighs; 0: none
	Distinct      bool    `json:"distinct"`
	// The desk's model is asked for the question in other words, and to choose
	// among what was found.
	Rephrase bool    `json:"rephrase"`
	Choose   bool    `json:"choose"`
	K1       float64 `json:"k1"`
	B        float64 `json:"b"`
}

// DefaultSettings are those of docs/retrieval.md.
func DefaultSettings() Settings {
	o := retrieval.DefaultOptions
	return Settings{Words: 200, Overlap: 100, TitleWeight: o.TitleWeight, Expand: o.Expand, VectorWeight: o.VectorWeight, MeaningWeight: o.MeaningWeight, Candidates: o.Candidates, Distinct: o.Distinct, K1: o.K1, B: o.B}
}

func (s Settings) options() retrieval.Options {
	o := retrieval.DefaultOptions
	o.TitleWeight, o.Expand, o.VectorWeight, o.Candidates, o.Distinct, o.K1, o.B = s.TitleWeight, s.Expand, s.VectorWeight, s.Candidates, s.Distinct, s.K1, s.B
	o.MeaningWeight = s.MeaningWeight
	return o
}

// Library is the shelves of one running service. It is safe for concurrent use.
type Library struct {
	Options
	jobs       *river.Client[pgx.Tx]
	background context.Context // ends with Close
	stop       context.CancelFunc
	all        sync.WaitGroup

	listening chan struct{} // closed once changes are heard of

	mu   sync.Mutex
	live map[int64]*live
	// embedding are the shelves that are being embedded; true: once more then.
	embedding map[int64]bool
}

// Problem is an error that can be told to whoever asked.
type Problem struct {
	Missing  bool // what was asked for is not there
	Sentence string
}

func (p *Problem) Error() string { return p.Sentence }

func wrong(format string, a ...any) error { return &Problem{Sentence: fmt.Sprintf(format, a...)} }
func missing(format string, a ...any) error {
	return &Problem{Missing: true, Sentence: fmt.Sprintf(format, a...)}
}

// Open starts a library: it fills the indexes in the background and goes on
// with what was left unread.
func Open(ctx context.Context, o Options) (*Library, error) {
	if o.Now == nil {
		o.Now = time.Now
	}
	if o.Limits == (reading.Limits{}) {
		o.Limits = reading.DefaultLimits
	}
	l := &Library{Options: o, listening: make(chan struct{}), live: map[int64]*live{}, embedding: map[int64]bool{}}
	background, stop := context.WithCancel(context.Background())
	l.background, l.stop = background, stop
	if err := l.startJobs(ctx); err != nil {
		stop()
		return nil, fmt.Errorf("start background work: %w", err)
	}
	l.all.Go(func() { l.follow(background) })
	l.all.Go(func() { l.resume(background) })
	return l, nil
}

// Close stops reading; what was not read to its end is read after the next
// start.
func (l *Library) Close(ctx context.Context) {
	l.stop()
	if err := l.jobs.StopAndCancel(ctx); err != nil {
		l.Log.Warn("background work was cut off", "error", err)
	}
	l.all.Wait()
}

// Make makes a shelf.
func (l *Library) Make(ctx context.Context, slug, title, by string) (record.Shelf, error) {
	if !deskfile.ValidSlug(slug) {
		return record.Shelf{}, wrong("%q cannot be a shelf's name; use small letters, digits and single hyphens, like handbook", slug)
	}
	if Private(slug) {
		return record.Shelf{}, wrong("shelves whose names begin with %s hold what visitors attach; choose another name", privatePrefix)
	}
	if title = strings.TrimSpace(title); title == "" {
		title = strings.ToUpper(slug[:1]) + strings.ReplaceAll(slug[1:], "-", " ")
	}
	if utf8.RuneCountInString(title) > 80 {
		return record.Shelf{}, wrong("a shelf's title has 80 characters at most")
	}
	settings, err := json.Marshal(DefaultSettings())
	if err != nil {
		return record.Shelf{}, err
	}
	_, err = l.Store.Shelves.MakeShelf(ctx, record.Shelf{Slug: slug, Title: title, Settings: settings, MadeBy: by, MadeAt: l.Now()})
	if errors.Is(err, record.ErrDuplicate) {
		return record.Shelf{}, wrong("there is a shelf %q already", slug)
	}
	if err != nil {
		return record.Shelf{}, err
	}
	return l.Shelf(ctx, slug)
}

// Shelf returns a shelf by its slug.
func (l *Library) Shelf(ctx context.Context, slug string) (record.Shelf, error) {
	f, err := l.Store.Shelves.Shelf(ctx, slug)
	if errors.Is(err, record.ErrNotFound) {
		return f, missing("there is no shelf %q", slug)
	}
	return f, err
}

// Remove takes a shelf away with its documents.
func (l *Library) Remove(ctx context.Context, slug string) error {
	f, err := l.Shelf(ctx, slug)
	if err != nil {
		return err
	}
	if err := l.Store.Shelves.RemoveShelf(ctx, f.ID, l.Now()); err != nil {
		return err
	}
	l.mu.Lock()
	delete(l.live, f.ID)
	l.mu.Unlock()
	return nil
}

// Added says what became of a file that was added.
type Added struct {
	Document int64  `json:"document"`
	Name     string `json:"name"`
	Fresh    bool   `json:"fresh"` // false: the shelf has the same content already
	Replaced bool   `json:"replaced"`
	Problem  string `json:"problem,omitempty"`
}

// Add puts a file on a shelf and has it read. A ZIP is unpacked, and its files
// are added each on its own.
func (l *Library) Add(ctx context.Context, slug, name, source, by string, body io.Reader) ([]Added, error) {
	f, err := l.Shelf(ctx, slug)
	if err != nil {
		return nil, err
	}
	if name = cleanName(name); name == "" {
		return nil, wrong("a file needs a name")
	}
	if strings.HasSuffix(strings.ToLower(name), ".zip") {
		return l.addZip(ctx, f, name, source, by, body)
	}
	one, err := l.add(ctx, f, name, source, by, body)
	if err != nil {
		return nil, err
	}
	return []Added{one}, nil
}

func (l *Library) add(ctx context.Context, f record.Shelf, name, source, by string, body io.Reader) (Added, error) {
	hash, size, err := l.Store.Shelves.KeepContent(ctx, body, int64(l.Limits.Bytes))
	if errors.Is(err, record.ErrTooLarge) {
		return Added{Name: name, Problem: fmt.Sprintf("it has more than %d MB", l.Limits.Bytes>>20)}, nil
	}
	if err != nil {
		return Added{}, fmt.Errorf("keep %s: %w", name, err)
	}
	if size == 0 {
		return Added{Name: name, Problem: "it is empty"}, nil
	}
	id, replaced, fresh, err := l.Store.Shelves.AddDocument(ctx, record.Document{Shelf: f.ID, Name: name, Source: source, Hash: hash, Size: size, AddedBy: by, AddedAt: l.Now()})
	if err != nil {
		return Added{}, fmt.Errorf("add %s: %w", name, err)
	}
	if replaced != 0 {
		l.apply(ctx, f.ID, replaced)
	}
	if fresh {
		if _, err := l.jobs.Insert(ctx, ReadArgs{Document: id}, nil); err != nil {
			return Added{}, err
		}
	}
	return Added{Document: id, Name: name, Fresh: fresh, Replaced: replaced != 0}, nil
}

func (l *Library) addZip(ctx context.Context, f record.Shelf, name, source, by string, body io.Reader) (all []Added, err error) {
	packed, err := io.ReadAll(io.LimitReader(body, int64(l.Limits.Bytes)+1))
	if err != nil {
		return nil, err
	}
	if len(packed) > l.Limits.Bytes {
		return []Added{{Name: name, Problem: fmt.Sprintf("it has more than %d MB", l.Limits.Bytes>>20)}}, nil
	}
	err = reading.Unpack(name, packed, l.Limits, func(e reading.Entry) error {
		one, err := l.add(ctx, f, cleanName(e.Name), source, by, strings.NewReader(string(e.Body)))
		all = append(all, one)
		return err
	}, func(p *reading.Problem) { all = append(all, Added{Name: p.File, Problem: p.Sentence}) })
	var p *reading.Problem
	if errors.As(err, &p) {
		return append(all, Added{Name: name, Problem: p.Sentence}), nil
	}
	return all, err
}

// cleanName is a file's name as it is kept: folders stay, ways out of them and
// signs that cannot be seen do not.
func cleanName(name string) string {
	name = strings.ToValidUTF8(strings.ReplaceAll(name, `\`, "/"), "")
	name = strings.Map(func(r rune) rune {
		if r < 0x20 || r == 0x7f {
			return -1
		}
		return r
	}, name)
	name = strings.TrimPrefix(path.Clean("/"+name), "/")
	if len(name) > 300 {
		name = strings.ToValidUTF8(name[len(name)-300:], "")
	}
	return name
}

// Documents lists a shelf's documents.
func (l *Library) Documents(ctx context.Context, slug string) ([]record.Document, error) {
	f, err := l.Shelf(ctx, slug)
	if err != nil {
		return nil, err
	}
	return l.Store.Shelves.Documents(ctx, f.ID)
}

// document returns a document that is on a shelf.
func (l *Library) document(ctx context.Context, slug string, id int64) (record.Shelf, record.Document, error) {
	f, err := l.Shelf(ctx, slug)
	if err != nil {
		return f, record.Document{}, err
	}
	d, err := l.Store.Shelves.Document(ctx, id)
	if errors.Is(err, record.ErrNotFound) || err == nil && d.Shelf != f.ID {
		return f, d, missing("there is no document %d on the shelf %q", id, slug)
	}
	return f, d, err
}

// RemoveDocument takes a document off a shelf; no answer rests on it from now
// on.
func (l *Library) RemoveDocument(ctx context.Context, slug string, id int64) error {
	f, d, err := l.document(ctx, slug, id)
	if err != nil {
		return err
	}
	if err := l.Store.Shelves.RemoveDocument(ctx, d.ID, l.Now()); err != nil {
		return err
	}
	l.apply(ctx, f.ID, id)
	return nil
}

// RestoreDocument puts it back.
func (l *Library) RestoreDocument(ctx context.Context, slug string, id int64) error {
	f, err := l.Shelf(ctx, slug)
	if err != nil {
		return err
	}
	err = l.Store.Shelves.RestoreDocument(ctx, id)
	if errors.Is(err, record.ErrNotFound) {
		return missing("there is no document %d to bring back", id)
	}
	if errors.Is(err, record.ErrDuplicate) {
		return wrong("another document of that name is on the shelf now; remove it first")
	}
	if err != nil {
		return err
	}
	l.apply(ctx, f.ID, id)
	return nil
}

// ReadAgain has a document read anew.
func (l *Library) ReadAgain(ctx context.Context, slug string, id int64) error {
	if _, _, err := l.document(ctx, slug, id); err != nil {
		return err
	}
	if err := l.Store.Shelves.ReadAgain(ctx, id); err != nil {
		return err
	}
	_, err := l.jobs.Insert(ctx, ReadArgs{Document: id}, nil)
	return err
}

// Cancel gives up what waits to be read and returns how many documents.
func (l *Library) Cancel(ctx context.Context, slug string) (int, error) {
	f, err := l.Shelf(ctx, slug)
	if err != nil {
		return 0, err
	}
	return l.Store.Shelves.CancelReading(ctx, f.ID, "reading it was cancelled; read it again when you want it")
}

// Original reads a document's file as it was added.
func (l *Library) Original(ctx context.Context, slug string, id int64) (record.Document, io.Reader, error) {
	_, d, err := l.document(ctx, slug, id)
	if err != nil {
		return d, nil, err
	}
	return d, l.Store.Shelves.Content(ctx, d.Hash), nil
}

// Passages lists a document's passages as a model would see them.
func (l *Library) Passages(ctx context.Context, slug string, id int64) (record.Document, []record.Passage, error) {
	_, d, err := l.document(ctx, slug, id)
	if err != nil {
		return d, nil, err
	}
	all, err := l.Store.Shelves.PassagesOf(ctx, id)
	return d, all, err
}

// Blocks returns what was read of a document.
func (l *Library) Blocks(ctx context.Context, slug string, id int64) (record.Document, []reading.Block, error) {
	_, d, err := l.document(ctx, slug, id)
	if err != nil {
		return d, nil, err
	}
	packed, err := l.Store.Shelves.Blocks(ctx, id)
	if err != nil || packed == nil {
		return d, nil, err
	}
	blocks, err := unpack(packed)
	return d, blocks, err
}

func (l *Library) split(d reading.Document, s Settings) []passage.Passage {
	return passage.Split(d, passage.Options{Target: s.Words, Overlap: s.Overlap})
}

// settings are those of the shelf with an id.
func (l *Library) settings(ctx context.Context, id int64) (Settings, error) {
	text, err := l.Store.Shelves.ShelfSettings(ctx, id)
	return settingsOf(text), err
}

func settingsOf(text json.RawMessage) Settings {
	s := DefaultSettings()
	_ = json.Unmarshal(text, &s) // we wrote it
	return s
}

// drawnAt is how finely pages are drawn, in dots per inch.
const drawnAt = 110

// PagePicture draws a page of a PDF; a picture is its own page.
func (l *Library) PagePicture(ctx context.Context, slug string, id int64, page int) ([]byte, error) {
	_, d, err := l.document(ctx, slug, id)
	if err != nil {
		return nil, err
	}
	if page < 1 || page > d.Pages || d.Format != "pdf" && d.Format != "picture" || l.Pages == nil {
		return nil, missing("there is no picture of page %d of %q", page, d.Name)
	}
	body, err := io.ReadAll(l.Store.Shelves.Content(ctx, d.Hash))
	if err != nil || d.Format == "picture" {
		return body, err
	}
	pages, err := l.Pages.Open(ctx, d.Name, body, d.Format)
	if err != nil {
		return nil, err
	}
	defer pages.Close()
	return pages.Draw(page, drawnAt)
}

// All lists the shelves by slug; those of conversations are not among them.
func (l *Library) All(ctx context.Context) ([]record.Shelf, error) {
	return l.Store.Shelves.Shelves(ctx)
}

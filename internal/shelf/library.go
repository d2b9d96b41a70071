// Package shelf keeps documents for desks to answer from: it takes files in,
// has them read in the background, and finds the passages that answer a
// question. Records are in PostgreSQL; what is searched is in memory, filled at
// the start and kept current by notifications, so that every instance finds
// what any of them added.
package shelf

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"runtime"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"juvalogos/core/deskfile"
	"juvalogos/core/passage"
	"juvalogos/core/phrase"
	"juvalogos/core/reading"
	"juvalogos/core/retrieval"
	"juvalogos/internal/fair"
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
	// Reader reads files, where they can do no harm.
	Reader Reader
	// Tables has what documents hold as tables read; nil: nothing is asked of tables.
	Tables Tables
	// Databases is the file of databases whose tables shelves may have; "": there are none.
	Databases string
	// NoSentences: the meanings of sentences are not made, whatever shelves say.
	NoSentences bool
}

// Reader reads files. Errors that lie with a file are *reading.Problem.
type Reader interface {
	// Read is reading.Read.
	Read(ctx context.Context, name string, body []byte, l reading.Limits) (reading.Document, error)
	// Draw draws a page of a PDF, from 1, as a PNG of so many dots per inch.
	Draw(ctx context.Context, name string, body []byte, format string, page, dpi int) ([]byte, error)
	// Unpack is reading.Unpack.
	Unpack(ctx context.Context, name string, packed []byte, l reading.Limits, each func(reading.Entry) error,
		bad func(*reading.Problem)) error
}

// Settings are how a shelf is split and searched; they stand beside it.
type Settings struct {
	Tokens       int     `json:"tokens"`        // of a passage
	Overlap      int     `json:"overlap"`       // tokens that are in the next passage too
	TitleWeight  float64 `json:"title_weight"`  // what a word counts in the title
	Expand       int     `json:"expand"`        // words that mean the same, for each word of a question
	VectorWeight float64 `json:"vector_weight"` // what the search by meaning counts; 0: none
	// Embedding is the model whose vectors the search by meaning goes by, like
	// connection/name; "": the built-in ones. MeaningWeight is what it counts.
	Embedding     string  `json:"embedding"`
	MeaningWeight float64 `json:"meaning_weight"`
	// SenseWeight is what the search by the encoder's vectors of sentences counts; 0: none are made.
	SenseWeight float64 `json:"sense_weight"`
	Candidates  int     `json:"candidates"` // passages that the last stage weighs; 0: none
	Distinct    bool    `json:"distinct"`
	// The desk's model is asked for the question in other words, and to choose
	// among what was found.
	Rephrase bool    `json:"rephrase"`
	Choose   bool    `json:"choose"`
	K1       float64 `json:"k1"`
	B        float64 `json:"b"`
	// Least is how likely, 0 to 1, something found must answer to count as an answer.
	Least float64 `json:"least"`
}

// DefaultSettings are those of docs/retrieval.md.
func DefaultSettings() Settings {
	o := retrieval.DefaultOptions
	return Settings{Tokens: passage.DefaultTarget, Overlap: passage.DefaultOverlap, TitleWeight: o.TitleWeight,
		Expand:       o.Expand,
		VectorWeight: o.VectorWeight, MeaningWeight: o.MeaningWeight, SenseWeight: o.SenseWeight,
		Candidates: o.Candidates, Distinct: o.Distinct,
		K1: o.K1, B: o.B, Least: retrieval.UsuallyEnough}
}

func (s Settings) options() retrieval.Options {
	o := retrieval.DefaultOptions
	o.TitleWeight, o.Expand, o.VectorWeight, o.Candidates, o.Distinct, o.K1, o.B = s.TitleWeight, s.Expand,
		s.VectorWeight, s.Candidates, s.Distinct, s.K1, s.B
	o.MeaningWeight, o.SenseWeight = s.MeaningWeight, s.SenseWeight
	return o
}

// Library is the shelves of one running service. It is safe for concurrent use.
//
// Unless a method says otherwise its error is *Problem, a sentence for whoever
// asked, or what the store or the model says.
type Library struct {
	*common
	jobs     *river.Client[pgx.Tx]
	stop     context.CancelFunc
	indexes  *indexes
	meanings *meanings
}

// common is what all of a library has.
type common struct {
	Options
	drawn    drawn
	encoding sync.Mutex // one shelf at a time
	// Documents are read in two lines, so that makers' and visitors' do not wait for
	// each other; queued are those that wait here, with since when.
	makersLine, visitorsLine *fair.Line
	queued                   sync.Map
	reading                  sync.Map // documents that are read here, with what ends it
	settling                 settling
	trays, slugs             sync.Map        // of shelves, by their ids: whether they are trays, and their names
	key                      []byte          // of what stands for addresses
	background               context.Context // ends with Close
	all                      sync.WaitGroup  // of what runs in the background
}

// Problem is an error that can be told to whoever asked.
type Problem struct {
	Missing bool // what was asked for is not there
	What    phrase.Phrase
}

func (p *Problem) Error() string { return p.What.String() }

func wrong(form string, values ...any) error { return &Problem{What: phrase.Of(form, values...)} }
func missing(form string, values ...any) error {
	return &Problem{Missing: true, What: phrase.Of(form, values...)}
}

// Open starts a library: it fills the indexes in the background and goes on
// with what was left unread. It fails if the store cannot be read.
func Open(ctx context.Context, o Options) (*Library, error) {
	if o.Now == nil {
		o.Now = time.Now
	}
	if o.Limits == (reading.Limits{}) {
		o.Limits = reading.DefaultLimits
	}
	background, stop := context.WithCancel(context.Background())
	c := &common{Options: o, background: background, makersLine: fair.NewLine(max(1, runtime.NumCPU()-1)),
		visitorsLine: fair.NewLine(attachedAtOnce), key: make([]byte, 32), settling: settling{busy: map[int64]bool{}}}
	_, _ = rand.Read(c.key) // never fails
	c.visitorsLine.Each(perVisitor, perVisitor)
	c.drawn.line = fair.NewLine(mostAtOnce)
	c.drawn.line.Each(1, 0)
	l := &Library{
		common: c, stop: stop,
		indexes:  &indexes{common: c, listening: make(chan struct{}), live: map[int64]*live{}},
		meanings: &meanings{common: c, embedding: map[int64]bool{}},
	}
	l.indexes.meanings, l.meanings.indexes = l.meanings, l.indexes
	if err := l.startJobs(ctx); err != nil {
		stop()
		return nil, fmt.Errorf("start background work: %w", err)
	}
	l.all.Go(func() { l.indexes.follow(background) })
	l.all.Go(func() { l.resume(background) })
	l.all.Go(func() { l.keepCurrent(background) })
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
		return record.Shelf{}, wrong("%q cannot be a shelf's name; use small letters, digits and single hyphens, "+
			"like handbook", slug)
	}
	if Private(slug) {
		return record.Shelf{}, wrong("shelves whose names begin with %s hold what visitors attach; choose another name",
			privatePrefix)
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
	_, err = l.Store.Shelves.MakeShelf(ctx,
		record.Shelf{Slug: slug, Title: title, Settings: settings, MadeBy: by, MadeAt: l.Now()})
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
	l.indexes.forget(f.ID)
	return nil
}

// settings are those of the shelf with an id.
func (l *common) settings(ctx context.Context, id int64) (Settings, error) {
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
	if page < 1 || page > d.Pages || d.Format != "pdf" && d.Format != "picture" {
		return nil, missing("there is no picture of page %d of %q", page, d.Name)
	}
	if d.Format == "picture" {
		return io.ReadAll(l.Store.Shelves.Content(ctx, d.Hash))
	}
	return l.drawn.page(ctx, fmt.Sprintf("%x %d", d.Hash, page), func() ([]byte, error) {
		body, err := io.ReadAll(l.Store.Shelves.Content(ctx, d.Hash))
		if err != nil {
			return nil, err
		}
		return l.Reader.Draw(ctx, d.Name, body, d.Format, page, drawnAt)
	})
}

// All lists the shelves by slug; those of conversations are not among them.
func (l *Library) All(ctx context.Context) ([]record.Shelf, error) {
	return l.Store.Shelves.Shelves(ctx)
}

package shelf

import (
	"bytes"
	"compress/gzip"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"iter"
	"log/slog"
	"sync"
	"time"

	"github.com/riverqueue/river"

	"juvalogos/core/evidence"
	"juvalogos/core/passage"
	"juvalogos/core/phrase"
	"juvalogos/core/prompt"
	"juvalogos/core/reading"
	"juvalogos/internal/fair"
	"juvalogos/internal/record"
	"juvalogos/internal/store"
)

// ReadArgs is the job to read a document.
type ReadArgs struct {
	Document int64 `json:"document"`
	// From stands for the address that it came from; it says nothing of it.
	From string `json:"from,omitempty"`
}

// Kind is the job's name in the queue.
func (ReadArgs) Kind() string { return "read_document" }

// visitors is the queue of what visitors attach. Makers' documents are in another,
// so that neither wait for the other's.
const visitors = "visitors"

// Limits of reading: how long one document may take, and how many are read at once.
const (
	longestReading  = 10 * time.Minute
	longestAttached = 4 * time.Minute
	attachedAtOnce  = 4 // by visitors
	perVisitor      = 2 // of them by one, or from one address
	// What visitors attach lies in memory while it is asked about: so many words of one
	// document are read, and so many of a conversation's together.
	mostAttachedWords = 600_000
	mostWordsTogether = 1_200_000
	// mostInLine is how many of each queue may wait their turn in memory.
	mostInLine = 1000
)

type readWorker struct {
	river.WorkerDefaults[ReadArgs]
	library *Library
}

// Timeout is that of waiting in line and reading together; reading has its own.
func (w *readWorker) Timeout(*river.Job[ReadArgs]) time.Duration { return -1 }

func (w *readWorker) Work(ctx context.Context, job *river.Job[ReadArgs]) error {
	defer w.library.queued.Delete(job.Args.Document)
	err := w.library.readInTurn(ctx, job.Args)
	if err != nil && ctx.Err() == nil {
		w.library.Log.Warn("a document could not be read; it will be tried again", "document", job.Args.Document,
			"error", err)
	}
	return err
}

// quiet passes on warnings only: the queue tells of every turn it takes.
type quiet struct{ slog.Handler }

func (q quiet) Enabled(ctx context.Context, l slog.Level) bool {
	return l >= slog.LevelWarn && q.Handler.Enabled(ctx, l)
}

func (q quiet) WithAttrs(a []slog.Attr) slog.Handler { return quiet{q.Handler.WithAttrs(a)} }
func (q quiet) WithGroup(name string) slog.Handler   { return quiet{q.Handler.WithGroup(name)} }

func (l *Library) startJobs(ctx context.Context) error {
	workers := river.NewWorkers()
	river.AddWorker(workers, &readWorker{library: l})
	jobs, err := l.Store.Jobs(ctx, &river.Config{
		ID: store.JobsOf(l.Instance), Workers: workers, Logger: slog.New(quiet{l.Log.Handler()}),
		FetchCooldown: 5 * time.Millisecond, // a small file is read in less than the usual tenth of a second
		Queues: map[string]river.QueueConfig{
			river.QueueDefault: {MaxWorkers: mostInLine}, visitors: {MaxWorkers: mostInLine},
		},
		// What a dead instance left is taken up and ended by resume, long before.
		RescueStuckJobsAfter: 24 * time.Hour,
	})
	if err != nil {
		return err
	}
	l.jobs = jobs
	return jobs.Start(context.WithoutCancel(ctx))
}

// resume has read what was left unread: by a service that is no more, or
// because the job could not be put in the queue.
func (l *Library) resume(ctx context.Context) {
	l.meanings.embedRest(ctx)
	if n, err := l.Store.Shelves.ReadOutdated(ctx, Edition); err != nil {
		l.Log.Warn("documents that an older version read are not read anew", "error", err)
	} else if n > 0 {
		l.Log.Info("this version reads more of documents than the last: they are read anew, and found meanwhile as "+
			"they were read before", "documents", n)
	}
	l.all.Go(func() { l.takeTables(ctx) })
	for {
		err := l.queueUnread(ctx)
		if err != nil && ctx.Err() == nil {
			l.Log.Warn("documents wait to be read", "error", err)
		}
		if err := l.Store.EndDeadJobs(ctx); err != nil && ctx.Err() == nil {
			l.Log.Warn("what dead services left in the queue still stands there", "error", err)
		}
		l.indexes.putAway()
		select {
		case <-ctx.Done():
			return
		case <-time.After(time.Minute):
		}
	}
}

// queueUnread has documents read that wait and are in no queue here.
func (l *Library) queueUnread(ctx context.Context) error {
	unread, err := l.Store.Shelves.Unfinished(ctx)
	for _, d := range unread {
		if when, is := l.queued.Load(d.ID); is && l.Now().Sub(when.(time.Time)) < 2*longestReading {
			continue
		}
		if err == nil {
			err = l.queue(ctx, d.ID)
		}
	}
	return err
}

// queue has a document read when it is its turn.
func (l *Library) queue(ctx context.Context, id int64) error {
	args := ReadArgs{Document: id}
	var options *river.InsertOpts
	switch who, _, err := l.broughtBy(ctx, id); {
	case err == nil:
		options = &river.InsertOpts{Queue: visitors}
		if p := fair.Of(ctx); p.Visitor == string(who[:]) {
			args.From = l.standFor(p.Address)
		}
	case !errors.Is(err, record.ErrNotFound):
		return err
	}
	l.queued.Store(id, l.Now())
	_, err := l.jobs.Insert(ctx, args, options)
	return err
}

// standFor makes of an address what tells it from others and nothing else.
func (l *Library) standFor(address string) string {
	m := hmac.New(sha256.New, l.key)
	m.Write([]byte(address))
	return hex.EncodeToString(m.Sum(nil)[:8])
}

// broughtKey says in a context that a document lies on a tray.
type broughtKey struct{}

// broughtBy returns for whom a document is read: the visitor who attached it, or who
// had it brought first; ErrNotFound if makers did.
func (l *common) broughtBy(ctx context.Context, document int64) (who record.Visitor, brought bool, err error) {
	if who, err = l.Store.Shelves.BroughtBy(ctx, document); !errors.Is(err, record.ErrNotFound) {
		return who, false, err
	}
	who, err = l.Store.Errands.BroughtFor(ctx, document)
	return who, err == nil, err
}

// readInTurn reads a document once it is its turn.
func (l *Library) readInTurn(ctx context.Context, a ReadArgs) error {
	line, longest := l.makersLine, longestReading
	who, brought, err := l.broughtBy(ctx, a.Document)
	switch {
	case err == nil:
		line, longest = l.visitorsLine, longestAttached
		ctx = fair.With(ctx, fair.Party{Address: a.From, Visitor: string(who[:])})
	case !errors.Is(err, record.ErrNotFound):
		return err
	}
	if brought {
		ctx = context.WithValue(ctx, broughtKey{}, true)
	}
	leave, err := line.Enter(ctx, nil)
	if err != nil {
		return err
	}
	defer leave()
	limited, cancel := context.WithTimeout(ctx, longest)
	defer cancel()
	stoppable, stop := context.WithCancelCause(limited)
	defer stop(nil)
	l.reading.Store(a.Document, stop)
	defer l.reading.Delete(a.Document)
	return l.read(stoppable, a.Document)
}

// errStopped ends the reading of a document that was given up or removed.
var errStopped = errors.New("reading was stopped")

// stopReading ends the reading of a document here, if it is to be read no more.
func (l *common) stopReading(ctx context.Context, document int64) {
	stop, reads := l.reading.Load(document)
	if !reads {
		return
	}
	if still, err := l.Store.Shelves.Reads(ctx, document); err == nil && !still {
		stop.(context.CancelCauseFunc)(errStopped)
	}
}

func (l *Library) tookTooLong(ctx context.Context) phrase.Phrase {
	longest := longestReading
	if fair.Of(ctx) != (fair.Party{}) {
		longest = longestAttached
	}
	return phrase.Of("it took longer than %d minutes to read", int(longest.Minutes()))
}

// keepUnread says what is wrong with a document; what was read of it before stays.
func (l *Library) keepUnread(ctx context.Context, d record.Document, what phrase.Phrase) error {
	if d.Passages > 0 {
		return l.keepOld(ctx, d, what)
	}
	l.reading.Delete(d.ID) // hearing of what is put on record does not stop it
	at := l.Now()
	d.State, d.Problem, d.ReadAt, d.Edition = record.Unread, what, &at, Edition
	nothing, err := pack(nil)
	if err != nil {
		return err
	}
	err = l.Store.Shelves.KeepRead(ctx, d, json.RawMessage("[]"), nothing,
		func(func(record.StoredPassage, error) bool) {})
	l.settleSoon(d.Shelf)
	return err
}

// keepOld keeps what was read before of a document that cannot be read anew.
func (l *Library) keepOld(ctx context.Context, d record.Document, what phrase.Phrase) error {
	what = phrase.Of("it could not be read anew, and is kept as it was read before: %s", what)
	if err := l.Store.Shelves.KeepProblem(ctx, d.ID, what, Edition); err != nil {
		return err
	}
	l.settleSoon(d.Shelf)
	return nil
}

// read reads a document, splits it and puts both on record. What is wrong with
// the file is on record too; an error means that it is to be tried again.
func (l *Library) read(ctx context.Context, id int64) error {
	claimed, err := l.Store.Shelves.BeginReading(ctx, id, l.Instance)
	if err != nil || !claimed {
		return err
	}
	d, err := l.Store.Shelves.Document(ctx, id)
	if err != nil {
		return nil // removed meanwhile
	}
	began := l.Now()
	var document reading.Document
	described, err := l.tablesOf(ctx, d)
	if described != nil {
		document = *described
	} else if err == nil {
		document, err = l.open(ctx, d)
	}
	var problem *reading.Problem
	switch {
	case errors.Is(context.Cause(ctx), errStopped):
		return nil // what becomes of it is on record
	case errors.As(err, &problem):
		return l.keepUnread(ctx, d, problem.What)
	case ctx.Err() != nil && context.Cause(ctx) == context.DeadlineExceeded:
		return l.keepUnread(context.WithoutCancel(ctx), d, l.tookTooLong(ctx))
	case err != nil:
		return err
	}
	if fair.Of(ctx) != (fair.Party{}) {
		if what, err := l.tooMuch(ctx, d, document.Words); err != nil {
			return err
		} else if !what.IsZero() {
			return l.keepUnread(ctx, d, what)
		}
	}
	return l.keep(ctx, d, document, began)
}

// keep splits what was read of a document and puts both on record, where they are
// found from then on.
func (l *Library) keep(ctx context.Context, d record.Document, document reading.Document, began time.Time) error {
	settings, err := l.settings(ctx, d.Shelf)
	if err != nil {
		return err
	}
	d.State = record.Ready
	d.Title, d.Format, d.Language, d.Pages, d.Words = document.Title, document.Format, document.Language,
		document.Pages, document.Words
	d.Original, d.LeftOut, d.Edition = document.Original, document.Left, Edition
	d.Beginning, d.Headings = document.Beginning(), document.Headings()
	at := l.Now().Truncate(time.Microsecond) // as it is kept
	d.ReadAt, d.Seconds = &at, at.Sub(began).Seconds()
	packed, err := pack(document.Blocks)
	if err != nil {
		return err
	}
	edges, err := json.Marshal(append([]passage.Edge{}, passage.Edges(document)...))
	if err != nil {
		return err
	}
	passages := func(yield func(record.StoredPassage, error) bool) {
		for p, err := range l.indexes.ahead(d, l.split(ctx, document, settings, nil)) {
			if !yield(p, err) {
				return
			}
		}
		// From here on it is not stopped any more: hearing that it is on record as
		// read would do so too.
		l.reading.Delete(d.ID)
	}
	err = l.Store.Shelves.KeepRead(ctx, d, edges, packed, passages)
	switch {
	case err != nil && errors.Is(context.Cause(ctx), errStopped):
		return nil
	case err != nil && context.Cause(ctx) == context.DeadlineExceeded:
		return l.keepUnread(context.WithoutCancel(ctx), d, l.tookTooLong(ctx))
	case err != nil:
		l.indexes.apply(context.WithoutCancel(ctx), d.Shelf, d.ID)
		return fmt.Errorf("keep what was read of %s: %w", d.Name, err)
	}
	l.indexes.apply(ctx, d.Shelf, d.ID)
	if fair.Of(ctx) != (fair.Party{}) {
		l.indexes.putAway()
	}
	l.settleSoon(d.Shelf)
	l.Log.Debug("document read", "name", d.Name, "state", d.State, "seconds", d.Seconds)
	return nil
}

// tooMuch says that a document that a visitor attached has more words than are kept
// of it, or of all in its conversation; nothing if it has not.
func (l *Library) tooMuch(ctx context.Context, d record.Document, words int) (phrase.Phrase, error) {
	if words > mostAttachedWords {
		return phrase.Of("it has %d words; up to %d are read of a document that is attached", words,
			mostAttachedWords), nil
	}
	if ctx.Value(broughtKey{}) != nil { // the errand counts those of its conversation
		return phrase.Phrase{}, nil
	}
	there, err := l.Store.Shelves.Documents(ctx, d.Shelf)
	for _, other := range there {
		if other.ID != d.ID {
			words += other.Words
		}
	}
	if words > mostWordsTogether {
		return phrase.Of("the documents of this conversation would have %d words together; up to %d are read", words,
			mostWordsTogether), err
	}
	return phrase.Phrase{}, err
}

// open reads a document's file.
func (l *Library) open(ctx context.Context, d record.Document) (reading.Document, error) {
	body, err := io.ReadAll(l.Store.Shelves.Content(ctx, d.Hash))
	if err != nil {
		return reading.Document{}, err
	}
	return l.Reader.Read(ctx, d.Name, body, l.Limits)
}

// Edition is that of the readers: what an older one read is read anew. It counts
// up when documents are read otherwise.
const Edition = 1

// counter counts the tokens of passages.
var counter = sync.OnceValues(func() (prompt.Counter, error) { return prompt.NewCounter(passage.Vocabulary) })

// split splits a document, with some of its blocks left out, into what is kept,
// as that is asked for. Its last error is the context's cause.
func (l *Library) split(ctx context.Context, document reading.Document, s Settings,
	skipped []int32) iter.Seq2[record.StoredPassage, error] {
	return func(yield func(record.StoredPassage, error) bool) {
		c, err := counter()
		if err != nil {
			yield(record.StoredPassage{}, err)
			return
		}
		skip := map[int]bool{}
		for _, b := range skipped {
			skip[int(b)] = true
		}
		n := 0
		for p := range passage.Split(ctx, document, passage.Options{Target: s.Tokens, Overlap: s.Overlap,
			Count: c.Count,
			Skip:  skip}) {
			if !yield(record.StoredPassage{Number: n, ID: p.ID, Path: append([]string{}, p.Path...), Text: p.Text,
				Spans: placed(document.Blocks, p.Spans), Size: p.Size}, nil) {
				return
			}
			n++
		}
		if err := context.Cause(ctx); err != nil {
			yield(record.StoredPassage{}, err)
		}
	}
}

// placed is spans with their places.
func placed(blocks []reading.Block, spans []evidence.Offsets) []evidence.Stretch {
	all := make([]evidence.Stretch, len(spans))
	for i, s := range spans {
		b := blocks[s.Block]
		at := evidence.Place{Line: b.Line, Sheet: b.Sheet, Row: b.Row, Paragraph: b.Paragraph, Chapter: b.Chapter}
		var breaks []evidence.Break
		for _, m := range b.Marks {
			if m.At <= s.From || at.Page == 0 && !at.Timed {
				at.Page, at.Time, at.Timed = m.Page, m.Time, m.Page == 0
			} else if m.At < s.To && (m.Page == 0 || m.Page != at.Page) {
				breaks = append(breaks, evidence.Break{At: m.At, Page: m.Page, Time: m.Time})
			}
		}
		all[i] = evidence.Stretch{Offsets: s, Place: at, Breaks: breaks, Heading: b.Kind == reading.Heading}
	}
	return all
}

// pack and unpack keep blocks small.
func pack(blocks []reading.Block) ([]byte, error) {
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	if err := json.NewEncoder(z).Encode(blocks); err != nil {
		return nil, err
	}
	err := z.Close()
	return b.Bytes(), err
}

func unpack(packed []byte) (blocks []reading.Block, err error) {
	z, err := gzip.NewReader(bytes.NewReader(packed))
	if err != nil {
		return nil, err
	}
	return blocks, json.NewDecoder(z).Decode(&blocks)
}

// Package recording takes in what people speak: it keeps recordings, has them written
// down piece by piece by a model that hears, lets the words be put right, and keeps the
// sound no longer than a desk wants it.
//
//	r, problem, err := recordings.Take(ctx, recording.For{Desk: d, Conversation: id, Visitor: who}, "note.m4a", body)
//	err = recordings.Begin(ctx, d, r.ID, who, record.Wishes{Language: "en"})
//	r, pieces, err := recordings.Wait(ctx, r.ID, who, r.Version)
//
// A recording belongs to a conversation and is on record from its beginning: writing it
// down goes on after a restart with the pieces that are not done. Its text is a document
// of the conversation, so that questions find it. Foreign bytes are read in confined
// processes only (internal/readers). Errors are *fault.Problem, *limits.Exceeded, the
// context's or the store's.
package recording

import (
	"cmp"
	"context"
	"errors"
	"io"
	"log/slog"
	"os"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"github.com/google/uuid"

	"juvalogos/core/deskfile"
	"juvalogos/core/phrase"
	"juvalogos/core/reading"
	"juvalogos/core/sound"
	"juvalogos/internal/desk"
	"juvalogos/internal/fair"
	"juvalogos/internal/fault"
	"juvalogos/internal/limits"
	"juvalogos/internal/models"
	"juvalogos/internal/readers"
	"juvalogos/internal/record"
	"juvalogos/internal/reply"
	"juvalogos/internal/shelf"
	"juvalogos/internal/store"
)

// Options are what a Service is made of.
type Options struct {
	Store    *store.Recordings
	Files    *store.Shelves // hold what was spoken aloud
	Reader   Reader
	Desks    *desk.Service
	Replies  *reply.Service
	Shelves  *shelf.Library // nil: texts are no documents
	Limits   *limits.Table
	Log      *slog.Logger
	Instance int32
	Now      func() time.Time // nil: time.Now
}

// Reader reads sound where it can do no harm.
type Reader interface {
	Record(ctx context.Context, name string, in, out *os.File, most float64) (readers.Recorded, error)
	Cut(ctx context.Context, name string, in *os.File, foreign bool, w readers.Stretch) ([]byte, error)
}

// Service is the recordings of one running service. It is safe for concurrent use.
type Service struct {
	Options
	background context.Context
	stop       context.CancelFunc
	all        sync.WaitGroup
	reading    *fair.Line // of recordings that are read
	writing    *fair.Line // of recordings that are written down

	texts   sync.Mutex // held while a text becomes a document or is one no more
	mu      sync.Mutex
	running map[uuid.UUID]context.CancelCauseFunc
}

const (
	// readAtOnce is how many recordings are read at once, one of a visitor and never all of
	// one address; writtenAtOnce how many are written down.
	readAtOnce    = 3
	writtenAtOnce = 8
	eachWritten   = 3
	// MostBytes is the most bytes of a file that is taken in, and mostKept of its sound.
	MostBytes = 1 << 30
	mostKept  = 2 << 30
	// longestName is how long a name may be that is shown, in characters.
	longestName = 120
	longestWho  = 60
	longestSaid = 4000
	// longestNames is how many characters of names and spellings a model is given.
	longestNames = 2000
)

var errStopped = errors.New("stopped by the visitor")

// New returns a service, which goes on with what another instance left.
func New(o Options) *Service {
	if o.Now == nil {
		o.Now = time.Now
	}
	s := &Service{Options: o, reading: fair.NewLine(readAtOnce), writing: fair.NewLine(writtenAtOnce),
		running: map[uuid.UUID]context.CancelCauseFunc{}}
	s.reading.Each(1, readAtOnce-1)
	s.writing.Each(eachWritten, writtenAtOnce-1)
	s.background, s.stop = context.WithCancel(context.Background())
	s.all.Go(s.rounds)
	return s
}

// Close stops writing down; the next instance goes on with it.
func (s *Service) Close() {
	s.stop()
	s.all.Wait()
}

// For says to what a recording belongs.
type For struct {
	Desk         *desk.Desk
	Conversation uuid.UUID
	Visitor      record.Visitor
	Source       string // the address that it came from
}

// Take takes a recording in. A problem is for whoever gave it; the error is everything
// else that went wrong.
func (s *Service) Take(ctx context.Context, f For, name string, body io.Reader) (r record.Recording,
	problem phrase.Phrase, err error) {
	name = CleanName(name)
	settings := f.Desk.Settings.Sound
	there, err := s.Store.InConversation(ctx, f.Conversation, f.Visitor)
	if err != nil {
		return r, problem, fault.Logged(s.Log, "recordings of a conversation", fault.New(fault.NoRecords, err))
	}
	if len(there) >= settings.Most {
		return r, phrase.Of("a conversation takes %d recordings at most; remove one first, or begin another "+
			"conversation", settings.Most), nil
	}
	in, problem, err := aside(body, MostBytes)
	if err != nil || !problem.IsZero() {
		return r, problem, err
	}
	defer in.Close()
	read, out, problem, err := s.read(ctx, name, in, float64(60*settings.Minutes))
	if err != nil || !problem.IsZero() {
		return r, problem, err
	}
	defer out.Close()
	now := s.Now()
	r = record.Recording{ID: uuid.Must(uuid.NewV7()), Conversation: f.Conversation, DeskID: f.Desk.DeskID,
		Visitor: f.Visitor, Name: name, Kind: read.Kind, Seconds: read.Seconds, Loudness: read.Loudness,
		Note:   read.Note,
		Source: f.Source, AddedAt: now, State: record.SoundGiven, Version: 1}
	if settings.Keep == deskfile.KeepDays {
		r.KeepUntil = new(now.Add(time.Duration(settings.Days) * 24 * time.Hour))
	}
	if _, err := out.Seek(0, io.SeekStart); err != nil {
		return r, problem, err
	}
	channel := "page"
	if f.Desk.Number == 0 {
		channel = "preview" // trying a draft leaves nothing behind
	}
	err = s.Store.Add(ctx, &r, channel, out, mostKept)
	return r, problem, fault.NotFound(s.Log, fault.NoConversation, err)
}

// told parts what is wrong with a recording from what went wrong otherwise.
func told(err error) (phrase.Phrase, error) {
	var wrong *reading.Problem
	if errors.As(err, &wrong) {
		return wrong.What, nil
	}
	return phrase.Phrase{}, err
}

// aside is a file without a name that holds what comes: a crash leaves none behind.
func aside(body io.Reader, most int64) (f *os.File, problem phrase.Phrase, err error) {
	if f, err = os.CreateTemp("", "juvalogos-sound-"); err != nil {
		return nil, problem, err
	}
	err = os.Remove(f.Name())
	size := int64(0)
	if err == nil {
		size, err = io.Copy(f, io.LimitReader(body, most+1))
	}
	if err == nil && size > most {
		problem = phrase.Of("it has more than %d MB; save it as MP3, or give it in parts", most>>20)
	}
	if err == nil {
		_, err = f.Seek(0, io.SeekStart)
	}
	if err != nil || !problem.IsZero() {
		_ = f.Close() // it goes with that
		return nil, problem, err
	}
	return f, problem, nil
}

// Aside is a file that was set aside until more is known of it.
type Aside struct{ *os.File }

// Close forgets it; nil does nothing.
func (a *Aside) Close() {
	if a != nil {
		_ = a.File.Close() // it goes with that
	}
}

// SetAside sets a file aside. A problem is for whoever gave it.
func SetAside(body io.Reader) (*Aside, phrase.Phrase, error) {
	f, problem, err := aside(body, MostBytes)
	if f == nil {
		return nil, problem, err
	}
	return &Aside{f}, problem, err
}

// CleanName is a recording's name as it is shown.
func CleanName(name string) string {
	name = record.OneLine(name[strings.LastIndexAny(name, `/\`)+1:], longestName)
	return cmp.Or(name, "recording")
}

// Model is the desk's model that hears, and its price.
func (s *Service) Model(d *desk.Desk) (models.Entry, error) { return s.Desks.Hears(d) }

// Wishes are those of a visitor as far as the desk lets them have their own, with the
// desk's for the rest.
func Wishes(d deskfile.Sound, e models.Entry, own record.Wishes) (record.Wishes, error) {
	w := record.Wishes{Task: d.Task, Language: d.Language, Names: strings.TrimSpace(d.Names),
		Temperature: d.Temperature,
		Words:       d.Words == nil || *d.Words}
	if own.Task != "" && d.May("task") {
		w.Task = own.Task
	}
	if w.Task == deskfile.IntoEnglish && !e.Hears.English && !e.Able("chat") {
		return w, fault.Say(fault.NotOffered, "This desk does not translate what is spoken.")
	}
	if own.Language != "" && d.May("language") {
		if w.Language = sound.LanguageCode(own.Language); w.Language == "" {
			return w,
				fault.Say(fault.Invalid, "“%s” is no language that is known here; write its two letters, like en.",
					own.Language)
		}
	}
	if w.Language != "" && !e.Hears.Knows(w.Language) {
		return w, fault.Say(fault.NotOffered, "This desk does not write down what is spoken in %s.",
			sound.LanguageName(w.Language))
	}
	if own.Temperature != nil && d.May("temperature") {
		if w.Temperature = own.Temperature; *w.Temperature < 0 || *w.Temperature > 1 {
			return w, fault.Say(fault.Invalid, "The temperature is a number from 0 to 1.")
		}
	}
	if added := strings.Join(strings.Fields(string(record.Clean([]byte(own.Names)))), " "); added != "" &&
		e.Hears.Guided() {
		if d.May("names") {
			w.Names = added
		} else if w.Names != added && !strings.Contains(w.Names, added) {
			w.Names = strings.Trim(w.Names+", "+added, ", ")
		}
	}
	if utf8.RuneCountInString(w.Names) > longestNames {
		return w, fault.Say(fault.Invalid, "Write up to %d characters of names.", longestNames)
	}
	return w, nil
}

// Of returns a visitor's recording.
func (s *Service) Of(ctx context.Context, id uuid.UUID, who record.Visitor) (record.Recording, error) {
	r, err := s.Store.One(ctx, id)
	if err == nil && r.Visitor != who {
		err = record.ErrNotFound
	}
	return r, fault.NotFound(s.Log, fault.NoRecording, err)
}

// List are the recordings of a visitor's conversation, in their order.
func (s *Service) List(ctx context.Context, conversation uuid.UUID, who record.Visitor) ([]record.Recording, error) {
	all, err := s.Store.InConversation(ctx, conversation, who)
	return all, fault.NotFound(s.Log, fault.NoConversation, err)
}

// longestWait is how long Wait waits for news, and lookEvery how often it looks.
const (
	longestWait = 20 * time.Second
	lookEvery   = 250 * time.Millisecond
)

// Wait returns a visitor's recording and its pieces once it is newer than a version, or
// after a while.
func (s *Service) Wait(ctx context.Context, id uuid.UUID, who record.Visitor, seen int64) (r record.Recording,
	pieces []record.SoundPiece, err error) {
	look := time.NewTicker(lookEvery)
	defer look.Stop()
	for until := time.Now().Add(longestWait); seen > 0 && time.Now().Before(until); {
		version, err := s.Store.Version(ctx, id)
		if err != nil || version > seen {
			break
		}
		select {
		case <-ctx.Done():
			return r, nil, context.Cause(ctx)
		case <-s.background.Done():
			return r, nil, fault.Plain(fault.Closing)
		case <-look.C:
		}
	}
	if r, err = s.Of(ctx, id, who); err != nil {
		return r, nil, err
	}
	if pieces, err = s.Store.Pieces(ctx, id); err != nil {
		err = fault.Logged(s.Log, "pieces of a recording", fault.New(fault.NoRecords, err))
	}
	return r, pieces, err
}

// Transcript is what was said in a recording, as far as it is known, with what was put
// right; heard is the same as it was heard.
func Transcript(r record.Recording, pieces []record.SoundPiece) (text, heard sound.Transcript) {
	heard = sound.Transcript{Language: r.Language, Sentences: r.Heard}
	if r.Heard == nil {
		heard.Sentences = sound.Sentences(joined(pieces, true))
	}
	return heard.PutRight(r.PutRight), heard
}

// joined are the words of pieces; growing says that those after one that is not done are
// left out.
func joined(pieces []record.SoundPiece, growing bool) []sound.Word {
	var parts []sound.Part
	for _, p := range pieces {
		if p.State != record.PieceDone {
			if growing {
				break
			}
			continue
		}
		part := sound.Part{Piece: p.Piece, Words: p.Words}
		if len(parts) > 0 && pieces[p.Number-1].State != record.PieceDone {
			part.Clean = true // nothing came before it that it could share
		}
		parts = append(parts, part)
	}
	return sound.Join(parts)
}

// PutRight keeps what a visitor put right of a sentence; nothing takes it back. It
// returns names that are new in it.
func (s *Service) PutRight(ctx context.Context, id uuid.UUID, who record.Visitor, sentence int, right sound.Right) (
	names []string, err error) {
	r, err := s.Of(ctx, id, who)
	if err != nil {
		return nil, err
	}
	if sentence < 0 || sentence >= len(r.Heard) {
		return nil, fault.Say(fault.Invalid, "There is no sentence %d in this recording.", sentence+1)
	}
	right.Text = strings.Join(strings.Fields(string(record.Clean([]byte(right.Text)))), " ")
	if utf8.RuneCountInString(right.Text) > longestSaid {
		return nil, fault.Say(fault.Invalid, "Write up to %d characters.", longestSaid)
	}
	if right.Text == r.Heard[sentence].Text {
		right.Text = ""
	}
	if right.Who != nil {
		right.Who = new(record.OneLine(*right.Who, longestWho))
		if *right.Who == r.Heard[sentence].Who {
			right.Who = nil
		}
	}
	if err := s.Store.PutRight(ctx, id, who, sentence, right); err != nil {
		return nil, fault.NotFound(s.Log, fault.NoRecording, err)
	}
	s.documentSoon(id)
	if right.Text != "" {
		names = r.Heard[sentence].NewWords(right.Text)
	}
	return names, nil
}

// Remove takes a visitor's recording away for good: its sound, its text, and the document.
func (s *Service) Remove(ctx context.Context, id uuid.UUID, who record.Visitor) error {
	r, err := s.Of(ctx, id, who)
	if err != nil {
		return err
	}
	s.cancel(id)
	if err := s.Store.Remove(ctx, id, who); err != nil {
		return fault.NotFound(s.Log, fault.NoRecording, err)
	}
	s.scrubSoon()
	s.texts.Lock()
	defer s.texts.Unlock()
	return s.forgetText(context.WithoutCancel(ctx), r)
}

// Stop ends that a visitor's recording is written down; what was heard stays.
func (s *Service) Stop(ctx context.Context, id uuid.UUID, who record.Visitor) error {
	err := s.Store.Stop(ctx, id, who, s.Now())
	if err == nil {
		s.cancel(id)
	}
	return fault.NotFound(s.Log, fault.NoRecording, err)
}

// cancel ends the work on a recording here.
func (s *Service) cancel(id uuid.UUID) {
	s.mu.Lock()
	end := s.running[id]
	s.mu.Unlock()
	if end != nil {
		end(errStopped)
	}
}

// Sound reads the sound of a recording from an offset on.
func (s *Service) Sound(ctx context.Context, r record.Recording, from int64) io.Reader {
	return s.Store.Sound(ctx, r.ID, from)
}

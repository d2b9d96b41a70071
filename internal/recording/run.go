package recording

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"io"
	"os"
	"path"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"

	"juvalogos/core/deskfile"
	"juvalogos/core/phrase"
	"juvalogos/core/recipe"
	"juvalogos/core/sound"
	"juvalogos/internal/desk"
	"juvalogos/internal/fair"
	"juvalogos/internal/fault"
	"juvalogos/internal/limits"
	"juvalogos/internal/models"
	"juvalogos/internal/readers"
	"juvalogos/internal/record"
)

// Begin has a visitor's recording written down as they wish. What failed alone is tried
// again if again says so; otherwise all of it is heard anew.
func (s *Service) Begin(ctx context.Context, d *desk.Desk, id uuid.UUID, who record.Visitor, own record.Wishes,
	again bool) error {
	r, err := s.Of(ctx, id, who)
	if err != nil {
		return err
	}
	if !r.Kept {
		return fault.Say(fault.NotOffered, "The recording is not kept any more; its text is. Give it again to have it "+
			"written down anew.")
	}
	e, err := s.Model(d)
	if err != nil {
		return err
	}
	if again {
		own = r.Wishes
	}
	wishes, err := Wishes(d.Settings.Sound, e, own)
	if err != nil {
		return err
	}
	if again {
		wishes = r.Wishes
	}
	there, err := s.Store.Pieces(ctx, id)
	if err != nil {
		return fault.Logged(s.Log, "begin a recording", fault.New(fault.NoRecords, err))
	}
	var pieces []record.SoundPiece
	if !again || len(there) == 0 {
		pieces = cut(r, e.Hears)
	}
	taken, err := s.Limits.Reserve(ctx, d.Slug, limits.Amounts{limits.SoundMinutes: int64(r.Seconds/60) + 1})
	if err != nil {
		return err
	}
	now := s.Now()
	r.Wishes, r.Model, r.BegunAt = wishes, e.Path(), &now
	switch err := s.Store.Begin(ctx, r, pieces, s.Instance); {
	case errors.Is(err, record.ErrDuplicate):
		taken.Undo()
		return fault.Plain(fault.StillWriting)
	case err != nil:
		taken.Undo()
		return fault.Logged(s.Log, "begin a recording", fault.New(fault.NoRecords, err))
	}
	taken.Done()
	s.launch(fair.Of(ctx), d, r)
	return nil
}

// cut are the pieces of a recording as a model takes them. Those in which nobody speaks
// are done: a model that is given silence makes words up.
func cut(r record.Recording, h models.Hears) (pieces []record.SoundPiece) {
	curve := sound.Loudness(r.Loudness)
	for i, p := range sound.Cut(curve, sound.CutLimits{Most: h.Piece()}) {
		p.End = min(p.End, r.Seconds)
		one := record.SoundPiece{Number: i, Piece: p, State: record.PieceWaiting}
		if len(stretch(curve, p).Spoken()) == 0 {
			one.State = record.PieceDone
		}
		pieces = append(pieces, one)
	}
	return pieces
}

// stretch is how loud a recording is in a piece.
func stretch(curve sound.Loudness, p sound.Piece) sound.Loudness {
	from := min(int(p.Start/sound.Frame), len(curve))
	return curve[from:max(from, min(int(p.End/sound.Frame+0.5), len(curve)))]
}

// launch writes a recording down in the background.
func (s *Service) launch(p fair.Party, d *desk.Desk, r record.Recording) {
	ctx, cancel := context.WithCancelCause(fair.With(s.background, p))
	s.mu.Lock()
	s.running[r.ID] = cancel
	s.mu.Unlock()
	s.all.Go(func() {
		defer func() {
			cancel(nil)
			s.mu.Lock()
			delete(s.running, r.ID)
			s.mu.Unlock()
		}()
		w := &writing{Service: s, desk: d, r: r}
		w.run(ctx)
	})
}

// writing is a recording that is being written down.
type writing struct {
	*Service
	desk  *desk.Desk
	r     record.Recording
	entry models.Entry
	sound *os.File
	from  float64 // where in it the pieces begin to count
}

// run writes the recording down and puts on record how that ended.
func (w *writing) run(ctx context.Context) {
	err := w.write(ctx)
	if w.background.Err() != nil {
		return // the next instance goes on with it
	}
	w.finish(context.WithoutCancel(ctx), err)
}

// write has all pieces heard that wait.
func (w *writing) write(ctx context.Context) (err error) {
	leave, err := w.Service.writing.Enter(ctx, nil)
	if err != nil {
		return err
	}
	defer leave()
	if w.entry, err = w.Model(w.desk); err != nil {
		return err
	}
	pieces, err := w.Store.Pieces(ctx, w.r.ID)
	if err != nil {
		return err
	}
	if w.sound, _, err = aside(w.Sound(ctx, w.r, 0), mostKept); err != nil {
		return err
	}
	defer w.sound.Close()
	turns := make(chan struct{}, w.entry.Hears.Pieces())
	var all sync.WaitGroup
	defer all.Wait()
	hopeless := make(chan error, 1) // what the others would meet too
	for _, p := range pieces {
		if p.State != record.PieceWaiting {
			continue
		}
		select {
		case turns <- struct{}{}:
		case err := <-hopeless:
			return err
		case <-ctx.Done():
			return context.Cause(ctx)
		}
		all.Go(func() {
			defer func() { <-turns }()
			if err := w.piece(ctx, p); err != nil {
				select {
				case hopeless <- err:
				default:
				}
			}
		})
	}
	all.Wait()
	select {
	case err := <-hopeless:
		return err
	default:
		return context.Cause(ctx)
	}
}

// piece has one piece heard and puts that on record. An error is one that the others
// would meet too.
func (w *writing) piece(ctx context.Context, p record.SoundPiece) error {
	heard, call, err := w.hear(ctx, p.Piece)
	if ctx.Err() != nil {
		return nil // it waits still
	}
	if call != nil {
		calls := []recipe.ModelCall{*call}
		var before []recipe.ModelCall
		if json.Unmarshal(p.Calls, &before) == nil {
			calls = append(before, calls...)
		}
		if p.Calls, err = joinErrors(calls, err); err == nil {
			p.Problem = phrase.Phrase{}
		}
	}
	p.State = record.PieceDone
	if err != nil {
		p.State, p.Problem = record.PieceFailed, said(err)
		w.Log.Warn("a piece of a recording was not heard", "recording", w.r.ID, "piece", p.Number, "error", err)
	} else {
		p.Words, p.Language = w.words(heard, p.Piece), heard.Language
	}
	for {
		kept, failed := w.Store.KeepPiece(context.WithoutCancel(ctx), w.r.ID, p, w.Instance)
		if failed == nil {
			if !kept {
				w.cancel(w.r.ID)
			}
			break
		}
		// While the database is away what was heard waits for it.
		w.Log.Warn("what was heard could not be put on record", "recording", w.r.ID, "error", failed)
		select {
		case <-ctx.Done():
			return nil
		case <-time.After(time.Second):
		}
	}
	if final(err) {
		return err
	}
	return nil
}

// mostWords is how many words a second of sound may have: nobody speaks faster, but a model
// may not find an end.
const mostWords = 12

// words makes timed words of what was heard of a piece and of what leads up to it, no more
// than can have been said. Only the piece's own are left.
func (w *writing) words(heard sound.Heard, p sound.Piece) []sound.Word {
	lead := w.entry.Hears.LeadTo(p.Start)
	l := stretch(w.r.Loudness, sound.Piece{Start: p.Start - lead, End: p.End})
	words := heard.Spread(l)
	return sound.From(words[:min(len(words), int(mostWords*l.Seconds())+20)], lead)
}

func joinErrors(calls []recipe.ModelCall, err error) (json.RawMessage, error) {
	text, failed := json.Marshal(calls)
	return text, errors.Join(err, failed)
}

// final reports whether asking for other pieces would end the same way.
func final(err error) bool {
	var failure *models.Error
	if !errors.As(err, &failure) {
		return false
	}
	switch failure.Kind {
	case models.KeyMissing, models.KeyRefused, models.UnknownModel, models.NoCredit, models.OverQuota,
		models.NotRunning,
		models.Unsupported, models.NoAccess, models.Untrusted:
		return true
	}
	return false
}

// hear has a piece of the recording heard, with what leads up to it.
func (w *writing) hear(ctx context.Context, p sound.Piece) (sound.Heard, *recipe.ModelCall, error) {
	p.Start -= w.entry.Hears.LeadTo(p.Start)
	body, kind, err := w.as(ctx, w.entry, w.sound, w.from+p.Start, w.from+p.End)
	if err != nil {
		return sound.Heard{}, nil, err
	}
	asked := w.asked(p)
	return w.Replies.Hear(ctx, w.entry, w.r.Visitor, recipe.Media{Name: "recording", Kind: kind, Body: body}, asked,
		w.r.Wishes.Temperature)
}

func (w *writing) asked(p sound.Piece) sound.Asked {
	return sound.Asked{Translate: w.r.Wishes.Task == deskfile.IntoEnglish, Language: w.r.Wishes.Language,
		Prompt: guide(w.entry, w.r.Wishes.Names), Seconds: p.End - p.Start, Words: w.r.Wishes.Words,
		Recording: w.r.ID.String(), From: p.Start, To: p.End}
}

func guide(e models.Entry, names string) string {
	if !e.Hears.Guided() {
		return ""
	}
	return names
}

// as is a stretch of a sound as a model takes it.
func (s *Service) as(ctx context.Context, e models.Entry, of *os.File, from, to float64) (body []byte, kind string,
	err error) {
	h := e.Hears
	format := cmp.Or(h.Kind, "wav")
	body, err = s.Reader.Cut(ctx, "recording", of, false, readers.Stretch{Start: from, End: to, Kind: format,
		Rate:     h.Rate,
		Channels: h.Channels})
	return body, map[string]string{"wav": "audio/wav", "mp3": "audio/mpeg", "flac": "audio/flac",
		"ogg": "audio/ogg"}[format], err
}

// said is what a visitor reads of an error.
func said(err error) phrase.Phrase {
	var problem *fault.Problem
	if errors.As(err, &problem) {
		return problem.Sentence
	}
	var failure *models.Error
	if errors.As(err, &failure) {
		switch failure.Kind {
		case models.Busy, models.Waking, models.NoMemory:
			return phrase.Of("it is very busy at the moment; try again in a while")
		case models.TooLong:
			return phrase.Of("it is too long for the desk's recogniser")
		case models.Unreachable, models.Silent, models.CutOff, models.ServerFailed, models.NotRunning:
			return phrase.Of("what writes it down cannot be reached at the moment; try again in a while")
		}
		return phrase.Of("this desk is not set up correctly at the moment; the person who runs it can put it right")
	}
	return phrase.Of("something went wrong on our side; try again in a while")
}

// finish puts on record how it ended, and what came of it where it belongs.
func (w *writing) finish(ctx context.Context, err error) {
	pieces, failed := w.Store.Pieces(ctx, w.r.ID)
	for failed != nil { // it waits for the database
		w.Log.Warn("a recording is not on record", "recording", w.r.ID, "error", failed)
		select {
		case <-w.background.Done():
			return
		case <-time.After(time.Second):
		}
		pieces, failed = w.Store.Pieces(ctx, w.r.ID)
	}
	if errors.Is(err, errStopped) {
		w.trace(ctx, pieces, err)
		w.document(ctx, pieces)
		return // the visitor's stop is on record already
	}
	done, missing := 0, 0
	languages := map[string]int{}
	for _, p := range pieces {
		switch p.State {
		case record.PieceDone:
			done++
			if p.Language != "" {
				languages[p.Language]++
			}
		default:
			missing++
			if w.r.Problem.IsZero() {
				w.r.Problem = p.Problem
			}
		}
	}
	w.r.State, w.r.EndedAt = record.SoundReady, new(w.Now())
	if err != nil {
		w.r.Problem = said(err)
		w.Log.Warn("a recording was not written down", "recording", w.r.ID, "error", err)
	}
	switch {
	case missing == 0 && err == nil:
		w.r.Problem = phrase.Phrase{}
	case spokenIn(pieces):
		w.r.State = record.SoundPartly
	default:
		w.r.State = record.SoundFailed
	}
	for code, n := range languages {
		if w.r.Language == "" || n > languages[w.r.Language] {
			w.r.Language = code
		}
	}
	if w.r.Wishes.Task == deskfile.IntoEnglish {
		w.r.Language = "en"
	}
	w.r.Heard = sound.Sentences(joined(pieces, false))
	if w.r.Heard == nil {
		w.r.Heard = []sound.Sentence{}
	}
	w.r.Kept = w.r.State != record.SoundReady || w.desk.Settings.Sound.Keep != deskfile.KeepUntilText
	w.r.Cost = w.trace(ctx, pieces, err)
	if kept, err := w.Store.End(ctx, w.r, w.Instance); err != nil || !kept {
		w.Log.Warn("a recording is not on record as done; it is taken up again", "recording", w.r.ID, "error", err)
		return
	}
	w.document(ctx, pieces)
	if !w.r.Kept {
		w.scrubSoon()
	}
}

func spokenIn(pieces []record.SoundPiece) bool {
	for _, p := range pieces {
		if p.State == record.PieceDone && len(p.Words) > 0 {
			return true
		}
	}
	return false
}

// trace puts on record how the recording was heard, and returns what that cost. Only the
// calls of this attempt count.
func (w *writing) trace(ctx context.Context, pieces []record.SoundPiece, err error) (cost float64) {
	began := *w.r.BegunAt
	var spans []recipe.Span
	for _, p := range pieces {
		span := recipe.Span{Step: "hear", Number: p.Number + 1, Do: "hear", Parent: -1, State: recipe.Done,
			In: recipe.Values{"from": p.Start, "to": p.End}}
		var all []recipe.ModelCall
		if len(p.Calls) > 0 && json.Unmarshal(p.Calls, &all) != nil {
			continue
		}
		for _, c := range all {
			if !c.At.Before(began) {
				span.Calls = append(span.Calls, figures(c))
			}
		}
		switch {
		case len(all) == 0 && p.State == record.PieceDone:
			span.State = recipe.Skipped
			span.Notes = []string{"nobody speaks here"}
		case len(span.Calls) == 0 && p.State == record.PieceDone:
			span.State = recipe.Reused
		case p.State == record.PieceFailed:
			span.State, span.Error = recipe.Failed, p.Problem.String()
		case p.State == record.PieceWaiting:
			span.State = recipe.Stopped
		}
		if len(span.Calls) > 0 {
			c := span.Calls[len(span.Calls)-1]
			span.Start, span.Took = max(0, c.At.Sub(began)), c.Took
			span.Error = cmp.Or(span.Error, c.Error)
		}
		spans = append(spans, span)
	}
	used := recipe.Sum(spans)
	t := &record.Trace{ID: uuid.Must(uuid.NewV7()), Kind: "hearing", Turn: w.r.ID, Attempt: w.r.Attempt + 1,
		DeskID: w.r.DeskID, Revision: w.desk.Number, Visitor: w.r.Visitor, Recipe: "hearing",
		State:     string(record.Done),
		StartedAt: began, Seconds: w.Now().Sub(began).Seconds(), Usage: record.Usage(used)}
	if err != nil {
		t.State, t.Problem = string(record.Failed), err.Error()
		if errors.Is(err, errStopped) {
			t.State, t.Problem = string(record.Stopped), ""
		}
	}
	w.Replies.KeepBeside(ctx, t, spans)
	return used.Cost
}

// figures are those of a call, without what was said: that is the visitor's own.
func figures(c recipe.ModelCall) recipe.ModelCall {
	c.Answer, c.Thought, c.Messages = "", "", nil
	if c.Hearing != nil {
		asked := *c.Hearing
		asked.Prompt = ""
		c.Hearing = &asked
	}
	if c.Saying != nil {
		c.Saying = &sound.Saying{Voice: c.Saying.Voice, Speed: c.Saying.Speed, Kind: c.Saying.Kind}
	}
	return c
}

// document puts the text of the recording on the conversation's shelf.
func (w *writing) document(ctx context.Context, pieces []record.SoundPiece) {
	text, _ := Transcript(w.r, pieces)
	w.texts.Lock()
	defer w.texts.Unlock()
	if err := w.keepDocument(ctx, w.r, text); err != nil {
		w.Log.Error("the text of a recording is no document", "recording", w.r.ID, "error", err)
	}
}

// keepDocument makes a text the document of its recording, unless that was deleted
// meanwhile; texts is held.
func (s *Service) keepDocument(ctx context.Context, r record.Recording, text sound.Transcript) error {
	if s.Shelves == nil || len(text.Sentences) == 0 {
		return nil
	}
	title := strings.TrimSuffix(r.Name, path.Ext(r.Name))
	vtt := strings.Replace(text.VTT(), "WEBVTT\n", "WEBVTT - "+strings.ReplaceAll(title, "-->", " ")+"\n", 1)
	id, err := s.Shelves.Attend(ctx, r.Conversation, r.Visitor, r.DeskID, title+documentEnding(r.ID),
		strings.NewReader(vtt))
	if err != nil {
		return err
	}
	err = s.Store.SetDocument(ctx, r.ID, &id)
	if errors.Is(err, record.ErrNotFound) {
		return s.forgetText(ctx, r)
	}
	return err
}

// forgetText deletes the document of a recording for good, with all that it said before
// words were put right; texts is held.
func (s *Service) forgetText(ctx context.Context, r record.Recording) error {
	if s.Shelves == nil {
		return nil
	}
	return s.Shelves.Forget(ctx, r.Conversation, r.Visitor, documentEnding(r.ID))
}

// documentEnding is how the names of all documents of a recording end.
func documentEnding(id uuid.UUID) string { return "." + id.String() + ".vtt" }

// documentSoon puts the text of a recording on its shelf anew, as it is by then.
func (s *Service) documentSoon(id uuid.UUID) {
	s.all.Go(func() {
		s.texts.Lock()
		defer s.texts.Unlock()
		r, err := s.Store.One(s.background, id)
		if err != nil {
			return
		}
		text, _ := Transcript(r, nil)
		if err := s.keepDocument(s.background, r, text); err != nil && s.background.Err() == nil {
			s.Log.Error("the text of a recording is no document", "recording", id, "error", err)
		}
	})
}

// How often what another instance left is looked for, and what is to be deleted.
const (
	resumeEvery = 2 * time.Second
	sweepEvery  = 30 // of them
	spokenFor   = 30 * 24 * time.Hour
)

func (s *Service) rounds() {
	for n := 0; ; n++ {
		s.resume(s.background)
		if n%sweepEvery == 0 {
			s.Sweep(s.background)
		}
		select {
		case <-s.background.Done():
			return
		case <-time.After(resumeEvery):
		}
	}
}

// resume goes on with what an instance left that is no more.
func (s *Service) resume(ctx context.Context) {
	left, err := s.Store.Orphans(ctx)
	if err != nil && ctx.Err() == nil {
		s.Log.Warn("recordings that were left could not be looked for", "error", err)
	}
	for _, r := range left {
		slug, err := s.Desks.SlugOf(ctx, r.DeskID)
		if err != nil {
			continue
		}
		d, err := s.Desks.Open(ctx, slug)
		if err != nil {
			continue
		}
		s.mu.Lock()
		_, here := s.running[r.ID]
		s.mu.Unlock()
		if here {
			continue // our lock has fallen for a moment
		}
		if claimed, err := s.Store.Claim(ctx, r.ID, s.Instance); err == nil && claimed {
			s.launch(fair.Party{Visitor: string(r.Visitor[:])}, d, r)
		}
	}
}

// Sweep deletes the sound of what is to be kept no longer, and what was spoken aloud that
// nobody listens to; nothing of a deleted sound is left in the database's files then.
func (s *Service) Sweep(ctx context.Context) {
	gone, err := s.Store.DropOld(ctx, s.Now())
	if err == nil {
		err = s.Store.ForgetSpoken(ctx, s.Now().Add(-spokenFor))
	}
	if err == nil {
		err = s.Store.Scrub(ctx)
	}
	if err != nil && ctx.Err() == nil {
		s.Log.Warn("recordings that are to be deleted may still be there; it is tried again in a minute", "error", err)
	}
	if gone > 0 {
		s.Log.Info("the sound of recordings was deleted, since it is kept no longer", "recordings", gone)
	}
}

// scrubSoon has what was deleted leave the database's files.
func (s *Service) scrubSoon() {
	s.all.Go(func() {
		select {
		case <-s.background.Done():
			return
		case <-time.After(2 * time.Second): // the database counts what was deleted with a delay
		}
		if err := s.Store.Scrub(s.background); err != nil && s.background.Err() == nil {
			s.Log.Info("the table of sounds is written anew later", "error", err)
		}
	})
}

// Written is what was heard in a sound that is on no record.
type Written struct {
	Text    sound.Transcript
	Seconds float64
	Cost    float64
}

// Write has a sound written down at once, and keeps nothing of it: for programs, and for
// questions that are spoken. A problem is for whoever gave it. news hears what there is so
// far; it may be nil.
func (s *Service) Write(ctx context.Context, f For, name string, body io.Reader, own record.Wishes,
	news func(sound.Transcript)) (out Written, problem phrase.Phrase, err error) {
	e, err := s.Model(f.Desk)
	if err != nil {
		return out, problem, err
	}
	wishes, err := Wishes(f.Desk.Settings.Sound, e, own)
	if err != nil {
		return out, problem, err
	}
	in, problem, err := aside(body, MostBytes)
	if err != nil || !problem.IsZero() {
		return out, problem, err
	}
	defer in.Close()
	read, kept, problem, err := s.read(ctx, name, in, float64(60*f.Desk.Settings.Sound.Minutes))
	if err != nil || !problem.IsZero() {
		return out, problem, err
	}
	defer kept.Close()
	taken, err := s.Limits.Reserve(ctx, f.Desk.Slug, limits.Amounts{limits.SoundMinutes: int64(read.Seconds/60) + 1})
	if err != nil {
		return out, problem, err
	}
	taken.Done()
	now := s.Now()
	w := &writing{Service: s, desk: f.Desk, entry: e, sound: kept, r: record.Recording{ID: uuid.Must(uuid.NewV7()),
		DeskID: f.Desk.DeskID, Visitor: f.Visitor, Name: name, Seconds: read.Seconds, Loudness: read.Loudness,
		Wishes: wishes, BegunAt: &now}}
	pieces := cut(w.r, e.Hears)
	err = w.atOnce(ctx, pieces, news)
	out.Cost = w.trace(context.WithoutCancel(ctx), pieces, err)
	if err != nil {
		return out, problem, err
	}
	out.Seconds = read.Seconds
	out.Text.Sentences = sound.Sentences(joined(pieces, false))
	for _, p := range pieces {
		out.Text.Language = cmp.Or(out.Text.Language, p.Language)
	}
	if wishes.Task == deskfile.IntoEnglish {
		out.Text.Language = "en"
	}
	out.Text.Language = cmp.Or(out.Text.Language, wishes.Language)
	return out, problem, nil
}

// Inside are the pieces of a visitor's recording, with how models were asked.
func (s *Service) Inside(ctx context.Context, id uuid.UUID, who record.Visitor) (r record.Recording,
	pieces []record.SoundPiece, slug string, err error) {
	if r, pieces, err = s.Wait(ctx, id, who, 0); err == nil {
		slug, err = s.Desks.SlugOf(ctx, r.DeskID)
	}
	return r, pieces, slug, err
}

// Try is another way to write a recording down.
type Try struct {
	Model      string // "": the desk's
	Wishes     record.Wishes
	Start, End float64 // of the stretch; End 0: to the end
}

// Try has a visitor's recording, or a stretch of it, written down in another way. Nothing
// of it changes.
func (s *Service) Try(ctx context.Context, id uuid.UUID, who record.Visitor, t Try) (out Written, e models.Entry,
	err error) {
	r, err := s.Of(ctx, id, who)
	if err != nil {
		return out, e, err
	}
	if !r.Kept {
		return out, e, fault.Say(fault.NotOffered, "The recording is not kept any more.")
	}
	slug, err := s.Desks.SlugOf(ctx, r.DeskID)
	if err != nil {
		return out, e, err
	}
	d, err := s.Desks.Open(ctx, slug)
	if err != nil {
		return out, e, err
	}
	if e, err = s.Model(d); t.Model != "" {
		if e, err = s.Desks.Models.Find(t.Model); err == nil && !e.Able("hear") {
			err = fault.Say(fault.Invalid, "The model %s does not hear.", t.Model)
		}
	}
	if err != nil {
		return out, e, err
	}
	if t.End <= 0 || t.End > r.Seconds {
		t.End = r.Seconds
	}
	if t.Start < 0 || t.Start >= t.End {
		return out, e, fault.Say(fault.Invalid, "The stretch ends before it begins.")
	}
	now := s.Now()
	w := &writing{Service: s, desk: d, entry: e, r: r}
	w.r.Wishes, w.r.BegunAt = t.Wishes, &now
	if w.sound, _, err = aside(s.Sound(ctx, r, 0), mostKept); err != nil {
		return out, e, err
	}
	defer w.sound.Close()
	part := r
	part.Loudness, part.Seconds = stretch(r.Loudness, sound.Piece{Start: t.Start, End: t.End}), t.End-t.Start
	pieces := cut(part, e.Hears)
	w.from, w.r.Loudness = t.Start, part.Loudness
	err = w.atOnce(ctx, pieces, nil)
	out.Cost = w.trace(context.WithoutCancel(ctx), pieces, err)
	if err != nil {
		return out, e, err
	}
	out.Seconds = s.Now().Sub(now).Seconds()
	out.Text.Sentences = sound.Sentences(joined(pieces, false))
	for _, p := range pieces {
		out.Text.Language = cmp.Or(out.Text.Language, p.Language)
	}
	return out, e, nil
}

// atOnce has pieces heard without a record.
func (w *writing) atOnce(ctx context.Context, pieces []record.SoundPiece, news func(sound.Transcript)) error {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	turns := make(chan struct{}, w.entry.Hears.Pieces())
	var mu sync.Mutex
	var all sync.WaitGroup
	for i := range pieces {
		if pieces[i].State == record.PieceDone {
			continue
		}
		select {
		case turns <- struct{}{}:
		case <-ctx.Done():
		}
		if ctx.Err() != nil {
			break
		}
		all.Go(func() {
			defer func() { <-turns }()
			heard, call, err := w.hear(ctx, pieces[i].Piece)
			mu.Lock()
			defer mu.Unlock()
			if call != nil {
				pieces[i].Calls, err = joinErrors([]recipe.ModelCall{*call}, err)
			}
			if err != nil {
				pieces[i].State = record.PieceFailed
				cancel(err)
				return
			}
			pieces[i].State, pieces[i].Language = record.PieceDone, heard.Language
			pieces[i].Words = w.words(heard, pieces[i].Piece)
			if news != nil {
				news(sound.Transcript{Sentences: sound.Sentences(joined(pieces, true))})
			}
		})
	}
	all.Wait()
	return context.Cause(ctx)
}

// read reads a sound once it is its turn.
func (s *Service) read(ctx context.Context, name string, in *os.File, most float64) (r readers.Recorded, kept *os.File,
	problem phrase.Phrase, err error) {
	if kept, _, err = aside(bytes.NewReader(nil), 1); err != nil {
		return r, nil, problem, err
	}
	leave, err := s.reading.Enter(ctx, nil)
	if err == nil {
		r, err = s.Reader.Record(ctx, name, in, kept, most)
		leave()
	}
	if err != nil {
		_ = kept.Close()
	}
	problem, err = told(err)
	return r, kept, problem, err
}

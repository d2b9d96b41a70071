// Package media takes in the pictures that conversations hold, hands them out, and
// makes of them what models take. Foreign bytes are read in confined processes only
// (internal/readers); records are in PostgreSQL, bytes beside those of documents.
//
//	taken, err := pictures.Take(ctx, media.For{Conversation: id, Visitor: who, DeskID: d.DeskID}, "frame.heic", body)
//	kind, bytes, err := pictures.As(ctx, taken.Media, entry.Takes.Wanted())
//
// A picture that was taken in is the conversation's own: upright, without what its
// file said of place and camera, no larger than models take. Everything that is asked
// of it goes by its id and by who asks. Errors are *fault.Problem, the context's or the
// store's.
package media

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/google/uuid"

	"juvalogos/core/deskfile"
	"juvalogos/core/phrase"
	"juvalogos/core/picture"
	"juvalogos/core/recipe"
	"juvalogos/internal/fair"
	"juvalogos/internal/fault"
	"juvalogos/internal/readers"
	"juvalogos/internal/record"
	"juvalogos/internal/store"
)

// Options are what a Service is made of.
type Options struct {
	Store  *store.Media
	Files  *store.Shelves // hold the bytes
	Reader Reader
	Log    *slog.Logger
	// Currency is what costs are in.
	Currency string
	Now      func() time.Time // nil: time.Now
}

// Reader reads pictures where they can do no harm.
type Reader interface {
	Picture(ctx context.Context, name string, body []byte, wanted ...picture.Wanted) (readers.Depicted, error)
	// Files hands over the files of a ZIP.
	Files(ctx context.Context, packed []byte, each func(name string, body []byte)) error
	// Words reads the text in a picture, line by line; "" if there is none.
	Words(ctx context.Context, name string, body []byte) (string, error)
}

// Service is the pictures of one running service. It is safe for concurrent use.
type Service struct {
	Options
	line *fair.Line // of pictures that are read
}

// New returns a service.
func New(o Options) *Service {
	if o.Now == nil {
		o.Now = time.Now
	}
	line := fair.NewLine(mostAtOnce)
	line.Each(1, mostAtOnce-1)
	return &Service{Options: o, line: line}
}

const (
	// mostAtOnce is how many pictures are read at once: one of a visitor, and never all of
	// one address.
	mostAtOnce = 3
	// keptSide is the longer side of pictures as they are kept, unless the desk's model
	// takes larger ones, and keptBytes the most bytes.
	keptSide  = 2048
	keptBytes = 12 << 20
	// madeSide and madeBytes are those of pictures that models made.
	madeSide  = 4096
	madeBytes = 30 << 20
	// smallSide is that of the small one that pages show.
	smallSide = 400
	// longestSaid is how long what a picture shows may be told, in characters.
	longestSaid = 1000
	longestName = 120
)

// MostBytes is the most bytes of a picture that is taken in.
var MostBytes = picture.DefaultLimits.Bytes

// For says to what a picture belongs.
type For struct {
	Conversation uuid.UUID
	Visitor      record.Visitor
	DeskID       int64
	Origin       record.Origin // "": record.Given
	Turn         *uuid.UUID    // by which it was made
	Made         *record.Made  // how it was made; nil: it was given
	Said         string
	// As is what the desk's model takes; it is made at once.
	As picture.Wanted
}

// Taken is a picture that was taken in, or why not.
type Taken struct {
	Media   record.Media
	Name    string
	Problem phrase.Phrase // zero: it was taken in
}

// Take takes a picture in. A Problem is for whoever gave it; the error is everything
// else that went wrong.
func (s *Service) Take(ctx context.Context, f For, name string, body io.Reader) (Taken, error) {
	name = cleanName(name)
	waiting, err := setAside(body)
	if err != nil {
		return Taken{Name: name}, err
	}
	defer waiting.close()
	leave, err := s.line.Enter(ctx, nil)
	if err != nil {
		return Taken{Name: name}, err
	}
	defer leave()
	bytes, err := waiting.all()
	if err != nil {
		return Taken{Name: name}, err
	}
	kept := picture.Wanted{Side: max(keptSide, f.As.Side), Bytes: keptBytes}
	if f.Made != nil { // it stays as the model made it, as far as may be
		kept = picture.Wanted{Side: madeSide, Bytes: madeBytes}
		if kind := picture.KindOf(bytes); kind == "image/png" {
			kept.Kinds = []string{kind}
		}
	}
	wanted := []picture.Wanted{kept, {Side: smallSide, Kinds: []string{"image/jpeg"}}}
	differs := f.Made == nil && f.As.Side > 0 && (f.As.Side < kept.Side || f.As.Shape != picture.Whole ||
		f.As.Width > 0)
	if differs {
		wanted = append(wanted, f.As)
	}
	d, err := s.Reader.Picture(ctx, name, bytes, wanted...)
	var problem *picture.Problem
	if errors.As(err, &problem) {
		return Taken{Name: name, Problem: problem.What}, nil
	}
	if err != nil {
		return Taken{Name: name}, err
	}
	m := record.Media{ID: uuid.Must(uuid.NewV7()), Class: record.Picture, Kind: d.Made[0].Kind, Width: d.Made[0].Width,
		Height: d.Made[0].Height, Name: name, Said: f.Said, Note: d.Note, Origin: f.Origin,
		Conversation: f.Conversation,
		DeskID:       f.DeskID, Visitor: f.Visitor, Turn: f.Turn, AddedAt: s.Now()}
	if m.Origin == "" {
		m.Origin = record.Given
	}
	if f.Made != nil {
		if m.Made, err = json.Marshal(f.Made); err != nil {
			return Taken{Name: name}, err
		}
		d.Made[0].Body = picture.Mark(d.Made[0].Body, m.Kind, s.factsOf(*f.Made, m.AddedAt))
	}
	if err := s.Store.Keep(ctx, &m, d.Made[0].Body, d.Made[1].Body); err != nil {
		return Taken{Name: name}, fault.NotFound(s.Log, fault.NoConversation, err)
	}
	if differs && !fits(m, f.As) {
		if _, err := s.keepAs(ctx, m.ID, f.As, d.Made[2]); err != nil {
			return Taken{Name: name}, err
		}
	}
	return Taken{Media: m, Name: name}, nil
}

// keepAs puts on record how a model takes media.
func (s *Service) keepAs(ctx context.Context, id uuid.UUID, w picture.Wanted, made picture.Made) (record.MediaAs,
	error) {
	as := record.MediaAs{Kind: made.Kind, Size: int64(len(made.Body)), Width: made.Width, Height: made.Height}
	key, err := json.Marshal(w)
	if err == nil {
		err = s.Store.KeepAs(ctx, id, string(key), as, made.Body)
	}
	return as, err
}

// factsOf is what the file of a picture says of how it was made.
func (s *Service) factsOf(m record.Made, at time.Time) picture.Facts {
	f := picture.Facts{Words: m.Words, Model: m.Model, Seed: m.Seed, Seconds: m.Seconds, At: at}
	if m.Cost > 0 {
		f.Cost = strings.TrimSpace(strconv.FormatFloat(m.Cost, 'f', -1, 64) + " " + s.Currency)
	}
	return f
}

// Prepare makes a picture as a model takes it, and keeps nothing of it. A problem is for
// whoever gave it.
func (s *Service) Prepare(ctx context.Context, name string, body []byte, w picture.Wanted) (f recipe.Media,
	wrong phrase.Phrase, err error) {
	d, err := s.depict(ctx, name, body, w)
	var problem *picture.Problem
	if errors.As(err, &problem) {
		return f, problem.What, nil
	}
	if err != nil {
		return f, wrong, err
	}
	made := d.Made[0]
	return recipe.Media{Name: name, Kind: made.Kind, Width: made.Width, Height: made.Height, Body: made.Body}, wrong,
		nil
}

// Unpacked hands over the files of a ZIP once it is its turn.
func (s *Service) Unpacked(ctx context.Context, packed []byte, each func(name string, body []byte)) error {
	leave, err := s.line.Enter(ctx, nil)
	if err != nil {
		return err
	}
	defer leave()
	return s.Reader.Files(ctx, packed, each)
}

// depict has a picture read once it is its turn.
func (s *Service) depict(ctx context.Context, name string, body []byte, wanted ...picture.Wanted) (readers.Depicted,
	error) {
	leave, err := s.line.Enter(ctx, nil)
	if err != nil {
		return readers.Depicted{}, err
	}
	defer leave()
	return s.Reader.Picture(ctx, name, body, wanted...)
}

// cleanName is a file's name as it is shown.
func cleanName(name string) string {
	name = record.OneLine(name[strings.LastIndexAny(name, `/\`)+1:], longestName)
	if name == "" {
		return "picture"
	}
	return name
}

// Current is what the next question of a visitor's conversation is asked with. What is
// remembered no longer, as the desk has it, is put away.
func (s *Service) Current(ctx context.Context, conversation uuid.UUID, who record.Visitor, p deskfile.Pictures) (
	[]record.Media, error) {
	all, err := s.Store.Current(ctx, conversation, who)
	if err != nil {
		return nil, fault.Logged(s.Log, "pictures of a conversation", fault.New(fault.NoRecords, err))
	}
	over := len(all) - p.Most
	var current []record.Media
	for i, m := range all {
		if i < over || m.Asked >= p.Turns || s.Now().Sub(m.AddedAt) > time.Duration(p.Hours)*time.Hour {
			if err := s.Store.PutAway(ctx, m.ID, who, s.Now()); err != nil && !errors.Is(err, record.ErrNotFound) {
				return nil, fault.Logged(s.Log, "pictures of a conversation", fault.New(fault.NoRecords, err))
			}
			continue
		}
		current = append(current, m)
	}
	return current, nil
}

// PutAway ends that questions are asked with a visitor's picture; one that was made is
// removed, and Restore brings it back.
func (s *Service) PutAway(ctx context.Context, id uuid.UUID, who record.Visitor) error {
	err := s.Store.PutAway(ctx, id, who, s.Now())
	if errors.Is(err, record.ErrNotFound) {
		err = s.Store.Remove(ctx, id, who, s.Now())
	}
	return fault.NotFound(s.Log, fault.NoPicture, err)
}

// Restore brings back a visitor's picture that was removed.
func (s *Service) Restore(ctx context.Context, id uuid.UUID, who record.Visitor) error {
	return fault.NotFound(s.Log, fault.NoPicture, s.Store.Restore(ctx, id, who))
}

// Gallery lists what a desk made for a visitor, the newest first: with all of some words,
// and before one. more says that there are older ones.
func (s *Service) Gallery(ctx context.Context, desk int64, who record.Visitor, search string, before uuid.UUID,
	most int) (all []record.Media, more bool, err error) {
	all, err = s.Store.Gallery(ctx, desk, who, strings.Fields(search), before, most+1)
	if err != nil {
		return nil, false, fault.Logged(s.Log, "a gallery", fault.New(fault.NoRecords, err))
	}
	if len(all) > most {
		return all[:most], true, nil
	}
	return all, false, nil
}

// Copy gives a picture to another conversation; its bytes are there already.
func (s *Service) Copy(ctx context.Context, m record.Media, f For) error {
	m.ID, m.Origin, m.Conversation, m.DeskID, m.Visitor = uuid.Must(uuid.NewV7()), record.Given, f.Conversation,
		f.DeskID,
		f.Visitor
	m.Turn, m.Made, m.PutAwayAt, m.AddedAt = nil, nil, nil, s.Now()
	return fault.NotFound(s.Log, fault.NoConversation, s.Store.Copy(ctx, &m))
}

// Zip writes pictures into a ZIP, each under a name of its own.
func (s *Service) Zip(ctx context.Context, w io.Writer, all []record.Media) error {
	z := zip.NewWriter(w)
	names := map[string]int{}
	for _, m := range all {
		ending := endingOf(m.Kind)
		name := strings.TrimSuffix(strings.TrimSuffix(m.Name, ".png"), ending)
		if names[name]++; names[name] > 1 {
			name += "-" + strconv.Itoa(names[name])
		}
		part, err := z.CreateHeader(&zip.FileHeader{Name: name + ending, Method: zip.Store, Modified: m.AddedAt})
		if err == nil {
			_, err = io.Copy(part, s.Bytes(ctx, m.Hash, 0))
		}
		if err != nil {
			return err
		}
	}
	return z.Close()
}

func endingOf(kind string) string {
	if kind == "image/jpeg" {
		return ".jpg"
	}
	return ".png"
}

// Describe says what a visitor's picture shows.
func (s *Service) Describe(ctx context.Context, id uuid.UUID, who record.Visitor, said string) error {
	said = strings.TrimSpace(string(record.Clean([]byte(said))))
	if utf8.RuneCountInString(said) > longestSaid {
		return fault.Say(fault.Invalid, "Say in up to %d characters what the picture shows.", longestSaid)
	}
	return fault.NotFound(s.Log, fault.NoPicture, s.Store.Describe(ctx, id, who, said))
}

// Of returns a visitor's picture.
func (s *Service) Of(ctx context.Context, id uuid.UUID, who record.Visitor) (record.Media, error) {
	m, err := s.Store.One(ctx, id)
	if err == nil && m.Visitor != who {
		err = record.ErrNotFound
	}
	return m, fault.NotFound(s.Log, fault.NoPicture, err)
}

// Shared returns a picture of the conversation whose shared link ends with share.
func (s *Service) Shared(ctx context.Context, share string, id uuid.UUID) (record.Media, error) {
	yes, err := s.Store.SharedBy(ctx, id, share)
	if err == nil && !yes {
		err = record.ErrNotFound
	}
	if err != nil {
		return record.Media{}, fault.NotFound(s.Log, fault.NoPicture, err)
	}
	m, err := s.Store.One(ctx, id)
	return m, fault.NotFound(s.Log, fault.NoPicture, err)
}

// Any returns anybody's picture, for makers.
func (s *Service) Any(ctx context.Context, id uuid.UUID) (record.Media, error) {
	m, err := s.Store.One(ctx, id)
	return m, fault.NotFound(s.Log, fault.NoPicture, err)
}

// Some are pictures by their ids, in their order; nil where they cannot be read.
func (s *Service) Some(ctx context.Context, ids []uuid.UUID) []record.Media {
	all, err := s.Store.Some(ctx, ids)
	if err != nil {
		s.Log.Warn("pictures of turns cannot be read", "error", err)
	}
	return all
}

// OfTurn are the pictures that a turn was asked with.
func (s *Service) OfTurn(ctx context.Context, turn uuid.UUID) ([]record.Media, error) {
	all, err := s.Store.OfTurn(ctx, turn)
	if err != nil {
		return nil, fault.Logged(s.Log, "pictures of a turn", fault.New(fault.NoRecords, err))
	}
	return all, nil
}

// Bytes reads a file by its hash from an offset on, piece by piece.
func (s *Service) Bytes(ctx context.Context, hash []byte, from int64) io.Reader {
	return s.Files.ContentFrom(ctx, hash, from)
}

// As is a picture in the form that a model takes; it is made once.
func (s *Service) As(ctx context.Context, m record.Media, w picture.Wanted) (record.MediaAs, []byte, error) {
	as := record.MediaAs{Kind: m.Kind, Hash: m.Hash, Size: m.Size, Width: m.Width, Height: m.Height}
	if fits(m, w) {
		body, err := io.ReadAll(s.Bytes(ctx, m.Hash, 0))
		return as, body, err
	}
	key, err := json.Marshal(w)
	if err != nil {
		return as, nil, err
	}
	as, err = s.Store.As(ctx, m.ID, string(key))
	if err == nil {
		body, err := io.ReadAll(s.Bytes(ctx, as.Hash, 0))
		return as, body, err
	}
	if !errors.Is(err, record.ErrNotFound) {
		return as, nil, err
	}
	kept, err := io.ReadAll(s.Bytes(ctx, m.Hash, 0))
	if err != nil {
		return as, nil, err
	}
	d, err := s.depict(ctx, m.Name, kept, w)
	if err != nil {
		return as, nil, fmt.Errorf("the picture cannot be made as the model takes it: %w", err)
	}
	as, err = s.keepAs(ctx, m.ID, w, d.Made[0])
	return as, d.Made[0].Body, err
}

// fits reports whether a picture is as it is wanted.
func fits(m record.Media, w picture.Wanted) bool {
	return w.Crop == nil && !w.Clear && (w.Shape == picture.Whole || m.Width == m.Height) &&
		(w.Side == 0 || max(m.Width, m.Height) <= w.Side) &&
		(w.Width == 0 || w.Width == m.Width && w.Height == m.Height) &&
		(len(w.Kinds) == 0 || slices.Contains(w.Kinds, m.Kind)) && (w.Bytes == 0 || m.Size <= int64(w.Bytes))
}

// Cut makes a picture of a part of another, which then belongs to the same conversation.
func (s *Service) Cut(ctx context.Context, of record.Media, turn uuid.UUID, part [4]float64) (record.Media, error) {
	body, err := io.ReadAll(s.Bytes(ctx, of.Hash, 0))
	if err != nil {
		return of, err
	}
	d, err := s.depict(ctx, of.Name, body, picture.Wanted{Crop: &part})
	if err != nil {
		return of, err
	}
	taken, err := s.Take(ctx, For{Conversation: of.Conversation, Visitor: of.Visitor, DeskID: of.DeskID,
		Origin: record.ByStep, Turn: &turn}, of.Name, bytes.NewReader(d.Made[0].Body))
	if err == nil && !taken.Problem.IsZero() {
		err = &picture.Problem{File: of.Name, What: taken.Problem}
	}
	return taken.Media, err
}

// Words reads the text in a picture.
func (s *Service) Words(ctx context.Context, of record.Media) (string, error) {
	body, err := io.ReadAll(s.Bytes(ctx, of.Hash, 0))
	if err != nil {
		return "", err
	}
	leave, err := s.line.Enter(ctx, nil)
	if err != nil {
		return "", err
	}
	defer leave()
	return s.Reader.Words(ctx, of.Name, body)
}

// Carried is a picture as recipes carry it.
func Carried(m record.Media) recipe.Media {
	return recipe.Media{ID: m.ID.String(), Name: m.Name, Kind: m.Kind, Width: m.Width, Height: m.Height, Said: m.Said}
}

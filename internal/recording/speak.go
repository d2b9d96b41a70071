package recording

import (
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/google/uuid"

	"juvalogos/core/recipe"
	"juvalogos/core/sound"
	"juvalogos/internal/desk"
	"juvalogos/internal/fault"
	"juvalogos/internal/limits"
	"juvalogos/internal/models"
	"juvalogos/internal/readers"
	"juvalogos/internal/record"
)

// Speech is a text as it is spoken.
type Speech struct {
	Kind string // its media type
	Size int64
	Hash []byte // nil: it could not be kept
	Body io.Reader
}

// Say has a desk's model speak a text, once per text and voice.
func (s *Service) Say(ctx context.Context, d *desk.Desk, who record.Visitor, text string) (Speech, error) {
	e, err := s.Desks.Speaks(d)
	if err != nil {
		return Speech{}, err
	}
	aloud := d.Settings.Aloud
	return s.SayAs(ctx, d, e, who, sound.Saying{Text: text, Voice: e.Speaks.Voice(aloud.Voice), Speed: aloud.Speed,
		Kind: e.Speaks.Kind})
}

// SayAs is Say with a voice, a speed and a kind of file.
func (s *Service) SayAs(ctx context.Context, d *desk.Desk, e models.Entry, who record.Visitor, saying sound.Saying) (
	Speech, error) {
	saying.Text = strings.Join(strings.Fields(string(record.Clean([]byte(saying.Text)))), " ")
	if strings.IndexFunc(saying.Text, func(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) }) < 0 {
		return Speech{}, fault.Say(fault.Invalid, "There is nothing in it that can be spoken.")
	}
	letters := utf8.RuneCountInString(saying.Text)
	if most := e.Speaks.Most(); letters > most {
		return Speech{}, fault.Say(fault.Invalid, "Up to %d characters are read aloud at once.", most)
	}
	sum := sha256.Sum256(fmt.Appendf(nil, "%s\n%s\n%v\n%s\n%s", e.Path(), saying.Voice, saying.Speed, saying.Kind,
		saying.Text))
	kept, err := s.Store.Spoken(ctx, sum[:], s.Now())
	if err == nil {
		return Speech{kept.Kind, kept.Size, kept.Hash, s.Files.Content(context.WithoutCancel(ctx), kept.Hash)}, nil
	}
	if !errors.Is(err, record.ErrNotFound) {
		s.Log.Warn("what was spoken before could not be looked for", "error", err)
	}
	taken, err := s.Limits.Reserve(ctx, d.Slug, limits.Amounts{limits.SpokenLetters: int64(letters)})
	if err != nil {
		return Speech{}, err
	}
	taken.Done()
	began := s.Now()
	spoken, call, err := s.Replies.Say(ctx, e, who, saying)
	if err == nil {
		if kind, ok := sound.KindOf(spoken.Body); ok {
			spoken.Kind = kind.Media
		} else {
			err = &models.Error{Kind: models.Garbled, Entry: e.Path(), Detail: "what it made is no sound", Final: true}
		}
	}
	s.all.Go(func() { s.accountFor(d, who, e, began, call, spoken.Body, err) })
	if err != nil {
		if problem := new(fault.Problem); errors.As(err, &problem) || ctx.Err() != nil {
			return Speech{}, err
		}
		s.Log.Warn("a text was not read aloud", "desk", d.Slug, "error", err)
		return Speech{},
			fault.Say(fault.NotOffered, "It cannot be read aloud at the moment. Please try again in a while.")
	}
	hash := sha256.Sum256(spoken.Body)
	if err := s.Store.KeepSpoken(ctx, sum[:], spoken.Kind, spoken.Body, s.Now()); err != nil {
		s.Log.Warn("what was spoken could not be kept", "error", err)
	}
	return Speech{spoken.Kind, int64(len(spoken.Body)), hash[:], bytes.NewReader(spoken.Body)}, nil
}

// SpokenAs is what was spoken as another kind of file.
func (s *Service) SpokenAs(ctx context.Context, spoken Speech, kind, media string) (Speech, error) {
	in, problem, err := aside(spoken.Body, MostBytes)
	if err != nil || !problem.IsZero() {
		return spoken, errors.Join(err, errors.New(problem.String()))
	}
	defer in.Close()
	body, err := s.Reader.Cut(ctx, "speech", in, true, readers.Stretch{Kind: kind, Rate: spokenRate})
	if err != nil {
		return spoken, err
	}
	return Speech{Kind: media, Size: int64(len(body)), Body: bytes.NewReader(body)}, nil
}

// spokenRate is the sampling rate of what is made of speech.
const spokenRate = 24000

// accountFor puts on record what speaking took, once it is known how long it is.
func (s *Service) accountFor(d *desk.Desk, who record.Visitor, e models.Entry, began time.Time, call *recipe.ModelCall,
	body []byte, err error) {
	span := recipe.Span{Step: "speak", Do: "speak", Parent: -1, State: recipe.Done, Took: call.Took}
	if err == nil {
		if in, problem, failed := aside(bytes.NewReader(body), MostBytes); failed == nil && problem.IsZero() {
			if read, kept, problem, failed := s.read(s.background, "speech", in, 3600); failed == nil &&
				problem.IsZero() {
				call.Sound = read.Seconds
				call.Cost += e.Price.Minutes(read.Seconds)
				_ = kept.Close()
			}
			_ = in.Close()
		}
	} else {
		span.State, span.Error = recipe.Failed, err.Error()
	}
	span.Calls = []recipe.ModelCall{figures(*call)}
	id := uuid.Must(uuid.NewV7())
	s.Replies.KeepBeside(context.WithoutCancel(s.background),
		&record.Trace{ID: id, Kind: "speaking", Turn: id, Attempt: 1,
			DeskID: d.DeskID, Revision: d.Number, Visitor: who, Recipe: "speaking", State: string(record.Done),
			StartedAt: began, Seconds: s.Now().Sub(began).Seconds(),
			Usage: record.Usage(recipe.Sum([]recipe.Span{span}))}, []recipe.Span{span})
}

// Holds reports whether the words of a text stand in another in their order; marks, and
// what stands between, do not count.
func Holds(whole, text string) bool {
	words := strings.FieldsFunc(strings.ToLower(text), between)
	for word := range strings.FieldsFuncSeq(strings.ToLower(whole), between) {
		if len(words) > 0 && word == words[0] {
			words = words[1:]
		}
	}
	return len(words) == 0
}

func between(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) && !unicode.IsMark(r) }

// Said is an error of writing something down at once as a sentence for whoever gave it;
// what stands behind it is logged.
func Said(log *slog.Logger, err error) error {
	var problem *fault.Problem
	var over *limits.Exceeded
	if err == nil || errors.As(err, &problem) || errors.As(err, &over) || errors.Is(err, context.Canceled) {
		return err
	}
	var failure *models.Error
	if errors.As(err, &failure) {
		return fault.Logged(log, "hear", fault.New(fault.Code(failure.Kind), err))
	}
	return fault.Logged(log, "hear", fault.New(fault.Unexpected, err))
}

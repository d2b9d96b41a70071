package reply

import (
	"bytes"
	"cmp"
	"context"
	"encoding/base64"
	"errors"
	"path"
	"strconv"
	"strings"
	"unicode"

	"github.com/google/uuid"

	"juvalogos/core/phrase"
	"juvalogos/core/picture"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/core/steps"
	"juvalogos/internal/desk"
	"juvalogos/internal/fault"
	"juvalogos/internal/media"
	"juvalogos/internal/models"
	"juvalogos/internal/record"
)

// The pictures that questions are asked with.

// GivenPicture is a picture that comes with its question.
type GivenPicture struct {
	Name string
	Body []byte
}

// askedWith are the pictures that a question is asked with: those of its conversation
// now, those of the turn in whose place it is asked, or those that come along. It fails
// if they and the question are longer together than the model's context.
func (s *Service) askedWith(ctx context.Context, q Question, conversation uuid.UUID, d *desk.Desk,
	question prompt.Piece) ([]record.Media, error) {
	all, err := s.picturesFor(ctx, q, conversation, d)
	if err == nil && len(all) > 0 {
		err = fits(d, tokensOf(d, question, all), q.Supplied)
	}
	return all, err
}

func (s *Service) picturesFor(ctx context.Context, q Question, conversation uuid.UUID, d *desk.Desk) ([]record.Media,
	error) {
	switch {
	case len(q.Pictures) > 0 && (s.Media == nil || !d.Settings.Pictures.Take):
		return nil, fault.Plain(fault.Blind)
	case s.Media == nil || !d.Settings.Pictures.Take:
		return nil, nil
	case q.Instead != uuid.Nil:
		return s.Media.OfTurn(ctx, q.Instead)
	case q.Conversation != uuid.Nil && len(q.Pictures) == 0:
		return s.Media.Current(ctx, conversation, q.Visitor, d.Looking())
	}
	var all []record.Media
	for i, p := range q.Pictures {
		if i == d.Looking().Most {
			return nil,
				&fault.Problem{Code: fault.Invalid, Sentence: phrase.Of("At this desk a question is asked with %d "+
					"pictures at most.", d.Looking().Most)}
		}
		taken, err := s.Media.Take(ctx, media.For{Conversation: conversation, Visitor: q.Visitor, DeskID: d.DeskID,
			As: d.Entry.Takes.Wanted()}, p.Name, bytes.NewReader(p.Body))
		if err != nil {
			return nil, fault.Logged(s.Log, "take a picture", err)
		}
		if !taken.Problem.IsZero() {
			return nil, NotTaken(taken.Name, taken.Problem)
		}
		all = append(all, taken.Media)
	}
	return all, nil
}

// tokensOf is a question with the pictures that it is asked with, for its length.
func tokensOf(d *desk.Desk, question prompt.Piece, pictures []record.Media) prompt.Piece {
	if d.Entry.Able("see") {
		for _, m := range pictures {
			question.Tokens += d.Entry.Takes.TokensOf(m.Width, m.Height)
		}
	}
	return question
}

func idsOf(all []record.Media) []uuid.UUID {
	var ids []uuid.UUID
	for _, m := range all {
		ids = append(ids, m.ID)
	}
	return ids
}

func carried(all []record.Media) []recipe.Media {
	var list []recipe.Media
	for _, m := range all {
		list = append(list, media.Carried(m))
	}
	return list
}

// Sight is how the model takes pictures; nil if it does not see.
func (a asker) Sight() *steps.Sight {
	if !a.entry.Able("see") {
		return nil
	}
	return &steps.Sight{Most: a.entry.Takes.Most, Tokens: a.entry.Takes.TokensOf}
}

// Draws reports whether the model makes pictures, and seeds whether it takes a seed.
func (a asker) Draws() (yes, seeds bool) { return a.entry.Able("pictures"), a.entry.Takes.Seeds }

// making is a wish with its pictures as the model takes them. A mask is as large as the
// picture that it belongs to.
func (a asker) making(ctx context.Context, m *recipe.Making) (*recipe.Making, error) {
	if m == nil || m.Picture == nil {
		return m, nil
	}
	sent := *m
	w := a.entry.Takes.Wanted()
	of, err := a.as(ctx, m.Picture.ID, w)
	if err != nil {
		return nil, err
	}
	sent.Picture = &of
	if m.Mask == nil {
		return &sent, nil
	}
	w.Width, w.Height, w.Clear, w.Kinds, w.Bytes = of.Width, of.Height, true, []string{"image/png"}, 0
	mask, err := a.as(ctx, m.Mask.ID, w)
	sent.Mask = &mask
	return &sent, err
}

// expect tells how long pictures take, as the last ones of the model did.
func (a asker) expect(ctx context.Context, m *recipe.Making) {
	if a.service.Media == nil {
		return
	}
	seconds, n, err := a.service.Media.Store.Lately(ctx, a.Name())
	if err != nil || n == 0 {
		seconds, n = 0, 0
	}
	a.news(Notice{Kind: "making", Seconds: seconds * float64(max(1, m.Number)), Place: n})
}

// largestPreview is how many bytes a preview may have that is shown.
const largestPreview = 1 << 20

// preview shows what a picture looks like that is not done yet.
func (a asker) preview(f recipe.Media) {
	if (f.Kind == "image/png" || f.Kind == "image/jpeg") && len(f.Body) <= largestPreview {
		a.news(Notice{Kind: "preview",
			Picture: "data:" + f.Kind + ";base64," + base64.StdEncoding.EncodeToString(f.Body)})
	}
}

var errPictureGone = errors.New("a picture of the question is not there any more")

// files are what goes along with the last question of a prompt, its pictures as the model
// takes them.
func (a asker) files(ctx context.Context, q steps.Ask) (files []recipe.Media, err error) {
	files, messages := q.Files, q.Messages
	for i := len(messages) - 1; i >= 0; i-- {
		if messages[i].Role != prompt.User {
			continue
		}
		for _, p := range messages[i].Pictures {
			f, err := a.file(ctx, p)
			if err != nil {
				return nil, err
			}
			files = append(files, f)
		}
		break
	}
	return files, nil
}

func (a asker) file(ctx context.Context, p prompt.Picture) (recipe.Media, error) {
	f, err := a.as(ctx, p.ID, a.entry.Takes.Wanted())
	f.Name = p.Name
	return f, err
}

// as is a picture of the visitor's in a form.
func (a asker) as(ctx context.Context, text string, w picture.Wanted) (recipe.Media, error) {
	id, err := uuid.Parse(text)
	if err != nil || a.service.Media == nil {
		return recipe.Media{}, errPictureGone
	}
	m, err := a.service.Media.Any(ctx, id)
	if err != nil || m.Visitor != a.reply.visitor {
		return recipe.Media{}, errPictureGone
	}
	as, body, err := a.service.Media.As(ctx, m, w)
	return recipe.Media{ID: text, Name: m.Name, Kind: as.Kind, Width: as.Width, Height: as.Height, Body: body}, err
}

// pictures are what the steps of one reply do with pictures; it is a steps.Pictures.
type pictures struct {
	media *media.Service
	reply *Reply
	desk  int64
}

func (p pictures) find(ctx context.Context, of recipe.Media) (record.Media, error) {
	id, err := uuid.Parse(of.ID)
	if err != nil {
		return record.Media{}, errPictureGone
	}
	m, err := p.media.Any(ctx, id)
	if err == nil && m.Visitor != p.reply.visitor {
		err = errPictureGone
	}
	return m, err
}

func (p pictures) Cut(ctx context.Context, of recipe.Media, part [4]float64) (recipe.Media, error) {
	m, err := p.find(ctx, of)
	if err == nil {
		m, err = p.media.Cut(ctx, m, p.reply.Turn, part)
	}
	return media.Carried(m), err
}

// Keep keeps a picture that a model made; its turn and its conversation have it.
func (p pictures) Keep(ctx context.Context, made steps.Made) (recipe.Media, error) {
	m := made.Making
	how := record.Made{Words: m.Words, Width: m.Width, Height: m.Height, Seed: m.Seed, Model: made.Model,
		Seconds: made.Seconds, Cost: made.Cost}
	if m.Picture != nil {
		how.Of = m.Picture.ID
	}
	origin := record.Drawn
	if p.reply.Turn == uuid.Nil { // a maker tries something: it is not for the visitor's gallery
		origin = record.ByStep
	}
	taken, err := p.media.Take(ctx, media.For{Conversation: p.reply.Conversation, Visitor: p.reply.visitor,
		DeskID: p.desk, Origin: origin, Turn: &p.reply.Turn, Made: &how, Said: record.OneLine(m.Words, longestAlt)},
		nameOf(cmp.Or(m.Words, ofName(m.Picture)), made.Lane), bytes.NewReader(made.Picture.Body))
	if err == nil && !taken.Problem.IsZero() {
		err = &models.Error{Kind: models.Garbled, Entry: made.Model, Final: true,
			Detail: "what it made is no picture that can be read: " + taken.Problem.String()}
	}
	return media.Carried(taken.Media), err
}

// longestAlt is how many characters of a wish say what a picture shows.
const longestAlt = 1000

// ofName is the name of the picture that others are made from, without its ending.
func ofName(of *recipe.Media) string {
	if of == nil {
		return ""
	}
	return strings.TrimSuffix(of.Name, path.Ext(of.Name)) + " variation"
}

// nameOf names the file of a picture after the first words of its wish.
func nameOf(words string, lane int) string {
	fields := strings.FieldsFunc(words, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
	name := strings.ToLower(strings.Join(fields[:min(6, len(fields))], "-"))
	if name == "" {
		name = "picture"
	}
	if lane > 1 {
		name += "-" + strconv.Itoa(lane)
	}
	return record.OneLine(name, 60) + ".png"
}

func (p pictures) Words(ctx context.Context, of recipe.Media) (string, error) {
	m, err := p.find(ctx, of)
	if err != nil {
		return "", err
	}
	return p.media.Words(ctx, m)
}

// PicturesOf are the pictures that a turn was asked with.
func (s *Service) PicturesOf(ctx context.Context, turn uuid.UUID) ([]record.Media, error) {
	if s.Media == nil {
		return nil, nil
	}
	return s.Media.OfTurn(ctx, turn)
}

// prepared are pictures that belong to no conversation, as a model takes them.
func (s *Service) prepared(ctx context.Context, e models.Entry, given []GivenPicture) (files []recipe.Media,
	err error) {
	if len(given) > 0 && (s.Media == nil || !e.Able("see")) {
		return nil, fault.Plain(fault.Blind)
	}
	for _, p := range given {
		f, problem, err := s.Media.Prepare(ctx, p.Name, p.Body, e.Takes.Wanted())
		if err != nil {
			return nil, fault.Logged(s.Log, "take a picture", err)
		}
		if !problem.IsZero() {
			return nil, NotTaken(p.Name, problem)
		}
		files = append(files, f)
	}
	return files, nil
}

// NotTaken is the [fault.Problem] (invalid) that says to a program that a picture of its
// request was not taken.
func NotTaken(name string, why phrase.Phrase) error {
	return &fault.Problem{Code: fault.Invalid, Sentence: phrase.Of("The picture %s was not taken: %s.", name,
		strings.TrimSuffix(why.String(), "."))}
}

// onRecord fills in pictures that a visitor named by their ids, which have to be theirs.
func (s *Service) onRecord(ctx context.Context, q Question, inputs recipe.Values) error {
	for name, v := range inputs {
		m, is := v.(recipe.Media)
		if !is || m.ID == "" {
			continue
		}
		id, err := uuid.Parse(m.ID)
		if err != nil || s.Media == nil {
			return fault.Plain(fault.NoPicture)
		}
		kept, err := s.Media.Of(ctx, id, q.Visitor)
		if err != nil {
			return err
		}
		inputs[name] = media.Carried(kept)
	}
	return nil
}

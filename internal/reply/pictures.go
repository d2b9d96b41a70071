package reply

import (
	"bytes"
	"context"
	"errors"
	"strings"

	"github.com/google/uuid"

	"juvalogos/core/phrase"
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
		return s.Media.Current(ctx, conversation, q.Visitor, d.Settings.Pictures)
	}
	var all []record.Media
	for i, p := range q.Pictures {
		if i == d.Settings.Pictures.Most {
			return nil,
				&fault.Problem{Code: fault.Invalid, Sentence: phrase.Of("At this desk a question is asked with %d "+
					"pictures at most.", d.Settings.Pictures.Most)}
		}
		taken, err := s.Media.Take(ctx, media.For{Conversation: conversation, Visitor: q.Visitor, DeskID: d.DeskID,
			As: d.Entry.Takes.Wanted()}, p.Name, bytes.NewReader(p.Body))
		if err != nil {
			return nil, fault.Logged(s.Log, "take a picture", err)
		}
		if !taken.Problem.IsZero() {
			return nil, notTaken(taken.Name, taken.Problem)
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
	id, err := uuid.Parse(p.ID)
	if err != nil || a.service.Media == nil {
		return recipe.Media{}, errPictureGone
	}
	m, err := a.service.Media.Any(ctx, id)
	if err != nil || m.Visitor != a.reply.visitor {
		return recipe.Media{}, errPictureGone
	}
	as, body, err := a.service.Media.As(ctx, m, a.entry.Takes.Wanted())
	return recipe.Media{ID: p.ID, Name: p.Name, Kind: as.Kind, Width: as.Width, Height: as.Height, Body: body}, err
}

// pictures are what the steps of one reply do with pictures; it is a steps.Pictures.
type pictures struct {
	media *media.Service
	reply *Reply
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
func (s *Service) prepared(ctx context.Context, e models.Entry, given []GivenPicture) (files []recipe.Media, err error) {
	if len(given) > 0 && (s.Media == nil || !e.Able("see")) {
		return nil, fault.Plain(fault.Blind)
	}
	for _, p := range given {
		f, problem, err := s.Media.Prepare(ctx, p.Name, p.Body, e.Takes.Wanted())
		if err != nil {
			return nil, fault.Logged(s.Log, "take a picture", err)
		}
		if !problem.IsZero() {
			return nil, notTaken(p.Name, problem)
		}
		files = append(files, f)
	}
	return files, nil
}

func notTaken(name string, why phrase.Phrase) error {
	return &fault.Problem{Code: fault.Invalid, Sentence: phrase.Of("The picture %s was not taken: %s.", name,
		strings.TrimSuffix(why.String(), "."))}
}

package conversation

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"juvalogos/core/phrase"
	"juvalogos/core/prompt"
	"juvalogos/core/reading"
	"juvalogos/core/recipe"
	"juvalogos/internal/fault"
	"juvalogos/internal/media"
	"juvalogos/internal/record"
	"juvalogos/internal/reply"
)

// Conversations that are taken along as a ZIP, with their pictures, and brought in again.

// CarriedFormat names what is in such a ZIP: conversation.md to be read, conversation.json
// with the same for programs, and pictures/.
const CarriedFormat = "juvalogos-conversation/1"

// carried is conversation.json.
type carried struct {
	Format    string        `json:"format"`
	Desk      string        `json:"desk"`
	Title     string        `json:"title"`
	StartedAt time.Time     `json:"started_at"`
	Turns     []carriedTurn `json:"turns"`
}

type carriedTurn struct {
	Question string           `json:"question"`
	AskedAt  time.Time        `json:"asked_at"`
	Reply    string           `json:"reply"`
	Model    string           `json:"model"`
	State    record.State     `json:"state"`
	Pictures []carriedPicture `json:"pictures,omitempty"` // that it was asked with
	Made     []carriedPicture `json:"made,omitempty"`
}

type carriedPicture struct {
	File  string       `json:"file"`
	Name  string       `json:"name"`
	Shows string       `json:"shows,omitempty"`
	How   *record.Made `json:"how,omitempty"`
}

// madeIn are the pictures that a turn's reply made.
func (s *Service) madeIn(ctx context.Context, t record.Turn) []record.Media {
	var ids []uuid.UUID
	for _, m := range recipe.MediaIn(reply.EndOf(t.Attempt).Parts) {
		if id, err := uuid.Parse(m.ID); err == nil {
			ids = append(ids, id)
		}
	}
	if len(ids) == 0 || s.Media == nil {
		return nil
	}
	return s.Media.Some(ctx, ids)
}

// Carry writes a conversation with its pictures into a ZIP, piece by piece. It fails as w
// does, or if the pictures cannot be read.
func (s *Service) Carry(ctx context.Context, w io.Writer, deskTitle string, v record.Conversation,
	turns []record.Turn) error {
	z := zip.NewWriter(w)
	out := carried{Format: CarriedFormat, Desk: v.Slug, Title: v.Title, StartedAt: v.StartedAt}
	done := map[uuid.UUID]bool{}
	take := func(all []record.Media) (list []carriedPicture, err error) {
		for _, m := range all {
			one := carriedPicture{File: fileOf(m), Name: m.Name, Shows: m.Said}
			if m.Made != nil {
				one.How = &record.Made{}
				if err := json.Unmarshal(m.Made, one.How); err != nil {
					return nil, err
				}
			}
			if list = append(list, one); done[m.ID] {
				continue
			}
			done[m.ID] = true
			part, err := z.CreateHeader(&zip.FileHeader{Name: one.File, Method: zip.Store, Modified: m.AddedAt})
			if err == nil {
				_, err = io.Copy(part, s.Media.Bytes(ctx, m.Hash, 0))
			}
			if err != nil {
				return nil, err
			}
		}
		return list, nil
	}
	var pictures [][]record.Media
	for _, t := range turns {
		made := s.madeIn(ctx, t)
		c := carriedTurn{Question: t.Question, AskedAt: t.AskedAt, Reply: t.Attempt.Reply, Model: t.Attempt.Model,
			State: t.Attempt.State}
		var err error
		if c.Pictures, err = take(t.Pictures); err == nil {
			c.Made, err = take(made)
		}
		if err != nil {
			return err
		}
		out.Turns = append(out.Turns, c)
		pictures = append(pictures, slices.Concat(t.Pictures, made))
	}
	text, err := json.MarshalIndent(out, "", "  ")
	if err != nil {
		return err
	}
	for name, body := range map[string]string{"conversation.json": string(text),
		"conversation.md": markdown(deskTitle, v, turns, func(i int) (lines string) {
			for _, m := range pictures[i] {
				lines += fmt.Sprintf("![%s](%s)\n\n", strings.NewReplacer("[", "(", "]", ")", "\n",
					" ").Replace(m.Said),
					fileOf(m))
			}
			return lines
		})} {
		part, err := z.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Deflate, Modified: v.AskedAt})
		if err == nil {
			_, err = io.WriteString(part, body)
		}
		if err != nil {
			return err
		}
	}
	return z.Close()
}

// fileOf is where a picture lies in the ZIP.
func fileOf(m record.Media) string {
	ending := ".png"
	if m.Kind == "image/jpeg" {
		ending = ".jpg"
	}
	return "pictures/" + m.ID.String() + ending
}

// Bounds of a conversation that is brought in.
const (
	mostCarriedTurns    = 2000
	mostCarriedPictures = 500
	// MostCarried is the most bytes of its ZIP.
	MostCarried = 200 << 20
)

// BringIn puts a conversation that was taken along on record as a visitor's own at a desk,
// and returns its id.
func (s *Service) BringIn(ctx context.Context, who record.Visitor, slug string, packed []byte) (uuid.UUID, error) {
	no := fault.Say(fault.Invalid, "This is no conversation that was saved here. Choose the ZIP that “Save with its "+
		"pictures” made.")
	if s.Media == nil {
		return uuid.Nil, no
	}
	r, err := s.Desks.Current(ctx, slug)
	if err != nil {
		return uuid.Nil, fault.Logged(s.Log, "bring in a conversation", err)
	}
	files := map[string][]byte{}
	err = s.Media.Unpacked(ctx, packed, func(name string, body []byte) { files[name] = body })
	var problem *reading.Problem
	if errors.As(err, &problem) {
		return uuid.Nil, no
	}
	if err != nil {
		return uuid.Nil, fault.Logged(s.Log, "bring in a conversation", err)
	}
	var c carried
	if json.Unmarshal(files["conversation.json"], &c) != nil || c.Format != CarriedFormat || len(c.Turns) == 0 ||
		len(c.Turns) > mostCarriedTurns {
		return uuid.Nil, no
	}
	b := bringing{service: s, who: who, desk: r, files: files, id: uuid.Must(uuid.NewV7()),
		taken: map[string]record.Media{}}
	turns := make([]record.BroughtTurn, len(c.Turns))
	for i, t := range c.Turns {
		if turns[i], err = b.turn(ctx, t); err != nil {
			return uuid.Nil, fault.Logged(s.Log, "bring in a conversation", err)
		}
	}
	title := record.OneLine(c.Title, longestName)
	if title == "" {
		title = record.OneLine(c.Turns[0].Question, longestName)
	}
	err = s.Store.BringIn(ctx, record.BroughtIn{ID: b.id, DeskID: r.DeskID, Revision: r.Number, Visitor: who,
		Title: title,
		At:    s.Now(), Turns: turns})
	return b.id, fault.NotFound(s.Log, fault.NoDesk, err)
}

// bringing is a conversation that is being brought in.
type bringing struct {
	service *Service
	who     record.Visitor
	desk    record.Revision
	files   map[string][]byte
	id      uuid.UUID
	taken   map[string]record.Media
}

func (b *bringing) turn(ctx context.Context, t carriedTurn) (out record.BroughtTurn, err error) {
	clean := func(text string) string { return string(record.Clean([]byte(text))) }
	out = record.BroughtTurn{ID: uuid.Must(uuid.NewV7()), Question: clean(t.Question), Reply: clean(t.Reply),
		AskedAt: t.AskedAt}
	out.QuestionTokens, out.ReplyTokens = prompt.Estimate{}.Count(out.Question), prompt.Estimate{}.Count(out.Reply)
	out.Vocabulary = prompt.Estimated
	var made []recipe.Media
	for i, p := range slices.Concat(t.Pictures, t.Made) {
		m, err := b.picture(ctx, p, out.ID, i >= len(t.Pictures))
		if err != nil {
			return out, err
		}
		if i < len(t.Pictures) {
			out.Media = append(out.Media, m.ID)
		} else {
			made = append(made, media.Carried(m))
		}
	}
	if len(made) > 0 {
		out.Parts, err = json.Marshal([]recipe.MadePart{{Title: "Pictures", Type: recipe.ListOf(recipe.Picture),
			Value: recipe.Listed(made)}})
	}
	return out, err
}

// picture takes in a picture of the ZIP, each once.
func (b *bringing) picture(ctx context.Context, p carriedPicture, turn uuid.UUID, made bool) (record.Media, error) {
	if m, there := b.taken[p.File]; there {
		return m, nil
	}
	body, there := b.files[path.Clean(p.File)]
	if !there || len(b.taken) == mostCarriedPictures {
		return record.Media{}, &fault.Problem{Code: fault.Invalid,
			Sentence: phrase.Of("The picture %s is missing in the "+
				"file, or there are more than %d. Nothing was brought in.", record.OneLine(p.Name, 80),
				mostCarriedPictures)}
	}
	f := media.For{Conversation: b.id, Visitor: b.who, DeskID: b.desk.DeskID, Said: record.OneLine(p.Shows, 1000)}
	if made {
		f.Origin, f.Turn, f.Made = record.Drawn, &turn, p.How
	}
	taken, err := b.service.Media.Take(ctx, f, p.Name, bytes.NewReader(body))
	if err == nil && !taken.Problem.IsZero() {
		err = &fault.Problem{Code: fault.Invalid,
			Sentence: phrase.Of("The picture %s cannot be read. Nothing was brought "+
				"in.", taken.Name)}
	}
	b.taken[p.File] = taken.Media
	return taken.Media, err
}

package web

import (
	"bufio"
	"bytes"
	"context"
	"encoding/hex"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"
	"github.com/google/uuid"

	"juvalogos/core/phrase"
	"juvalogos/core/picture"
	"juvalogos/internal/account"
	"juvalogos/internal/api"
	"juvalogos/internal/desk"
	"juvalogos/internal/fault"
	"juvalogos/internal/limits"
	"juvalogos/internal/media"
	"juvalogos/internal/record"
	"juvalogos/internal/reply"
	"juvalogos/internal/shape"
	"juvalogos/internal/shelf"
)

// The pictures of conversations.

// pictures are the handlers of pictures.
type pictures struct {
	*door
	Desks   *desk.Service
	Replies *reply.Service
	Media   *media.Service
	Shelves *shelf.Library
}

func (s *pictures) routes(api fiber.Router) {
	api.Get("/at/:slug/pictures", s.list)
	api.Post("/at/:slug/pictures", s.add)
	api.Post("/at/:slug/pictures/page", s.addPage)
	api.Post("/at/:slug/pictures/from", s.addFrom)
	api.Get("/at/:slug/gallery", s.gallery)
	api.Get("/at/:slug/gallery/zip", s.zip)
	api.Get("/at/:slug/pictures/:id/sent", s.sent)
	api.Post("/pictures/:id/restore", s.done(s.Media.Restore))
	api.Post("/at/:slug/pictures/opener", s.addOpener)
	api.Get("/at/:slug/openers/:number/picture", s.opener)
	api.Delete("/pictures/:id", s.done(s.Media.PutAway))
	api.Put("/pictures/:id", s.describe)
	api.Get("/pictures/:id/file", s.file)
	api.Get("/shared/:share/pictures/:id", s.shared)
	api.Get("/record-pictures/:id", s.allowed(account.Read, s.any))
}

// mostAtATime is how many pictures one request may bring.
const mostAtATime = 20

// at is the desk that pictures are given to, with whoever asks.
func (s *pictures) at(c fiber.Ctx) (record.Visitor, *desk.Desk, error) {
	who, err := s.visitor(c)
	if err != nil {
		return who, nil, err
	}
	slug, err := s.slugAsked(c)
	if err != nil {
		return who, nil, err
	}
	d, err := s.Desks.Open(c, slug)
	if err == nil && (s.Media == nil || !d.Settings.Pictures.Take) {
		err = fault.Plain(fault.Blind)
	}
	return who, d, err
}

func (s *pictures) list(c fiber.Ctx) error {
	who, d, err := s.at(c)
	if err != nil {
		return err
	}
	conversation, err := conversationInQuery(c)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	current, err := s.Media.Current(c, conversation, who, d.Looking())
	if err != nil {
		return err
	}
	return c.JSON(api.PictureList{Pictures: s.shaped(c, d, current)})
}

// shaped are pictures in the API's shape, for makers with what they take of a question.
func (s *pictures) shaped(c fiber.Ctx, d *desk.Desk, all []record.Media) []api.Picture {
	list := shape.All(all, shape.Picture)
	if d.Entry.Able("see") && s.tellsCost(c) {
		for i, m := range all {
			list[i].Tokens = d.Entry.Takes.TokensOf(m.Width, m.Height)
			list[i].Cost = d.Entry.Price.Of(list[i].Tokens, 0, 0)
		}
	}
	return list
}

// add takes pictures in; without a conversation they belong to one that is to begin,
// whose id is answered.
func (s *pictures) add(c fiber.Ctx) error {
	who, d, err := s.at(c)
	if err != nil {
		return err
	}
	conversation, err := conversationInQuery(c)
	if err != nil {
		return err
	}
	origin := record.Given
	if c.Query("mask") == "yes" {
		origin = record.Mask
	}
	return s.take(c, who, d, conversation, origin, func(each func(name string, body io.Reader) error) error {
		return eachFile(c, each)
	})
}

// addFrom gives a picture of the visitor's own that is elsewhere.
func (s *pictures) addFrom(c fiber.Ctx) error {
	who, d, err := s.at(c)
	if err != nil {
		return err
	}
	var b api.PictureFrom
	if err := readJSON(c, &b); err != nil {
		return err
	}
	id, err := uuid.Parse(b.Picture)
	if err != nil {
		return fault.Plain(fault.NoPicture)
	}
	conversation, err := toBegin(b.Conversation)
	if err != nil {
		return err
	}
	before, err := s.Media.Current(c, conversation, who, d.Looking())
	if err != nil {
		return err
	}
	m, err := s.Media.Of(c, id, who)
	if err == nil {
		err = s.Media.Copy(c, m, media.For{Conversation: conversation, Visitor: who, DeskID: d.DeskID})
	}
	if err != nil {
		return err
	}
	return s.given(c, who, d, api.PicturesGiven{Conversation: conversation.String(), Refused: []api.NotBrought{}},
		before...)
}

// toBegin is the conversation that is named, or a new one.
func toBegin(text string) (uuid.UUID, error) {
	if text == "" {
		return uuid.Must(uuid.NewV7()), nil
	}
	id, err := uuid.Parse(text)
	if err != nil {
		err = fault.Plain(fault.NoConversation)
	}
	return id, err
}

// addPage takes in a page of a document that was attached to the conversation.
func (s *pictures) addPage(c fiber.Ctx) error {
	who, d, err := s.at(c)
	if err != nil {
		return err
	}
	var b api.PageWanted
	if err := readJSON(c, &b); err != nil {
		return err
	}
	conversation, err := uuid.Parse(b.Conversation)
	if err != nil {
		return fault.Plain(fault.NoConversation)
	}
	documents, err := s.Shelves.Attached(c, conversation, who)
	if err != nil {
		return err
	}
	for _, one := range documents {
		if one.ID != b.Document {
			continue
		}
		page, err := s.Shelves.PagePicture(from(c), shelf.Own(conversation), one.ID, b.Page)
		if err != nil {
			return err
		}
		return s.take(c, who, d, conversation, record.Given, func(each func(name string, body io.Reader) error) error {
			return each(fmt.Sprintf("%s, page %d", one.Name, b.Page), strings.NewReader(string(page)))
		})
	}
	return fiber.NewError(fiber.StatusNotFound, "There is no such document.")
}

// addOpener takes in the picture that an opener is asked with.
func (s *pictures) addOpener(c fiber.Ctx) error {
	who, d, err := s.at(c)
	if err != nil {
		return err
	}
	var b api.OpenerWanted
	if err := readJSON(c, &b); err != nil {
		return err
	}
	conversation, err := toBegin(b.Conversation)
	if err != nil {
		return err
	}
	name, body, ok := desk.OpenerPicture(d.Settings, b.Opener)
	if !ok {
		return fault.Plain(fault.NoPicture)
	}
	return s.take(c, who, d, conversation, record.Given, func(each func(name string, body io.Reader) error) error {
		return each(name, bytes.NewReader(body))
	})
}

// opener is the picture that an opener is asked with, as the page shows it before.
func (s *pictures) opener(c fiber.Ctx) error {
	_, d, err := s.at(c)
	if err != nil {
		return err
	}
	number, err := strconv.Atoi(c.Params("number"))
	if err != nil {
		return fault.Plain(fault.NoPicture)
	}
	_, body, ok := desk.OpenerPicture(d.Settings, number)
	if !ok {
		return fault.Plain(fault.NoPicture)
	}
	c.Set("Cache-Control", "private, max-age=60")
	c.Set("Content-Security-Policy", "sandbox; default-src 'none'")
	c.Set("Content-Type", picture.KindOf(body))
	return c.Send(body)
}

// take takes pictures in and answers with all that questions are about now.
func (s *pictures) take(c fiber.Ctx, who record.Visitor, d *desk.Desk, conversation uuid.UUID, origin record.Origin,
	files func(each func(name string, body io.Reader) error) error) error {
	taken, err := s.Limits.Reserve(from(c), d.Slug,
		limits.Amounts{limits.Uploads: 1, limits.UploadsAtOnce: 1, limits.UploadBytes: 0})
	if err != nil {
		return err
	}
	defer taken.Done()
	if conversation == uuid.Nil {
		conversation = uuid.Must(uuid.NewV7())
	}
	out := api.PicturesGiven{Conversation: conversation.String(), Refused: []api.NotBrought{}}
	refuse := func(name string, why phrase.Phrase) {
		out.Refused = append(out.Refused, api.NotBrought{Name: name, Problem: why.String(), Phrase: why})
	}
	before, err := s.Media.Current(c, conversation, who, d.Looking())
	if err != nil {
		return err
	}
	tried, fresh, most := 0, 0, d.Looking().Most
	if origin == record.Mask {
		most = 1
	}
	err = files(func(name string, body io.Reader) error {
		if tried++; tried > mostAtATime {
			refuse(name, phrase.Of("up to %d pictures are taken at a time", mostAtATime))
			return nil
		}
		if fresh == most {
			refuse(name, phrase.Of("a question is asked with up to %d pictures", most))
			return nil
		}
		one, err := s.Media.Take(from(c), media.For{Conversation: conversation, Visitor: who, DeskID: d.DeskID,
			Origin: origin, As: d.Entry.Takes.Wanted()}, name, &counted{body, taken})
		if err != nil || !one.Problem.IsZero() {
			refuse(one.Name, one.Problem)
			return err
		}
		fresh++
		if origin == record.Mask {
			out.Mask = new(shape.Picture(one.Media))
		} else {
			s.Replies.Describe(from(c), d, one.Media)
		}
		return nil
	})
	if err != nil {
		return err
	}
	return s.given(c, who, d, out, before...)
}

// given answers with all that questions are about now, and which of those before made
// room for them.
func (s *pictures) given(c fiber.Ctx, who record.Visitor, d *desk.Desk, out api.PicturesGiven,
	before ...record.Media) error {
	conversation, err := uuid.Parse(out.Conversation)
	if err != nil {
		return err
	}
	current, err := s.Media.Current(c, conversation, who, d.Looking())
	if err != nil {
		return err
	}
	out.Pictures = s.shaped(c, d, current)
	out.Replaced = []string{}
	for _, m := range before {
		if !slices.ContainsFunc(current, func(o record.Media) bool { return o.ID == m.ID }) {
			out.Replaced = append(out.Replaced, m.Name)
		}
	}
	return c.Status(fiber.StatusCreated).JSON(out)
}

// gallery lists what a desk made for the visitor.
func (s *pictures) gallery(c fiber.Ctx) error {
	who, err := s.visitor(c)
	if err != nil {
		return err
	}
	slug, err := s.slugAsked(c)
	if err != nil {
		return err
	}
	page, err := pageOf(c)
	if err != nil {
		return err
	}
	before := uuid.Nil
	if text := c.Query("older"); text != "" {
		if before, err = uuid.Parse(text); err != nil {
			return fault.Plain(fault.NoPicture)
		}
	}
	r, err := s.Desks.Current(c, slug)
	if err != nil {
		return err
	}
	all, more, err := s.Media.Gallery(c, r.DeskID, who, page.Search, before, record.PageLimit(page.Limit))
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	look := shape.Picture
	if s.tellsCost(c) {
		look = shape.MakersPicture
	}
	return c.JSON(api.Gallery{Pictures: shape.All(all, look), More: more})
}

// mostInZip is how many pictures one ZIP has.
const mostInZip = 10_000

// zip sends pictures that a desk made for the visitor, one after the other.
func (s *pictures) zip(c fiber.Ctx) error {
	who, err := s.visitor(c)
	if err != nil {
		return err
	}
	slug, err := s.slugAsked(c)
	if err != nil {
		return err
	}
	r, err := s.Desks.Current(c, slug)
	if err != nil {
		return err
	}
	wanted := map[uuid.UUID]bool{}
	for _, text := range c.RequestCtx().QueryArgs().PeekMulti("id") {
		id, err := uuid.Parse(string(text))
		if err != nil {
			return fault.Plain(fault.NoPicture)
		}
		wanted[id] = true
	}
	var all []record.Media
	for before, more := uuid.Nil, true; more; {
		if len(all) > mostInZip {
			return invalid(fmt.Sprintf("Up to %d pictures are saved at once. Choose some of them.", mostInZip))
		}
		var some []record.Media
		if some, more, err = s.Media.Gallery(c, r.DeskID, who, "", before, 200); err != nil {
			return err
		}
		for _, m := range some {
			before = m.ID
			if len(wanted) == 0 || wanted[m.ID] {
				all = append(all, m)
			}
		}
	}
	if len(all) == 0 {
		return fault.Plain(fault.NoPicture)
	}
	c.Set("Content-Type", "application/zip")
	c.Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", r.Slug+"-pictures.zip"))
	ctx := context.WithoutCancel(c)
	return c.SendStreamWriter(func(w *bufio.Writer) {
		if err := s.Media.Zip(ctx, w, all); err != nil {
			s.Log.Info("a ZIP of pictures was not sent whole", "error", err)
		}
	})
}

// done does something with a visitor's picture.
func (s *pictures) done(do func(context.Context, uuid.UUID, record.Visitor) error) fiber.Handler {
	return func(c fiber.Ctx) error {
		who, id, err := s.idAsked(c, fault.NoPicture)
		if err == nil {
			err = do(c, id, who)
		}
		if err != nil {
			return err
		}
		return c.SendStatus(fiber.StatusNoContent)
	}
}

func (s *pictures) describe(c fiber.Ctx) error {
	who, id, err := s.idAsked(c, fault.NoPicture)
	if err != nil {
		return err
	}
	var b api.PictureSaid
	if err := readJSON(c, &b); err != nil {
		return err
	}
	if err := s.Media.Describe(c, id, who, b.Alt); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *pictures) file(c fiber.Ctx) error {
	who, id, err := s.idAsked(c, fault.NoPicture)
	if err != nil {
		return err
	}
	return s.send(c, func() (record.Media, error) { return s.Media.Of(c, id, who) })
}

// sent is a picture as the desk's model gets it.
func (s *pictures) sent(c fiber.Ctx) error {
	who, d, err := s.at(c)
	if err != nil {
		return err
	}
	id, err := uuid.Parse(c.Params("id"))
	if err != nil {
		return fault.Plain(fault.NoPicture)
	}
	m, err := s.Media.Of(c, id, who)
	if err != nil {
		return err
	}
	as, body, err := s.Media.As(from(c), m, d.Entry.Takes.Wanted())
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "private, max-age=60")
	c.Set("Content-Security-Policy", "sandbox; default-src 'none'")
	c.Set("Content-Type", as.Kind)
	return c.Send(body)
}

func (s *pictures) shared(c fiber.Ctx) error {
	id, err := uuid.Parse(c.Params("id"))
	if err != nil {
		return fault.Plain(fault.NoPicture)
	}
	return s.send(c, func() (record.Media, error) { return s.Media.Shared(c, c.Params("share"), id) })
}

func (s *pictures) any(c fiber.Ctx) error {
	id, err := uuid.Parse(c.Params("id"))
	if err != nil {
		return fault.Plain(fault.NoPicture)
	}
	return s.send(c, func() (record.Media, error) { return s.Media.Any(c, id) })
}

// send sends a picture, piece by piece. Its bytes never change: whoever has them need
// not fetch them again, but has to ask whether they may still be seen.
func (s *pictures) send(c fiber.Ctx, find func() (record.Media, error)) error {
	m, err := find()
	if err != nil {
		return err
	}
	hash, size, kind := m.Hash, m.Size, m.Kind
	if c.Query("size") == "small" {
		hash, kind, size = m.Small, "image/jpeg", 0
	}
	c.Set("Cache-Control", "private, no-cache")
	c.Set("ETag", `"`+hex.EncodeToString(hash)+`"`)
	c.Set("Content-Security-Policy", "sandbox; default-src 'none'")
	c.Set("Content-Type", kind)
	if strings.Contains(c.Get("If-None-Match"), hex.EncodeToString(hash)) {
		return c.SendStatus(fiber.StatusNotModified)
	}
	body := func(from int64) io.Reader { return s.Media.Bytes(context.WithoutCancel(c), hash, from) }
	if size == 0 {
		return c.SendStream(body(0))
	}
	return ranged(c, size, body)
}

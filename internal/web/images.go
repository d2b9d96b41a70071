package web

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"
	"github.com/google/uuid"

	"juvalogos/core/recipe"
	"juvalogos/core/steps"
	"juvalogos/internal/api"
	"juvalogos/internal/conversation"
	"juvalogos/internal/desk"
	"juvalogos/internal/fault"
	"juvalogos/internal/media"
	"juvalogos/internal/record"
	"juvalogos/internal/reply"
)

// The protocol's calls for pictures, with desks that make them for models.

// images are the handlers of them.
type images struct {
	*door
	Desks         *desk.Service
	Replies       *reply.Service
	Media         *media.Service
	Conversations *conversation.Service
}

func (s *images) routes(root fiber.Router) {
	root.Post("/v1/images/generations", s.generate)
	root.Post("/v1/images/variations", s.fromPicture)
	root.Post("/v1/images/edits", s.fromPicture)
}

// wanted is a request for pictures.
type wanted struct {
	Model, Prompt, Size, Format string
	Number                      int
	Seed                        *int
	picture, mask               *reply.GivenPicture
}

// Parameters that change nothing of the pictures are passed over; what a desk cannot do is
// refused.
var (
	picturesKnow  = []string{"model", "prompt", "n", "size", "seed", "response_format", "image", "mask"}
	picturesPass  = []string{"user", "moderation"}
	picturesUsual = map[string][]string{"quality": {"auto", "standard"}, "style": {""}, "background": {"auto"},
		"output_format": {"png"}, "stream": {"false"}, "partial_images": {"0"}, "output_compression": {"100"}}
	longestSetting = 64 << 10
)

// take reads a parameter.
func (w *wanted) take(c fiber.Ctx, name, value string) error {
	usual, known := picturesUsual[name]
	switch {
	case slices.Contains(picturesPass, name) || known && slices.Contains(usual, value):
		return nil
	case known:
		return refuse(c, name, notSupported, fmt.Sprintf("%s cannot be chosen here; leave it out.", name))
	case !slices.Contains(picturesKnow, name):
		return refuse(c, name, "unknown_parameter", fmt.Sprintf("The parameter %q is not known here; leave it out.",
			name))
	}
	number := func(least int) (int, error) {
		n, err := strconv.Atoi(value)
		if err != nil || n < least {
			err = refuse(c, name, badValue, fmt.Sprintf("%s is a number from %d on, and not %q.", name, least, value))
		}
		return n, err
	}
	var err error
	switch name {
	case "model":
		w.Model = value
	case "prompt":
		w.Prompt = value
	case "size":
		w.Size = value
	case "response_format":
		if w.Format = value; value != "b64_json" && value != "base64" && value != "url" { // both names are in use
			err = refuse(c, name, badValue, "response_format is b64_json or url.")
		}
	case "n":
		w.Number, err = number(1)
	case "seed":
		var seed int
		seed, err = number(0)
		w.Seed = &seed
	}
	return err
}

func (s *images) generate(c fiber.Ctx) error {
	who, err := s.programAsked(c)
	if err != nil {
		return err
	}
	var given map[string]json.RawMessage
	if err := readJSON(c, &given); err != nil {
		return err
	}
	w := wanted{Number: 1, Format: "b64_json"}
	for name, raw := range given {
		value := string(raw)
		if value == "null" {
			continue
		}
		var text string
		if json.Unmarshal(raw, &text) == nil {
			value = text
		}
		if err := w.take(c, name, value); err != nil {
			return err
		}
	}
	return s.make(c, who, w, false)
}

func (s *images) fromPicture(c fiber.Ctx) error {
	who, err := s.programAsked(c)
	if err != nil {
		return err
	}
	w := wanted{Number: 1, Format: "b64_json"}
	err = eachPart(c, func(field, name string, body io.Reader) error {
		if name == "" {
			value, err := io.ReadAll(io.LimitReader(body, int64(longestSetting)))
			if err != nil {
				return err
			}
			return w.take(c, field, string(value))
		}
		file, err := io.ReadAll(io.LimitReader(body, int64(media.MostBytes)+1))
		if err != nil {
			return err
		}
		switch strings.TrimSuffix(field, "[]") {
		case "image":
			if w.picture != nil {
				return refuse(c, "image", badValue, "A desk works on one image at a time.")
			}
			w.picture = &reply.GivenPicture{Name: name, Body: file}
		case "mask":
			w.mask = &reply.GivenPicture{Name: name, Body: file}
		default:
			return refuse(c, field, "unknown_parameter", fmt.Sprintf("There is no file called %q here.", field))
		}
		return nil
	})
	if err != nil {
		return err
	}
	if w.picture == nil {
		return refuse(c, "image", badValue, "There is no image.")
	}
	if strings.HasSuffix(c.Path(), "/edits") && strings.TrimSpace(w.Prompt) == "" {
		return refuse(c, "prompt", badValue,
			"prompt says what is to be changed; for variations ask /v1/images/variations.")
	}
	return s.make(c, who, w, true)
}

func (s *images) programAsked(c fiber.Ctx) (record.Visitor, error) {
	if _, err := s.token(c); err != nil {
		return record.Visitor{}, err
	}
	return s.visitor(c)
}

// make has the desk make the pictures and answers with them.
func (s *images) make(c fiber.Ctx, who record.Visitor, w wanted, fromPicture bool) error {
	if strings.HasPrefix(w.Model, desk.DraftMark) {
		return fault.Plain(fault.NoDesk)
	}
	d, err := s.Desks.Open(from(c), w.Model)
	if err != nil {
		return err
	}
	draws, ofPicture := steps.Draws(d.Recipe)
	switch {
	case !draws:
		return refuse(c, "model", badValue, fmt.Sprintf("The desk %q makes no pictures.", w.Model))
	case ofPicture != fromPicture && ofPicture:
		return refuse(c, "model", badValue, fmt.Sprintf("The desk %q makes pictures from pictures: ask "+
			"/v1/images/variations or /v1/images/edits.", w.Model))
	case ofPicture != fromPicture:
		return refuse(c, "model", badValue, fmt.Sprintf("The desk %q makes pictures from words: ask "+
			"/v1/images/generations.", w.Model))
	}
	q := reply.Question{Slug: w.Model, Visitor: who, Channel: "completions", Text: w.Prompt, Inputs: map[string]string{
		"number": strconv.Itoa(w.Number)}, Key: c.Get("Idempotency-Key")}
	if most := shapeMost(d); w.Number > most {
		return refuse(c, "n", badValue, fmt.Sprintf("This desk makes %d pictures at most at once.", most))
	}
	if w.Seed != nil {
		q.Inputs["seed"] = strconv.Itoa(*w.Seed)
	}
	if fromPicture {
		err = s.onPicture(c, d, w, &q)
	} else {
		err = formatFor(c, d, w, &q)
	}
	if err != nil {
		return err
	}
	r, err := s.Replies.Ask(from(c), q)
	if err != nil {
		return err
	}
	left := func() { _ = s.Replies.Stop(context.Background(), who, r.Turn) }
	if err := await(c, r, left, func(v reply.View) bool { return v.Settled }); err != nil {
		return err
	}
	return s.answer(c, who, r, w)
}

// shapeMost is how many pictures a desk makes at once.
func shapeMost(d *desk.Desk) int {
	if n, ok := d.RecipeSettings["most"].(float64); ok && n >= 1 {
		return min(int(n), steps.MostPictures)
	}
	return steps.MostPictures
}

// formatFor turns a size into one of the formats of a desk; a size that it does not make
// is refused.
func formatFor(c fiber.Ctx, d *desk.Desk, w wanted, q *reply.Question) error {
	if w.Size == "" || w.Size == "auto" {
		return nil
	}
	side, _ := d.RecipeSettings["side"].(float64)
	sizes := map[string]string{}
	for _, format := range []string{steps.Square, steps.Lying, steps.Upright} {
		width, height := steps.SizeOf(format, int(side))
		sizes[fmt.Sprintf("%dx%d", width, height)] = format
	}
	format, ok := sizes[w.Size]
	if !ok {
		var all []string
		for size := range sizes {
			all = append(all, size)
		}
		slices.Sort(all)
		return refuse(c, "size", badValue, fmt.Sprintf("This desk makes pictures of %s; leave size out or choose one.",
			strings.Join(all, ", ")))
	}
	q.Inputs["format"] = format
	return nil
}

// onPicture gives the pictures of a request to a conversation that is to begin.
func (s *images) onPicture(c fiber.Ctx, d *desk.Desk, w wanted, q *reply.Question) error {
	if w.Size != "" && w.Size != "auto" {
		return refuse(c, "size", notSupported, "size cannot be chosen here; leave it out.")
	}
	q.Conversation = uuid.Must(uuid.NewV7())
	if q.Text = strings.TrimSpace(w.Prompt); q.Text == "" {
		q.Text = "Variations"
	} else {
		q.Inputs["change"] = q.Text
	}
	for origin, g := range map[record.Origin]*reply.GivenPicture{record.Given: w.picture, record.Mask: w.mask} {
		if g == nil {
			continue
		}
		taken, err := s.Media.Take(from(c), media.For{Conversation: q.Conversation, Visitor: q.Visitor,
			DeskID: d.DeskID,
			Origin: origin, As: d.Entry.Takes.Wanted()}, g.Name, bytes.NewReader(g.Body))
		if err != nil {
			return err
		}
		if !taken.Problem.IsZero() {
			return reply.NotTaken(taken.Name, taken.Problem)
		}
		if origin == record.Mask {
			q.Inputs["mask"] = recipe.OnRecord + taken.Media.ID.String()
		}
	}
	return nil
}

// answer answers with the pictures that were made.
func (s *images) answer(c fiber.Ctx, who record.Visitor, r *reply.Reply, w wanted) error {
	v := r.Since(0, nil)
	if v.End.Problem != "" {
		return &fault.Problem{Code: v.End.Problem, Sentence: fault.Sentence(v.End.Problem), ID: v.End.ProblemID}
	}
	out := api.ImagesMade{Created: r.StartedAt.Unix(), Data: []api.ImageMade{}}
	link := ""
	for _, m := range recipe.MediaIn(v.End.Parts) {
		one := api.ImageMade{RevisedPrompt: string(v.Text)}
		id, err := uuid.Parse(m.ID)
		if err != nil {
			continue
		}
		kept, err := s.Media.Of(c, id, who)
		if err != nil {
			return err
		}
		if w.Format == "url" {
			if link == "" {
				share, err := s.Conversations.Share(c, who, r.Conversation)
				if err != nil {
					return err
				}
				link = c.BaseURL() + s.BasePath + "/api/shared/" + share + "/pictures/"
			}
			one.URL = link + m.ID
		} else {
			body, err := io.ReadAll(s.Media.Bytes(c, kept.Hash, 0))
			if err != nil {
				return err
			}
			one.B64Json = base64.StdEncoding.EncodeToString(body)
		}
		out.Data = append(out.Data, one)
	}
	return c.JSON(out)
}

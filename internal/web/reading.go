package web

import (
	"encoding/json"
	"strings"

	"github.com/gofiber/fiber/v3"
	"github.com/google/uuid"

	"juvalogos/core/deskfile"
	"juvalogos/core/recipe"
	"juvalogos/core/steps"
	"juvalogos/internal/api"
	"juvalogos/internal/desk"
	"juvalogos/internal/models"
	"juvalogos/internal/record"
	"juvalogos/internal/shape"
)

func (s *keeping) face(c fiber.Ctx) error {
	slug, err := s.slugAsked(c)
	if err != nil {
		return err
	}
	f, err := faceAt(c, s.Desks, slug)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(f)
}

func faceAt(c fiber.Ctx, desks *desk.Service, slug string) (api.Face, error) {
	f, err := desks.Face(c, slug)
	if err != nil {
		return api.Face{}, err
	}
	b := shape.Face(f)
	if !f.Pictures.Take && f.Pictures.Elsewhere != "" {
		if other, err := desks.Face(c, f.Pictures.Elsewhere); err == nil {
			b.Pictures.Elsewhere = api.OtherDesk{Slug: other.Slug, Title: other.Title}
		}
	}
	r, settings, err := desks.RecipeOf(slug, f)
	if err != nil {
		return b, nil // asking will say what is wrong
	}
	b.Sound = hearing(c, desks, slug, f, r)
	b.Depicts = depicting(c, desks, slug, f, r)
	b.Tables = steps.AsksTables(r)
	b.Foretold = steps.Foretold(r)
	if r.Lanes() {
		b.Show = api.FaceShow(r.Show)
	}
	for _, in := range r.Inputs {
		if in.Name != "question" && in.Asked(settings) {
			b.Inputs = append(b.Inputs, shape.Input(in))
		}
	}
	return b, nil
}

// depicting is what a desk makes of words or of a picture; nil if it makes none. Without
// its model it says as much as can be known.
func depicting(c fiber.Ctx, desks *desk.Service, slug string, f deskfile.File, r *recipe.Recipe) *api.Depicting {
	if is, _ := steps.Draws(r); !is {
		return nil
	}
	var takes models.Takes
	price := 0.0
	settings := recipe.Values{}
	if d, err := desks.Open(c, slug); err == nil {
		takes, price, settings = d.Entry.Takes, d.Entry.Price.Picture, d.RecipeSettings
	}
	out := shape.Depicting(r, settings, takes, price)
	for _, slug := range f.Pictures.Onward {
		if other, err := desks.Face(c, slug); err == nil {
			out.Onward = append(out.Onward, api.OtherDesk{Slug: other.Slug, Title: other.Title})
		}
	}
	return out
}

// hearing is what visitors of a desk may do with spoken words.
func hearing(c fiber.Ctx, desks *desk.Service, slug string, f deskfile.File, r *recipe.Recipe) api.Hearing {
	d, err := desks.Open(c, slug)
	if err != nil {
		return api.Hearing{Asks: true} // asking will say what is wrong
	}
	var hears, speaks *models.Entry
	if e, err := desks.Hears(d); err == nil {
		hears = &e
	}
	if e, err := desks.Speaks(d); err == nil {
		speaks = &e
	}
	draws, _ := steps.Draws(r)
	return shape.Hearing(f, hears, speaks, draws || f.Model == "" || d.Entry.Able("chat"))
}

func (s *keeping) conversations(c fiber.Ctx) error {
	who, err := s.visitor(c)
	if err != nil {
		return err
	}
	page, err := pageOf(c)
	if err != nil {
		return err
	}
	if strings.HasPrefix(c.Params("slug"), desk.DraftMark) {
		return sendConversations(c, nil) // trying a draft leaves nothing behind
	}
	list, err := s.Conversations.Conversations(c, who, c.Params("slug"), page)
	if err != nil {
		return err
	}
	return sendConversations(c, list)
}

func sendConversations(c fiber.Ctx, list []record.Conversation) error {
	c.Set("Cache-Control", "no-store")
	return c.JSON(api.ConversationList{Conversations: shape.All(list, shape.Conversation)})
}

func (s *keeping) conversation(c fiber.Ctx) error {
	who, id, err := s.conversationAsked(c)
	if err != nil {
		return err
	}
	return s.sendConversation(c, who, id)
}

func (s *keeping) sendConversation(c fiber.Ctx, who record.Visitor, id uuid.UUID) error {
	conversation, turns, err := s.Conversations.Conversation(c, who, id)
	if err != nil {
		return err
	}
	b := withTurns(s.door, conversation, turns, s.tellsCost(c))
	c.Set("Cache-Control", "no-store")
	return c.JSON(b)
}

// withTurns is a conversation as its visitor sees it, or a maker.
func withTurns(d *door, c record.Conversation, turns []record.Turn, maker bool) api.Conversation {
	b := shape.Conversation(c)
	if c.Share != "" {
		b.Shared = d.sharePath(c.Share)
	}
	for _, t := range turns {
		b.Turns = append(b.Turns, shape.Turn(t, maker))
	}
	return b
}

// readJSON reads a request's body.
func readJSON(c fiber.Ctx, into any) error {
	body, err := bodyOf(c)
	if err != nil {
		return err
	}
	if err := json.Unmarshal(body, into); err != nil {
		return invalid("The body of the request is not the JSON that is expected here: " + err.Error())
	}
	return nil
}

package web

import (
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"
	"github.com/google/uuid"

	"juvalogos/core/deskfile"
	"juvalogos/internal/account"
	"juvalogos/internal/api"
	"juvalogos/internal/desk"
	"juvalogos/internal/errand"
	"juvalogos/internal/fault"
	"juvalogos/internal/record"
	"juvalogos/internal/shape"
)

// What visitors have brought into a conversation.

// errands are the handlers of what visitors have brought.
type errands struct {
	*door
	Desks   *desk.Service
	Errands *errand.Service
}

func (s *errands) routes(api fiber.Router) {
	api.Get("/at/:slug/errands", s.list)
	api.Post("/at/:slug/errands", s.bring)
	api.Get("/at/:slug/errands/:id", s.show)
	api.Delete("/at/:slug/errands/:id", s.putAway(false))
	api.Post("/at/:slug/errands/:id/restore", s.putAway(true))
	api.Post("/at/:slug/errands/:id/choose", s.choose)
	api.Post("/at/:slug/errands/:id/stop", s.stop)
	api.Post("/at/:slug/errands/:id/agree", s.agree)
	api.Get("/at/:slug/titles", s.titles)
	api.Get("/desks/:slug/wanted", s.allowed(account.Read, s.wanted))
	api.Get("/brought", s.allowed(account.Read, s.sums))
}

// asked is who asks, at which desk.
func (s *errands) asked(c fiber.Ctx) (who record.Visitor, slug string, err error) {
	if who, err = s.visitor(c); err != nil {
		return who, "", err
	}
	slug, err = s.slugAsked(c)
	return who, slug, err
}

// one is who asks for which errand, at which desk.
func (s *errands) one(c fiber.Ctx) (who record.Visitor, slug string, id uuid.UUID, err error) {
	if who, slug, err = s.asked(c); err != nil {
		return who, slug, id, err
	}
	if id, err = uuid.Parse(c.Params("id")); err != nil {
		err = fault.Say(fault.NotHere, "There is no such thing to read. It may belong to another browser.")
	}
	return who, slug, id, err
}

func (s *errands) shaped(c fiber.Ctx, slug string, e record.Errand) api.Errand {
	estimate, err := s.Errands.Estimate(c, slug, e)
	if err != nil {
		s.Log.Warn("what embedding would cost is not known", "error", err)
	}
	return shape.Errand(e, s.sources(c, slug), estimate)
}

func (s *errands) sources(c fiber.Ctx, slug string) []deskfile.BringSource {
	f, err := s.Desks.Face(c, slug)
	if err != nil {
		return nil // they are shown without their titles
	}
	return f.Bring.Sources
}

func (s *errands) list(c fiber.Ctx) error {
	who, slug, err := s.asked(c)
	if err != nil {
		return err
	}
	conversation, err := conversationInQuery(c)
	if err != nil {
		return err
	}
	all, err := s.Errands.List(c, conversation, who)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(api.ErrandList{Errands: shape.All(all, func(e record.Errand) api.Errand {
		return s.shaped(c, slug, e)
	})})
}

func (s *errands) bring(c fiber.Ctx) error {
	who, slug, err := s.asked(c)
	if err != nil {
		return err
	}
	conversation, err := conversationInQuery(c)
	if err != nil {
		return err
	}
	var b api.Wish
	if err := readJSON(c, &b); err != nil {
		return err
	}
	e, err := s.Errands.Begin(from(c), errand.Wish{Slug: slug, Conversation: conversation, Visitor: who,
		Kind: record.ErrandKind(b.Kind), Source: b.Source, Wanted: b.About, Shelf: b.Shelf, Document: b.Document})
	if err != nil {
		return err
	}
	return c.Status(fiber.StatusAccepted).JSON(s.shaped(c, slug, e))
}

func (s *errands) show(c fiber.Ctx) error {
	who, slug, id, err := s.one(c)
	if err != nil {
		return err
	}
	e, err := s.Errands.Errand(c, id, who)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(s.shaped(c, slug, e))
}

func (s *errands) putAway(back bool) fiber.Handler {
	return func(c fiber.Ctx) error {
		who, _, id, err := s.one(c)
		if err != nil {
			return err
		}
		if err := s.Errands.PutAway(c, id, who, back); err != nil {
			return err
		}
		return c.SendStatus(fiber.StatusNoContent)
	}
}

func (s *errands) choose(c fiber.Ctx) error {
	who, slug, id, err := s.one(c)
	if err != nil {
		return err
	}
	var b api.ChosenMeaning
	if err := readJSON(c, &b); err != nil {
		return err
	}
	e, err := s.Errands.Choose(from(c), slug, id, who, b.Title)
	if err != nil {
		return err
	}
	return c.Status(fiber.StatusAccepted).JSON(s.shaped(c, slug, e))
}

func (s *errands) stop(c fiber.Ctx) error {
	who, _, id, err := s.one(c)
	if err != nil {
		return err
	}
	if err := s.Errands.Stop(c, id, who); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *errands) agree(c fiber.Ctx) error {
	who, slug, id, err := s.one(c)
	if err != nil {
		return err
	}
	if err := s.Errands.Agree(c, slug, id, who); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusAccepted)
}

// titles are the desk's documents that may be chosen.
func (s *errands) titles(c fiber.Ctx) error {
	_, slug, err := s.asked(c)
	if err != nil {
		return err
	}
	all, more, err := s.Errands.Titles(c, slug, c.Query("search"))
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(api.TitleList{Titles: shape.All(all, shape.Title), More: more})
}

func (s *errands) wanted(c fiber.Ctx) error {
	days := 0
	if text := c.Query("days"); text != "" {
		var err error
		if days, err = strconv.Atoi(text); err != nil || days == 0 {
			return invalid("days is a whole number from 1 to 3660.")
		}
	}
	all, err := s.Errands.Wanted(c, c.Params("slug"), days)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(api.WantedList{Wanted: shape.All(all, shape.Wanted)})
}

func (s *errands) sums(c fiber.Ctx) error {
	var by []string
	if text := c.Query("by"); text != "" {
		by = strings.Split(text, ",")
	}
	begins, err := timeAsked(c, "from")
	if err != nil {
		return err
	}
	ends, err := timeAsked(c, "to")
	if err != nil {
		return err
	}
	from, to, rows, err := s.Errands.Sums(c, by, begins, ends, c.Query("desk"))
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(api.Brought{By: shape.Some(by), From: from, To: to, Rows: shape.All(rows, shape.BroughtRow)})
}

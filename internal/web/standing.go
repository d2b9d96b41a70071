package web

import (
	"github.com/gofiber/fiber/v3"

	"juvalogos/internal/account"
	"juvalogos/internal/api"
	"juvalogos/internal/record"
	"juvalogos/internal/shape"
	"juvalogos/internal/standing"
)

// standings are the handlers of replies that desks keep current.
type standings struct {
	*door
	Standing *standing.Service
}

func (s *standings) routes(api fiber.Router) {
	api.Get("/at/:slug/standing", s.list)
	api.Get("/desks/:slug/standing", s.allowed(account.Read, s.known))
	api.Post("/desks/:slug/standing", s.allowed(account.Publish, s.now))
}

func (s *standings) list(c fiber.Ctx) error {
	all, err := s.Standing.Kept(c, c.Params("slug"))
	return s.send(c, all, err, false)
}

func (s *standings) known(c fiber.Ctx) error {
	all, err := s.Standing.Kept(c, c.Params("slug"))
	return s.send(c, all, err, true)
}

func (s *standings) now(c fiber.Ctx) error {
	all, err := s.Standing.LookNow(c, c.Params("slug"))
	return s.send(c, all, err, true)
}

func (s *standings) send(c fiber.Ctx, all []record.Standing, err error, maker bool) error {
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(api.StandingList{Standing: shape.All(all, func(r record.Standing) api.Standing {
		return standingShown(s.door, r, maker)
	})})
}

func standingShown(d *door, r record.Standing, maker bool) api.Standing {
	out := shape.Standing(r, maker)
	if r.Share != "" {
		out.Page = d.sharePath(r.Share)
	}
	return out
}

package web

import (
	"context"
	_ "embed"
	"errors"
	"time"

	"github.com/gofiber/fiber/v3"

	"juvalogos/core/deskfile"
	"juvalogos/internal/account"
	"juvalogos/internal/api"
	"juvalogos/internal/desk"
	"juvalogos/internal/models"
	"juvalogos/internal/notices"
	"juvalogos/internal/record"
	"juvalogos/internal/reply"
	"juvalogos/internal/shape"
)

// What the service says of itself.

//go:embed openapi.yaml
var openAPI []byte

// about are the handlers of what the service says of itself.
type about struct {
	*door
	Desks   *desk.Service
	Models  *models.Registry
	Replies *reply.Service
	Ready   func(context.Context) error
	Notices func() []notices.Trouble
	Version string
}

func (s *about) routes(root, api fiber.Router) {
	root.Get("/healthz", s.health)
	root.Get("/readyz", s.ready)
	api.Get("/openapi.yaml", s.description)
	api.Get("/schemas/desk.json", s.deskSchema)
	api.Get("/schemas/connections.json", s.connectionsSchema)
	api.Get("/notices", s.allowed(account.Read, s.notices))
	api.Get("/milestones", s.allowed(account.Read, s.milestones))
	api.Get("/folder", s.allowed(account.Read, s.folder))
}

func (s *about) health(c fiber.Ctx) error {
	return c.JSON(api.Health{Status: "alive", Version: s.Version, Currency: s.Currency})
}

func (s *about) ready(c fiber.Ctx) error {
	unready := func(why string) error {
		return c.Status(fiber.StatusServiceUnavailable).JSON(api.Health{Status: why, Running: s.Replies.Running()})
	}
	if s.Replies.Closing() {
		return unready("the service is stopping")
	}
	ctx, cancel := context.WithTimeout(c, 2*time.Second)
	defer cancel()
	switch err := s.Ready(ctx); {
	case errors.Is(err, record.ErrFull), errors.Is(err, record.ErrReadOnly):
		return unready(err.Error())
	case err != nil:
		return unready("the database does not answer")
	}
	return c.JSON(api.Health{Status: "ready", Running: s.Replies.Running()})
}

func (s *about) description(c fiber.Ctx) error {
	c.Set("Content-Type", "application/yaml; charset=utf-8")
	return c.Send(openAPI)
}

func (s *about) deskSchema(c fiber.Ctx) error {
	return c.JSON(deskfile.Schema(), "application/schema+json")
}

func (s *about) connectionsSchema(c fiber.Ctx) error {
	return c.JSON(models.Schema(), "application/schema+json")
}

// notices lists what is wrong now.
func (s *about) notices(c fiber.Ctx) error {
	b := api.NoticeList{Troubles: []api.OwnersTrouble{}}
	if s.Notices != nil {
		for _, t := range s.Notices() {
			b.Troubles = append(b.Troubles, api.OwnersTrouble{Key: t.Key, What: t.What, Since: t.Since})
		}
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(b)
}

// milestones tells how far a maker is on the way from a model to a page.
func (s *about) milestones(c fiber.Ctx) error {
	m, err := s.Desks.Milestones(c)
	if err != nil {
		return err
	}
	return c.JSON(api.Milestones{
		Connected: len(s.Models.All()) > 0, Answered: s.Models.Answered() || m.Asked,
		Written: m.Written, Tried: m.Asked, Published: m.Published,
	})
}

// folder reports on the folder of desk files that is watched.
func (s *about) folder(c fiber.Ctx) error {
	path, files := s.Desks.Folder()
	return c.JSON(api.Folder{Folder: path, Files: shape.All(files, shape.FolderFile)})
}

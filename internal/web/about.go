package web

import (
	"context"
	_ "embed"
	"time"

	"github.com/gofiber/fiber/v3"

	"juvalogos/core/deskfile"
	"juvalogos/internal/api"
	"juvalogos/internal/models"
	"juvalogos/internal/shape"
)

// What the service says of itself.

//go:embed openapi.yaml
var openAPI []byte

func (s *Server) health(c fiber.Ctx) error {
	return c.JSON(api.Health{Status: "alive", Version: s.Version})
}

func (s *Server) ready(c fiber.Ctx) error {
	ctx, cancel := context.WithTimeout(c, time.Second)
	defer cancel()
	if err := s.Store.Ping(ctx); err != nil {
		return c.Status(fiber.StatusServiceUnavailable).JSON(api.Health{Status: "the database does not answer"})
	}
	return c.JSON(api.Health{Status: "ready", Running: s.Desks.Running()})
}

func (s *Server) description(c fiber.Ctx) error {
	c.Set("Content-Type", "application/yaml; charset=utf-8")
	return c.Send(openAPI)
}

func (s *Server) deskSchema(c fiber.Ctx) error {
	return c.JSON(deskfile.Schema(), "application/schema+json")
}

func (s *Server) connectionsSchema(c fiber.Ctx) error {
	return c.JSON(models.Schema(), "application/schema+json")
}

// milestones tells how far a maker is on the way from a model to a page.
func (s *Server) milestones(c fiber.Ctx) error {
	m, err := s.Store.Desks.Milestones(c)
	if err != nil {
		return err
	}
	return c.JSON(api.Milestones{
		Connected: len(s.Desks.Models.All()) > 0, Answered: s.Desks.Models.Answered() || m.Asked,
		Written: m.Written, Tried: m.Asked, Published: m.Published,
	})
}

// folder reports on the folder of desk files that is watched.
func (s *Server) folder(c fiber.Ctx) error {
	path, files := s.Desks.Folder()
	return c.JSON(api.Folder{Folder: path, Files: shape.All(files, shape.FolderFile)})
}

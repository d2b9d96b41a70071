package web

import (
	"context"
	_ "embed"
	"time"

	"github.com/gofiber/fiber/v3"

	"juvalogos/core/deskfile"
	"juvalogos/internal/desk"
	"juvalogos/internal/models"
)

// What the service says of itself.

//go:embed openapi.yaml
var openAPI []byte

func (s *Server) health(c fiber.Ctx) error {
	return c.JSON(fiber.Map{"status": "alive", "version": s.Version})
}

func (s *Server) ready(c fiber.Ctx) error {
	ctx, cancel := context.WithTimeout(c, time.Second)
	defer cancel()
	if err := s.Store.Ping(ctx); err != nil {
		return c.Status(fiber.StatusServiceUnavailable).JSON(fiber.Map{"status": "the database does not answer"})
	}
	return c.JSON(fiber.Map{"status": "ready", "running": s.Desks.Running()})
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

type milestonesBody struct {
	Connected bool `json:"connected"` // there is a model
	Answered  bool `json:"answered"`  // one has answered
	Written   bool `json:"written"`   // there is a desk or a draft
	Tried     bool `json:"tried"`     // somebody has asked at it
	Published bool `json:"published"`
}

// milestones tells how far a maker is on the way from a model to a page.
func (s *Server) milestones(c fiber.Ctx) error {
	m, err := s.Store.Milestones(c)
	if err != nil {
		return err
	}
	return c.JSON(milestonesBody{len(s.Desks.Models.All()) > 0, s.Desks.Models.Answered() || m.Asked, m.Written, m.Asked, m.Published})
}

// folder reports on the folder of desk files that is watched.
func (s *Server) folder(c fiber.Ctx) error {
	path, files := s.Desks.Folder()
	if files == nil {
		files = []desk.FolderFile{}
	}
	return c.JSON(fiber.Map{"folder": path, "files": files})
}

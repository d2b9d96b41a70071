package web

import (
	"fmt"

	"github.com/gofiber/fiber/v3"

	"juvalogos/internal/api"
	"juvalogos/internal/shape"
)

func (s *Server) listModels(c fiber.Ctx) error {
	return c.JSON(api.ModelList{Models: shape.All(s.Desks.Models.All(), shape.Model)})
}

// probe asks one model (?model=) or each that chats for a few tokens.
func (s *Server) probe(c fiber.Ctx) error {
	probes, err := s.Desks.Models.Probe(c, c.Query("model"))
	if err != nil {
		return invalid(err.Error())
	}
	return c.JSON(api.ProbeList{Probes: shape.All(probes, shape.Probe)})
}

func (s *Server) listConnections(c fiber.Ctx) error {
	file, stored := s.Desks.Models.Connections()
	bodies := []api.Connection{}
	for _, k := range file {
		bodies = append(bodies, shape.Connection(k, true))
	}
	for _, k := range stored {
		bodies = append(bodies, shape.Connection(k, false))
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(api.ConnectionList{Connections: bodies})
}

// keepConnection adds a connection, or changes the one of that name.
func (s *Server) keepConnection(c fiber.Ctx) error {
	var b api.Connection
	if err := readJSON(c, &b); err != nil {
		return err
	}
	if b.Name != c.Params("name") {
		return invalid(fmt.Sprintf("The connection is named %q in the address and %q in the body.", c.Params("name"), b.Name))
	}
	if err := s.Desks.KeepConnection(c, shape.ConnectionFrom(b), b.Key, by(c)); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *Server) removeConnection(c fiber.Ctx) error {
	if err := s.Desks.RemoveConnection(c, c.Params("name"), by(c)); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *Server) restoreConnection(c fiber.Ctx) error {
	if err := s.Desks.RestoreConnection(c, c.Params("name"), by(c)); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

// look asks a server that is not in use yet which models it has.
func (s *Server) look(c fiber.Ctx) error {
	var b api.Connection
	if err := readJSON(c, &b); err != nil {
		return err
	}
	names, err := s.Desks.Look(c, shape.ConnectionFrom(b), b.Key)
	if err != nil {
		return err
	}
	return c.JSON(api.ModelNames{Models: shape.Some(names)})
}

package web

import (
	"fmt"

	"github.com/gofiber/fiber/v3"

	"juvalogos/internal/account"
	"juvalogos/internal/api"
	"juvalogos/internal/connection"
	"juvalogos/internal/shape"
)

// connections are the handlers of connections and their models.
type connections struct {
	*door
	Connections *connection.Service
}

func (s *connections) routes(api fiber.Router) {
	api.Get("/models", s.allowed(account.Read, s.listModels))
	api.Post("/models/probe", s.allowed(account.Manage, s.probe)) // it costs money
	api.Get("/connections", s.allowed(account.Read, s.listConnections))
	api.Put("/connections/:name", s.allowed(account.Manage, s.keepConnection))
	api.Delete("/connections/:name", s.allowed(account.Manage, s.removeConnection))
	api.Post("/connections/:name/restore", s.allowed(account.Manage, s.restoreConnection))
	api.Post("/connections/look", s.allowed(account.Manage, s.look))
}

func (s *connections) listModels(c fiber.Ctx) error {
	return c.JSON(api.ModelList{Models: shape.All(s.Connections.Models.All(), shape.Model)})
}

// probe asks one model (?model=) or each that chats for a few tokens.
func (s *connections) probe(c fiber.Ctx) error {
	probes, err := s.Connections.Models.Probe(c, c.Query("model"))
	if err != nil {
		return invalid(err.Error())
	}
	return c.JSON(api.ProbeList{Probes: shape.All(probes, shape.Probe)})
}

func (s *connections) listConnections(c fiber.Ctx) error {
	file, stored := s.Connections.Models.Connections()
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
func (s *connections) keepConnection(c fiber.Ctx) error {
	var b api.Connection
	if err := readJSON(c, &b); err != nil {
		return err
	}
	if b.Name != c.Params("name") {
		return invalid(fmt.Sprintf("The connection is named %q in the address and %q in the body.", c.Params("name"),
			b.Name))
	}
	if err := s.Connections.KeepConnection(c, shape.ConnectionFrom(b), b.Key, by(c)); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *connections) removeConnection(c fiber.Ctx) error {
	if err := s.Connections.RemoveConnection(c, c.Params("name"), by(c)); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *connections) restoreConnection(c fiber.Ctx) error {
	if err := s.Connections.RestoreConnection(c, c.Params("name"), by(c)); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

// look asks a server that is not in use yet which models it has.
func (s *connections) look(c fiber.Ctx) error {
	var b api.Connection
	if err := readJSON(c, &b); err != nil {
		return err
	}
	names, err := s.Connections.Look(c, shape.ConnectionFrom(b), b.Key)
	if err != nil {
		return err
	}
	return c.JSON(api.ModelNames{Models: shape.Some(names)})
}

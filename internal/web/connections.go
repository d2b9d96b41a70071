package web

import (
	"errors"
	"fmt"

	"github.com/gofiber/fiber/v3"

	"juvalogos/internal/account"
	"juvalogos/internal/api"
	"juvalogos/internal/connection"
	"juvalogos/internal/fault"
	"juvalogos/internal/models"
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
	api.Put("/connections/:name/manners", s.allowed(account.Manage, s.keepManners))
	api.Post("/connections/look", s.allowed(account.Manage, s.look))
	api.Post("/connections/try", s.allowed(account.Manage, s.try)) // it costs money
	api.Post("/connections/from-curl", s.allowed(account.Manage, s.fromCurl))
}

func (s *connections) listModels(c fiber.Ctx) error {
	return c.JSON(api.ModelList{Models: shape.All(s.Connections.Models.All(), shape.Model)})
}

// probe asks one model (?model=) or each that chats for a few tokens.
func (s *connections) probe(c fiber.Ctx) error {
	probes, err := s.Connections.Models.Probe(c, c.Query("model"))
	if err != nil {
		return noModel(err)
	}
	return c.JSON(api.ProbeList{Probes: shape.All(probes, shape.Probe)})
}

func (s *connections) listConnections(c fiber.Ctx) error {
	file, stored := s.Connections.Models.Connections()
	bodies := []api.Connection{}
	for _, k := range file {
		bodies = append(bodies, shape.ConnectionNow(k, true, s.Connections.Models))
	}
	for _, k := range stored {
		bodies = append(bodies, shape.ConnectionNow(k, false, s.Connections.Models))
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

// noModel is the problem of a name that no model has.
func noModel(err error) error {
	var unknown *models.NoModel
	if errors.As(err, &unknown) {
		return fault.Say(fault.NoModel, "%s", err)
	}
	return invalid(err.Error())
}

// try asks the first model of a connection that is not in use yet.
func (s *connections) try(c fiber.Ctx) error {
	var b api.Connection
	if err := readJSON(c, &b); err != nil {
		return err
	}
	probe, err := s.Connections.Try(c, shape.ConnectionFrom(b), b.Key)
	if err != nil {
		return err
	}
	return c.JSON(shape.Probe(probe))
}

// fromCurl makes a connection of a curl line; nothing is asked and nothing kept.
func (s *connections) fromCurl(c fiber.Ctx) error {
	var b api.CurlLine
	if err := readJSON(c, &b); err != nil {
		return err
	}
	made, key, err := connection.FromCurl(b.Line)
	if err != nil {
		return err
	}
	answer := shape.Connection(made, false)
	answer.Key = key // it came with the line
	c.Set("Cache-Control", "no-store")
	return c.JSON(answer)
}

// keepManners keeps how a server wants to be asked, as a probe found it.
func (s *connections) keepManners(c fiber.Ctx) error {
	var b api.MannersOf
	if err := readJSON(c, &b); err != nil {
		return err
	}
	if err := s.Connections.KeepManners(c, c.Params("name"), b.Model, b.Manners, by(c)); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

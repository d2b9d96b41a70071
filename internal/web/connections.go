package web

import (
	"fmt"
	"time"

	"github.com/gofiber/fiber/v3"

	"juvalogos/internal/models"
)

type (
	modelBody struct {
		models.Model
		Connection string `json:"connection"`
		Address    string `json:"address"`
	}
	connectionBody struct {
		Name     string         `json:"name"`
		Protocol string         `json:"protocol"`
		Address  string         `json:"address"`
		Patience float64        `json:"patience"` // seconds
		AtOnce   int            `json:"at_once"`
		Models   []models.Model `json:"models"`
		// Reference is where the key is: env:NAME or file:PATH.
		Reference string `json:"reference,omitempty"`
		// Key is a key that is typed in. It is never sent back.
		Key string `json:"key,omitempty"`
		// Keyed says that a typed key is kept.
		Keyed bool `json:"keyed"`
		// Fixed says that the connection is the connection file's.
		Fixed bool `json:"fixed"`
	}
)

func (b connectionBody) connection() models.Connection {
	return models.Connection{
		Name: b.Name, Protocol: b.Protocol, Address: b.Address, Key: b.Reference,
		Patience: time.Duration(b.Patience * float64(time.Second)), AtOnce: b.AtOnce, Models: b.Models,
	}
}

func connectionOf(c models.Connection, fixed bool) connectionBody {
	return connectionBody{
		Name: c.Name, Protocol: c.Protocol, Address: c.Address, Patience: c.Patience.Seconds(), AtOnce: c.AtOnce,
		Models: c.Models, Reference: c.Key, Keyed: c.Typed(), Fixed: fixed,
	}
}

func (s *Server) listModels(c fiber.Ctx) error {
	bodies := []modelBody{}
	for _, e := range s.Desks.Models.All() {
		bodies = append(bodies, modelBody{e.Model, e.Connection.Name, e.Connection.Address})
	}
	return c.JSON(fiber.Map{"models": bodies})
}

// probe asks one model (?model=) or each that chats for a few tokens.
func (s *Server) probe(c fiber.Ctx) error {
	probes, err := s.Desks.Models.Probe(c, c.Query("model"))
	if err != nil {
		return invalid(err.Error())
	}
	return c.JSON(fiber.Map{"probes": probes})
}

func (s *Server) listConnections(c fiber.Ctx) error {
	file, stored := s.Desks.Models.Connections()
	bodies := []connectionBody{}
	for _, k := range file {
		bodies = append(bodies, connectionOf(k, true))
	}
	for _, k := range stored {
		bodies = append(bodies, connectionOf(k, false))
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(fiber.Map{"connections": bodies})
}

// keepConnection adds a connection, or changes the one of that name.
func (s *Server) keepConnection(c fiber.Ctx) error {
	var b connectionBody
	if err := readJSON(c, &b); err != nil {
		return err
	}
	if b.Name != c.Params("name") {
		return invalid(fmt.Sprintf("The connection is named %q in the address and %q in the body.", c.Params("name"), b.Name))
	}
	if err := s.Desks.KeepConnection(c, b.connection(), b.Key, by(c)); err != nil {
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
	var b connectionBody
	if err := readJSON(c, &b); err != nil {
		return err
	}
	names, err := s.Desks.Look(c, b.connection(), b.Key)
	if err != nil {
		return err
	}
	if names == nil {
		names = []string{}
	}
	return c.JSON(fiber.Map{"models": names})
}

package web

import (
	"github.com/gofiber/fiber/v3"

	"juvalogos/internal/api"
	"juvalogos/internal/shape"
)

// How shelves are split, searched and embedded, for makers.

func (s *shelves) settingsOf(c fiber.Ctx) (b api.ShelfSettings, err error) {
	f, err := s.Shelves.Shelf(c, c.Params("shelf"))
	if err != nil {
		return b, err
	}
	settings, err := s.Shelves.Settings(c, f.Slug)
	return shape.Settings(f.Title, settings), err
}

func (s *shelves) shelfSettings(c fiber.Ctx) error {
	b, err := s.settingsOf(c)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(b)
}

// changeShelf changes what the body names.
func (s *shelves) changeShelf(c fiber.Ctx) error {
	b, err := s.settingsOf(c)
	if err != nil {
		return err
	}
	if err := readJSON(c, &b); err != nil {
		return err
	}
	if _, err := s.Shelves.Change(c, c.Params("shelf"), b.Title, shape.SettingsFrom(b)); err != nil {
		return err
	}
	return s.shelfSettings(c)
}

func (s *shelves) shelfEmbedding(c fiber.Ctx) error {
	e, err := s.Shelves.Embedding(c, c.Params("shelf"))
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(shape.Embedding(e))
}

func (s *shelves) embedShelf(c fiber.Ctx) error {
	if err := s.Shelves.EmbedNow(c, c.Params("shelf")); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusAccepted)
}

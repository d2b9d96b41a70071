package web

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"

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
	if err := onlyKnown(c, b); err != nil {
		return err
	}
	if _, err := s.Shelves.Change(c, c.Params("shelf"), b.Title, shape.SettingsFrom(b)); err != nil {
		return err
	}
	return s.shelfSettings(c)
}

// onlyKnown says which setting there is not that a body names.
func onlyKnown(c fiber.Ctx, b api.ShelfSettings) error {
	text, err := json.Marshal(b)
	if err != nil {
		return err
	}
	body, err := bodyOf(c)
	if err != nil {
		return err
	}
	var known, given map[string]json.RawMessage
	if json.Unmarshal(text, &known) != nil || json.Unmarshal(body, &given) != nil {
		return nil // it has been read once
	}
	for _, name := range slices.Sorted(maps.Keys(given)) {
		if _, is := known[name]; is {
			continue
		}
		return invalid(fmt.Sprintf("there is no setting %q; known: %s", name,
			strings.Join(slices.Sorted(maps.Keys(known)), ", ")))
	}
	return nil
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

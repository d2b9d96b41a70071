package web

import (
	"github.com/gofiber/fiber/v3"

	"juvalogos/internal/shelf"
)

// How shelves are split, searched and embedded, for makers.

type settingsBody struct {
	Title string `json:"title"`
	shelf.Settings
}

type embeddingBody struct {
	Model       string  `json:"model"`
	Priced      bool    `json:"priced"`
	Passages    int     `json:"passages"`
	Embedded    int     `json:"embedded"`
	Tokens      int     `json:"tokens"`
	Cost        float64 `json:"cost"`
	SpentTokens int64   `json:"spent_tokens"`
	SpentCost   float64 `json:"spent_cost"`
	Problem     string  `json:"problem,omitempty"`
}

func (s *Server) settingsOf(c fiber.Ctx) (b settingsBody, err error) {
	f, err := s.Shelves.Shelf(c, c.Params("shelf"))
	if err != nil {
		return b, err
	}
	b.Title = f.Title
	b.Settings, err = s.Shelves.Settings(c, f.Slug)
	return b, err
}

func (s *Server) shelfSettings(c fiber.Ctx) error {
	b, err := s.settingsOf(c)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(b)
}

// changeShelf changes what the body names.
func (s *Server) changeShelf(c fiber.Ctx) error {
	b, err := s.settingsOf(c)
	if err != nil {
		return err
	}
	if err := readJSON(c, &b); err != nil {
		return err
	}
	if _, err := s.Shelves.Change(c, c.Params("shelf"), b.Title, b.Settings); err != nil {
		return err
	}
	return s.shelfSettings(c)
}

func (s *Server) shelfEmbedding(c fiber.Ctx) error {
	e, err := s.Shelves.Embedding(c, c.Params("shelf"))
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(embeddingBody{e.Model, e.Priced, e.Passages, e.Embedded, e.Tokens, e.Cost, e.SpentTokens, e.SpentCost, e.Problem})
}

func (s *Server) embedShelf(c fiber.Ctx) error {
	if err := s.Shelves.EmbedNow(c, c.Params("shelf")); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusAccepted)
}

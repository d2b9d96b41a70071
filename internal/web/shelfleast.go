package web

import (
	"context"
	"slices"

	"github.com/gofiber/fiber/v3"

	"juvalogos/core/deskfile"
	"juvalogos/internal/api"
	"juvalogos/internal/shelf"
)

// mostTried is how many questions of desks are tried on a shelf.
const mostTried = 60

// shelfLeast tells what a shelf's threshold refuses and lets through.
func (s *shelves) shelfLeast(c fiber.Ctx) error {
	f, err := s.Shelves.Shelf(c, c.Params("shelf"))
	if err != nil {
		return err
	}
	settings, err := s.Shelves.Settings(c, f.Slug)
	if err != nil {
		return err
	}
	b := api.ShelfLeast{Least: settings.Least, Measured: []api.CalibratedLeast{}, Openers: []api.TriedOpener{}}
	for _, m := range shelf.Calibration() {
		b.Measured = append(b.Measured,
			api.CalibratedLeast{Least: m.Least, Refused: m.Refused, LetThrough: m.LetThrough})
	}
	if b.Openers, err = s.tried(c, f.Slug); err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(b)
}

// tried asks a shelf the openers of desks: those that answer from it, and those that
// answer from others and not from it.
func (s *shelves) tried(ctx context.Context, slug string) ([]api.TriedOpener, error) {
	desks, err := s.Desks.Published(ctx)
	if err != nil {
		return nil, err
	}
	own := func(f deskfile.File) bool { return slices.Contains(f.Shelves, slug) }
	slices.SortStableFunc(desks, func(a, b deskfile.File) int {
		switch {
		case own(a) == own(b):
			return 0
		case own(a):
			return -1
		}
		return 1
	})
	all := []api.TriedOpener{}
	for _, f := range desks {
		if len(f.Shelves) == 0 {
			continue // what it is asked is for no documents
		}
		for _, q := range f.Openers {
			if len(all) == mostTried {
				return all, nil
			}
			r, err := s.Shelves.Search(ctx, []string{slug}, shelf.Query{Text: q, Limit: 1})
			if err != nil {
				return nil, err
			}
			all = append(all, api.TriedOpener{Desk: f.Slug, Question: q, Own: own(f), Answers: r.Answers})
		}
	}
	return all, nil
}

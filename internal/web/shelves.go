package web

import (
	"io"
	"slices"
	"strings"

	"github.com/gofiber/fiber/v3"

	"juvalogos/core/deskfile"
	"juvalogos/internal/account"
	"juvalogos/internal/api"
	"juvalogos/internal/desk"
	"juvalogos/internal/shape"
	"juvalogos/internal/shelf"
)

// Shelves and their documents, for makers.

// shelves are the handlers of shelves and their documents.
type shelves struct {
	*door
	Desks   *desk.Service
	Shelves *shelf.Library
}

func (s *shelves) routes(api fiber.Router) {
	// What visitors attach is theirs alone.
	api.Use("/shelves/:shelf", func(c fiber.Ctx) error {
		if shelf.Private(c.Params("shelf")) {
			return fiber.NewError(fiber.StatusNotFound, "What visitors attach to a conversation is seen by nobody "+
				"else.")
		}
		return c.Next()
	})
	read := func(path string, h fiber.Handler) { api.Get(path, s.allowed(account.Read, h)) }
	read("/shelves", s.listShelves)
	read("/shelves/:shelf", s.showShelf)
	read("/shelves/:shelf/settings", s.shelfSettings)
	read("/shelves/:shelf/least", s.shelfLeast)
	read("/shelves/:shelf/embedding", s.shelfEmbedding)
	read("/shelves/:shelf/documents", s.listDocuments)
	read("/shelves/:shelf/documents/:id/passages", s.listPassages)
	read("/shelves/:shelf/documents/:id/text", s.documentText)
	read("/shelves/:shelf/documents/:id/original", s.original)
	read("/shelves/:shelf/documents/:id/pages/:page", s.pagePicture)
	read("/shelves/:shelf/map", s.mapShelf)
	api.Post("/shelves/:shelf/search", s.allowed(account.Read, s.searchShelf))
	api.Post("/shelves", s.allowed(account.Publish, s.makeShelf))
	api.Delete("/shelves/:shelf", s.allowed(account.Publish, s.removeShelf))
	api.Put("/shelves/:shelf/settings", s.allowed(account.Publish, s.changeShelf))
	api.Post("/shelves/:shelf/embedding", s.allowed(account.Publish, s.embedShelf))
	api.Post("/shelves/:shelf/documents", s.allowed(account.Publish, s.addDocuments))
	api.Post("/shelves/:shelf/addresses", s.allowed(account.Publish, s.addAddress))
	api.Post("/shelves/:shelf/read", s.allowed(account.Publish, s.readShelf))
	api.Post("/shelves/:shelf/cancel", s.allowed(account.Publish, s.cancelReading))
	api.Delete("/shelves/:shelf/documents/:id", s.allowed(account.Publish, s.removeDocument))
	api.Post("/shelves/:shelf/documents/:id/restore", s.allowed(account.Publish, s.restoreDocument))
	api.Post("/shelves/:shelf/documents/:id/read", s.allowed(account.Publish, s.readDocument))
	// For visitors of a desk that answers from the shelf.
	api.Get("/at/:slug/shelves/:shelf/documents/:id/text", s.atDesk(s.documentText))
	api.Get("/at/:slug/shelves/:shelf/documents/:id/original", s.atDesk(s.original))
	api.Get("/at/:slug/shelves/:shelf/documents/:id/pages/:page", s.atDesk(s.pagePicture))
}

// atDesk lets visitors see what a desk answers from.
func (s *shelves) atDesk(h fiber.Handler) fiber.Handler {
	return func(c fiber.Ctx) error {
		who, err := s.visitor(c)
		if err != nil {
			return err
		}
		slug, err := s.slugAsked(c)
		if err != nil {
			return err
		}
		f, err := s.Desks.Face(c, slug)
		if err != nil {
			return err
		}
		name := c.Params("shelf")
		if shelf.Private(name) {
			id, err := documentID(c)
			if err != nil {
				return err
			}
			if !s.Shelves.MayOpen(c, name, id, who) {
				return fiber.NewError(fiber.StatusNotFound, "Only whoever attached this document to the conversation "+
					"can open it.")
			}
			return h(c)
		}
		if slices.Contains(f.Shelves, name) {
			if f.Readable == deskfile.ReadPassages {
				return fiber.NewError(fiber.StatusForbidden,
					"This desk shows the passages that replies rest on, and no "+
						"whole documents.")
			}
			return h(c)
		}
		return fiber.NewError(fiber.StatusNotFound, "This desk does not answer from that document any more.")
	}
}

func (s *shelves) listShelves(c fiber.Ctx) error {
	shelves, err := s.Shelves.All(c)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(api.ShelfList{Shelves: shape.All(shelves, shape.Shelf)})
}

func (s *shelves) showShelf(c fiber.Ctx) error {
	f, err := s.Shelves.Shelf(c, c.Params("shelf"))
	if err != nil {
		return err
	}
	body := shape.Shelf(f)
	readers, err := s.Desks.AnswerFrom(c, f.Slug)
	if err != nil {
		return err
	}
	body.ReadAt = shape.All(readers, shape.ShelfReader)
	c.Set("Cache-Control", "no-store")
	return c.JSON(body)
}

func (s *shelves) makeShelf(c fiber.Ctx) error {
	var b api.NewShelf
	if err := readJSON(c, &b); err != nil {
		return err
	}
	f, err := s.Shelves.Make(c, b.Shelf, b.Title, by(c))
	if err != nil {
		return err
	}
	return c.Status(fiber.StatusCreated).JSON(shape.Shelf(f))
}

func (s *shelves) removeShelf(c fiber.Ctx) error {
	if err := s.Shelves.Remove(c, c.Params("shelf")); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

// addDocuments takes files in while they arrive: each part of the form is kept
// piece by piece, and read in the background.
func (s *shelves) addDocuments(c fiber.Ctx) error {
	var added []shelf.Added
	err := eachFile(c, func(name string, body io.Reader) error {
		some, err := s.Shelves.Add(c, c.Params("shelf"), name, "", by(c), body)
		added = append(added, some...)
		return err
	})
	if err != nil {
		return err
	}
	return c.Status(fiber.StatusAccepted).JSON(api.AddedList{Added: shape.All(added, shape.Added)})
}

// addAddress fetches what an address leads to, an encyclopedia's article on a
// topic, or what a search in a paper repository finds.
func (s *shelves) addAddress(c fiber.Ctx) error {
	var b api.NewAddress
	if err := readJSON(c, &b); err != nil {
		return err
	}
	var added []shelf.Added
	var err error
	switch {
	case b.Topic != "" && b.Search != "":
		return fiber.NewError(fiber.StatusBadRequest, "Give a topic or a search, not both.")
	case b.Topic != "":
		added, err = s.Shelves.AddTopic(c, c.Params("shelf"), b.Address, b.Topic, by(c))
	case b.Search != "":
		added, err = s.Shelves.AddPapers(c, c.Params("shelf"), b.Address, b.Search, b.Most, by(c))
	default:
		added, err = s.Shelves.AddAddress(c, c.Params("shelf"), b.Address, by(c))
	}
	if err != nil {
		return err
	}
	return c.Status(fiber.StatusAccepted).JSON(api.AddedList{Added: shape.All(added, shape.Added)})
}

func (s *shelves) searchShelf(c fiber.Ctx) error {
	q := api.ShelfQuery{Limit: 10}
	if err := readJSON(c, &q); err != nil {
		return err
	}
	if strings.TrimSpace(q.Query) == "" || q.Limit < 1 || q.Limit > 100 {
		return invalid("Give a query, and a limit between 1 and 100.")
	}
	r, err := s.Shelves.Search(c, []string{c.Params("shelf")},
		shelf.Query{Text: q.Query, Within: q.Within, Limit: q.Limit})
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(api.ShelfFound{Hits: shape.All(r.Found, shape.Hit), Answers: r.Answers, Least: r.Least,
		AskedIn: r.AskedIn, In: r.In})
}

// mapShelf lays a shelf's passages out in two dimensions.
func (s *shelves) mapShelf(c fiber.Ctx) error {
	points, asked, err := s.Shelves.Map(c, c.Params("shelf"), c.Query("query"))
	if err != nil {
		return err
	}
	answer := api.ShelfMap{Points: shape.All(points, shape.Point)}
	if asked != nil {
		at := shape.Point(*asked)
		answer.Asked = &at
	}
	return c.JSON(answer)
}

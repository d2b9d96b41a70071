package web

import (
	"encoding/json"
	"fmt"

	"github.com/gofiber/fiber/v3"

	"juvalogos/core/deskfile"
	"juvalogos/core/yamlfile"
	"juvalogos/internal/account"
	"juvalogos/internal/api"
	"juvalogos/internal/desk"
	"juvalogos/internal/record"
	"juvalogos/internal/shape"
)

// What makers do with desks.

// desks are the handlers of desks as makers see them.
type desks struct {
	*door
	Desks *desk.Service
}

func (s *desks) routes(api fiber.Router) {
	api.Get("/desks", s.allowed(account.Read, s.listDesks))
	api.Get("/desks/:slug", s.allowed(account.Read, s.showDesk))
	api.Get("/desks/:slug/draft", s.allowed(account.Read, s.draft))
	api.Get("/desks/:slug/revisions/:number", s.allowed(account.Read, s.revision))
	api.Get("/desks/:slug/export", s.allowed(account.Read, s.exportDesk))
	api.Post("/desks/check", s.allowed(account.Read, s.check))
	api.Post("/desks", s.allowed(account.Publish, s.publish))
	api.Post("/desks/import", s.allowed(account.Publish, s.importDesk))
	api.Put("/desks/:slug/draft", s.allowed(account.Publish, s.saveDraft))
	api.Delete("/desks/:slug/draft", s.allowed(account.Publish, s.dropDraft))
	api.Post("/desks/:slug/return", s.allowed(account.Publish, s.returnTo))
	api.Post("/desks/:slug/withdraw", s.allowed(account.Publish, s.withdraw))
	api.Post("/desks/:slug/duplicate", s.allowed(account.Publish, s.duplicate))
}

func (s *desks) listDesks(c fiber.Ctx) error {
	list, err := s.Desks.Desks(c)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(api.DeskList{Desks: shape.All(list, s.deskOf)})
}

func (s *desks) deskOf(d record.DeskSummary) api.Desk {
	f, _ := deskfile.Read(d.Slug, []byte(d.File)) // what an older version accepted, or a draft, may not read
	if f.Title == "" {
		f.Title = d.Slug
	}
	return shape.Desk(d, f, s.BasePath+"/at/"+d.Slug)
}

func (s *desks) showDesk(c fiber.Ctx) error { return s.sendDesk(c, c.Params("slug")) }

// sendDesk answers with a desk, its file and its revisions.
func (s *desks) sendDesk(c fiber.Ctx, slug string) error {
	d, err := s.Desks.Desk(c, slug)
	if err != nil {
		return err
	}
	revisions, err := s.Desks.Revisions(c, slug)
	if err != nil {
		return err
	}
	b := s.deskOf(d)
	b.File = d.File
	b.Revisions = shape.Each(revisions, shape.Revision)
	c.Set("Cache-Control", "no-store")
	return c.JSON(b)
}

// publish takes a desk file as the body; ?name= is its name in problems,
// ?note= what is new.
func (s *desks) publish(c fiber.Ctx) error {
	body, err := bodyOf(c)
	if err != nil {
		return err
	}
	r, fresh, err := s.Desks.Publish(c, fileName(c), body, c.Query("note"), by(c))
	if err != nil {
		return err
	}
	if fresh {
		c.Status(fiber.StatusCreated)
	}
	return s.sendDesk(c, r.Slug)
}

func (s *desks) check(c fiber.Ctx) error {
	body, err := bodyOf(c)
	if err != nil {
		return err
	}
	f, err := s.Desks.Check(fileName(c), body)
	if err != nil {
		return err
	}
	return c.JSON(f)
}

func fileName(c fiber.Ctx) string {
	if name := c.Query("name"); name != "" {
		return name
	}
	return "desk file"
}

func (s *desks) draft(c fiber.Ctx) error {
	d, err := s.Desks.Draft(c, c.Params("slug"))
	if err != nil {
		return err
	}
	problems, err := s.Desks.Problems(d.Slug, []byte(d.File))
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(api.Draft{Slug: d.Slug, File: d.File, ChangedBy: d.ChangedBy, ChangedAt: d.ChangedAt,
		Problems: listed(problems)})
}

// saveDraft keeps a desk file that is being worked on, mistakes and all, and
// answers with them.
func (s *desks) saveDraft(c fiber.Ctx) error {
	body, err := bodyOf(c)
	if err != nil {
		return err
	}
	problems, err := s.Desks.SaveDraft(c, c.Params("slug"), body, by(c))
	if err != nil {
		return err
	}
	return c.JSON(api.DraftProblems{Problems: listed(problems)})
}

func listed(problems yamlfile.Problems) yamlfile.Problems {
	if problems == nil {
		return yamlfile.Problems{}
	}
	return problems
}

func (s *desks) dropDraft(c fiber.Ctx) error {
	if err := s.Desks.DropDraft(c, c.Params("slug")); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *desks) revision(c fiber.Ctx) error {
	r, err := s.Desks.Revision(c, c.Params("slug"), fiber.Params[int](c, "number"))
	if err != nil {
		return err
	}
	b := shape.Revision(r)
	b.File = r.File
	changes, err := s.Desks.ShelfChanges(c, r)
	if err != nil {
		return err
	}
	b.Shelves = shape.Each(changes, shape.ShelfChange)
	return c.JSON(b)
}

func (s *desks) returnTo(c fiber.Ctx) error {
	var b api.ReturnTo
	if err := readJSON(c, &b); err != nil {
		return err
	}
	if _, err := s.Desks.Return(c, c.Params("slug"), b.Revision, by(c)); err != nil {
		return err
	}
	return s.showDesk(c)
}

func (s *desks) withdraw(c fiber.Ctx) error {
	if err := s.Desks.Withdraw(c, c.Params("slug"), by(c)); err != nil {
		return err
	}
	return s.showDesk(c)
}

func (s *desks) duplicate(c fiber.Ctx) error {
	var b api.DuplicateAs
	if err := readJSON(c, &b); err != nil {
		return err
	}
	if err := s.Desks.Duplicate(c, c.Params("slug"), b.As, by(c)); err != nil {
		return err
	}
	return s.sendDesk(c.Status(fiber.StatusCreated), b.As)
}

// exportDesk answers with the desk and all its revisions as one file.
func (s *desks) exportDesk(c fiber.Ctx) error {
	p, err := s.Desks.Export(c, c.Params("slug"))
	if err != nil {
		return err
	}
	text, err := json.MarshalIndent(p, "", "  ")
	if err != nil {
		return err
	}
	c.Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", p.Slug+".desk.json"))
	c.Set("Content-Type", "application/json")
	return c.Send(append(text, '\n'))
}

// importDesk takes what exportDesk gave; ?as= is another slug.
func (s *desks) importDesk(c fiber.Ctx) error {
	body, err := bodyOf(c)
	if err != nil {
		return err
	}
	slug, problems, err := s.Desks.Import(c, body, c.Query("as"), by(c))
	if err != nil {
		return err
	}
	return c.Status(fiber.StatusCreated).JSON(api.Imported{Slug: slug, Problems: listed(problems)})
}

package web

import (
	"encoding/json"
	"fmt"
	"time"

	"github.com/gofiber/fiber/v3"

	"juvalogos/core/deskfile"
	"juvalogos/core/yamlfile"
	"juvalogos/internal/desk"
	"juvalogos/internal/store"
)

// What makers do with desks.

type (
	revisionBody struct {
		Number int       `json:"number"`
		Note   string    `json:"note,omitempty"`
		MadeBy string    `json:"made_by"`
		MadeAt time.Time `json:"made_at"`
		File   string    `json:"file,omitempty"`
		// Shelves it answers from, and what changed on them since; with a single
		// revision only.
		Shelves []shelfChangeBody `json:"shelves,omitempty"`
	}
	shelfChangeBody struct {
		Shelf   string   `json:"shelf"`
		Title   string   `json:"title"`
		Then    int64    `json:"then"` // its state
		Now     int64    `json:"now"`
		Gone    bool     `json:"gone"`
		Added   []string `json:"added"`
		Removed []string `json:"removed"`
	}
	deskBody struct {
		Slug           string         `json:"slug"`
		Title          string         `json:"title"`
		Purpose        string         `json:"purpose"`
		Model          string         `json:"model"`
		Page           string         `json:"page"`      // path of the visitor's page
		Published      int            `json:"published"` // number of the revision; 0: none
		Newest         int            `json:"newest"`
		ChangedBy      string         `json:"changed_by"`
		ChangedAt      time.Time      `json:"changed_at"`
		Draft          *time.Time     `json:"draft,omitempty"`
		QuestionsToday int            `json:"questions_today"`
		LastAsked      *time.Time     `json:"last_asked,omitempty"`
		Judged         int            `json:"judged"`
		Helped         int            `json:"helped"`
		Revisions      []revisionBody `json:"revisions,omitempty"`
		File           string         `json:"file,omitempty"`
	}
	draftBody struct {
		Slug      string            `json:"slug"`
		File      string            `json:"file"`
		ChangedBy string            `json:"changed_by"`
		ChangedAt time.Time         `json:"changed_at"`
		Problems  yamlfile.Problems `json:"problems"`
	}
)

func (s *Server) listDesks(c fiber.Ctx) error {
	list, err := s.Desks.Desks(c)
	if err != nil {
		return err
	}
	bodies := make([]deskBody, len(list))
	for i, d := range list {
		bodies[i] = s.deskOf(d)
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(fiber.Map{"desks": bodies})
}

func (s *Server) deskOf(d store.DeskSummary) deskBody {
	f, _ := deskfile.Read(d.Slug, []byte(d.File)) // what an older version accepted, or a draft, may not read
	if f.Title == "" {
		f.Title = d.Slug
	}
	return deskBody{
		Slug: d.Slug, Title: f.Title, Purpose: f.Purpose, Model: f.Model, Page: s.BasePath + "/at/" + d.Slug,
		Published: d.Published, Newest: d.Newest, ChangedBy: d.ChangedBy, ChangedAt: d.ChangedAt, Draft: d.Draft,
		QuestionsToday: d.QuestionsToday, LastAsked: d.LastAsked, Judged: d.Judged, Helped: d.Helped,
	}
}

func (s *Server) showDesk(c fiber.Ctx) error { return s.sendDesk(c, c.Params("slug")) }

// sendDesk answers with a desk, its file and its revisions.
func (s *Server) sendDesk(c fiber.Ctx, slug string) error {
	d, err := s.Desks.Desk(c, slug)
	if err != nil {
		return err
	}
	revisions, err := s.Store.Revisions(c, slug)
	if err != nil {
		return err
	}
	b := s.deskOf(d)
	b.File = d.File
	for _, r := range revisions {
		b.Revisions = append(b.Revisions, revisionOf(r))
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(b)
}

func revisionOf(r store.Revision) revisionBody {
	return revisionBody{Number: r.Number, Note: r.Note, MadeBy: r.MadeBy, MadeAt: r.MadeAt}
}

// publish takes a desk file as the body; ?name= is its name in problems,
// ?note= what is new.
func (s *Server) publish(c fiber.Ctx) error {
	r, fresh, err := s.Desks.Publish(c, fileName(c), c.Body(), c.Query("note"), by(c))
	if err != nil {
		return err
	}
	if fresh {
		c.Status(fiber.StatusCreated)
	}
	return s.sendDesk(c, r.Slug)
}

func (s *Server) check(c fiber.Ctx) error {
	f, err := s.Desks.Check(fileName(c), c.Body())
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

func (s *Server) draft(c fiber.Ctx) error {
	d, err := s.Desks.Draft(c, c.Params("slug"))
	if err != nil {
		return err
	}
	problems, err := s.Desks.Problems(d.Slug, []byte(d.File))
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(draftBody{d.Slug, d.File, d.ChangedBy, d.ChangedAt, listed(problems)})
}

// saveDraft keeps a desk file that is being worked on, mistakes and all, and
// answers with them.
func (s *Server) saveDraft(c fiber.Ctx) error {
	problems, err := s.Desks.SaveDraft(c, c.Params("slug"), c.Body(), by(c))
	if err != nil {
		return err
	}
	return c.JSON(fiber.Map{"problems": listed(problems)})
}

func listed(problems yamlfile.Problems) yamlfile.Problems {
	if problems == nil {
		return yamlfile.Problems{}
	}
	return problems
}

func (s *Server) dropDraft(c fiber.Ctx) error {
	if err := s.Desks.DropDraft(c, c.Params("slug")); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *Server) revision(c fiber.Ctx) error {
	r, err := s.Desks.Revision(c, c.Params("slug"), fiber.Params[int](c, "number"))
	if err != nil {
		return err
	}
	b := revisionOf(r)
	b.File = r.File
	changes, err := s.Store.ShelfChanges(c, r.DeskID, r.Number)
	if err != nil {
		return err
	}
	for _, f := range changes {
		b.Shelves = append(b.Shelves, shelfChangeBody{f.Slug, f.Title, f.Then, f.Now, f.Removed, some(f.Added), some(f.Dropped)})
	}
	return c.JSON(b)
}

func (s *Server) returnTo(c fiber.Ctx) error {
	var b struct {
		Revision int `json:"revision"`
	}
	if err := readJSON(c, &b); err != nil {
		return err
	}
	if _, err := s.Desks.Return(c, c.Params("slug"), b.Revision, by(c)); err != nil {
		return err
	}
	return s.showDesk(c)
}

func (s *Server) withdraw(c fiber.Ctx) error {
	if err := s.Desks.Withdraw(c, c.Params("slug"), by(c)); err != nil {
		return err
	}
	return s.showDesk(c)
}

func (s *Server) duplicate(c fiber.Ctx) error {
	var b struct {
		As string `json:"as"`
	}
	if err := readJSON(c, &b); err != nil {
		return err
	}
	if err := s.Desks.Duplicate(c, c.Params("slug"), b.As, by(c)); err != nil {
		return err
	}
	return s.sendDesk(c.Status(fiber.StatusCreated), b.As)
}

// exportDesk answers with the desk and all its revisions as one file.
func (s *Server) exportDesk(c fiber.Ctx) error {
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
func (s *Server) importDesk(c fiber.Ctx) error {
	slug, problems, err := s.Desks.Import(c, c.Body(), c.Query("as"), by(c))
	if err != nil {
		return err
	}
	return c.Status(fiber.StatusCreated).JSON(fiber.Map{"slug": slug, "problems": listed(problems)})
}

// mayPreview lets only makers see drafts.
func (s *Server) mayPreview(c fiber.Ctx) error {
	if _, err := s.maker(c); err != nil {
		// A change by a preview is a visitor's: it needs no CSRF token.
		if _, _, err := s.session(c); err != nil {
			return &desk.Problem{Code: desk.NoDesk, Sentence: desk.Sentence(desk.NoDesk)}
		}
	}
	return nil
}

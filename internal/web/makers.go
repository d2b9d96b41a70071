package web

import (
	"crypto/rand"
	_ "embed"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"juvalogos/core/deskfile"
	"juvalogos/internal/desk"
	"juvalogos/internal/models"
	"juvalogos/internal/store"
)

//go:embed openapi.yaml
var openAPI []byte

func (s *Server) description(c fiber.Ctx) error {
	c.Set("Content-Type", "application/yaml; charset=utf-8")
	return c.Send(openAPI)
}

func (s *Server) deskSchema(c fiber.Ctx) error {
	return c.JSON(deskfile.Schema(), "application/schema+json")
}

func (s *Server) connectionsSchema(c fiber.Ctx) error {
	return c.JSON(models.Schema(), "application/schema+json")
}

type (
	revisionBody struct {
		Number int       `json:"number"`
		MadeBy string    `json:"made_by"`
		MadeAt time.Time `json:"made_at"`
	}
	deskBody struct {
		Slug           string         `json:"slug"`
		Title          string         `json:"title"`
		Purpose        string         `json:"purpose"`
		Model          string         `json:"model"`
		Page           string         `json:"page"` // path of the visitor's page
		Published      revisionBody   `json:"published"`
		Revisions      []revisionBody `json:"revisions,omitempty"`
		QuestionsToday int            `json:"questions_today"`
		LastAsked      *time.Time     `json:"last_asked,omitempty"`
		File           string         `json:"file,omitempty"`
	}
)

func (s *Server) listDesks(c fiber.Ctx) error {
	list, err := s.Desks.Desks(c)
	if err != nil {
		return err
	}
	bodies := make([]deskBody, len(list))
	for i, d := range list {
		bodies[i] = s.deskOf(d.Revision)
		bodies[i].QuestionsToday, bodies[i].LastAsked = d.QuestionsToday, d.LastAsked
	}
	return c.JSON(fiber.Map{"desks": bodies})
}

func (s *Server) showDesk(c fiber.Ctx) error {
	slug := c.Params("slug")
	published, err := s.Store.Published(c, slug)
	if errors.Is(err, store.ErrNotFound) {
		return &desk.Problem{Code: desk.NoDesk, Sentence: fmt.Sprintf("There is no desk %q.", slug)}
	}
	if err != nil {
		return err
	}
	revisions, err := s.Store.Revisions(c, slug)
	if err != nil {
		return err
	}
	b := s.deskOf(published)
	b.File = published.File
	for _, r := range revisions {
		b.Revisions = append(b.Revisions, revisionOf(r))
	}
	return c.JSON(b)
}

// publish takes a desk file as the body; ?name= is its name in problems.
func (s *Server) publish(c fiber.Ctx) error {
	who, err := s.token(c)
	if err != nil {
		return err
	}
	r, fresh, err := s.Desks.Publish(c, fileName(c), c.Body(), who.Name)
	if err != nil {
		return err
	}
	if fresh {
		c.Status(fiber.StatusCreated)
	}
	return c.JSON(s.deskOf(r))
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

func (s *Server) deskOf(r store.Revision) deskBody {
	f, _ := deskfile.Read(r.Slug, []byte(r.File)) // what an older version accepted may not read
	return deskBody{
		Slug: r.Slug, Title: f.Title, Purpose: f.Purpose, Model: f.Model,
		Page: s.BasePath + "/at/" + r.Slug, Published: revisionOf(r),
	}
}

func revisionOf(r store.Revision) revisionBody { return revisionBody{r.Number, r.MadeBy, r.MadeAt} }

type modelBody struct {
	models.Model
	Connection string `json:"connection"`
	Address    string `json:"address"`
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

type tokenBody struct {
	Name   string    `json:"name"`
	MadeAt time.Time `json:"made_at"`
	// Secret is shown once, when the token is made.
	Secret string `json:"secret,omitempty"`
}

const longestTokenName = 60

func (s *Server) addToken(c fiber.Ctx) error {
	var b tokenBody
	if err := readJSON(c, &b); err != nil {
		return err
	}
	b.Name = strings.TrimSpace(b.Name)
	if b.Name == "" || len(b.Name) > longestTokenName || strings.ContainsAny(b.Name, "/?#") {
		return invalid("Give the token a name of up to 60 letters, without / ? #, that tells what it is for.")
	}
	secret := NewTokenSecret()
	t, err := s.Store.AddToken(c, b.Name, secret)
	if errors.Is(err, store.ErrDuplicate) {
		return fiber.NewError(fiber.StatusConflict, fmt.Sprintf("There is a token named %q already. Choose another name, or remove that one.", b.Name))
	}
	if err != nil {
		return err
	}
	return c.Status(fiber.StatusCreated).JSON(tokenBody{t.Name, t.MadeAt, secret})
}

// NewTokenSecret makes the secret of an API token. Its prefix lets scanners of
// repositories find one that was committed by mistake.
func NewTokenSecret() string { return "jvl_" + rand.Text() }

func (s *Server) listTokens(c fiber.Ctx) error {
	list, err := s.Store.Tokens(c)
	if err != nil {
		return err
	}
	bodies := make([]tokenBody, len(list))
	for i, t := range list {
		bodies[i] = tokenBody{Name: t.Name, MadeAt: t.MadeAt}
	}
	return c.JSON(fiber.Map{"tokens": bodies})
}

func (s *Server) removeToken(c fiber.Ctx) error {
	err := s.Store.RemoveToken(c, c.Params("name"))
	if errors.Is(err, store.ErrNotFound) {
		return fiber.NewError(fiber.StatusNotFound, fmt.Sprintf("There is no token named %q.", c.Params("name")))
	}
	if err != nil {
		return err
	}
	s.tokens.clear()
	return c.SendStatus(fiber.StatusNoContent)
}

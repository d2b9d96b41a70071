package web

import (
	"github.com/gofiber/fiber/v3"

	"juvalogos/core/recipe"
	"juvalogos/core/recipe/draw"
	"juvalogos/core/steps"
	"juvalogos/internal/desk"
)

type (
	kindBody struct {
		Name  string     `json:"name"`
		About string     `json:"about"`
		In    []portBody `json:"in"`
		Out   []portBody `json:"out"`
		More  bool       `json:"more"` // further inputs of any name
	}
	portBody struct {
		Name  string `json:"name"`
		Type  string `json:"type"`
		Need  bool   `json:"need,omitempty"`
		About string `json:"about"`
	}
	recipeBody struct {
		Name    string       `json:"name"`
		About   string       `json:"about"`
		Source  string       `json:"source"`
		Drawing draw.Drawing `json:"drawing"`
		// Forecast is what a question takes, of a desk's recipe.
		Forecast *desk.Forecast `json:"forecast,omitempty"`
	}
)

func ports(list []recipe.Port) []portBody {
	bodies := make([]portBody, len(list))
	for i, p := range list {
		bodies[i] = portBody{p.Name, string(p.Type), p.Need, p.About}
	}
	return bodies
}

// recipes lists the recipes that come with Juvalogos, and the kinds of steps.
func (s *Server) recipes(c fiber.Ctx) error {
	var kinds []kindBody
	for _, k := range steps.Kinds().All() {
		kinds = append(kinds, kindBody{k.Name, k.About, ports(k.In), ports(k.Out), k.More != nil})
	}
	var all []recipeBody
	for _, name := range steps.BuiltIn() {
		b, err := builtIn(name)
		if err != nil {
			return err
		}
		all = append(all, b)
	}
	return c.JSON(fiber.Map{"recipes": all, "kinds": kinds})
}

func builtIn(name string) (recipeBody, error) {
	src, ok := steps.Source(name)
	if !ok {
		return recipeBody{}, fiber.NewError(fiber.StatusNotFound, "There is no recipe of this name.")
	}
	r, err := steps.Check(name, src)
	if err != nil {
		return recipeBody{}, err
	}
	return recipeBody{Name: r.Name, About: r.About, Source: string(src), Drawing: draw.Layout(r)}, nil
}

func (s *Server) recipe(c fiber.Ctx) error {
	b, err := builtIn(c.Params("name"))
	if err != nil {
		return err
	}
	return c.JSON(b)
}

// deskRecipe is the recipe that a desk's draft names, or without one its
// published file.
func (s *Server) deskRecipe(c fiber.Ctx) error {
	slug := desk.DraftMark + c.Params("slug")
	f, err := s.Desks.Face(c, slug)
	if err != nil {
		return err
	}
	r, err := s.Desks.RecipeOf(slug, f)
	if err != nil {
		return err
	}
	source := f.OwnRecipe
	if source == "" {
		text, _ := steps.Source(f.Recipe)
		source = string(text)
	}
	body := recipeBody{Name: r.Name, About: r.About, Source: source, Drawing: draw.Layout(r)}
	// A desk whose model is not there has a recipe all the same.
	if forecast, err := s.Desks.Forecast(c, slug); err == nil {
		body.Forecast = &forecast
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(body)
}

// checkRecipe checks a recipe's text and draws it.
func (s *Server) checkRecipe(c fiber.Ctx) error {
	name := c.Query("name")
	if name == "" {
		name = "recipe"
	}
	r, err := steps.Check(name, c.Body())
	if err != nil {
		return err
	}
	return c.JSON(recipeBody{Name: r.Name, About: r.About, Source: string(c.Body()), Drawing: draw.Layout(r)})
}

func (s *Server) recipeSchema(c fiber.Ctx) error {
	c.Set("Content-Type", "application/schema+json")
	return c.JSON(recipe.Schema(steps.Kinds()))
}

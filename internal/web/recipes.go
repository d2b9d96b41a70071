package web

import (
	"github.com/gofiber/fiber/v3"

	"juvalogos/core/recipe"
	"juvalogos/core/steps"
	"juvalogos/internal/account"
	"juvalogos/internal/api"
	"juvalogos/internal/desk"
	"juvalogos/internal/shape"
)

// recipes are the handlers of recipes and the kinds of their steps.
type recipes struct {
	*door
	Desks *desk.Service
}

func (s *recipes) routes(api fiber.Router) {
	api.Get("/recipes", s.allowed(account.Read, s.listRecipes))
	api.Get("/recipes/:name", s.allowed(account.Read, s.recipe))
	api.Post("/recipes/check", s.allowed(account.Read, s.checkRecipe))
	api.Get("/desks/:slug/recipe", s.allowed(account.Read, s.deskRecipe))
	api.Get("/schemas/recipe.json", s.recipeSchema)
}

// listRecipes lists the recipes that come with Juvalogos, and the kinds of steps.
func (s *recipes) listRecipes(c fiber.Ctx) error {
	var recipes []api.Recipe
	for _, name := range steps.BuiltIn() {
		b, err := builtIn(name)
		if err != nil {
			return err
		}
		recipes = append(recipes, b)
	}
	return c.JSON(api.RecipeList{Recipes: recipes, Kinds: shape.All(steps.Kinds().All(), shape.Kind)})
}

func builtIn(name string) (api.Recipe, error) {
	src, ok := steps.Source(name)
	if !ok {
		return api.Recipe{}, fiber.NewError(fiber.StatusNotFound, "There is no recipe of this name.")
	}
	r, err := steps.Check(name, src)
	if err != nil {
		return api.Recipe{}, err
	}
	return shape.Recipe(r, string(src)), nil
}

func (s *recipes) recipe(c fiber.Ctx) error {
	b, err := builtIn(c.Params("name"))
	if err != nil {
		return err
	}
	return c.JSON(b)
}

// deskRecipe is the recipe that a desk's draft names, or without one its
// published file.
func (s *recipes) deskRecipe(c fiber.Ctx) error {
	slug := desk.DraftMark + c.Params("slug")
	f, err := s.Desks.Face(c, slug)
	if err != nil {
		return err
	}
	r, _, err := s.Desks.RecipeOf(slug, f)
	if err != nil {
		return err
	}
	source := f.OwnRecipe
	if source == "" {
		text, _ := steps.Source(f.Recipe)
		source = string(text)
	}
	body := shape.Recipe(r, source)
	// A desk whose model is not there has a recipe all the same.
	if forecast, err := s.Desks.Forecast(c, slug); err == nil {
		body.Forecast = shape.Forecast(forecast)
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(body)
}

// checkRecipe checks a recipe's text and draws it.
func (s *recipes) checkRecipe(c fiber.Ctx) error {
	name := c.Query("name")
	if name == "" {
		name = "recipe"
	}
	body, err := bodyOf(c)
	if err != nil {
		return err
	}
	r, err := steps.Check(name, body)
	if err != nil {
		return err
	}
	return c.JSON(shape.Recipe(r, string(body)))
}

func (s *recipes) recipeSchema(c fiber.Ctx) error {
	c.Set("Content-Type", "application/schema+json")
	return c.JSON(recipe.Schema(steps.Kinds()))
}

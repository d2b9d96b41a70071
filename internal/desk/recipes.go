package desk

import (
	"strings"

	"juvalogos/core/deskfile"
	"juvalogos/core/recipe"
	"juvalogos/core/steps"
	"juvalogos/core/yamlfile"
)

// OwnRecipe is what the name of a file with a desk's own recipe ends with.
const OwnRecipe = ".recipe.yaml"

// recipeOf returns the recipe that a desk file names, with what the file sets.
// The error is yamlfile.Problems at their places in the desk file.
func recipeOf(name string, text []byte, f deskfile.File) (*recipe.Recipe, recipe.Values, error) {
	at := func(path, message string) error {
		p := yamlfile.Locate(text, path)
		return yamlfile.Problems{{File: name, Line: p.Line, Column: p.Column, Message: message}}
	}
	src, builtIn := steps.Source(f.Recipe)
	own := strings.HasSuffix(f.Recipe, OwnRecipe)
	switch {
	case own && f.OwnRecipe == "":
		return nil, nil, at("recipe", "recipe: "+f.Recipe+" is not here; publish with the command line where that "+
			"file lies beside this one, or write its text under own_recipe")
	case own:
		src = []byte(f.OwnRecipe)
	case !builtIn:
		return nil, nil, at("recipe", "recipe: "+yamlfile.Unknown("recipe", f.Recipe, steps.BuiltIn())+
			"; a file of your own ends with "+OwnRecipe)
	case f.OwnRecipe != "":
		return nil, nil, at("own_recipe", "own_recipe: is not used, because recipe names "+f.Recipe+
			"; name it there, like mine"+OwnRecipe)
	}
	r, err := steps.Check(f.Recipe, src)
	if err != nil {
		return nil, nil, withinDesk(err, name, text, own)
	}
	settings, err := r.Settle(name, "recipe_settings", f.RecipeSettings)
	return r, settings, err
}

// RecipeOf returns the recipe that a desk file names.
func (s *Service) RecipeOf(slug string, f deskfile.File) (*recipe.Recipe, error) {
	if d := s.cache.get(slug, s.Now()); d != nil {
		return d.Recipe, nil
	}
	r, _, err := recipeOf(slug, nil, f)
	return r, err
}

// withinDesk moves problems of a recipe to where its text stands in the desk
// file: a block that begins on the line below its key.
func withinDesk(err error, name string, text []byte, own bool) error {
	problems, ok := err.(yamlfile.Problems)
	if !ok || !own {
		return err
	}
	at := yamlfile.Locate(text, "own_recipe")
	moved := make(yamlfile.Problems, len(problems))
	for i, p := range problems {
		moved[i] = yamlfile.Problem{File: name, Line: at.Line + p.Line, Column: p.Column + 2, Message: "own_recipe: " +
			p.Message}
	}
	return moved
}

// Inline puts the text of a recipe file into the desk file that names it, in
// place of what stands under own_recipe.
func Inline(deskText []byte, recipeText []byte) []byte {
	var lines []string
	within := false
	for line := range strings.Lines(string(deskText)) {
		if strings.HasPrefix(line, "own_recipe:") {
			within = true
			continue
		}
		if within && (strings.HasPrefix(line, " ") || strings.TrimSpace(line) == "") {
			continue
		}
		within = false
		lines = append(lines, line)
	}
	out := strings.TrimRight(strings.Join(lines, ""), "\n") + "\nown_recipe: |\n"
	for line := range strings.Lines(strings.TrimRight(string(recipeText), "\n") + "\n") {
		if strings.TrimSpace(line) == "" {
			out += "\n"
		} else {
			out += "  " + line
		}
	}
	return []byte(out)
}

// WithRecipe returns a desk file with the recipe file that it names put in;
// read reads a file beside it. The error is what read returned, or
// yamlfile.Problems.
func WithRecipe(text []byte, read func(name string) ([]byte, error)) ([]byte, error) {
	f, err := deskfile.Read("", text)
	if err != nil || !strings.HasSuffix(f.Recipe, OwnRecipe) {
		return text, nil // what is wrong is said by whoever checks it
	}
	src, err := read(f.Recipe)
	if err != nil {
		if f.OwnRecipe != "" {
			return text, nil
		}
		return nil, err
	}
	return Inline(text, src), nil
}

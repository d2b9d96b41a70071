package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"juvalogos/core/recipe"
	"juvalogos/core/recipe/draw"
	"juvalogos/core/steps"
)

var recipeCommands = []command{
	{"list", "list the recipes that come with Juvalogos", recipeList},
	{"show", "print a recipe's file", recipeShow},
	{"check", "check recipe files", recipeCheck},
	{"draw", "draw a recipe in the terminal, or as SVG", recipeDraw},
	{"run", "run a recipe here, without a desk", recipeRun},
	{"kinds", "list the kinds of steps, with their inputs and outputs", recipeKinds},
	{"schema", "print the JSON Schema of recipe files, for editors", recipeSchema},
}

// readRecipe reads a recipe that comes with Juvalogos, or a file.
func readRecipe(name string) ([]byte, error) {
	if src, ok := steps.Source(name); ok {
		return src, nil
	}
	src, err := os.ReadFile(name)
	if err != nil {
		return nil, fmt.Errorf("%s is neither a recipe that comes with Juvalogos (%s) nor a file that can be read",
			name, strings.Join(steps.BuiltIn(), ", "))
	}
	return src, nil
}

func checkedRecipe(name string) (*recipe.Recipe, error) {
	src, err := readRecipe(name)
	if err != nil {
		return nil, err
	}
	return steps.Check(name, src)
}

func recipeList(args []string) error {
	f := newFlags("recipe list [flags]", "Lists the recipes that come with Juvalogos.", "juvalogos recipe list")
	asJSON := f.Bool("json", false, "print JSON")
	if err := parse(f, args); err != nil {
		return err
	}
	type row struct {
		Name  string `json:"name"`
		About string `json:"about"`
		Steps int    `json:"steps"`
	}
	var rows []row
	for _, name := range steps.BuiltIn() {
		r, err := checkedRecipe(name)
		if err != nil {
			return err
		}
		rows = append(rows, row{r.Name, r.About, len(r.Steps)})
	}
	return list(*asJSON, rows, "", "RECIPE, STEPS, ABOUT", func(r row) []any { return []any{r.Name, r.Steps, r.About} })
}

// onRecipe parses the flags of a command about one recipe.
func onRecipe(args []string, usage, about, example string) (name string, err error) {
	f := newFlags(usage, about, example)
	if err := parse(f, args); err != nil {
		return "", err
	}
	if f.NArg() != 1 {
		return "", usageError("name one recipe, or a file")
	}
	return f.Arg(0), nil
}

func recipeShow(args []string) error {
	name, err := onRecipe(args, "recipe show NAME", "Prints the file of a recipe that comes with Juvalogos. Copy it "+
		"to make your own.", "juvalogos recipe show converse > mine.recipe.yaml")
	if err != nil {
		return err
	}
	src, err := readRecipe(name)
	if err == nil {
		_, err = os.Stdout.Write(src)
	}
	return err
}

func recipeCheck(args []string) error {
	f := newFlags("recipe check FILE...", "Checks recipe files and says everything that is wrong with them, with "+
		"line and column, and what would fit.", "juvalogos recipe check mine.recipe.yaml")
	if err := parse(f, args); err != nil {
		return err
	}
	if f.NArg() == 0 {
		return usageError("name at least one recipe file")
	}
	var failed []error
	for _, name := range f.Args() {
		r, err := checkedRecipe(name)
		if err != nil {
			failed = append(failed, err)
			continue
		}
		fmt.Printf("%s: good, %d steps\n", name, len(r.Steps))
	}
	return errors.Join(failed...)
}

func recipeDraw(args []string) error {
	f := newFlags("recipe draw [flags] NAME|FILE", "Draws a recipe: its steps from top to bottom, what each takes "+
		"and from where.", "juvalogos recipe draw -svg contrast.svg contrast")
	svg := f.String("svg", "", "write a picture to this file instead")
	if err := parse(f, args); err != nil {
		return err
	}
	if f.NArg() != 1 {
		return usageError("name one recipe, or a file")
	}
	r, err := checkedRecipe(f.Arg(0))
	if err != nil {
		return err
	}
	drawing := draw.Layout(r)
	if *svg == "" {
		fmt.Printf("%s\n%s\n\n%s", r.Name, r.About, drawing.Text())
		return nil
	}
	if err := os.WriteFile(*svg, []byte(drawing.SVG()), 0o644); err != nil {
		return err
	}
	fmt.Printf("%s is drawn in %s\n", r.Name, filepath.Base(*svg))
	return nil
}

func recipeKinds(args []string) error {
	f := newFlags("recipe kinds", "Lists the kinds of steps: what each takes (needed inputs with a *) and gives.",
		"juvalogos recipe kinds")
	if err := parse(f, args); err != nil {
		return err
	}
	for _, k := range steps.Kinds().All() {
		fmt.Printf("%s\n  %s\n", k.Name, k.About)
		for _, p := range k.In {
			need := ""
			if p.Need {
				need = "*"
			}
			fmt.Printf("  ← %s%s: %s (%s)\n", p.Name, need, p.Type, p.About)
		}
		if k.Variadic != nil {
			fmt.Printf("  ← any name: %s (%s)\n", k.Variadic.Type, k.Variadic.About)
		}
		for _, p := range k.Out {
			fmt.Printf("  → %s: %s (%s)\n", p.Name, p.Type, p.About)
		}
		fmt.Println()
	}
	return nil
}

func recipeSchema(args []string) error {
	f := newFlags("recipe schema", "Prints the JSON Schema of recipe files; editors complete and check by it.",
		"juvalogos recipe schema > recipe.schema.json")
	if err := parse(f, args); err != nil {
		return err
	}
	text, err := json.MarshalIndent(recipe.Schema(steps.Kinds()), "", "  ")
	if err == nil {
		fmt.Println(string(text))
	}
	return err
}

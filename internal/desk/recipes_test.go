package desk_test

import (
	"os"
	"strings"
	"testing"

	"juvalogos/internal/desk"
)

func TestTheSampleDesksAreWhole(t *testing.T) {
	const folder = "../../demo/desks/"
	files, err := os.ReadDir(folder)
	if err != nil {
		t.Fatal(err)
	}
	checked := 0
	for _, f := range files {
		if !strings.HasSuffix(f.Name(), ".yaml") || strings.HasSuffix(f.Name(), desk.OwnRecipe) {
			continue
		}
		text, err := os.ReadFile(folder + f.Name())
		if err == nil {
			text, err = desk.WithFiles(text, func(name string) ([]byte, error) { return os.ReadFile(folder + name) })
		}
		if err == nil {
			_, err = desk.CheckFile(f.Name(), text, nil)
		}
		if err != nil {
			t.Error(err)
		}
		checked++
	}
	if checked < 5 {
		t.Errorf("only %d desks were checked", checked)
	}
}

func TestInlineKeepsTheRest(t *testing.T) {
	const file = "slug: x # mine\nrecipe: a.recipe.yaml\nown_recipe: |\n  old: text\n\n  more\ntitle: T\n"
	got := string(desk.Inline([]byte(file), []byte("recipe: a\nsteps:\n\n  - x\n")))
	if want := "slug: x # mine\nrecipe: a.recipe.yaml\ntitle: T\nown_recipe: |\n  recipe: a\n  steps:\n\n" +
		"    - x\n"; got != want {
		t.Errorf("got %q", got)
	}
}

package steps

import (
	"embed"
	"io/fs"
	"path"
	"strings"

	"juvalogos/core/recipe"
)

// The recipes that come with Juvalogos, in the format of everybody's.
//
//go:embed recipes/*.yaml
var builtIn embed.FS

// BuiltIn lists the names of the recipes that come with Juvalogos.
func BuiltIn() []string {
	entries, err := fs.ReadDir(builtIn, "recipes")
	if err != nil {
		return nil // cannot happen: the folder is in the binary
	}
	var names []string
	for _, e := range entries {
		names = append(names, strings.TrimSuffix(e.Name(), ".yaml"))
	}
	return names
}

// Source returns the text of a recipe that comes with Juvalogos.
func Source(name string) ([]byte, bool) {
	text, err := builtIn.ReadFile(path.Join("recipes", name+".yaml"))
	return text, err == nil
}

// Check checks a recipe that uses these kinds.
func Check(name string, src []byte) (*recipe.Recipe, error) { return recipe.Check(name, src, Kinds()) }

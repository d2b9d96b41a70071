package steps

import (
	"os"
	"strings"
	"testing"
)

// The guide shows a kind of step in full; it is the one that there is.
func TestTheGuideShowsAStepAsItIs(t *testing.T) {
	doc, err := os.ReadFile("../../docs/recipes.md")
	if err != nil {
		t.Fatal(err)
	}
	src, err := os.ReadFile("join.go")
	if err != nil {
		t.Fatal(err)
	}
	shown, _, _ := strings.Cut(string(src), "// joined joins a list")
	if !strings.Contains(string(doc), strings.TrimSpace(shown)) {
		t.Error("docs/recipes.md shows another join.go")
	}
	for _, name := range []string{"house-rules.recipe.yaml", "house-rules.py"} {
		text, err := os.ReadFile("../../examples/recipes/" + name)
		if err != nil {
			t.Fatal(err)
		}
		if !strings.Contains(string(doc), "\n"+strings.TrimSpace(string(text))+"\n```") {
			t.Errorf("docs/recipes.md shows another %s", name)
		}
	}
	_, rest, _ := strings.Cut(string(doc), "```yaml\n")
	text, _, ok := strings.Cut(rest, "```")
	if !ok {
		t.Fatal("the guide has no recipe")
	}
	if _, err := Check("docs/recipes.md", []byte(text)); err != nil {
		t.Error(err)
	}
}

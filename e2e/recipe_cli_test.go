package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
)

const ownRecipe = `recipe: twice
about: Says it twice.
steps:
  - {name: prompt, do: compose, from: {question: question}, set: {user: "{{.question}}"}}
  - {name: one, do: generate, from: {prompt: prompt.prompt}}
  - {name: two, do: generate, from: {prompt: prompt.prompt}}
  - {name: both, do: join, from: {one: one.text, two: two.text}}
reply: both.text
`

func TestRecipesTracesAndUsageOnTheCommandLine(t *testing.T) {
	t.Parallel()
	p := startProcess(t)
	folder := openFolder(t)
	write := func(name, text string) string {
		t.Helper()
		path := filepath.Join(folder, name)
		if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
		return path
	}
	mine := write("mine.recipe.yaml", ownRecipe)
	wrong := write("wrong.recipe.yaml", strings.Replace(ownRecipe, "two.text", "tow.text", 1))
	desk := write("own.yaml", "slug: own\ntitle: Own\npurpose: Tests.\nmodel: thyme-mini\nrecipe: mine.recipe.yaml\n")
	connections := filepath.Join(p.data, "connections.yaml")
	priced := write("priced.yaml", "connections:\n  - {name: far, address: http://127.0.0.1:1/v1, models: [{name: "+
		"thyme-mini, context: 4096, price: {in: 10, out: 100}}]}\n")
	svg := filepath.Join(folder, "mine.svg")
	cli(t, p, []cliLine{
		{args: "recipe list", out: "contrast"},
		{args: "recipe show converse", out: "do: recall"},
		{args: "recipe show nothing", errs: "neither a recipe that comes with Juvalogos (consult, continue, " +
			"contrast, converse, depict, digest, extract, inquire, quiz, reckon, vary)", code: 1},
		{args: "recipe check " + mine, out: "good, 4 steps"},
		{args: "recipe check " + wrong,
			errs: `wrong.recipe.yaml:7:50: step "both": two: unknown name "tow.text"; did you mean "two.text"?`,
			code: 1},
		{args: "recipe check", errs: "name at least one recipe file", code: 2},
		{args: "recipe draw " + mine, out: "│ ← two ─ text: text"},
		{args: "recipe draw -svg " + svg + " " + mine, out: "is drawn in mine.svg"},
		{args: "recipe kinds", out: "extract"},
		{args: "recipe schema", out: `"$defs"`},
		{args: "recipe run -connections " + connections + " -model thyme-mini " + mine + " smoker?", out: "",
			errs: "✓ both"},
		{args: "recipe run -connections " + connections + " -model thyme-mini " + mine + " smoker?", out: "",
			errs: "At most 2 calls, about "},
		{args: "recipe run -most 0.0001 -connections " + priced + " -model thyme-mini " + mine + " smoker?",
			errs: "it was not run: it could cost", code: 1},
		{args: "recipe run -json -connections " + connections + " -model thyme-mini " + mine + " question=smoker?",
			out: `"step": "both"`},
		{args: "recipe run -connections " + connections + " -model thyme-mini " + mine + " nothing=x y=z",
			errs: "this recipe takes: question", code: 2},
		{args: "desk publish " + desk, out: "revision 1 of own"},
		{args: "desk show own", out: "own_recipe: |"},
		{args: "ask -desk own smoker?", out: ""},
		{args: "trace list -desk own", out: "done", find: `(?m)^([0-9a-f-]{36})`},
		{args: "trace show $1", out: "both", find: `()`},
		{args: "trace list -desk own -json", out: `"recipe": "twice"`, find: `"id": "([0-9a-f-]{36})"`},
		{args: "trace show -whole $1", out: "[user]\n      smoker?", find: `()`},
		{args: "trace list -desk own", out: "own", find: `(?m)^([0-9a-f-]{36})`},
		{args: "trace export -as otlp $1", out: `"resourceSpans"`, find: `()`},
		{args: "trace list -desk own", out: "own", find: `(?m)^([0-9a-f-]{36})`},
		{args: "trace rerun -brief Kindly. $1", out: "tokens, 0 USD"},
		{args: "trace list -state failed", out: "There are none."},
		{args: "trace show nothing", errs: "no trace of this", code: 4},
		{args: "usage -by desk,model", out: "own     shed/thyme-mini  4"},
		{args: "usage -by desk -csv", out: "desk,turns,calls,calls_counted_here,prompt_tokens,reply_tokens,cost\n" +
			"own,1,4,"},
		{args: "usage -by weather", errs: "by is one or more of day, desk", code: 1},
	})
	if text, err := os.ReadFile(svg); err != nil || !strings.HasPrefix(string(text), "<svg ") {
		t.Errorf("%v: %.50s", err, text)
	}
}

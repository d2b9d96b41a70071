package console_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"maps"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"juvalogos/core/phrase"
	"juvalogos/core/steps"
)

// spoken are the rooms whose phrases a visitor can read, and the calls that
// make them: the number of the argument that is the form, and whether a
// sentence is made of it on its way.
var spoken = []struct {
	files string
	calls map[string]int
	whole bool
}{
	{"core/reading/*.go", map[string]int{"problem": 1}, false},
	{"internal/pdfium/*.go", map[string]int{"Of": 0}, false},
	{"internal/shelf/documents.go", map[string]int{"Of": 0}, false},
	{"internal/shelf/jobs.go", map[string]int{"Of": 0}, false},
	{"internal/shelf/attached.go", map[string]int{"Of": 0}, false},
	{"internal/shelf/attached.go", map[string]int{"wrong": 0, "missing": 0}, true},
	{"core/recipe/inputs.go", map[string]int{"Errorf": 0}, true},
	{"internal/reply/*.go", map[string]int{"Of": 0, "Say": 1}, false},
	{"core/picture/picture.go", map[string]int{"wrong": 0, "Of": 0}, false},
	{"internal/readers/pictures.go", map[string]int{"Of": 0}, false},
	{"internal/media/*.go", map[string]int{"Say": 1}, false},
	{"internal/web/pictures.go", map[string]int{"Of": 0, "NewError": 1}, false},
	{"internal/conversation/*.go", map[string]int{"Say": 1, "Of": 0}, false},
	{"internal/desk/open.go", map[string]int{"Say": 1}, false},
	{"internal/limits/limits.go", map[string]int{"Of": 0}, false},
	{"internal/errand/errand.go", map[string]int{"Of": 0, "Say": 1}, false},
	{"internal/errand/run.go", map[string]int{"Of": 0, "Say": 1}, false},
	{"internal/reach/*.go", map[string]int{"Errorf": 0, "refused": 2}, false},
	{"internal/shelf/tray.go", map[string]int{"wrong": 0}, false},
	{"internal/source/looks.go", map[string]int{"Of": 0, "wrong": 0}, false},
	{"internal/source/glance.go", map[string]int{"wrong": 0}, false},
	{"internal/source/encyclopedia.go", map[string]int{"wrong": 0}, false},
	{"internal/readers/sound.go", map[string]int{"Of": 0, "wrong": 0}, false},
	{"internal/recording/*.go", map[string]int{"Of": 0, "Say": 1}, false},
	{"internal/web/recordings.go", map[string]int{"Of": 0, "Say": 1, "NewError": 1}, false},
	{"internal/web/problem.go", map[string]int{"Of": 0}, false},
	{"internal/web/records.go", map[string]int{"Say": 1}, false},
	{"internal/web/uploads.go", map[string]int{"invalid": 0}, false},
	{"internal/web/attachments.go", map[string]int{"NewError": 1}, false},
	{"internal/web/documents.go", map[string]int{"NewError": 1}, false},
	{"internal/web/shelves.go", map[string]int{"NewError": 1}, false},
	{"internal/engine/*.go", map[string]int{"Of": 0}, false},
	{"core/tables/*.go", map[string]int{"Of": 0}, false},
	{"internal/exam/*.go", map[string]int{"Of": 0, "Say": 1}, false},
	{"internal/table/*.go", map[string]int{"Of": 0, "Say": 1}, false},
	{"internal/web/tables.go", map[string]int{"Say": 1}, false},
}

// textOfExpression is what a constant text says; ok is false for all else.
func textOfExpression(e ast.Expr) (text string, ok bool) {
	switch e := e.(type) {
	case *ast.BasicLit:
		text, err := strconv.Unquote(e.Value)
		return text, err == nil && e.Kind == token.STRING
	case *ast.BinaryExpr:
		left, first := textOfExpression(e.X)
		right, second := textOfExpression(e.Y)
		return left + right, first && second && e.Op == token.ADD
	}
	return "", false
}

func nameOf(e ast.Expr) string {
	switch e := e.(type) {
	case *ast.Ident:
		return e.Name
	case *ast.SelectorExpr:
		return e.Sel.Name
	}
	return ""
}

// formsIn collects the forms of a file's phrases.
func formsIn(t *testing.T, file string, calls map[string]int, whole bool, into map[string]bool) {
	parsed, err := parser.ParseFile(token.NewFileSet(), file, nil, 0)
	if err != nil {
		t.Fatal(err)
	}
	ast.Inspect(parsed, func(n ast.Node) bool {
		call, is := n.(*ast.CallExpr)
		if !is {
			return true
		}
		at, known := calls[nameOf(call.Fun)]
		if s, is := call.Fun.(*ast.SelectorExpr); is && nameOf(s.X) == "fmt" || !known {
			return true
		}
		text, constant := textOfExpression(call.Args[at])
		if !constant {
			return true
		}
		form := phrase.Of(text, make([]any, len(call.Args)-at-1)...)
		if whole {
			form = form.Sentence()
		}
		into[form.Form] = true
		return true
	})
}

// formsOfFaults are the sentences of package fault by their codes.
func formsOfFaults(t *testing.T, into map[string]bool) {
	parsed, err := parser.ParseFile(token.NewFileSet(), "../internal/fault/fault.go", nil, 0)
	if err != nil {
		t.Fatal(err)
	}
	ast.Inspect(parsed, func(n ast.Node) bool {
		if v, is := n.(*ast.ValueSpec); is && v.Names[0].Name == "sentences" {
			for _, e := range v.Values[0].(*ast.CompositeLit).Elts {
				text, constant := textOfExpression(e.(*ast.KeyValueExpr).Value)
				if !constant {
					t.Errorf("a sentence that is no constant text")
				}
				into[text] = true
			}
		}
		return true
	})
}

// formsOfRecipes are what a visitor reads of the built-in recipes.
func formsOfRecipes(t *testing.T, into map[string]bool) {
	for _, name := range steps.BuiltIn() {
		source, _ := steps.Source(name)
		r, err := steps.Check(name, source)
		if err != nil {
			t.Fatal(err)
		}
		for _, s := range r.Steps {
			into[s.Says] = true
		}
		for _, p := range r.Parts {
			into[p.Title] = true
		}
	}
	delete(into, "")
}

// What the service says to visitors stands in the console's catalogue, so that
// another language has it; and nothing stands there that the service never says.
func TestServicesWordsAreInTheCatalogue(t *testing.T) {
	said := map[string]bool{}
	for _, s := range spoken {
		files, err := filepath.Glob("../" + s.files)
		if err != nil || len(files) == 0 {
			t.Fatalf("%s: %v", s.files, err)
		}
		here := map[string]bool{}
		for _, f := range files {
			if !strings.HasSuffix(f, "_test.go") {
				formsIn(t, f, s.calls, s.whole, here)
			}
		}
		maps.Copy(said, here)
		if len(here) == 0 {
			t.Errorf("nothing is said in %s", s.files)
		}
	}
	formsOfFaults(t, said)
	formsOfRecipes(t, said)
	listed := map[string]bool{}
	for _, form := range eval[[]string](t, `return Object.keys(logic.en.service)`) {
		listed[form] = true
	}
	for _, form := range slices.Sorted(maps.Keys(said)) {
		if !listed[form] {
			t.Errorf("the catalogue lacks %q", form)
		}
	}
	for _, form := range slices.Sorted(maps.Keys(listed)) {
		if !said[form] {
			t.Errorf("the service never says %q", form)
		}
	}
}

// A form takes its values wherever a language wants them, and no value is taken
// for a place.
func TestFormsTakeTheirValues(t *testing.T) {
	for want, c := range map[string]struct {
		form   string
		values []string
	}{
		"von 4000 Seiten werden nur 3000 gelesen": {"von {1} Seiten werden nur {2} gelesen", []string{"4000", "3000"}},
		"3000 von 4000": {"{2} von {1}", []string{"4000", "3000"}},
		"sie ist leer":  {"sie ist leer", nil},
		"{2}, b":        {"{1}, {2}", []string{"{2}", "b"}},
		"a {2}":         {"{1} {2}", []string{"a"}},
	} {
		if got := eval[string](t, `return logic.filled(a[0], a[1] ?? [])`, c.form, c.values); got != want {
			t.Errorf("%q: %q, want %q", c.form, got, want)
		}
	}
}

// What the page does not know is shown as the service wrote it.
func TestUnknownFormsAreShownAsTheyCame(t *testing.T) {
	got := eval[[]string](t, `return [
		logic.fromService({ form: "it has more than {1} MB", with: ["100"] }, "?"),
		logic.fromService({ form: "something new about {1}", with: ["x"] }, "something new about x"),
		logic.fromService(undefined, "as written"), logic.fromService(undefined)]`)
	if want := []string{"it has more than 100 MB", "something new about x", "as written", ""}; !slices.Equal(got,
		want) {
		t.Errorf("%q, want %q", got, want)
	}
}

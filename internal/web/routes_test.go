package web

import (
	"regexp"
	"slices"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/goccy/go-yaml"
)

// The described addresses are the served ones.
func TestTheDescriptionAndTheRoutesAgree(t *testing.T) {
	var d struct {
		OpenAPI string `yaml:"openapi"`
		Paths   map[string]map[string]any
	}
	if err := yaml.Unmarshal(openAPI, &d); err != nil {
		t.Fatal(err)
	}
	if !strings.HasPrefix(d.OpenAPI, "3.1") {
		t.Errorf("OpenAPI %s", d.OpenAPI)
	}
	var described []string
	for path, methods := range d.Paths {
		for method := range methods {
			if method != "parameters" {
				described = append(described, strings.ToUpper(method)+" "+path)
			}
		}
	}
	s, err := New(Options{Console: fstest.MapFS{"index.html": {Data: []byte(fillMark)}}})
	if err != nil {
		t.Fatal(err)
	}
	parameter := regexp.MustCompile(`:(\w+)`)
	pages := []string{"GET /", "GET /at/{slug}", "GET /at/{slug}/{conversation}", "GET /shared/{share}",
		"GET /quiz/{take}",
		"GET /quiz-results/{results}", "GET /console",
		"GET /console/*", "GET /assets/*"}
	var served []string
	for _, r := range s.app.GetRoutes(true) {
		line := r.Method + " " + parameter.ReplaceAllString(r.Path, "{$1}")
		if r.Method != "HEAD" && !slices.Contains(pages, line) {
			served = append(served, line)
		}
	}
	slices.Sort(described)
	slices.Sort(served)
	if !slices.Equal(described, served) {
		t.Errorf("described:\n%s\nserved:\n%s", strings.Join(described, "\n"), strings.Join(served, "\n"))
	}
}

func TestBasePathMustBeginWithASlash(t *testing.T) {
	if _, err := New(Options{BasePath: "ask",
		Console: fstest.MapFS{"index.html": {Data: []byte(fillMark)}}}); err == nil ||
		!strings.Contains(err.Error(), "/ask") {
		t.Errorf("got %v", err)
	}
	if _, err := New(Options{Console: fstest.MapFS{}}); err == nil ||
		!strings.Contains(err.Error(), "build with make") {
		t.Errorf("without a console: %v", err)
	}
}

package draw_test

import (
	"encoding/xml"
	"io"
	"strings"
	"testing"

	"juvalogos/core/recipe"
	"juvalogos/core/recipe/draw"
	"juvalogos/core/steps"
)

// builtIn is every recipe that comes along, checked.
func builtIn(t *testing.T) (all []*recipe.Recipe) {
	t.Helper()
	for _, name := range steps.BuiltIn() {
		text, _ := steps.Source(name)
		r, err := steps.Check(name, text)
		if err != nil {
			t.Fatal(err)
		}
		all = append(all, r)
	}
	return all
}

// Every step has a box below all that it needs; no two boxes lie over each
// other unless one is a group; all lie within the drawing; wires lead between
// boxes that are there.
func TestLayout(t *testing.T) {
	for _, r := range builtIn(t) {
		d := draw.Layout(r)
		at := map[string]draw.Box{}
		for _, b := range d.Boxes {
			at[b.Name] = b
			if b.X < 0 || b.Y < 0 || b.X+b.W > d.Width || b.Y+b.H > d.Height {
				t.Errorf("%s: %s lies at %d,%d with %dx%d, outside of %dx%d", r.Name, b.Name, b.X, b.Y, b.W, b.H,
					d.Width, d.Height)
			}
		}
		for path := range r.Paths() {
			if at[path].Name == "" {
				t.Errorf("%s: the step %s has no box", r.Name, path)
			}
		}
		for i, a := range d.Boxes {
			for _, b := range d.Boxes[i+1:] {
				if a.X < b.X+b.W && b.X < a.X+a.W && a.Y < b.Y+b.H && b.Y < a.Y+a.H && !a.Group && !b.Group {
					t.Errorf("%s: %s and %s lie over each other", r.Name, a.Name, b.Name)
				}
			}
		}
		for _, w := range d.Wires {
			from, to := at[w.From], at[w.To]
			if from.Name == "" || to.Name == "" {
				t.Errorf("%s: a wire from %q to %q", r.Name, w.From, w.To)
			} else if from.Y > to.Y {
				t.Errorf("%s: %s lies below %s, which needs it", r.Name, w.From, w.To)
			}
		}
	}
}

// The picture is well-formed XML and says what is in the boxes, whatever
// characters a recipe has in it; the text for a terminal names them too.
func TestWritten(t *testing.T) {
	hostile, err := steps.Check("own.yaml", []byte(`
recipe: own
about: "<script>alert(1)</script> & more"
steps:
  - {name: prompt, do: compose, set: {user: "{{.question}}"}, from: {question: question}}
  - {name: text, do: generate, from: {prompt: prompt.prompt}}
  - {name: more, do: generate, from: {prompt: prompt.prompt}, if: 'question is "<b>&</b>"'}
  - {name: one, do: choose, from: {first: more.text, second: text.text}}
reply: one.chosen
`))
	if err != nil {
		t.Fatal(err)
	}
	for _, r := range append(builtIn(t), hostile) {
		d := draw.Layout(r)
		var said strings.Builder
		for dec := xml.NewDecoder(strings.NewReader(d.SVG())); ; {
			token, err := dec.Token()
			if err == io.EOF {
				break
			}
			if err != nil {
				t.Fatalf("%s: %v", r.Name, err)
			}
			switch token := token.(type) {
			case xml.StartElement:
				if token.Name.Local == "script" {
					t.Errorf("%s: a script in the picture", r.Name)
				}
			case xml.CharData:
				said.Write(token)
			}
		}
		for _, b := range d.Boxes {
			if !strings.Contains(said.String(), b.Title) || !strings.Contains(d.Text(), b.Title) {
				t.Errorf("%s: %q is not written", r.Name, b.Title)
			}
		}
	}
}

// The same recipe is drawn the same.
func TestLayoutIsSteady(t *testing.T) {
	for _, r := range builtIn(t) {
		if first := draw.Layout(r).SVG(); first != draw.Layout(r).SVG() {
			t.Errorf("%s differs from one drawing to the next", r.Name)
		}
	}
}

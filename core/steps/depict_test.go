package steps

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"

	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
)

// draw makes as many pictures as its name allows, called by what was wished for.
func (m fakeModel) draw(a Ask) (*recipe.ModelCall, error) {
	most := 10
	if m.name == "brush-one" {
		most = 1
	}
	answer, err := m.say([]prompt.Message{{Role: prompt.User, Text: a.Make.Words}})
	call := &recipe.ModelCall{Model: m.Name(), Answer: answer, Making: a.Make, Cost: 4}
	for i := range min(a.Make.Number, most) {
		if err != nil {
			break
		}
		a.File(recipe.Media{Kind: "image/png", Body: []byte{byte(i)}})
		call.Pictures++
	}
	return call, err
}

// Keep calls a picture by how it was made.
func (cutter) Keep(_ context.Context, m Made) (recipe.Media, error) {
	name := fmt.Sprintf("%s %dx%d", m.Making.Words, m.Making.Width, m.Making.Height)
	if m.Making.Seed != nil {
		name += fmt.Sprint(" seed ", *m.Making.Seed)
	}
	if m.Making.Picture != nil {
		name += " of " + m.Making.Picture.Name
	}
	if m.Making.Mask != nil {
		name += " where " + m.Making.Mask.Name
	}
	return recipe.Media{ID: fmt.Sprint(m.Lane), Name: name}, nil
}

func names(r recipe.Result) (all []string) {
	for _, v := range r.Parts[0].Value.([]any) {
		all = append(all, v.(recipe.Media).Name)
	}
	return all
}

func runBuiltIn(t *testing.T, name string, turn *RunContext, inputs recipe.Values) (recipe.Result, []recipe.Span,
	error) {
	t.Helper()
	src, _ := Source(name)
	r, err := Check(name, src)
	if err != nil {
		t.Fatal(err)
	}
	inputs, err = r.Complete(inputs)
	if err != nil {
		t.Fatal(err)
	}
	recipe.Given(inputs, []recipe.Media{{ID: "7", Name: "jar.png"}})
	result, _, spans, err := try(t, strings.TrimPrefix(string(src), "recipe: "+name+"\n"), turn, inputs,
		recipe.Values{"most": 4.0, "side": 600.0})
	return result, spans, err
}

func TestPicturesAreMadeFromWords(t *testing.T) {
	f := &fakeModels{say: func(m []prompt.Message) (string, error) { return "a jar, seen from the side", nil }}
	turn := func(model string) *RunContext {
		return &RunContext{Models: f, Model: model, Pictures: cutter{}, Chance: func() int { return 40 }}
	}
	for _, c := range []struct {
		model  string
		inputs recipe.Values
		want   []string
		asked  int
	}{
		{"brush", recipe.Values{"question": "a jar"}, []string{"a jar 600x600"}, 1},
		{"brush", recipe.Values{"question": " a jar ", "number": 3.0, "format": "lying", "seed": 5.0},
			[]string{"a jar 600x400", "a jar 600x400", "a jar 600x400"}, 1},
		{"brush", recipe.Values{"question": "a jar", "number": 90.0, "format": "upright"},
			[]string{"a jar 400x600", "a jar 400x600", "a jar 400x600", "a jar 400x600"}, 1},
		{"brush-seeded", recipe.Values{"question": "a jar", "number": 2.0},
			[]string{"a jar 600x600 seed 40", "a jar 600x600 seed 41"}, 1},
		{"brush-seeded", recipe.Values{"question": "a jar", "seed": 7.0}, []string{"a jar 600x600 seed 7"}, 1},
		{"brush-one", recipe.Values{"question": "a jar", "number": 3.0},
			[]string{"a jar 600x600", "a jar 600x600", "a jar 600x600"}, 3},
	} {
		f.asked = nil
		result, spans, err := runBuiltIn(t, "depict", turn(c.model), c.inputs)
		if err != nil || !slices.Equal(names(result), c.want) || len(f.asked) != c.asked ||
			result.Reply != "a jar, seen from the side" {
			t.Errorf("%s %v: %v, %v, asked %d times", c.model, c.inputs, result, err, len(f.asked))
		}
		if len(spans) != 1 || len(spans[0].Calls) != c.asked || spans[0].Calls[0].Making.Words != "a jar" {
			t.Errorf("%s: %+v", c.model, spans)
		}
	}
	_, _, err := runBuiltIn(t, "depict", turn("m"), recipe.Values{"question": "a jar"})
	var none ErrNoDrawing
	if !errors.As(err, &none) {
		t.Errorf("a model that makes none: %v", err)
	}
}

// What came before a failure stays.
func TestPicturesThatCameStay(t *testing.T) {
	n := 0
	f := &fakeModels{say: func([]prompt.Message) (string, error) {
		if n++; n > 2 {
			return "", errors.New("the brush broke")
		}
		return "", nil
	}}
	result, spans, err := runBuiltIn(t, "depict", &RunContext{Models: f, Model: "brush-one", Pictures: cutter{}},
		recipe.Values{"question": "a jar", "number": 4.0})
	if err != nil || len(names(result)) != 2 || !strings.Contains(strings.Join(spans[0].Notes, " "),
		"2 of 4 pictures came: the brush broke") {
		t.Errorf("%v, %v, %+v", result, err, spans)
	}
	if _, _, err := runBuiltIn(t, "depict", &RunContext{Models: f, Model: "brush-one", Pictures: cutter{}},
		recipe.Values{"question": "a jar"}); err == nil || !strings.Contains(err.Error(), "the brush broke") {
		t.Errorf("%v", err)
	}
}

func TestPicturesAreMadeFromPictures(t *testing.T) {
	f := &fakeModels{say: func([]prompt.Message) (string, error) { return "", nil }}
	turn := &RunContext{Models: f, Model: "brush", Pictures: cutter{}}
	mask := recipe.Media{ID: "8", Name: "mask.png"}
	for _, c := range []struct {
		inputs recipe.Values
		want   string
	}{
		{recipe.Values{"question": "More"}, " 600x600 of jar.png"},
		{recipe.Values{"question": "Blue", "change": "blue"}, "blue 600x600 of jar.png"},
		{recipe.Values{"question": "Blue", "change": "blue", "mask": mask}, "blue 600x600 of jar.png where mask.png"},
	} {
		result, _, err := runBuiltIn(t, "vary", turn, c.inputs)
		if err != nil || names(result)[0] != c.want {
			t.Errorf("%v: %v, %v", c.inputs, result, err)
		}
	}
	if _, _, err := runBuiltIn(t, "vary", turn, recipe.Values{"question": "x", "mask": mask}); err == nil ||
		!strings.Contains(err.Error(), "nothing says into what") {
		t.Errorf("a mask without words: %v", err)
	}
}

package steps

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
)

// cutter cuts and reads pictures by their names.
type cutter struct{}

func (cutter) Cut(_ context.Context, of recipe.Media, part [4]float64) (recipe.Media, error) {
	return recipe.Media{ID: of.ID + fmt.Sprint(part), Name: "a part of " + of.Name, Width: of.Width / 2,
		Height: of.Height}, nil
}

func (cutter) Words(_ context.Context, of recipe.Media) (string, error) {
	return "words of " + of.Name, nil
}

func askedWith(names ...string) recipe.Values {
	var all []recipe.Media
	for _, name := range names {
		all = append(all, recipe.Media{ID: "id-" + name, Name: name, Kind: "image/png", Width: 40, Height: 30})
	}
	inputs := recipe.Values{"question": "What is on it?"}
	recipe.Given(inputs, all)
	return inputs
}

// A recipe cuts a picture, reads its text, has it described, and asks about all of it.
func TestAPictureIsCutReadDescribedAndAskedAbout(t *testing.T) {
	f := &fakeModels{say: func(m []prompt.Message) (string, error) {
		if m[0].Text == DescribeInstruction {
			return "a comb", nil
		}
		return "It is " + m[len(m)-1].Text, nil
	}}
	_, written, spans, err := try(t, `
steps:
  - {name: label, do: crop, from: {picture: picture}, set: {left: 0.5}}
  - {name: text, do: ocr, from: {picture: label.picture}}
  - {name: seen, do: describe, from: {picture: picture}, set: {model: eye}}
  - {name: prompt, do: compose, from: {said: seen.text, words: text.text, given: pictures},
     set: {user: "{{.said}} with {{.words}}, {{range .given}}{{.name}} {{end}}"}}
  - {name: answer, do: generate, from: {prompt: prompt.prompt}}
reply: answer.text
`, &RunContext{Models: f, Pictures: cutter{}}, askedWith("frame.png", "jar.png"), nil)
	if err != nil || written[0] != "It is a comb with words of a part of jar.png, frame.png jar.png " {
		t.Fatalf("%v, %v", written, err)
	}
	asked := f.asked[slices.IndexFunc(f.asked, func(a Ask) bool { return len(a.Messages[0].Pictures) > 0 })]
	if one := asked.Messages[0].Pictures[0]; one.ID != "id-jar.png" || one.Tokens != 12 {
		t.Errorf("described: %+v", one)
	}
	text, err := recipe.Pack(spans, askedWith("frame.png"), "")
	if err != nil || !strings.Contains(string(text), `"id":"id-frame.png"`) ||
		!strings.Contains(string(text), `"pictures":[{"id":"id-jar.png"`) {
		t.Errorf("%s, %v", text, err)
	}
	back, inputs, err := recipe.Unpack(text, "")
	if err != nil || len(back) != len(spans) {
		t.Fatal(err)
	}
	if v, err := recipe.Value(recipe.ListOf(recipe.Picture), inputs["pictures"]); err != nil ||
		v.([]any)[0].(recipe.Media).ID != "id-frame.png" {
		t.Errorf("%+v, %v", v, err)
	}
}

const looking = `
steps:
  - {name: prompt, do: compose, from: {question: question, pictures: pictures}, set: {user: "{{.question}}"}}
  - {name: answer, do: generate, from: {prompt: prompt.prompt}}
reply: answer.text
`

// What a model does not see it is not sent, and it takes so many at once.
func TestAModelThatDoesNotSeeSaysSo(t *testing.T) {
	f := &fakeModels{say: func(m []prompt.Message) (string, error) {
		return fmt.Sprint(len(m[len(m)-1].Pictures)), nil
	}}
	if _, _, _, err := try(t, looking, &RunContext{Models: f}, askedWith("a"), nil); err == nil ||
		!strings.Contains(err.Error(), "shed/m does not see pictures") {
		t.Errorf("%v", err)
	}
	if _, written, _, err := try(t, looking, &RunContext{Models: f}, askedWith(), nil); err != nil ||
		written[0] != "0" {
		t.Errorf("without pictures: %v, %v", written, err)
	}
	_, written, spans, err := try(t, looking, &RunContext{Models: f, Model: "eye"}, askedWith("a", "b", "c"), nil)
	if err != nil || written[0] != "2" || len(spans[0].Notes) != 1 {
		t.Errorf("three of two: %v, %v, %+v", written, err, spans[0].Notes)
	}
	large := askedWith("a")
	large["pictures"].([]any)[0] = recipe.Media{ID: "x", Width: 400, Height: 300}
	if _, _, _, err := try(t, looking, &RunContext{Models: f, Model: "eye"}, large, nil); err == nil ||
		!strings.Contains(err.Error(), "at most") {
		t.Errorf("1200 tokens of picture in a context of 1000: %v", err)
	}
	if _, err := Check("x.yaml", []byte("recipe: x\nsteps: [{name: a, do: crop, from: {picture: pictures}}]\n"+
		"reply: a.b")); err == nil || !strings.Contains(err.Error(), "would fit: picture") {
		t.Errorf("%v", err)
	}
}

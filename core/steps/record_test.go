package steps

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"reflect"
	"strings"
	"testing"

	"juvalogos/core/evidence"
	"juvalogos/core/memory"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
)

// handbook is what the shelves of these tests hold.
var handbook = []evidence.Passage{
	{
		Shelf: "club", Document: 3, Title: "The Hive Handbook", Format: "pdf",
		Path: evidence.Headings{"Stores", "Lending"}, Place: "page 4", Position: 7, Score: 1.5,
		Text: "Lending\nMembers may borrow the extractor for three days. It must come back clean and dry.",
		Spans: []evidence.Stretch{
			{Offsets: evidence.Offsets{Block: 9, From: 0, To: 7}, Place: evidence.Place{Page: 4}, Heading: true},
			{Offsets: evidence.Offsets{Block: 10, From: 0, To: 81}, Place: evidence.Place{Page: 4},
				Breaks: []evidence.Break{{At: 49, Page: 5}}},
		},
	},
	{
		Shelf: "club", Document: 5, Title: "A Talk", Format: "webvtt", Place: "at 0:00", Position: 0, Score: 0.5,
		Text: "Wasps like jam.",
		Spans: []evidence.Stretch{{Offsets: evidence.Offsets{Block: 0, From: 0, To: 15},
			Place: evidence.Place{Timed: true}}},
	},
}

// What every built-in recipe leaves on record reads back into the types of
// core/evidence, with no field unknown and none missing.
func TestTheRecordHoldsEvidenceAndNothingElse(t *testing.T) {
	shelves := &fakeShelves{passages: handbook, answers: 0.9}
	found := map[recipe.Type]int{}
	for _, name := range BuiltIn() {
		src, _ := Source(name)
		settings := recipe.Values{"voices": []any{recipe.Voice{Model: "m"}}, "blind": false, "alternatives": 1.0,
			"most": 50.0, "instruction": "Go on.", "way": "sections"}
		if name == "extract" {
			settings = nil
		}
		reply := "Members may borrow the extractor for three days [1]. The mayor opens the honey market."
		if name == "quiz" {
			reply = `[{"question": "Where does hive number 100 stand?", "right": "In meadow 200", "wrong": ["In meadow 7"],
				"quote": "Hive number 100 stands in meadow 200."}]`
		}
		models := &fakeModels{say: func([]prompt.Message) (string, error) {
			return reply, nil
		}}
		turn := &RunContext{Models: models, Shelves: shelves, Works: fakeWorks(2), Memory: memory.Limits{Turns: 3,
			Tokens: 100},
			Vocabulary: prompt.Estimated}
		if name == "depict" || name == "vary" {
			turn.Model, turn.Pictures = "brush", cutter{}
		}
		inputs := recipe.Values{"question": "How long may members borrow the extractor?"}
		if name == "vary" { // without any the others need not see
			recipe.Given(inputs, []recipe.Media{{ID: "1", Name: "jar.png"}})
		}
		result, _, spans, err := try(t, strings.TrimPrefix(string(src), "recipe: "+name+"\n"), turn, inputs, settings)
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		packed, err := recipe.Pack(spans, inputs, result.Reply)
		if err != nil {
			t.Fatal(err)
		}
		kept, _, err := recipe.Unpack(packed, result.Reply)
		if err != nil {
			t.Fatal(err)
		}
		r, _ := Check(name, src)
		for _, span := range kept {
			step := r.Paths()[span.Step]
			for _, port := range step.Out {
				reads(t, found, name+": "+span.Step+"."+port.Name, port.Type, span.Out[port.Name])
			}
			for in, v := range span.In {
				reads(t, found, name+": "+span.Step+" takes "+in, step.InputType(in), v)
			}
		}
		text, _ := json.Marshal(result.Parts)
		var bare []struct {
			Type  recipe.Type
			Value any
		}
		if err := json.Unmarshal(text, &bare); err != nil {
			t.Fatal(err)
		}
		for _, part := range bare {
			reads(t, found, name+": a part", part.Type, part.Value)
		}
		var parts []recipe.MadePart
		if err := json.Unmarshal(text, &parts); err != nil || len(parts) > 0 &&
			!reflect.DeepEqual(parts[0], result.Parts[0]) {
			t.Errorf("%s: its part reads back as %+v (%v)", name, parts, err)
		}
	}
	if found[recipe.Picture] < 4 || found[recipe.Passage] < 8 || found[recipe.Answer] == 0 ||
		found[recipe.Sources] < 4 {
		t.Errorf("there was little to read: %v", found)
	}
}

// reads decodes a value of the record by its type, and the other way round.
func reads(t *testing.T, found map[recipe.Type]int, where string, of recipe.Type, v any) {
	t.Helper()
	if e, list := of.Element(); list {
		entries, _ := v.([]any)
		for i, x := range entries {
			reads(t, found, fmt.Sprintf("%s %d", where, i+1), e, x)
		}
		return
	}
	into := map[recipe.Type]any{recipe.Picture: &recipe.Media{}, recipe.Passage: &evidence.Passage{},
		recipe.Answer:  &evidence.Answer{},
		recipe.Sources: &evidence.Sources{}}[of]
	if into == nil || v == nil {
		return
	}
	found[of]++
	text, err := json.Marshal(v)
	if err != nil {
		t.Fatal(err)
	}
	d := json.NewDecoder(bytes.NewReader(text))
	d.DisallowUnknownFields()
	if err := d.Decode(into); err != nil {
		t.Errorf("%s: %v in %s", where, err, text)
	}
	if again := recipe.Plain(into); !reflect.DeepEqual(again, v) {
		t.Errorf("%s: there is\n  %v and it reads as\n  %v", where, v, again)
	}
}

// What a maker's own step makes of JSON is read where it is wired to evidence,
// and refused with the name of the input where it is something else.
func TestEvidenceAtTheEdges(t *testing.T) {
	const recipeOf = `inputs: [{name: question, type: text, need: true}]
steps:
  - {name: own, do: program, from: {input: question}, set: {program: find, gives: data}}
  - {name: checked, do: cite, from: {text: question, passages: own.items}}
reply: checked.text
parts: [{title: Sources, from: checked.margin}]
`
	programs := givesJSON(`[{"number": 1, "title": "Handbook", "text": "Feed the autumn syrup in the evening only."}]`)
	question := recipe.Values{"question": "Feed the autumn syrup in the evening."}
	result, _, _, err := try(t, recipeOf, &RunContext{Programs: programs}, question, nil)
	if err != nil || !strings.HasSuffix(result.Reply, "[1].") || !result.Parts[0].Value.(evidence.Sources).Supported {
		t.Errorf("%+v, %v", result, err)
	}
	_, _, _, err = try(t, recipeOf, &RunContext{Programs: givesJSON(`[{"text": 7}]`)}, question, nil)
	if err == nil || !strings.Contains(err.Error(), `its input "passages" is no list of passage`) {
		t.Errorf("%v", err)
	}
	// A template reads evidence by the names of its JSON.
	const templated = `inputs: [{name: question, type: text, need: true}]
steps:
  - {name: found, do: retrieve, from: {question: question}}
  - {name: prompt, do: compose, from: {passages: found.passages},
	set: {user: "{{range .passages}}{{.number}} {{.path}}: {{(index .spans 0).page}};{{end}}", system: ""}}
  - {name: answer, do: generate, from: {prompt: prompt.prompt}}
reply: answer.text
`
	f := &fakeModels{say: func(m []prompt.Message) (string, error) { return m[0].Text, nil }}
	result, _, _, err = try(t, templated,
		&RunContext{Models: f, Shelves: &fakeShelves{passages: handbook[:1]}, Vocabulary: prompt.Estimated}, question,
		nil)
	if err != nil || result.Reply != "1 Stores > Lending: 4;" {
		t.Errorf("%q, %v", result.Reply, err)
	}
}

// givesJSON is a program that writes this.
type givesJSON string

func (g givesJSON) Run(context.Context, string, []string, []byte) ([]byte, error) {
	return []byte(g), nil
}

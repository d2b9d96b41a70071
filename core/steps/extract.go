package steps

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"juvalogos/core/deskfile"
	"juvalogos/core/jsontext"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/core/yamlfile"
)

type extractSet struct {
	Schema yamlfile.Later `yaml:"schema" json:"-" about:"A JSON Schema that the data has to fit; left out: any object or list."`
	Model  string         `yaml:"model" json:"model,omitempty" most:"200" about:"The model that is asked again; the desk's own if left out."`
	Again  *int           `yaml:"again" json:"again,omitempty" least:"0" most:"5" about:"How often the model is asked again, with what was wrong; 2 if left out."`

	plain  any
	schema *jsontext.Schema
}

var _ asksModel = (*extractSet)(nil)

func (set *extractSet) modelNamed() string { return set.Model }

func (set *extractSet) foresee(f *foresight, _ *recipe.Step, voices []recipe.Voice) {
	f.add(set.Model, len(voices)**set.Again, f.reply)
}

// extract finds JSON in what a model said, mends it, and holds it against a
// schema; if it cannot, it asks again with what was wrong.
func extract() step {
	return step{
		StepKind: recipe.StepKind{
			Name: "extract", About: "Finds JSON in a model's chatter, mends common damage, checks it by a JSON " +
				"Schema, and asks again with the errors if need be.",
			In: []recipe.Port{
				{Name: "text", Type: recipe.Text, Need: true, About: "what the model said"},
				{Name: "prompt", Type: recipe.Prompt, About: "what it had been asked, for asking again"},
			},
			Out: []recipe.Port{
				{Name: "data", Type: recipe.Data, About: "the data"},
				{Name: "items", Type: recipe.ListOf(recipe.Data),
					About: "its entries: of a list, or of the one list in an object"},
				{Name: "text", Type: recipe.Text, About: "the data as tidy JSON"},
				{Name: "mended", Type: recipe.Truth, About: "whether something had to be mended"},
			},
			Set: func() any { return &extractSet{Again: new(2)} },
			Check: func(set any) (err error) {
				s := set.(*extractSet)
				if s.plain, err = s.Schema.Value(); err != nil || s.plain == nil {
					return err
				}
				s.schema, err = jsontext.Compile(s.plain)
				return err
			},
		},
		do: rescue,
	}
}

func rescue(t *RunContext, ctx context.Context, c *recipe.Call) (recipe.Values, error) {
	set := c.Set.(*extractSet)
	messages, _ := c.In["prompt"].([]prompt.Message)
	if messages == nil {
		messages = []prompt.Message{{Role: prompt.User, Text: "Answer in JSON."}}
	}
	f := extraction{schema: set.schema, plain: set.plain, again: *set.Again, note: c.Note,
		ask: func(m []prompt.Message) (string, error) {
			return t.whole(ctx, c, set.Model, Ask{Messages: m, Schema: set.plain,
				Sampling: deskfile.Sampling{Temperature: new(0.0), MaxTokens: t.Sampling.MaxTokens}})
		}}
	found, err := f.data(text(c.In, "text"), messages)
	var unfit ErrUnfit
	if errors.As(err, &unfit) {
		return nil, fmt.Errorf("no JSON as it should be after asking %d times: %s", *set.Again+1, unfit.Wrong)
	}
	if err != nil {
		return nil, err
	}
	for _, m := range found.Mended {
		c.Note("mended: " + m)
	}
	tidy, _ := json.MarshalIndent(found.Value, "", "  ")
	return recipe.Values{"data": found.Value, "items": items(found.Value), "text": string(tidy),
		"mended": len(found.Mended) > 0}, nil
}

// extraction is how data are asked for until they fit.
type extraction struct {
	schema *jsontext.Schema // nil: any object or list
	plain  any              // the schema as it was written
	again  int              // how often it is asked again at most
	note   func(string)
	ask    func([]prompt.Message) (string, error)
}

// data finds data that fit in what was said to messages, and asks again with what was
// wrong. It fails with ErrUnfit, or as ask does.
func (f extraction) data(said string, messages []prompt.Message) (jsontext.Extraction, error) {
	messages = slices.Clone(messages)
	for again := 0; ; again++ {
		found, err := jsontext.Find(said)
		var wrong []string
		if err != nil {
			wrong = []string{err.Error()}
		} else if f.schema != nil {
			wrong = f.schema.Validate(found.Value)
		}
		if wrong == nil {
			return found, nil
		}
		complaint := strings.Join(wrong, "; ")
		if again >= f.again {
			return found, ErrUnfit{complaint}
		}
		f.note("asked again: " + complaint)
		messages = append(messages, prompt.Message{Role: prompt.Assistant, Text: said},
			prompt.Message{Role: prompt.User, Text: complain(wrong, f.plain)})
		if said, err = f.ask(messages); err != nil {
			return found, err
		}
	}
}

// mostAgain is how often a model is asked again for data that fit.
const mostAgain = 2

// ErrUnfit is the error of a model that does not give data that fit.
type ErrUnfit struct{ Wrong string }

func (e ErrUnfit) Error() string { return "no JSON that fits the schema: " + e.Wrong }

// Fitting asks for data that fit a JSON Schema, as the step extract does, and returns
// them as JSON. It fails with ErrUnfit, or as ask does; a schema that is none is an
// ErrUnfit too.
func Fitting(messages []prompt.Message, schema any, ask func([]prompt.Message) (string, error)) (string, error) {
	compiled, err := jsontext.Compile(schema)
	if err != nil {
		return "", ErrUnfit{"the schema cannot be used: " + err.Error()}
	}
	said, err := ask(messages)
	if err != nil {
		return "", err
	}
	e := extraction{schema: compiled, plain: schema, again: mostAgain, note: func(string) {}, ask: ask}
	found, err := e.data(said, messages)
	if err != nil {
		return "", err
	}
	text, err := json.Marshal(found.Value)
	return string(text), err
}

// AsData is what a model is told that is to answer with data that fit a schema.
func AsData(schema any) string {
	return "Answer with one JSON value and nothing else. It has to fit this JSON Schema:\n" + jsontext.String(schema)
}

func complain(wrong []string, schema any) string {
	var b strings.Builder
	b.WriteString("That cannot be used:\n")
	for _, line := range wrong[:min(len(wrong), 20)] {
		b.WriteString("- " + line + "\n")
	}
	b.WriteString("\nAnswer again, with one JSON value and nothing else.")
	if schema != nil {
		b.WriteString(" It has to fit this JSON Schema:\n" + jsontext.String(schema))
	}
	return b.String()
}

// items are the entries of a list, or of the one list that an object holds.
func items(v any) []any {
	switch v := v.(type) {
	case []any:
		return v
	case map[string]any:
		var found []any
		lists := 0
		for _, x := range v {
			if list, ok := x.([]any); ok {
				found = list
				lists++
			}
		}
		if lists == 1 {
			return found
		}
	}
	return []any{v}
}

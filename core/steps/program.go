package steps

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"unicode/utf8"

	"juvalogos/core/jsontext"
	"juvalogos/core/recipe"
)

type programSet struct {
	Program   string   `yaml:"program" json:"program" need:"yes" most:"100" pattern:"^[A-Za-z0-9._-]+$" patternhelp:"use the program's name, without a folder" about:"A program in the folder that the service was started with (-programs)."`
	Arguments []string `yaml:"arguments" json:"arguments,omitempty" most:"32" about:"What it is called with. They are as they stand here; inputs come on its standard input."`
	Gives     string   `yaml:"gives" json:"gives" choices:"text,data" about:"What it writes: text (the default), or data, which is JSON."`
}

// program runs a local program: its inputs go to its standard input as one
// JSON object, or as they are where there is one text called input; what it
// writes is the output.
func program() step {
	return step{
		StepKind: recipe.StepKind{
			Name: "program", About: "Runs a local program. Its inputs come on standard input as one JSON object; a " +
				"single text called input comes as it is.",
			Variadic: &recipe.Port{Type: recipe.Anything, About: "what the program reads"},
			Set:      func() any { return &programSet{Gives: "text"} },
			Shape: func(set any, _ []recipe.Port) ([]recipe.Port, error) {
				return given(set.(*programSet).Gives),
					nil
			},
		},
		do: func(t *RunContext, ctx context.Context, c *recipe.Call) (recipe.Values, error) {
			set := c.Set.(*programSet)
			if t.Programs == nil {
				return nil, errors.New("no programs may be run here; start with -programs FOLDER to allow those in a " +
					"folder")
			}
			input, err := inputOf(c)
			if err != nil {
				return nil, err
			}
			output, err := t.Programs.Run(ctx, set.Program, set.Arguments, input)
			if err != nil {
				return nil, err
			}
			return outputOf(set.Gives, output)
		},
	}
}

func given(gives string) []recipe.Port {
	if gives == "data" {
		return []recipe.Port{{Name: "data", Type: recipe.Data, About: "what it wrote, read as JSON"},
			{Name: "items", Type: recipe.ListOf(recipe.Data), About: "its entries"}}
	}
	return []recipe.Port{{Name: "text", Type: recipe.Text, About: "what it wrote"}}
}

func inputOf(c *recipe.Call) ([]byte, error) {
	if len(c.Wide) == 1 && c.Wide[0] == "input" {
		if text, ok := c.In["input"].(string); ok {
			return []byte(text), nil
		}
	}
	if len(c.In) == 0 {
		return nil, nil
	}
	return json.Marshal(c.In)
}

func outputOf(gives string, output []byte) (recipe.Values, error) {
	if gives == "data" {
		found, err := jsontext.Find(string(output))
		if err != nil {
			return nil, fmt.Errorf("it was to give JSON, and gave %.100q: %w", output, err)
		}
		return recipe.Values{"data": found.Value, "items": items(found.Value)}, nil
	}
	if !utf8.Valid(output) {
		return nil, errors.New("it gave something that is not UTF-8 text")
	}
	return recipe.Values{"text": strings.TrimSpace(strings.ReplaceAll(string(output), "\x00", ""))}, nil
}

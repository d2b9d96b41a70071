package steps

import (
	"context"
	"errors"
	"fmt"

	"juvalogos/core/deskfile"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
)

// Pictures are what steps do with the pictures of a conversation; what they make is on
// record with it.
type Pictures interface {
	// Cut makes a picture of a part of another: its left and upper edge, its width and
	// its height, each of 1.
	Cut(ctx context.Context, of recipe.Media, part [4]float64) (recipe.Media, error)
	// Words reads the text in a picture, line by line; "" if there is none.
	Words(ctx context.Context, of recipe.Media) (string, error)
	// Keep keeps a picture that a model made.
	Keep(ctx context.Context, made Made) (recipe.Media, error)
}

// Made is a picture that a model made, with how.
type Made struct {
	Picture recipe.Media
	Making  recipe.Making
	Model   string
	Seconds float64
	Cost    float64
	Lane    int // from 1: which of them
}

var errNoPictures = errors.New("there are no pictures here")

// seen are the pictures that a step shows a model, the newest where it takes fewer.
func seen(c *recipe.Call, model Model) ([]prompt.Picture, error) {
	given, err := recipe.List[recipe.Media](c.In["pictures"])
	if err != nil || len(given) == 0 {
		return nil, err
	}
	sight := model.Sight()
	if sight == nil {
		return nil, ErrBlind{model.Name()}
	}
	if sight.Most > 0 && len(given) > sight.Most {
		c.Note(fmt.Sprintf("the model takes %d pictures at once: the %d given first are left out", sight.Most,
			len(given)-sight.Most))
		given = given[len(given)-sight.Most:]
	}
	pictures := make([]prompt.Picture, len(given))
	for i, m := range given {
		pictures[i] = shown(m, sight)
	}
	return pictures, nil
}

func shown(m recipe.Media, sight *Sight) prompt.Picture {
	return prompt.Picture{ID: m.ID, Name: m.Name, Width: m.Width, Height: m.Height, Said: m.Said,
		Tokens: sight.Tokens(m.Width, m.Height)}
}

type cropSet struct {
	Left   float64 `yaml:"left" json:"left,omitempty" least:"0" most:"1" about:"Where it begins, of the picture's width; 0 if left out."`
	Top    float64 `yaml:"top" json:"top,omitempty" least:"0" most:"1" about:"Where it begins, of the picture's height; 0 if left out."`
	Width  float64 `yaml:"width" json:"width,omitempty" least:"0" most:"1" about:"How wide it is, of the picture's width; to the edge if left out."`
	Height float64 `yaml:"height" json:"height,omitempty" least:"0" most:"1" about:"How high it is, of the picture's height; to the edge if left out."`
}

// crop cuts a part out of a picture.
func crop() step {
	return step{
		StepKind: recipe.StepKind{
			Name: "crop", About: "Cuts a part out of a picture.",
			In:  []recipe.Port{{Name: "picture", Type: recipe.Picture, Need: true, About: "the picture"}},
			Out: []recipe.Port{{Name: "picture", Type: recipe.Picture, About: "the part"}},
			Set: func() any { return &cropSet{} },
			Check: func(set any) error {
				if s := set.(*cropSet); s.Left >= 1 || s.Top >= 1 {
					return errors.New("nothing is left of the picture; left and top are below 1")
				}
				return nil
			},
			Uncacheable: true,
		},
		do: func(t *RunContext, ctx context.Context, c *recipe.Call) (recipe.Values, error) {
			s := *c.Set.(*cropSet)
			of, _ := c.In["picture"].(recipe.Media)
			if t.Pictures == nil {
				return nil, errNoPictures
			}
			if s.Width == 0 {
				s.Width = 1 - s.Left
			}
			if s.Height == 0 {
				s.Height = 1 - s.Top
			}
			part, err := t.Pictures.Cut(ctx, of, [4]float64{s.Left, s.Top, s.Width, s.Height})
			if err != nil {
				return nil, err
			}
			return recipe.Values{"picture": part}, nil
		},
	}
}

// ocr reads the text in a picture.
func ocr() step {
	return step{
		StepKind: recipe.StepKind{
			Name: "ocr",
			About: "Reads the text in a picture (optical character recognition, by the program tesseract). " +
				"No model is asked.",
			In: []recipe.Port{{Name: "picture", Type: recipe.Picture, Need: true, About: "the picture"}},
			Out: []recipe.Port{{Name: "text", Type: recipe.Text,
				About: "its text, line by line; empty if there is none"}},
		},
		do: func(t *RunContext, ctx context.Context, c *recipe.Call) (recipe.Values, error) {
			of, _ := c.In["picture"].(recipe.Media)
			if t.Pictures == nil {
				return nil, errNoPictures
			}
			text, err := t.Pictures.Words(ctx, of)
			if err != nil {
				return nil, err
			}
			if text == "" {
				c.Note("no text was found in the picture")
			}
			return recipe.Values{"text": text}, nil
		},
	}
}

type describeSet struct {
	Model       string `yaml:"model" json:"model,omitempty" most:"200" about:"A model that sees; the desk's own if left out."`
	Instruction string `yaml:"instruction" json:"instruction,omitempty" most:"4000" about:"What the model is told, if not the usual."`
	MaxTokens   int    `yaml:"max_tokens" json:"max_tokens,omitempty" least:"1" most:"100000" about:"The longest description in tokens; 200 if left out."`
}

var _ asksModel = (*describeSet)(nil)

func (set *describeSet) modelNamed() string { return set.Model }

func (set *describeSet) foresee(f *foresight, _ *recipe.Step, voices []recipe.Voice) {
	f.add(set.Model, len(voices), set.MaxTokens)
}

// DescribeInstruction is what a model is told that says what a picture shows, for
// whoever cannot see it.
const DescribeInstruction = "Say in one or two sentences what this picture shows, for somebody who cannot see it. " +
	"Write " +
	"the words that stand in it, if there are any. Say nothing else."

// describe has a model that sees say what is in a picture.
func describe() step {
	return step{
		StepKind: recipe.StepKind{
			Name: "describe", About: "Has a model that sees say what is in a picture.",
			In:  []recipe.Port{{Name: "picture", Type: recipe.Picture, Need: true, About: "the picture"}},
			Out: []recipe.Port{{Name: "text", Type: recipe.Text, About: "what it shows"}},
			Set: func() any { return &describeSet{MaxTokens: 200} },
		},
		do: func(t *RunContext, ctx context.Context, c *recipe.Call) (recipe.Values, error) {
			set := c.Set.(*describeSet)
			of, _ := c.In["picture"].(recipe.Media)
			model, err := t.find(set.Model, recipe.Voice{})
			if err != nil {
				return nil, err
			}
			sight := model.Sight()
			if sight == nil {
				return nil, ErrBlind{model.Name()}
			}
			instruction := set.Instruction
			if instruction == "" {
				instruction = DescribeInstruction
			}
			said, err := t.whole(ctx, c, set.Model, Ask{
				Messages: []prompt.Message{{Role: prompt.User, Text: instruction,
					Pictures: []prompt.Picture{shown(of, sight)}}},
				Sampling: deskfile.Sampling{Temperature: new(0.0), MaxTokens: set.MaxTokens},
			})
			if err != nil {
				return nil, err
			}
			return recipe.Values{"text": said}, nil
		},
	}
}

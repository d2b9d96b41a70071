package steps

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"juvalogos/core/memory"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/core/templates"
)

type composeSet struct {
	System string   `yaml:"system" json:"system" most:"40000" about:"The standing instructions, a text/template over the inputs and brief; {{.brief}} if left out, \"\" for none."`
	User   string   `yaml:"user" json:"user" need:"yes" most:"40000" about:"What the model is asked, a text/template over the inputs." example:"{{.question}}"`
	Model  string   `yaml:"model" json:"model,omitempty" most:"200" about:"The model that will read it, whose context it has to fit; the desk's own if left out."`
	Reply  int      `yaml:"reply" json:"reply,omitempty" least:"1" most:"1000000" about:"Tokens kept free for the reply; the desk's longest reply if left out."`
	Spare  []string `yaml:"spare" json:"spare,omitempty" most:"16" about:"Inputs that may be left out when there is no room, the first one first."`

	system, user templates.Sheet
}

var _ namesModel = (*composeSet)(nil)

func (set *composeSet) modelNamed() string { return set.Model }

// compose makes a prompt of templates, with the conversation between the
// standing instructions and the question, and fits it into the model's context.
func compose() step {
	return step{
		StepKind: recipe.StepKind{
			Name: "compose", About: "Composes a prompt from templates (Go text/template) and fits it into the " +
				"model's context: the oldest turns give way first.",
			In: []recipe.Port{
				{Name: "past", Type: recipe.Past, About: "turns to put before the question"},
				{Name: "voice", Type: recipe.VoiceOf, About: "whose instruction is added"},
				{Name: "pictures", Type: recipe.ListOf(recipe.Picture),
					About: "pictures that the model sees with the " +
						"question"},
			},
			Variadic: &recipe.Port{Type: recipe.Anything, About: "whatever the templates use"},
			Out: []recipe.Port{{Name: "prompt", Type: recipe.Prompt, About: "the finished prompt"},
				{Name: "remembered", Type: recipe.Number, About: "how many turns are in it"}},
			Set:   func() any { return &composeSet{System: "{{.brief}}"} },
			Check: func(set any) error { return set.(*composeSet).parse() },
			Shape: func(set any, in []recipe.Port) ([]recipe.Port, error) {
				s := set.(*composeSet)
				names := []string{"brief"}
				for _, p := range in {
					names = append(names, p.Name)
				}
				for _, missing := range append(templates.Unwired(s.system, names),
					templates.Unwired(s.user, names)...) {
					return nil, fmt.Errorf("the template uses {{.%s}}, which is not wired; write %s under from, or "+
						"use one of: %s", missing, missing, strings.Join(names, ", "))
				}
				for _, spare := range s.Spare {
					if !slices.Contains(names, spare) {
						return nil, fmt.Errorf("spare: %q is not wired; there are: %s", spare,
							strings.Join(names, ", "))
					}
				}
				return compose().Out, nil
			},
		},
		do: func(t *RunContext, ctx context.Context, c *recipe.Call) (recipe.Values, error) {
			set := c.Set.(*composeSet)
			voice, _ := c.In["voice"].(recipe.Voice)
			model, err := t.find(set.Model, voice)
			if err != nil {
				return nil, err
			}
			p, err := set.fit(ctx, t, model, c, voice)
			if err != nil {
				return nil, err
			}
			return recipe.Values{"prompt": p.Messages, "remembered": float64(p.Remembered)}, nil
		},
	}
}

func (s *composeSet) parse() (err error) {
	if s.system, err = templates.Parse("system", s.System, nil); err == nil {
		s.user, err = templates.Parse("user", s.User, nil)
	}
	return err
}

// fit fills in the templates and leaves out what there is no room for: first
// the spare inputs, then the oldest turns.
func (s *composeSet) fit(ctx context.Context, t *RunContext, model Model, c *recipe.Call, voice recipe.Voice) (
	prompt.Prompt, error) {
	data := map[string]any{"brief": t.Brief.Text, "past": nil, "voice": voice, "pictures": nil}
	for _, name := range c.Wide {
		data[name] = ""
	}
	for name, v := range forTemplate(c.In) {
		data[name] = v
	}
	reply := s.Reply
	if reply == 0 {
		reply = t.Sampling.MaxTokens
	}
	if voice.MaxTokens > 0 {
		reply = voice.MaxTokens
	}
	past, _ := c.In["past"].([]prompt.Exchange)
	counter := model.Counter()
	pictures, err := seen(c, model)
	if err != nil {
		return prompt.Prompt{}, err
	}
	spare := s.Spare
	for {
		system, err := templates.Fill(ctx, s.system, data, counter)
		if err != nil {
			return prompt.Prompt{}, err
		}
		user, err := templates.Fill(ctx, s.user, data, counter)
		if err != nil {
			return prompt.Prompt{}, err
		}
		if voice.Instruction != "" {
			system = strings.TrimSpace(system + "\n\n" + voice.Instruction)
		}
		standing := prompt.Standing{Brief: t.measure(counter, strings.TrimSpace(system))}
		question := t.measure(counter, user)
		room, err := prompt.Room(model.Context(), reply, standing, question.With(pictures))
		if err == nil {
			p := prompt.Compose(standing,
				memory.Recall(past, memory.Limits{Turns: len(past), Tokens: math.MaxInt}, room),
				question.With(pictures))
			p.Messages[len(p.Messages)-1].Pictures = pictures
			if left := len(past) - p.Remembered; left > 0 {
				c.Note(fmt.Sprintf("%d earlier turns did not fit", left))
			}
			return p, nil
		}
		if len(spare) == 0 {
			return prompt.Prompt{}, err
		}
		c.Note(fmt.Sprintf("there was no room for %s", spare[0]))
		data[spare[0]], spare = "", spare[1:]
	}
}

// forTemplate are values as templates read them: evidence as data, by the names
// that its JSON has.
func forTemplate(in recipe.Values) recipe.Values {
	out := make(recipe.Values, len(in))
	for name, v := range in {
		one := v
		if list, is := v.([]any); is && len(list) > 0 {
			one = list[0]
		}
		out[name] = v
		if _, media := one.(recipe.Media); media || recipe.Evident(one) {
			out[name] = recipe.Plain(v)
		}
	}
	return out
}

// measure counts a text; the brief is not counted again for every question.
func (t *RunContext) measure(counter prompt.Counter, text string) prompt.Piece {
	if text == t.Brief.Text && counter.Vocabulary() == t.Vocabulary {
		return t.Brief
	}
	if text == t.Question.Text && counter.Vocabulary() == t.Vocabulary {
		return t.Question
	}
	return prompt.Measure(counter, text)
}

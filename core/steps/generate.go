package steps

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"sync"

	"juvalogos/core/deskfile"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
)

type generateSet struct {
	Model        string   `yaml:"model" json:"model,omitempty" most:"200" about:"The model; the desk's own if left out."`
	Temperature  *float64 `yaml:"temperature" json:"temperature,omitempty" least:"0" most:"2" about:"Its temperature; the desk's if left out."`
	TopP         *float64 `yaml:"top_p" json:"top_p,omitempty" least:"0" most:"1" about:"Choose among the likeliest tokens that together have this probability; the desk's if left out."`
	Least        int      `yaml:"least" json:"least,omitempty" least:"1" most:"100000" about:"The fewest words: the model is asked to go on until there are as many, three times at most."`
	MaxTokens    int      `yaml:"max_tokens" json:"max_tokens,omitempty" least:"1" most:"1000000" about:"The longest text in tokens; the desk's if left out."`
	Stop         []string `yaml:"stop" json:"stop,omitempty" most:"4" about:"Texts at which the model stops; the desk's if left out."`
	Seed         *int     `yaml:"seed" json:"seed,omitempty" about:"Makes texts repeatable on servers that support it; several alternatives count on from it."`
	Alternatives int      `yaml:"alternatives" json:"alternatives,omitempty" least:"1" most:"8" about:"How many texts to make, side by side; 1 if left out."`
}

var _ asksModel = (*generateSet)(nil)

func (set *generateSet) modelNamed() string { return set.Model }

func (set *generateSet) foresee(f *foresight, s *recipe.Step, voices []recipe.Voice) {
	for _, v := range voices {
		if own, ok := f.wired(s, "voice").(recipe.Voice); ok {
			v = own
		}
		longest := f.reply
		for _, n := range []int{set.MaxTokens, f.number(s, "most", 0), v.MaxTokens} {
			if n > 0 {
				longest = n
			}
		}
		model := set.Model
		if model == "" {
			model = v.Model
		}
		times := f.number(s, "alternatives", set.Alternatives)
		if f.number(s, "least", set.Least) > 0 {
			times *= 1 + mostGoingOn
		}
		f.add(model, times, longest)
	}
}

// generate has a model write one text or several.
func generate() step {
	return step{
		StepKind: recipe.StepKind{
			Name: "generate", About: "Has a model write: one text, or several alternatives side by side. A text that " +
				"is the reply is shown as it grows.",
			In: []recipe.Port{
				{Name: "prompt", Type: recipe.Prompt, Need: true, About: "what the model is sent"},
				{Name: "voice", Type: recipe.VoiceOf, About: "which model, with which settings"},
				{Name: "alternatives", Type: recipe.Number, About: "how many texts, instead of the setting"},
				{Name: "least", Type: recipe.Number, About: "the fewest words, instead of the setting"},
				{Name: "most", Type: recipe.Number, About: "the longest text in tokens, instead of the setting"},
			},
			Out: []recipe.Port{
				{Name: "text", Type: recipe.Text, About: "the text; of several the first"},
				{Name: "texts", Type: recipe.ListOf(recipe.Text), About: "all of them"},
				{Name: "model", Type: recipe.Text, About: "the model that wrote"},
				{Name: "finish", Type: recipe.Text, About: "how it ended, in the server's word"},
			},
			Set: func() any { return &generateSet{Alternatives: 1} },
		},
		do: func(t *RunContext, ctx context.Context, c *recipe.Call) (recipe.Values, error) {
			return write(t, ctx, c)
		},
	}
}

func write(t *RunContext, ctx context.Context, c *recipe.Call) (recipe.Values, error) {
	set := *c.Set.(*generateSet)
	voice, _ := c.In["voice"].(recipe.Voice)
	if n, ok := c.In["alternatives"].(float64); ok {
		set.Alternatives = min(8, max(1, int(n)))
	}
	if n, ok := c.In["least"].(float64); ok && n > 0 {
		set.Least = int(n)
	}
	if n, ok := c.In["most"].(float64); ok && n > 0 {
		set.MaxTokens = int(n)
	}
	model, err := t.find(set.Model, voice)
	if err != nil {
		return nil, err
	}
	messages, _ := c.In["prompt"].([]prompt.Message)
	w := &writer{model: model, call: c, set: set, sampling: set.over(t, voice), streams: c.Streams("text") ||
		c.Streams("texts")}
	if w.streams {
		w.schema = t.Schema
	}
	if set.Alternatives == 1 {
		text, finish, err := w.write(ctx, 0, messages)
		if err != nil {
			return nil, err
		}
		return recipe.Values{"text": text, "texts": []any{text}, "model": model.Name(), "finish": finish}, nil
	}
	texts := make([]any, set.Alternatives)
	finishes := make([]string, set.Alternatives)
	failures := make([]error, set.Alternatives)
	var all sync.WaitGroup
	for i := range texts {
		all.Go(func() {
			text, finish, err := w.write(ctx, i, messages)
			if failures[i] = err; err == nil {
				texts[i], finishes[i] = text, finish
			}
		})
	}
	all.Wait()
	first := slices.IndexFunc(texts, func(v any) bool { return v != nil })
	if first < 0 || ctx.Err() != nil {
		return nil, failures[0]
	}
	for i, err := range failures {
		if err != nil {
			c.Note(fmt.Sprintf("alternative %d failed: %v", i+1, err))
		}
	}
	return recipe.Values{"text": texts[first], "texts": texts, "model": model.Name(), "finish": finishes[first]}, nil
}

// over puts what the step and the voice set over what the desk does.
func (s *generateSet) over(t *RunContext, v recipe.Voice) (own deskfile.Sampling) {
	own = t.Sampling
	if s.Temperature != nil {
		own.Temperature = s.Temperature
	}
	if v.Temperature != nil {
		own.Temperature = v.Temperature
	}
	if s.TopP != nil {
		own.TopP = s.TopP
	}
	if s.MaxTokens > 0 {
		own.MaxTokens = s.MaxTokens
	}
	if v.MaxTokens > 0 {
		own.MaxTokens = v.MaxTokens
	}
	if s.Stop != nil {
		own.Stop = s.Stop
	}
	if s.Seed != nil {
		own.Seed = s.Seed
	}
	return own
}

// writer writes one text of a generate step.
type writer struct {
	model    Model
	call     *recipe.Call
	set      generateSet
	sampling deskfile.Sampling
	streams  bool
	schema   any // that the reply has to fit; nil: none
}

// mostGoingOn is how often a model is asked to go on with a text that is too
// short.
const mostGoingOn = 3

const goOn = "Go on exactly where you stopped. Do not repeat what you have written."

func (w *writer) write(ctx context.Context, which int, messages []prompt.Message) (text, finish string, err error) {
	sampling := w.sampling
	if sampling.Seed != nil && which > 0 {
		seed := *sampling.Seed + which
		sampling.Seed = &seed
	}
	add, thought := func([]byte) {}, (func([]byte))(nil)
	if w.streams {
		add, thought = w.call.Text(which), w.call.Thought(which)
	}
	for goneOn := 0; ; goneOn++ {
		var said string
		said, finish, err = w.ask(ctx, which, messages, sampling, add, thought)
		text += said
		short := w.set.Least > 0 && len(strings.Fields(text)) < w.set.Least
		if err != nil || !short || goneOn == mostGoingOn || strings.TrimSpace(said) == "" {
			break
		}
		w.call.Note(fmt.Sprintf("%d words of at least %d: the model is asked to go on", len(strings.Fields(text)),
			w.set.Least))
		messages = append(slices.Clone(messages), prompt.Message{Role: prompt.Assistant, Text: said},
			prompt.Message{Role: prompt.User, Text: goOn})
		if text != "" && !strings.HasSuffix(text, "\n") {
			text += " "
			add([]byte(" "))
		}
	}
	if err == nil && text == "" {
		err = ErrEmpty{w.model.Name()}
	}
	return text, finish, err
}

// ErrEmpty is the error of a model that ended without a word.
type ErrEmpty struct{ Model string }

func (e ErrEmpty) Error() string { return "the model " + e.Model + " said nothing" }

func (w *writer) ask(ctx context.Context, which int, messages []prompt.Message, sampling deskfile.Sampling,
	add, thought func([]byte)) (text, finish string, err error) {
	if err := w.call.Begin(); err != nil {
		return "", "", err
	}
	call, err := w.model.Ask(ctx, Ask{Messages: messages, Sampling: sampling, Thought: thought,
		Schema: w.schema}, add)
	if w.streams {
		call.Lane = w.call.Lane(which)
	}
	w.call.Asked(call)
	return Sound(call.Answer), call.Finish, err
}

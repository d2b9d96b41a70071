package steps

import (
	"context"
	"strings"

	"juvalogos/core/deskfile"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
)

type rewriteSet struct {
	Model       string `yaml:"model" json:"model,omitempty" most:"200" about:"The model to ask; the desk's own if left out."`
	Instruction string `yaml:"instruction" json:"instruction,omitempty" most:"4000" about:"What the model is told, if not the usual."`
	Turns       int    `yaml:"turns" json:"turns" least:"1" most:"50" about:"How many of the last turns it sees; 3 if left out."`
	Longest     int    `yaml:"longest" json:"longest" least:"8" most:"4000" about:"The longest question in tokens; 200 if left out."`
}

var _ asksModel = (*rewriteSet)(nil)

func (set *rewriteSet) modelNamed() string { return set.Model }

func (set *rewriteSet) foresee(f *foresight, _ *recipe.Step, voices []recipe.Voice) {
	f.add(set.Model, len(voices), f.reply)
}

const rewriteInstruction = "Rewrite the user's last question so that it stands alone: put in what words like it, " +
	"they or there mean, " +
	"from the conversation before. Keep the user's language and wording otherwise. If it stands alone already, " +
	"repeat it unchanged. " +
	"Write the question and nothing else."

// rewrite makes a follow-up question one that can be understood without the
// conversation.
func rewrite() step {
	return step{
		StepKind: recipe.StepKind{
			Name: "rewrite", About: "Rewrites a follow-up question into one that stands alone; without earlier turns " +
				"it is left as it is.",
			In: []recipe.Port{
				{Name: "question", Type: recipe.Text, Need: true, About: "the question as it was asked"},
				{Name: "past", Type: recipe.Past, Need: true, About: "the turns before it"},
			},
			Out: []recipe.Port{
				{Name: "question", Type: recipe.Text, About: "the question that stands alone"},
				{Name: "changed", Type: recipe.Truth, About: "whether it differs from what was asked"},
			},
			Set: func() any { return &rewriteSet{Turns: 3, Longest: 200} },
		},
		do: func(t *RunContext, ctx context.Context, c *recipe.Call) (recipe.Values, error) {
			set := c.Set.(*rewriteSet)
			asked := text(c.In, "question")
			past, _ := c.In["past"].([]prompt.Exchange)
			if len(past) == 0 {
				return recipe.Values{"question": asked, "changed": false}, nil
			}
			instruction := set.Instruction
			if instruction == "" {
				instruction = rewriteInstruction
			}
			var b strings.Builder
			for _, e := range past[max(0, len(past)-set.Turns):] {
				b.WriteString("User: " + strings.TrimSpace(e.Question.Text) + "\n\nAssistant: " +
					strings.TrimSpace(e.Reply.Text) + "\n\n")
			}
			b.WriteString("User: " + asked)
			said, err := t.whole(ctx, c, set.Model, Ask{
				Messages: []prompt.Message{{Role: prompt.System, Text: instruction},
					{Role: prompt.User, Text: b.String()}},
				Sampling: deskfile.Sampling{Temperature: new(0.0), MaxTokens: set.Longest},
			})
			if err != nil {
				return nil, err
			}
			said = strings.Trim(strings.TrimSpace(said), `"`)
			if said == "" {
				c.Note("the model said nothing; the question stays as it was asked")
				said = asked
			}
			return recipe.Values{"question": said, "changed": said != asked}, nil
		},
	}
}

// text is an input that is a text, or "".
func text(in recipe.Values, name string) string {
	s, _ := in[name].(string)
	return s
}

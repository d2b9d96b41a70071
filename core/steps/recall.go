package steps

import (
	"context"

	"juvalogos/core/memory"
	"juvalogos/core/recipe"
)

// recall gives what is remembered of the conversation, as the desk's memory
// allows.
func recall() step {
	return step{
		StepKind: recipe.StepKind{
			Name: "recall", About: "Recalls the conversation: its newest turns word for word, and the summary of " +
				"those before.",
			Out: []recipe.Port{
				{Name: "past", Type: recipe.Past, About: "the newest turns, oldest first"},
				{Name: "summary", Type: recipe.Text, About: "what came before them, in short"},
			},
			Uncacheable: true,
		},
		do: func(t *RunContext, _ context.Context, _ *recipe.Call) (recipe.Values, error) {
			return recipe.Values{"past": memory.Recall(t.Past, t.Memory, t.Memory.Tokens), "summary": t.Summary.Text},
				nil
		},
	}
}

package steps

import (
	"context"
	"strings"

	"juvalogos/core/evidence"
	"juvalogos/core/recipe"
	"juvalogos/core/tables"
)

// hold holds the numbers of a text against what was worked out.
func hold() step {
	return step{
		StepKind: recipe.StepKind{
			Name: "hold",
			About: "Holds every number that a text says against a result: one that neither stands in it " +
				"nor follows from it is told of. No model is asked.",
			In: []recipe.Port{
				{Name: "text", Type: recipe.Text, About: "what was said; where this step's text is the reply, it is " +
					"shown as it grows"},
				{Name: "otherwise", Type: recipe.Text, About: "the text where there is none"},
				{Name: "question", Type: recipe.Text, About: "what was asked: its numbers may be said again"},
				{Name: "result", Type: recipe.ResultOf, About: "what was worked out"},
				{Name: "margin", Type: recipe.Sources, About: "what of documents its sentences rest on, as the step " +
					"cite tells: a number that is in the words of one holds too"},
			},
			Out: []recipe.Port{
				{Name: "text", Type: recipe.Text, About: "the text"},
				{Name: "figures", Type: recipe.FiguresOf, About: "its numbers with what they follow from"},
				{Name: "margin", Type: recipe.Sources, About: "the margin; a sentence whose numbers follow from the " +
					"result rests on that"},
				{Name: "holds", Type: recipe.Truth, About: "whether all of them do"},
			},
			Follows: "text",
		},
		do: func(_ *RunContext, _ context.Context, c *recipe.Call) (recipe.Values, error) {
			said := text(c.In, "text")
			if strings.TrimSpace(said) == "" {
				said = text(c.In, "otherwise")
			}
			result, is := c.In["result"].(tables.Result)
			if !is {
				return recipe.Values{"text": said, "figures": nil, "holds": true, "margin": c.In["margin"]}, nil
			}
			figures := tables.Hold(said, text(c.In, "question"), &result)
			out := recipe.Values{"text": said, "margin": nil}
			if margin, is := c.In["margin"].(evidence.Sources); is {
				out["margin"] = figures.Source(said, margin, &result)
			}
			out["figures"], out["holds"] = figures, figures.Loose == 0
			return out, nil
		},
	}
}

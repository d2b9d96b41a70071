package steps

import (
	"context"
	"fmt"

	"juvalogos/core/evidence"
	"juvalogos/core/recipe"
)

// outline puts sections beside what they say in short.
func outline() step {
	return step{
		StepKind: recipe.StepKind{
			Name: "outline",
			About: "Puts sections in a list that can be clicked: their headings or times, and what each says in " +
				"short. No model is asked.",
			In: []recipe.Port{
				{Name: "sections", Type: recipe.ListOf(recipe.Passage), Need: true, About: "the sections"},
				{Name: "texts", Type: recipe.ListOf(recipe.Text), About: "what each says in short"},
			},
			Out: []recipe.Port{{Name: "outline", Type: recipe.OutlineOf, About: "the list, for a part of the turn"}},
		},
		do: func(_ *RunContext, _ context.Context, c *recipe.Call) (recipe.Values, error) {
			sections, _ := c.In["sections"].([]any)
			texts, _ := c.In["texts"].([]any)
			o := evidence.Outline{Sections: []evidence.Section{}}
			length := 0
			for i, v := range sections {
				p, is := v.(evidence.Passage)
				if !is {
					return nil, fmt.Errorf("section %d is no passage", i+1)
				}
				length += len(p.Text)
				s := evidence.Section{Passage: p}
				if i < len(texts) {
					s.Text, _ = texts[i].(string)
				}
				o.Sections = append(o.Sections, s)
			}
			if length > mostOutlined {
				for i := range o.Sections {
					o.Sections[i].Passage.Text = ""
				}
			}
			c.Note(fmt.Sprintf("%d sections", len(o.Sections)))
			return recipe.Values{"outline": o}, nil
		},
	}
}

// mostOutlined is how many bytes of sections' own texts go on record with a turn.
const mostOutlined = 200_000

package steps

import (
	"context"
	"fmt"
	"math"
	"strings"

	"juvalogos/core/evidence"
	"juvalogos/core/recipe"
)

// Works are documents that can be read whole.
type Works interface {
	// Divide divides the documents that a question means into sections of at most so many
	// tokens, by their structure: all of their text is in one, and in one alone. Documents
	// that are still being read are waited for.
	Divide(ctx context.Context, question string, tokens int) (Division, error)
}

// Division is what documents were divided into.
type Division struct {
	Sections []evidence.Passage // not numbered yet
	Titles   []string           // of the documents
	// Missing says which could not be read; "": all were.
	Missing string
}

type divideSet struct {
	Tokens int `yaml:"tokens" json:"tokens" least:"100" most:"100000" about:"The most tokens of a section; 1500 if left out."`
}

// divide divides documents into sections.
func divide() step {
	return step{
		StepKind: recipe.StepKind{
			Name: "divide",
			About: "Divides the documents that a question means (by their names; all that are at hand if it names " +
				"none) into sections, by their structure. No model is asked.",
			In: []recipe.Port{{Name: "question", Type: recipe.Text, Need: true, About: "what is asked"},
				{Name: "most", Type: recipe.Number,
					About: "how many sections at most: so many, from all over the text; all if left out"}},
			Out: []recipe.Port{
				{Name: "sections", Type: recipe.ListOf(recipe.Passage), About: "the sections, in their order"},
				{Name: "text", Type: recipe.Text,
					About: "all of them for a prompt, each with its number in square brackets"},
				{Name: "titles", Type: recipe.Text, About: "what the documents are called"},
				{Name: "count", Type: recipe.Number, About: "how many sections there are"},
				{Name: "share", Type: recipe.Number,
					About: "how many of most fall on each section, with half as many again in reserve"},
				{Name: "missing", Type: recipe.Text, About: "which documents could not be read, in a sentence"},
			},
			Set:         func() any { return &divideSet{Tokens: 1500} },
			Uncacheable: true,
		},
		do: func(t *RunContext, ctx context.Context, c *recipe.Call) (recipe.Values, error) {
			if t.Works == nil {
				return nil,
					fmt.Errorf("there are no documents here that could be read whole; name shelves in the desk " +
						"file, or let visitors attach documents")
			}
			d, err := t.Works.Divide(ctx, text(c.In, "question"), c.Set.(*divideSet).Tokens)
			if err != nil {
				return nil, err
			}
			all, share := len(d.Sections), 1.0
			if most, is := c.In["most"].(float64); is && most >= 1 {
				d.Sections = spread(d.Sections, int(most))
				share = math.Ceil(reserve * most / float64(max(1, len(d.Sections))))
			}
			for i := range d.Sections {
				d.Sections[i].Number = i + 1
			}
			if left := all - len(d.Sections); left > 0 {
				c.Note(fmt.Sprintf("%d sections are left out: fewer were asked for", left))
			}
			_, shown := fitting(d.Sections, 1<<40)
			c.Note(fmt.Sprintf("%d sections of %s", len(d.Sections), strings.Join(d.Titles, ", ")))
			return recipe.Values{"sections": recipe.Listed(d.Sections), "text": shown,
				"titles": strings.Join(d.Titles, ", "), "count": float64(len(d.Sections)), "share": share,
				"missing": d.Missing}, nil
		},
	}
}

// reserve is how many times as many are asked for as are wanted: not all will hold.
const reserve = 1.5

// spread chooses so many from all over a list, in its order.
func spread[T any](list []T, most int) []T {
	if len(list) <= most {
		return list
	}
	chosen := make([]T, most)
	for i := range chosen {
		chosen[i] = list[(2*i+1)*len(list)/(2*most)]
	}
	return chosen
}

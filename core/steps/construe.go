package steps

import (
	"context"
	"fmt"

	"juvalogos/core/recipe"
	"juvalogos/core/tables"
)

type construeSet struct {
	Least float64 `yaml:"least" json:"least" least:"0" most:"1" about:"How sure, between 0 and 1, it has to be of what was asked; 0.8 if left out. Where no model could be asked instead, 0.35 is enough."`
}

func (*construeSet) certain(f *foresight, s *recipe.Step) recipe.Values {
	switch manner := f.wired(s, "reader"); {
	case manner == "never":
		return recipe.Values{"query": "", "is": false}
	case manner == "alone" || f.nobody:
		return recipe.Values{"ask": false}
	}
	return nil
}

// construe reads a question on tables without a model.
func construe() step {
	return step{
		StepKind: recipe.StepKind{
			Name: "construe",
			About: "Makes a query of a plain question on the tables at hand, where it is sure enough of " +
				"what is asked. No model is asked.",
			In: []recipe.Port{
				{Name: "question", Type: recipe.Text, Need: true, About: "what is asked"},
				{Name: "reader", Type: recipe.Text,
					About: "first: where it is sure; alone: wherever it makes sense of the " +
						"question, and so too where the desk has no model; never"},
			},
			Out: []recipe.Port{
				{Name: "query", Type: recipe.Text, About: "the query; empty if it is not sure enough"},
				{Name: "sure", Type: recipe.Number, About: "how sure, 0 to 1"},
				{Name: "is", Type: recipe.Truth, About: "whether there is a query"},
				{Name: "ask", Type: recipe.Truth, About: "whether a model is to be asked for one"},
			},
			Set:         func() any { return &construeSet{Least: tables.Sure} },
			Uncacheable: true,
		},
		do: func(t *RunContext, ctx context.Context, c *recipe.Call) (recipe.Values, error) {
			least := c.Set.(*construeSet).Least
			manner := text(c.In, "reader")
			alone := manner == "alone" || t.Model == "" && manner != "never"
			none := recipe.Values{"query": "", "sure": 0.0, "is": false, "ask": !alone}
			if alone {
				least = min(least, tables.LeastSure)
			}
			all, err := t.tables(ctx)
			if err != nil {
				return nil, err
			}
			if len(all) == 0 {
				none["ask"] = false // there is nothing to be asked of
			}
			if manner == "never" || len(all) == 0 {
				return none, nil
			}
			r := t.construed(text(c.In, "question"), all)
			c.Note(fmt.Sprintf("it is %.0f %% sure of: %s", 100*r.Sure, tables.Short(r.Query, 300)))
			if r.Query == "" || r.Sure < least {
				return none, nil
			}
			return recipe.Values{"query": r.Query, "sure": r.Sure, "is": true, "ask": false}, nil
		},
	}
}

// construed is what the reader makes of a question, with those that went before it.
func (t *RunContext) construed(question string, all []*tables.Table) tables.Reading {
	earlier := make([]string, len(t.Past))
	for i, p := range t.Past {
		earlier[i] = p.Question.Text
	}
	return tables.Read(question, earlier, all)
}

// tell says in a sentence what came out of a query of construe.
func tell() step {
	return step{
		StepKind: recipe.StepKind{
			Name: "tell",
			About: "Says in a sentence or two what came out of a query that the step construe made. No model " +
				"is asked.",
			In: []recipe.Port{
				{Name: "question", Type: recipe.Text, Need: true, About: "what is asked"},
				{Name: "result", Type: recipe.ResultOf, Need: true, About: "what came out"},
			},
			Out:         []recipe.Port{{Name: "text", Type: recipe.Text, About: "the sentence"}},
			Uncacheable: true,
		},
		do: func(t *RunContext, ctx context.Context, c *recipe.Call) (recipe.Values, error) {
			all, err := t.tables(ctx)
			if err != nil {
				return nil, err
			}
			result, _ := c.In["result"].(tables.Result)
			return recipe.Values{"text": t.construed(text(c.In, "question"), all).Tell(&result)}, nil
		},
	}
}

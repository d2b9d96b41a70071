package steps

import (
	"context"

	"juvalogos/core/recipe"
	"juvalogos/core/tables"
)

// Tables are those that a question can be asked of.
type Tables interface {
	// All are the tables at hand, once they have been read; none if there are none.
	All(ctx context.Context) ([]*tables.Table, error)
	// Ask runs a query and returns so many of its rows. The error is a *tables.Refused for
	// a query that may not be run or makes no sense to the engine: it says what to change.
	Ask(ctx context.Context, query string, most int) (tables.Result, error)
}

type surveySet struct {
	Columns int `yaml:"columns" json:"columns" least:"1" most:"500" about:"The most columns of a table that are told of; 60 if left out. Those whose names are in the question come first."`
}

// survey tells which tables are at hand.
func survey() step {
	return step{
		StepKind: recipe.StepKind{
			Name: "survey", About: "Tells which tables are at hand: their columns, what these hold, their first rows. " +
				"No model is asked.",
			In: []recipe.Port{{Name: "question", Type: recipe.Text, About: "what is asked, to choose among many columns"}},
			Out: []recipe.Port{
				{Name: "text", Type: recipe.Text, About: "the tables for a prompt"},
				{Name: "any", Type: recipe.Truth, About: "whether there are any"},
				{Name: "names", Type: recipe.ListOf(recipe.Text), About: "their names, as queries say them"},
			},
			Set:         func() any { return &surveySet{Columns: 60} },
			Uncacheable: true,
		},
		do: func(t *RunContext, ctx context.Context, c *recipe.Call) (recipe.Values, error) {
			all, err := t.tables(ctx)
			if err != nil {
				return nil, err
			}
			names := make([]any, len(all))
			for i, table := range all {
				names[i] = table.Name
			}
			told := tables.Survey(all, text(c.In, "question"), c.Set.(*surveySet).Columns)
			return recipe.Values{"text": told, "any": len(all) > 0, "names": names}, nil
		},
	}
}

// tables are those at hand; none where the desk has none.
func (t *RunContext) tables(ctx context.Context) ([]*tables.Table, error) {
	if t.Tables == nil {
		return nil, nil
	}
	return t.Tables.All(ctx)
}

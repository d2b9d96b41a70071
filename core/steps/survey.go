package steps

import (
	"context"
	"strings"

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
	// Earlier are the questions before this one, oldest first.
	Earlier(ctx context.Context) ([]Queried, error)
}

// Queried is a question with the query that was run for it; "": none was.
type Queried struct{ Question, Query string }

// mostEarlier is how many of them a model is told of.
const mostEarlier = 4

type surveySet struct {
	Columns int `yaml:"columns" json:"columns" least:"1" most:"500" about:"The most columns of a table that are told of; 60 if left out. Those whose names are in the question come first."`
}

// survey tells which tables are at hand.
func survey() step {
	return step{
		StepKind: recipe.StepKind{
			Name: "survey",
			About: "Tells which tables are at hand: their columns, what these hold, their first rows. " +
				"No model is asked.",
			In: []recipe.Port{{Name: "question", Type: recipe.Text,
				About: "what is asked, to choose among many columns"}},
			Out: []recipe.Port{
				{Name: "text", Type: recipe.Text, About: "the tables for a prompt"},
				{Name: "earlier", Type: recipe.Text,
					About: "the last questions for a prompt, with the queries that were run " +
						"for them; empty if there were none"},
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
			earlier, err := t.queried(ctx)
			if err != nil {
				return nil, err
			}
			return recipe.Values{"text": told, "earlier": earlier, "any": len(all) > 0, "names": names}, nil
		},
	}
}

// queried tells a model of the questions before.
func (t *RunContext) queried(ctx context.Context) (string, error) {
	if t.Tables == nil {
		return "", nil
	}
	all, err := t.Tables.Earlier(ctx)
	if err != nil {
		return "", err
	}
	var b strings.Builder
	for _, q := range all[max(0, len(all)-mostEarlier):] {
		b.WriteString("Question: " + strings.TrimSpace(q.Question) + "\n")
		if q.Query != "" {
			b.WriteString("```sql\n" + q.Query + "\n```\n")
		}
	}
	return b.String(), nil
}

// tables are those at hand; none where the desk has none.
func (t *RunContext) tables(ctx context.Context) ([]*tables.Table, error) {
	if t.Tables == nil {
		return nil, nil
	}
	return t.Tables.All(ctx)
}

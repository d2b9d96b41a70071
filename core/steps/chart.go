package steps

import (
	"context"

	"juvalogos/core/recipe"
	"juvalogos/core/tables"
)

type drawSet struct {
	Kind tables.ChartKind `yaml:"kind" json:"kind,omitempty" choices:"bars,lines,points,histogram,grid" about:"The kind of chart, where the result allows it: bars, lines, points, histogram or grid. Left out: what suits the result best."`
}

// draw makes a chart of a result.
func draw() step {
	return step{
		StepKind: recipe.StepKind{
			Name:  "draw",
			About: "Makes a chart of what was worked out, where its shape asks for one. No model is asked.",
			In:    []recipe.Port{{Name: "result", Type: recipe.ResultOf, About: "what was worked out"}},
			Out: []recipe.Port{
				{Name: "chart", Type: recipe.ChartOf, About: "the chart, and others that it can be changed to"},
				{Name: "any", Type: recipe.Truth, About: "whether there is one"},
			},
			Set: func() any { return &drawSet{} },
		},
		do: func(_ *RunContext, _ context.Context, c *recipe.Call) (recipe.Values, error) {
			result, is := c.In["result"].(tables.Result)
			if !is {
				return recipe.Values{"chart": nil, "any": false}, nil
			}
			chart, ok := tables.Draw(&result)
			if !ok {
				return recipe.Values{"chart": nil, "any": false}, nil
			}
			chart.Prefer(c.Set.(*drawSet).Kind)
			return recipe.Values{"chart": chart, "any": true}, nil
		},
	}
}

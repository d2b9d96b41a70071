package steps

import (
	"context"
	"fmt"

	"juvalogos/core/recipe"
)

// choose gives the first of its inputs that is there: what steps that run only
// under a condition have made.
func choose() step {
	return step{
		StepKind: recipe.StepKind{
			Name: "choose", About: "Gives the first of its inputs, in the order of the file, whose step was not " +
				"skipped and did not fail.",
			Variadic: &recipe.Port{Type: recipe.Anything, Need: true, About: "the candidates, all of one type"},
			Shape: func(_ any, in []recipe.Port) ([]recipe.Port, error) {
				if len(in) == 0 {
					return nil, nil
				}
				for _, p := range in[1:] {
					if p.Type != in[0].Type {
						return nil, fmt.Errorf("its inputs have to be of one type: %s is %s, and %s is %s", in[0].Name,
							in[0].Type, p.Name, p.Type)
					}
				}
				return []recipe.Port{{Name: "chosen", Type: in[0].Type, About: "the first that is there"}}, nil
			},
		},
		do: func(_ *RunContext, _ context.Context, c *recipe.Call) (recipe.Values, error) {
			for _, name := range c.Wide {
				if v, ok := c.In[name]; ok && v != "" {
					c.Note("chosen: " + name)
					return recipe.Values{"chosen": v}, nil
				}
			}
			return nil, fmt.Errorf("none of what it could choose from is there; let the last one run under no " +
				"condition")
		},
	}
}

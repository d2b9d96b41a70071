package steps

import (
	"context"
	"slices"

	"juvalogos/core/recipe"
)

// rehearsed are the kinds that may run to find out what a run will take: they change and
// fetch nothing, and reach nothing but the models that they are given.
var rehearsed = []string{"recall", "divide", "compose", "generate", "condense", "choose"}

// Rehearse is Do for a run that only finds out what a real one will take, with models that
// do not really write: other kinds of steps give nothing.
func (t *RunContext) Rehearse(ctx context.Context, c *recipe.Call) (recipe.Values, error) {
	if slices.Contains(rehearsed, c.Step.Kind.Name) {
		return t.Do(ctx, c)
	}
	out := recipe.Values{}
	for _, o := range c.Step.Kind.Out {
		switch _, list := o.Type.Element(); {
		case list:
			out[o.Name] = []any{}
		case o.Type == recipe.Text || o.Type == recipe.Choice:
			out[o.Name] = "-" // something, so that what depends on it is not left out
		case o.Type == recipe.Number:
			out[o.Name] = 0.0
		case o.Type == recipe.Truth:
			out[o.Name] = false
		}
	}
	return out, nil
}

// Foretold reports whether it can be found out what a run of a recipe will take: it divides
// documents, and does nothing that would have to be done for it.
func Foretold(r *recipe.Recipe) bool {
	divides, other := false, false
	r.Walk(func(s *recipe.Step) {
		divides = divides || s.Kind.Name == "divide"
		_, asks := s.Set.(asksModel)
		other = other || s.Kind.Name == "program" || s.Kind.Name == "address" ||
			asks && !slices.Contains(append([]string{"rewrite", "retrieve", "cite"}, rehearsed...), s.Kind.Name)
	})
	return divides && !other
}

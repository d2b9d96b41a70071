package main

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"juvalogos/core/recipe"
)

// The engine's own cost: the same functions called by a recipe and called
// directly, in turn, on the same inputs.

const engineSteps = 20

// engineKinds hold one kind, whose work is hardly any.
var engineKinds = recipe.StepKinds{"add": {
	Name: "add", Variadic: &recipe.Port{Type: recipe.Text}, Out: []recipe.Port{{Name: "text", Type: recipe.Text}},
}}

func work(in string) string { return in + "." }

func engine(_ *setup, z sizes, t *report) error {
	chain, side := "recipe: chain\nsteps:\n", "recipe: side\nsteps:\n"
	last := "  - {name: last, do: add, from: {"
	for i := range engineSteps {
		from := "question"
		if i > 0 {
			from = fmt.Sprintf("s%d.text", i-1)
		}
		chain += fmt.Sprintf("  - {name: s%d, do: add, from: {in: %s}}\n", i, from)
		side += fmt.Sprintf("  - {name: s%d, do: add, from: {in: question}}\n", i)
		last += fmt.Sprintf("i%d: s%d.text, ", i, i)
	}
	chain += fmt.Sprintf("reply: s%d.text\n", engineSteps-1)
	side += last + "}}\nreply: last.text\n"
	t.begin("What a recipe's engine adds to each step over calling the same functions directly; the median of many",
		"recipe", "added per step", "aim, at most")
	for _, c := range []struct{ name, text string }{{"one after the other", chain}, {"side by side", side}} {
		r, err := recipe.Check("bench", []byte(c.text), engineKinds)
		if err != nil {
			return err
		}
		over, err := overPerStep(r, 10*z.questions)
		if err != nil {
			return err
		}
		t.row(fmt.Sprintf("%d steps, %s", len(r.Steps), c.name), fmt.Sprintf("%.1f µs", over), "50 µs")
	}
	return nil
}

// overPerStep is in microseconds.
func overPerStep(r *recipe.Recipe, times int) (float64, error) {
	options := recipe.Options{Now: time.Now, Do: func(_ context.Context, c *recipe.Call) (recipe.Values, error) {
		in, _ := c.In["in"].(string)
		return recipe.Values{"text": work(in)}, nil
	}}
	var over []float64
	for range times {
		began := time.Now()
		if _, err := recipe.Run(context.Background(), r, recipe.Values{"question": "q"}, nil, options); err != nil {
			return 0, err
		}
		ran := time.Since(began)
		began = time.Now()
		text := "q"
		for range r.Steps {
			text = work(text)
		}
		direct := time.Since(began)
		if strings.Count(text, ".") != len(r.Steps) {
			return 0, fmt.Errorf("the work was not done")
		}
		over = append(over, float64(ran-direct)/float64(time.Microsecond)/float64(len(r.Steps)))
	}
	slices.Sort(over)
	return over[len(over)/2], nil
}

package recipe_test

import (
	"context"
	"fmt"
	"strings"
	"time"

	"juvalogos/core/recipe"
)

// A recipe of one kind of step, run with settings of its own.
func ExampleRun() {
	kinds := recipe.StepKinds{"shout": {Name: "shout",
		In:  []recipe.Port{{Name: "text", Type: recipe.Text, Need: true}},
		Out: []recipe.Port{{Name: "text", Type: recipe.Text}}}}
	r, err := recipe.Check("loud.yaml", []byte(`
recipe: loud
about: Says it louder.
steps:
  - {name: loud, do: shout, from: {text: question}}
reply: loud.text
`), kinds)
	if err != nil {
		panic(err)
	}
	result, err := recipe.Run(context.Background(), r, recipe.Values{"question": "a swarm!"}, nil, recipe.Options{
		Now: time.Now,
		Do: func(_ context.Context, c *recipe.Call) (recipe.Values, error) {
			return recipe.Values{"text": strings.ToUpper(c.In["text"].(string))}, nil
		}})
	fmt.Println(result.Reply, err)
	// Output:
	// A SWARM! <nil>
}

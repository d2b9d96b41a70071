package steps_test

import (
	"fmt"

	"juvalogos/core/steps"
)

// Which models a recipe asks is known before it runs.
func ExampleModelsOf() {
	r, err := steps.Check("own.yaml", []byte(`
recipe: own
about: Asks a model of its own.
steps:
  - {name: prompt, do: compose, set: {user: "{{.question}}"}, from: {question: question}}
  - {name: text, do: generate, from: {prompt: prompt.prompt}, set: {model: shed/thyme-mini}}
reply: text.text
`))
	if err != nil {
		panic(err)
	}
	fmt.Println(steps.ModelsOf(r, nil))
	// Output:
	// [shed/thyme-mini]
}

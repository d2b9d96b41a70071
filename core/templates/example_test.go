package templates_test

import (
	"context"
	"fmt"

	"juvalogos/core/prompt"
	"juvalogos/core/templates"
)

func Example() {
	t, err := templates.Parse("user", `{{.question}} {{join ", " .among}}?`, nil)
	if err != nil {
		fmt.Println(err)
		return
	}
	text, err := templates.Fill(context.Background(), t,
		map[string]any{"question": "Which of", "among": []any{"lime", "heather"}}, prompt.Estimate{})
	fmt.Println(text, err)
	// Output: Which of lime, heather? <nil>
}

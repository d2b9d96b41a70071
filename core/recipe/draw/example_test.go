package draw_test

import (
	"fmt"

	"juvalogos/core/recipe/draw"
	"juvalogos/core/steps"
)

// A built-in recipe, for a terminal.
func ExampleDrawing_Text() {
	text, _ := steps.Source("extract")
	r, err := steps.Check("extract", text)
	if err != nil {
		panic(err)
	}
	fmt.Print(draw.Layout(r).Text())
	// Output:
	// ┌ from the visitor
	// │ → question: text, within: text
	// └
	// ┌ found  ·  retrieve
	// │ ← inputs ─ question: text, within: text
	// │ → passages: list of passage, text: text, answers: truth, sure: number, documents: truth, foreign: list of text
	// └
	// ┌ answer  ·  spot
	// │ ← inputs ─ question: text
	// │ ← found ─ passages: list of passage, sure: number, foreign: list of text
	// │ → text: text, answer: text, confidence: number, answers: list of answer, margin: sources
	// └
	// ┌ the reply
	// │   and: Sources
	// │ ← answer ─ text: text, margin: sources
	// └
}

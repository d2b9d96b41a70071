package quiz_test

import (
	"fmt"

	"juvalogos/core/evidence"
	"juvalogos/core/quiz"
)

func Example() {
	section := evidence.Passage{Text: "A colony needs 15 kg of stores for the winter. Feed syrup in August."}
	q := quiz.Quiz{Title: "Feeding",
		Questions: []quiz.Question{{Text: "How much stores does a colony need for the winter?",
			Options: []quiz.Option{{Text: "5 kg", Right: true}, {Text: "15 kg"}},
			Quote:   "A colony needs 15 kg of stores for the winter.", Source: &quiz.Source{Passage: section}}}}
	fmt.Println(quiz.Check(q.Questions)[0])
	fmt.Println(q.Score([]int{0}), "of", len(q.Questions))
	// Output:
	// [the quoted words do not say that "5 kg" is right "15 kg" is right too by the quoted words]
	// 1 of 1
}

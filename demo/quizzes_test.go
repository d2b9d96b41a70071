package main

import (
	"testing"

	"juvalogos/core/quiz"
)

// The beginners' exam holds against the handbook as it is.
func TestTheBeginnersExamHolds(t *testing.T) {
	body, err := quizzes.ReadFile("quizzes/beginners.json")
	if err != nil {
		t.Fatal(err)
	}
	q, err := quiz.ReadJSON(body)
	if err != nil {
		t.Fatal(err)
	}
	if err := addSections(&q); err != nil {
		t.Fatal(err)
	}
	for i := range q.Questions {
		if one := q.Questions[i].Source.Passage.Text; len(one) <= len(q.Questions[i].Quote) {
			t.Errorf("question %d: the section is %q", i+1, one)
		}
	}
	for i, flaws := range quiz.Check(q.Questions) {
		if len(flaws) > 0 {
			t.Errorf("question %d: %q", i+1, flaws)
		}
	}
}

package main

import (
	"os"
	"strings"
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
	files, err := os.ReadDir("shelves/handbook")
	if err != nil {
		t.Fatal(err)
	}
	for i := range q.Questions {
		one := &q.Questions[i]
		found := false
		for _, f := range files {
			if f.IsDir() {
				continue
			}
			text, err := os.ReadFile("shelves/handbook/" + f.Name())
			if err != nil {
				t.Fatal(err)
			}
			if strings.HasPrefix(string(text), "# "+one.Source.Passage.Title+"\n") {
				one.Source.Passage.Text, found = string(text), true
			}
		}
		if !found {
			t.Errorf("question %d: there is no chapter %q", i+1, one.Source.Passage.Title)
		}
	}
	for i, flaws := range quiz.Check(q.Questions) {
		if len(flaws) > 0 {
			t.Errorf("question %d: %q", i+1, flaws)
		}
	}
}

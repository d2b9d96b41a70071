package main

import (
	"context"
	"embed"
	"fmt"
	"strings"

	"juvalogos/core/quiz"
	"juvalogos/internal/client"
)

//go:embed quizzes/*.json
var quizzes embed.FS

// giveQuiz gives the sample quiz, unless quizzes were given already, and returns the path of the
// page on which it, or else the newest, is taken.
func giveQuiz(ctx context.Context, c *client.Client) (string, error) {
	there, err := c.Quizzes(ctx)
	if err != nil {
		return "", err
	}
	if len(there) > 0 {
		return there[0].Page, nil
	}
	body, err := quizzes.ReadFile("quizzes/beginners.json")
	if err != nil {
		return "", err
	}
	q, err := quiz.ReadJSON(body)
	if err != nil {
		return "", err
	}
	if err := addSections(&q); err != nil {
		return "", err
	}
	given, err := c.GiveQuiz(ctx, "", q, true)
	return given.Page, err
}

// addSections puts beside each question the section of the handbook that it was made of.
func addSections(q *quiz.Quiz) error {
	chapters, err := shelves.ReadDir("shelves/handbook")
	if err != nil {
		return err
	}
	for i := range q.Questions {
		one := &q.Questions[i]
		found := ""
		for _, f := range chapters {
			text, err := shelves.ReadFile("shelves/handbook/" + f.Name())
			if err == nil && strings.HasPrefix(string(text), "# "+one.Source.Passage.Title+"\n") {
				found = sectionWith(string(text), one.Quote)
			}
		}
		if found == "" {
			return fmt.Errorf("question %d: the chapter %q does not say %q", i+1, one.Source.Passage.Title, one.Quote)
		}
		one.Source.Passage.Text = found
	}
	return nil
}

// sectionWith is the section of a Markdown file, without its heading, in which words stand, a
// paragraph a line; "": there is none.
func sectionWith(text, words string) string {
	for _, section := range strings.Split("\n"+text, "\n#") {
		_, body, _ := strings.Cut(section, "\n")
		var paragraphs []string
		for _, p := range strings.Split(body, "\n\n") {
			if p = strings.Join(strings.Fields(p), " "); p != "" {
				paragraphs = append(paragraphs, p)
			}
		}
		if plain := strings.Join(paragraphs, "\n"); strings.Contains(plain, words) {
			return plain
		}
	}
	return ""
}

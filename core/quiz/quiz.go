// Package quiz is questions with options, made from texts: held against them, put into a fair
// order, counted, and read and written in open formats.
//
//	q := quiz.Quiz{Title: "Feeding", Questions: []quiz.Question{{Text: "What is fed in autumn?",
//		Options: []quiz.Option{{Text: "Syrup", Right: true}, {Text: "Honey"}}}}}
//	for i, flaws := range quiz.Check(q.Questions) { ... }
//	order := quiz.Order("sitting 7", 0, 2) // in which options are shown
//
// Nothing here asks a model, and nothing depends on which one wrote a question.
package quiz

import (
	"crypto/sha256"
	"encoding/binary"
	"errors"
	"fmt"
	"strings"

	"juvalogos/core/evidence"
)

// Quiz is questions on something.
type Quiz struct {
	Title     string     `json:"title"`
	About     string     `json:"about,omitempty"`
	Language  string     `json:"language,omitempty"` // by ISO 639-1; "": English
	Questions []Question `json:"questions"`          // never nil
	// Dropped says of questions that were made and are not here why they are not.
	Dropped []Dropped `json:"dropped,omitempty"`
}

// Question has options, of which one is right.
type Question struct {
	Text    string   `json:"question"`
	Options []Option `json:"options"`
	// Quote are the words of a text that make the right option right.
	Quote  string  `json:"quote,omitempty"`
	Source *Source `json:"source,omitempty"` // nil: nobody says where it comes from
	// Translated: it is in another language than the text, so that only the quoted words could
	// be held against that.
	Translated bool `json:"translated,omitempty"`
}

// Option is a possible answer.
type Option struct {
	Text  string `json:"text"`
	Right bool   `json:"right,omitempty"`
}

// Source is where the words stand.
type Source struct {
	Passage evidence.Passage   `json:"passage"` // the section
	Place   string             `json:"place,omitempty"`
	Marks   []evidence.Offsets `json:"marks"` // of the words; never nil
}

// Dropped is a question that did not hold.
type Dropped struct {
	Question string `json:"question"`
	Why      string `json:"why"`
}

// Right is the place of the right option, from 0; -1 if there is not exactly one.
func (q *Question) Right() int {
	at := -1
	for i, o := range q.Options {
		if o.Right && at >= 0 {
			return -1
		}
		if o.Right {
			at = i
		}
	}
	return at
}

// Bounds of a quiz.
const (
	MostQuestions = 200
	MostOptions   = 8
	mostText      = 2000
)

// Wrong returns what of a quiz cannot be used, whoever wrote it, as an error with a line for
// each mistake; nil: all of it can.
func (q *Quiz) Wrong() error {
	var all []error
	if strings.TrimSpace(q.Title) == "" {
		all = append(all, errors.New("title: it needs one"))
	}
	if n := len(q.Questions); n == 0 || n > MostQuestions {
		all = append(all, fmt.Errorf("questions: there are %d; write 1 to %d", n, MostQuestions))
	}
	for i := range q.Questions {
		if err := q.Questions[i].wrong(); err != nil {
			all = append(all, fmt.Errorf("question %d: %w", i+1, err))
		}
	}
	return errors.Join(all...)
}

func (q *Question) wrong() error {
	switch {
	case strings.TrimSpace(q.Text) == "":
		return errors.New("it has no text")
	case len(q.Text) > mostText:
		return fmt.Errorf("it is longer than %d characters", mostText)
	case len(q.Options) < 2 || len(q.Options) > MostOptions:
		return fmt.Errorf("it has %d options; write 2 to %d", len(q.Options), MostOptions)
	case q.Right() < 0:
		return errors.New("exactly one option has to be the right one")
	}
	for i, o := range q.Options {
		if strings.TrimSpace(o.Text) == "" || len(o.Text) > mostText {
			return fmt.Errorf("option %d is empty or longer than %d characters", i+1, mostText)
		}
		for _, other := range q.Options[:i] {
			if strings.EqualFold(strings.TrimSpace(o.Text), strings.TrimSpace(other.Text)) {
				return fmt.Errorf("the option %q is there twice", o.Text)
			}
		}
	}
	return nil
}

// Order is in which order the options of a question are shown at a sitting: the places of the
// quiz's own order. Over sittings every option stands at every place equally often, and the
// same sitting has the same order again.
func Order(sitting string, question, options int) []int {
	order := make([]int, options)
	for i := range order {
		order[i] = i
	}
	for i := options - 1; i > 0; i-- {
		sum := sha256.Sum256(fmt.Appendf(nil, "%s/%d/%d", sitting, question, i))
		j := int(binary.LittleEndian.Uint64(sum[:]) % uint64(i+1))
		order[i], order[j] = order[j], order[i]
	}
	return order
}

// Score is how many of answers are right. An answer is the place of an option in the quiz's
// own order, from 0; -1: none was given. Those that are missing count as not given.
func (q *Quiz) Score(answers []int) (right int) {
	for i := range q.Questions {
		if i < len(answers) && answers[i] >= 0 && answers[i] == q.Questions[i].Right() {
			right++
		}
	}
	return right
}

package steps

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"

	"juvalogos/core/evidence"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
)

// fakeShelves finds, for each question, passages by number.
type fakeShelves struct {
	help  Help
	finds map[string][]int
	asked []string
	// passages are found by every question where they are set.
	passages []evidence.Passage
	answers  float64
}

func (f *fakeShelves) Help() Help { return f.help }
func (f *fakeShelves) Find(_ context.Context, w Wanted) (Finding, error) {
	f.asked = append(f.asked, strings.TrimSpace(w.Question+" "+w.Within))
	var found Finding
	for _, n := range f.finds[w.Question][:min(w.Most, len(f.finds[w.Question]))] {
		found.Found = append(found.Found,
			evidence.Passage{Document: int64(n), Title: fmt.Sprint("D", n), Text: fmt.Sprint("text ", n)})
	}
	if f.passages != nil {
		found.Found, found.Answers = f.passages, f.answers
	}
	found.Passages = 9
	return found, nil
}

func TestTheModelMayHelpToFind(t *testing.T) {
	const steps = "inputs: [{name: question, type: text, need: true}]\nsteps:\n" +
		"  - {name: found, do: retrieve, from: {question: question}, set: {most: 3}}\nreply: found.text\n"
	finds := map[string][]int{"q": {1, 2, 3, 4, 5, 6, 7}, "other words": {4, 9, 1}, "more words": {9, 4}}
	for name, c := range map[string]struct {
		help  Help
		say   said
		want  []int
		asked []string
		calls int
	}{
		"no help": {Help{}, nil, []int{1, 2, 3}, []string{"q"}, 0},
		"rephrased": {Help{Rephrase: true},
			func([]prompt.Message) (string, error) { return "1. other words\n- more words\n- too many\n", nil },
			[]int{4, 9, 1}, []string{"q", "other words", "more words"}, 1},
		"chosen": {Help{Choose: true},
			func([]prompt.Message) (string, error) { return "I think 5, then 2. Not 77, and 5 again.", nil },
			[]int{5, 2, 1}, []string{"q"}, 1},
		"none chosen": {Help{Choose: true}, func([]prompt.Message) (string, error) { return "0", nil },
			[]int{1, 2, 3}, []string{"q"}, 1},
		"the model is away": {Help{true, true},
			func([]prompt.Message) (string, error) { return "", errors.New("away") }, []int{1, 2, 3}, []string{"q"}, 2},
	} {
		shelves := &fakeShelves{help: c.help, finds: finds}
		models := &fakeModels{say: c.say}
		result, _, spans, err := try(t, steps, &RunContext{Shelves: shelves, Models: models, Model: "m"},
			recipe.Values{"question": "q"}, nil)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		_ = result
		var got []int
		for _, p := range spans[0].Out["passages"].([]any) {
			got = append(got, int(p.(evidence.Passage).Document))
		}
		if !slices.Equal(got, c.want) || !slices.Equal(shelves.asked, c.asked) || len(models.asked) != c.calls {
			t.Errorf("%s: found %v, want %v; asked %q, %d calls", name, got, c.want, shelves.asked, len(models.asked))
		}
	}
}

package steps

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"

	"juvalogos/core/prompt"
	"juvalogos/core/quiz"
	"juvalogos/core/recipe"
)

var hiveIn = regexp.MustCompile(`Hive number (\d+) stands in meadow (\d+)\. It is painted blue`)

// asked makes of the section that a model is given a question that holds; mend changes it.
func asked(m []prompt.Message, mend func(q map[string]any)) map[string]any {
	found := hiveIn.FindStringSubmatch(lastOf(m))
	if found == nil {
		return nil
	}
	q := map[string]any{"question": "Where does hive number " + found[1] + " stand?", "right": "In meadow " + found[2],
		"wrong": []any{"In meadow 900", "In meadow 901", "In meadow 902"},
		"quote": "Hive number " + found[1] + " stands in meadow " + found[2] + "."}
	mend(q)
	return q
}

func written(q any) string {
	text, _ := json.Marshal(q)
	return string(text)
}

// quizzes runs the built-in recipe over so many sections.
func quizzes(t *testing.T, sections int, number float64, say said) (quiz.Quiz, []recipe.Span, error) {
	t.Helper()
	text, _ := Source("quiz")
	return quizzesBy(t, text, sections, number, say)
}

func quizzesBy(t *testing.T, text []byte, sections int, number float64, say said) (quiz.Quiz, []recipe.Span, error) {
	t.Helper()
	_, steps, _ := strings.Cut(string(text), "\n")
	turn := &RunContext{Models: &fakeModels{say: say}, Works: fakeWorks(sections), Programs: examplePrograms{}}
	turn.Sampling.MaxTokens = 500
	result, _, spans, err := try(t, steps, turn, recipe.Values{"question": "The handbook", "number": number,
		"options": "4", "hard": "as usual"}, recipe.Values{"brief_questions": ""})
	q, _ := partOf[quiz.Quiz](result)
	return q, spans, err
}

// examplePrograms runs those of the examples.
type examplePrograms struct{}

func (examplePrograms) Run(ctx context.Context, name string, arguments []string, input []byte) ([]byte, error) {
	cmd := exec.CommandContext(ctx, "../../examples/recipes/"+name, arguments...)
	cmd.Stdin = bytes.NewReader(input)
	return cmd.Output()
}

// A maker's own program in the middle of the recipe drops what is against the rules of the house.
func TestAStepOfAMakersOwn(t *testing.T) {
	text, err := os.ReadFile("../../examples/recipes/house-rules.recipe.yaml")
	if err != nil {
		t.Fatal(err)
	}
	q, spans, err := quizzesBy(t, text, 6, 6, func(m []prompt.Message) (string, error) {
		good := asked(m, func(map[string]any) {})
		trick := asked(m, func(q map[string]any) { q["question"] = "Where does it not stand?" })
		return written([]any{trick, good}), nil
	})
	if err != nil || len(q.Questions) != 6 || len(q.Dropped) != 0 {
		t.Fatalf("%v: %+v", err, q)
	}
	for _, one := range q.Questions {
		if strings.Contains(one.Text, "not") {
			t.Errorf("a trick reaches people: %q", one.Text)
		}
	}
	ran := 0
	for _, s := range spans {
		if s.Do == "program" {
			ran++
		}
	}
	if ran != 6 {
		t.Errorf("the program ran %d times for 6 sections", ran)
	}
}

// A model that writes well: as many questions as are wanted, from all over the text, each with
// its place, the right option not always at the same place.
func TestAQuiz(t *testing.T) {
	q, _, err := quizzes(t, 12, 6, func(m []prompt.Message) (string, error) {
		return written([]any{asked(m, func(map[string]any) {})}), nil
	})
	if err != nil || len(q.Questions) != 6 || len(q.Dropped) != 0 {
		t.Fatalf("%v, %+v", err, q)
	}
	places, of := map[int]int{}, map[string]bool{}
	for _, one := range q.Questions {
		places[one.Right()]++
		of[one.Source.Passage.Path[0]] = true
		if !strings.Contains(one.Source.Passage.Text, one.Quote) || one.Quote == "" {
			t.Errorf("%+v", one)
		}
	}
	if len(places) < 2 || !of["Part 2"] || !of["Part 12"] || len(of) != 6 {
		t.Errorf("right options stand at %v; questions are of %v", places, of)
	}
}

// Models that lie and chatter: how many bad questions they write, how many of these are left
// when we have looked, and what is left of the good ones.
func TestBadQuestionsDoNotReachPeople(t *testing.T) {
	bad := map[string]func(q map[string]any){
		"a wrong key": func(q map[string]any) {
			q["right"], q["wrong"] = "In meadow 900", []any{q["right"], "In meadow 901", "In meadow 902"}
		},
		"two right options": func(q map[string]any) {
			q["wrong"] = []any{strings.Replace(q["right"].(string), "In", "In the", 1), "In meadow 901",
				"In meadow 902"}
		},
		"options twice": func(q map[string]any) {
			q["wrong"] = []any{"In meadow 901", "In meadow 901.",
				"In meadow 902"}
		},
		"an invented quote": func(q map[string]any) { q["quote"] = invented },
		"told by its length": func(q map[string]any) {
			q["right"] = q["right"].(string) + ", where it is painted blue"
		},
		"the same question": func(q map[string]any) {
			q["question"], q["wrong"] = "What is it painted?", []any{"Red", "Green"}
			q["right"], q["quote"] = "Blue", "It is painted blue"
		},
	}
	chatter := []func(string) string{
		func(s string) string { return s },
		func(s string) string { return "Sure! Here is your quiz:\n```json\n" + s + "\n```\nEnjoy it." },
		func(s string) string { return s[:len(s)-3] }, // cut off
	}
	for name, spoil := range bad {
		for again := range 2 { // it does better when it is told, or never
			var mu sync.Mutex
			count, wrote := 0, 0
			spoiled := map[string]bool{} // what must not reach people, whatever our checks say
			q, spans, err := quizzes(t, 8, 8, func(m []prompt.Message) (string, error) {
				mu.Lock()
				defer mu.Unlock()
				count++
				told := strings.Contains(m[0].Text, "does not hold")
				one := asked(m, func(q map[string]any) {
					if count%2 == 0 && !told || told && again == 1 {
						spoil(q)
						wrote++
						spoiled[optionsIn(q["right"].(string), q["wrong"].([]any)...)+q["question"].(string)] = true
					}
				})
				if one == nil {
					return "I cannot.", nil
				}
				if told {
					return chatter[count%2](written(one)), nil
				}
				return chatter[count%3](written([]any{one})), nil
			})
			if err != nil {
				t.Fatalf("%s: %v", name, err)
			}
			reached := 0
			for _, one := range q.Questions {
				right, wrong := one.Options[one.Right()].Text, []any{}
				for _, o := range one.Options {
					if !o.Right {
						wrong = append(wrong, o.Text)
					}
				}
				if spoiled[optionsIn(right, wrong...)+one.Text] &&
					(name != "an invented quote" || one.Quote == invented) {
					reached++
				}
			}
			if name == "the same question" {
				reached-- // once it may be asked
			}
			t.Logf("%s, better when told: %v: %d bad ones written, %d questions, %d bad ones among them, %d left out",
				name, again == 0, wrote, len(q.Questions), reached, len(q.Dropped))
			switch {
			case reached > 0 || wrote == 0 || len(spoiled) == 0:
				t.Errorf("%s: %d bad questions reach people", name, reached)
			case again == 0 && len(q.Questions) < 7:
				t.Errorf("%s: %d questions, where the model does better when told", name, len(q.Questions))
			case again == 1 && len(q.Questions) < 4:
				t.Errorf("%s: %d questions; the good ones went too: %+v", name, len(q.Questions), q.Dropped)
			}
			asks := 0
			for _, s := range spans {
				asks += len(s.Calls)
			}
			if asks > 8*3+8*3*2 {
				t.Errorf("%s: the model was asked %d times", name, asks)
			}
		}
	}
}

const invented = "Hive number 7 stands in the river."

// optionsIn are options by which a question is known again.
func optionsIn(right string, wrong ...any) string {
	all := make([]string, len(wrong))
	for i, w := range wrong {
		all[i] = fmt.Sprint(w)
	}
	slices.Sort(all)
	return right + "|" + strings.Join(all, "|") + "|"
}

// In another language the quoted words alone can be held against the text, and that is on
// record with each question.
func TestAQuizInAnotherLanguage(t *testing.T) {
	text, _ := Source("quiz")
	_, steps, _ := strings.Cut(string(text), "\n")
	say := func(m []prompt.Message) (string, error) {
		if !strings.Contains(m[0].Text, "in German") {
			t.Errorf("the model is told %q", m[0].Text)
		}
		return written([]any{asked(m, func(q map[string]any) {
			q["question"], q["right"] = fmt.Sprint("Wo steht Volk ", q["question"], "?"), "Auf der Wiese"
			q["wrong"] = []any{"Im Wald", "Am Fluss"}
		})}), nil
	}
	turn := &RunContext{Models: &fakeModels{say: say}, Works: fakeWorks(3)}
	result, _, _, err := try(t, steps, turn, recipe.Values{"question": "It", "number": 3.0, "options": "3",
		"hard":     "easy",
		"language": "German"}, recipe.Values{"brief_questions": ""})
	q, _ := partOf[quiz.Quiz](result)
	if err != nil || len(q.Questions) == 0 || !q.Questions[0].Translated {
		t.Errorf("%v, %+v", err, q)
	}
}

package steps

import (
	"context"
	"errors"
	"strings"
	"testing"

	"juvalogos/core/evidence"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
)

const askedSupport = "inputs: [{name: question, type: text, need: true}]\n" +
	"settings: [{name: ask, type: truth, default: true}]\nsteps:\n" +
	"  - {name: found, do: retrieve, from: {question: question}}\n" +
	"  - {name: checked, do: cite, from: {text: question, passages: found.passages, ask: settings.ask}}\n" +
	"reply: checked.text\nparts: [{title: Sources, from: checked.margin}]\n"

// What a model says of sentences holds where its words stand in the passage and nothing
// there speaks against; what it makes up, or says of nothing, changes nothing.
func TestAModelIsAskedWhatSupports(t *testing.T) {
	passage := evidence.Passage{Document: 1, Title: "Wasps",
		Text: "Anyone stung in the throat is brought to a hospital at once. The visitor desk opens at nine."}
	claim := "People with a sting in their gullet see a physician immediately."
	for name, c := range map[string]struct {
		says, reply string
		want        evidence.Support
		calls       int
	}{
		"it finds it": {`[{"sentence": 1, "says": "same", "passage": 1, "words": "Anyone stung in the throat is brought"}]`,
			claim, evidence.Supported, 1},
		"in chatter": {"Sure! ```json\n" + `[{"sentence":1,"says":"same","passage":1,"words":"stung in the throat"}]` +
			"\n```", claim, evidence.Supported, 1},
		"words that are not there": {`[{"sentence": 1, "says": "same", "passage": 1, "words": "see a physician at once"}]`,
			claim, evidence.Unsupported, 1},
		"no such passage": {`[{"sentence": 1, "says": "same", "passage": 9, "words": "stung in the throat"}]`,
			claim, evidence.Unsupported, 1},
		"no such sentence": {`[{"sentence": 7, "says": "same", "passage": 1, "words": "stung in the throat"}]`,
			claim, evidence.Unsupported, 1},
		"a number that is not there": {`[{"sentence": 1, "says": "same", "passage": 1, "words": "The visitor desk opens at nine"}]`,
			"The desk for guests receives people from 11 onwards.", evidence.Unsupported, 1},
		"it lies of a no": {`[{"sentence": 1, "says": "same", "passage": 1, "words": "Anyone stung in the throat is brought"}]`,
			"Nobody stung in the throat is ever brought to a hospital.", evidence.Contradicted, 0},
		"otherwise": {`[{"sentence": 1, "says": "otherwise", "passage": 1, "words": "is brought to a hospital at once"}]`,
			"Anyone stung in the throat waits for a hospital to open.", evidence.Contradicted, 1},
		"no JSON at all": {"I do not know.", claim, evidence.Unsupported, 3},
		"nothing":        {"[]", claim, evidence.Unsupported, 1},
	} {
		models := &fakeModels{say: func([]prompt.Message) (string, error) { return c.says, nil }}
		_, _, spans, err := try(t, askedSupport, &RunContext{Models: models, Model: "m",
			Shelves: &fakeShelves{passages: []evidence.Passage{passage}, answers: 1}},
			recipe.Values{"question": c.reply}, recipe.Values{"ask": true})
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		margin := spans[1].Out["margin"].(evidence.Sources)
		if got := margin.Sentences[0].Support; got != c.want || len(models.asked) != c.calls {
			t.Errorf("%s: %s, not %s; %d calls; %v", name, got, c.want, len(models.asked), spans[1].Notes)
		}
		if c.want == evidence.Supported && !strings.Contains(spans[1].Out["text"].(string), "[1]") {
			t.Errorf("%s: without its reference: %s", name, spans[1].Out["text"])
		}
	}
}

// A model that is away leaves what was judged without it, and says so.
func TestNobodyJudges(t *testing.T) {
	models := &fakeModels{say: func([]prompt.Message) (string, error) { return "", errors.New("away") }}
	passage := evidence.Passage{Document: 1, Title: "Wasps", Text: "The visitor desk opens at nine o'clock."}
	_, _, spans, err := try(t, askedSupport, &RunContext{Models: models, Model: "m",
		Shelves: &fakeShelves{passages: []evidence.Passage{passage}, answers: 1}},
		recipe.Values{"question": "The visitor desk opens at nine o'clock."}, recipe.Values{"ask": true})
	if err != nil || !spans[1].Out["supported"].(bool) || !strings.Contains(strings.Join(spans[1].Notes, " "), "away") {
		t.Errorf("%v %+v", err, spans[1])
	}
}

// abroad is a shelf whose documents are in another language than the question.
type abroad struct {
	fakeShelves
	in []string
}

func (a *abroad) Find(ctx context.Context, w Wanted) (Finding, error) {
	f, err := a.fakeShelves.Find(ctx, w)
	f.AskedIn, f.In, f.Least, f.Answers = "de", a.in, 0.6, 0.5
	return f, err
}

// The margin says that question and documents are in different languages; a model that
// may rephrase does so in that of the documents. What is enough is the shelf's to say,
// or the recipe's.
func TestAQuestionInAnotherLanguage(t *testing.T) {
	for least, want := range map[string]bool{"": false, "set: {least: 0.4}, ": true} {
		steps := "inputs: [{name: question, type: text, need: true}]\nsteps:\n" +
			"  - {name: found, do: retrieve, " + least + "from: {question: question}}\n" +
			"  - {name: checked, do: cite, from: {text: question, passages: found.passages, answers: found.answers, " +
			"foreign: found.foreign}}\n" +
			"  - {name: short, do: spot, from: {question: question, passages: found.passages, " +
			"foreign: found.foreign}}\nreply: checked.text\nparts: [{title: Sources, from: checked.margin}, " +
			"{title: Short, from: short.margin}]\n"
		shelves := &abroad{fakeShelves{help: Help{Rephrase: true}, finds: map[string][]int{"Wo ist das?": {1},
			"where": {2}}},
			[]string{"en"}}
		models := &fakeModels{say: func(m []prompt.Message) (string, error) {
			if !strings.Contains(m[0].Text, "question in English in two") {
				t.Errorf("it is asked: %s", m[0].Text)
			}
			return "where", nil
		}}
		_, _, spans, err := try(t, steps, &RunContext{Shelves: shelves, Models: models, Model: "m"},
			recipe.Values{"question": "Wo ist das?"}, nil)
		if err != nil {
			t.Fatal(err)
		}
		for _, s := range spans[1:] {
			m := s.Out["margin"].(evidence.Sources)
			if m.AskedIn != "de" || len(m.In) != 1 || m.In[0] != "en" {
				t.Errorf("%s: %+v", s.Step, m)
			}
		}
		if got := spans[0].Out["answers"].(bool); got != want {
			t.Errorf("%q: likely enough is %v", least, got)
		}
	}
}

package steps

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"strings"

	"juvalogos/core/deskfile"
	"juvalogos/core/evidence"
	"juvalogos/core/jsontext"
	"juvalogos/core/prompt"
	"juvalogos/core/quiz"
	"juvalogos/core/recipe"
	"juvalogos/core/templates"
)

type examineSet struct {
	Model string `yaml:"model" json:"model,omitempty" most:"200" about:"The model that is asked again for questions that do not hold; the desk's own if left out."`
	Again *int   `yaml:"again" json:"again,omitempty" least:"0" most:"5" about:"How often a question that does not hold is made again; 2 if left out."`
}

var _ asksModel = (*examineSet)(nil)

func (set *examineSet) modelNamed() string { return set.Model }

func (set *examineSet) foresee(f *foresight, _ *recipe.Step, voices []recipe.Voice) {
	f.add(set.Model, len(voices)**set.Again*foreseenBad, f.reply)
}

// foreseenBad is for how many questions at most it is reckoned beforehand that they have to be
// made again.
const foreseenBad = 10

// examine holds questions against the text that they were made from, and has those made again
// that do not hold.
func examine() step {
	return step{
		StepKind: recipe.StepKind{
			Name: "examine",
			About: "Makes a quiz of questions that a model wrote: each is held against its section, its options " +
				"against each other, and the questions against each other. What does not hold is made again, and " +
				"left out in the end.",
			In: []recipe.Port{
				{Name: "made", Type: recipe.ListOf(recipe.ListOf(recipe.Data)), Need: true,
					About: "for each section the questions: question, right, wrong (a list) and quote"},
				{Name: "sections", Type: recipe.ListOf(recipe.Passage), Need: true, About: "the sections"},
				{Name: "title", Type: recipe.Text, About: "what the quiz is called"},
				{Name: "subject", Type: recipe.Text, About: "what it is called where that would be long"},
				{Name: "number", Type: recipe.Number, About: "how many questions are wanted; all if left out"},
				{Name: "language", Type: recipe.Text,
					About: "the language of the questions, where it is not the text's: then only the quoted words " +
						"can be held against that"},
			},
			Out: []recipe.Port{
				{Name: "quiz", Type: recipe.QuizOf, About: "what holds, with what was left out and why"},
				{Name: "text", Type: recipe.Text, About: "what has become of it, in a sentence or two"},
				{Name: "count", Type: recipe.Number, About: "how many questions there are"},
			},
			Set: func() any { return &examineSet{Again: new(2)} },
		},
		do: examined,
	}
}

// questionSchema is what a model writes of a question.
var questionSchema = map[string]any{"type": "object", "required": []any{"question", "right", "wrong", "quote"},
	"properties": map[string]any{"question": map[string]any{"type": "string", "minLength": 1},
		"right": map[string]any{"type": "string", "minLength": 1},
		"wrong": map[string]any{"type": "array", "minItems": 1, "items": map[string]any{"type": "string"}},
		"quote": map[string]any{"type": "string"}}}

func examined(t *RunContext, ctx context.Context, c *recipe.Call) (recipe.Values, error) {
	set := c.Set.(*examineSet)
	sections, err := recipe.List[evidence.Passage](c.In["sections"])
	if err != nil {
		return nil, err
	}
	lists, _ := c.In["made"].([]any)
	var all []quiz.Question
	for i, list := range lists {
		items, _ := list.([]any)
		for _, item := range items {
			if i < len(sections) {
				all = append(all, questionOf(item, sections[i], text(c.In, "language") != ""))
			}
		}
	}
	if len(all) == 0 {
		return nil, errors.New("no question was made; look at what the model wrote, and what became of it before it " +
			"came here")
	}
	bad, madeAgain := 0, 0
	for round := 0; ; round++ {
		flaws := quiz.Check(all)
		if round == 0 {
			for _, f := range flaws {
				if len(f) > 0 {
					bad++
				}
			}
		}
		if round == *set.Again {
			break
		}
		done := true
		for i := range all {
			if len(flaws[i]) == 0 || all[i].Source == nil {
				continue
			}
			done = false
			better, err := t.better(ctx, c, set, all[i], flaws[i])
			if err != nil {
				if ctx.Err() != nil {
					return nil, err
				}
				c.Note(fmt.Sprintf("question %d could not be made again: %v", i+1, err))
				continue
			}
			all[i] = better
			madeAgain++
		}
		if done {
			break
		}
	}
	q := quizOf(all, c)
	q.Title = cmp.Or(strings.TrimSpace(text(c.In, "title")), "Quiz")
	if subject := strings.TrimSpace(text(c.In, "subject")); len(q.Title) > longTitle && subject != "" {
		q.Title = subject
	}
	c.Note(fmt.Sprintf("of %d questions %d did not hold at first; %d were made again, %d are left out", len(all), bad,
		madeAgain, len(q.Dropped)))
	said := fmt.Sprintf("%d questions on %s.", len(q.Questions), q.Title)
	if len(q.Questions) == 1 {
		said = fmt.Sprintf("One question on %s.", q.Title)
	}
	if most, is := c.In["number"].(float64); is && len(q.Questions) < int(most) {
		said += fmt.Sprintf(" %.0f were wanted; the text gave no more.", most)
	}
	if n := len(q.Dropped); n > 0 {
		said += fmt.Sprintf(" %d more did not hold against the text and are left out.", n)
	}
	if len(q.Questions) == 0 {
		return nil, fmt.Errorf("none of %d questions holds against the text; the first: %s", len(all), q.Dropped[0].Why)
	}
	return recipe.Values{"quiz": q, "text": said, "count": float64(len(q.Questions))}, nil
}

// aroundQuote is how many bytes of the section are kept on either side of a question's words.
const aroundQuote = 1200

// longTitle is how many bytes make a title long.
const longTitle = 60

// quizOf is a quiz of the questions that hold, as many as are wanted, from all over the text.
func quizOf(all []quiz.Question, c *recipe.Call) quiz.Quiz {
	q := quiz.Quiz{Questions: []quiz.Question{}}
	for i, flaws := range quiz.Check(all) {
		if len(flaws) > 0 {
			q.Dropped = append(q.Dropped, quiz.Dropped{Question: all[i].Text, Why: string(flaws[0])})
			continue
		}
		q.Questions = append(q.Questions, all[i])
	}
	if most, is := c.In["number"].(float64); is && most >= 1 {
		q.Questions = spread(q.Questions, int(most))
	}
	for i := range q.Questions {
		one := &q.Questions[i]
		options := make([]quiz.Option, 0, len(one.Options))
		for _, at := range quiz.Order(one.Text, i, len(one.Options)) { // not the right one first
			options = append(options, one.Options[at])
		}
		one.Options = options
		if one.Source != nil { // its document has the rest
			at := max(0, strings.Index(one.Source.Passage.Text, one.Quote))
			one.Source.Passage = one.Source.Passage.Excerpt(at, at+len(one.Quote), aroundQuote)
		}
	}
	return q
}

// questionOf is a question as a model wrote it.
func questionOf(item any, section evidence.Passage, translated bool) quiz.Question {
	fields, _ := item.(map[string]any)
	q := quiz.Question{Source: &quiz.Source{Passage: section}, Translated: translated}
	q.Text, _ = fields["question"].(string)
	q.Quote, _ = fields["quote"].(string)
	right, _ := fields["right"].(string)
	q.Options = []quiz.Option{{Text: strings.TrimSpace(right), Right: true}}
	wrong, _ := fields["wrong"].([]any)
	for _, w := range wrong {
		if said, _ := w.(string); strings.TrimSpace(said) != "" && len(q.Options) < quiz.MostOptions {
			q.Options = append(q.Options, quiz.Option{Text: strings.TrimSpace(said)})
		}
	}
	q.Text = strings.TrimSpace(q.Text)
	q.Locate()
	return q
}

// better asks for a question in the place of one that does not hold.
func (t *RunContext) better(ctx context.Context, c *recipe.Call, set *examineSet, q quiz.Question,
	flaws []quiz.Flaw) (quiz.Question, error) {
	var said strings.Builder
	for _, f := range flaws {
		said.WriteString("- " + string(f) + "\n")
	}
	options := len(q.Options)
	messages := []prompt.Message{{Role: prompt.System, Text: fmt.Sprintf(askingBetter, max(1, options-1)) + "\n" +
		templates.OnlyMaterial},
		{Role: prompt.User, Text: fmt.Sprintf("The question: %s\nIts options: %s\nWhat is wrong:\n%s\n%s", q.Text,
			optionsOf(q),
			said.String(), templates.Fence(q.Source.Passage.Text))}}
	schema, err := jsontext.Compile(questionSchema)
	if err != nil {
		return q, err
	}
	ask := func(m []prompt.Message) (string, error) {
		return t.whole(ctx, c, set.Model, Ask{Messages: m, Schema: questionSchema,
			Sampling: deskfile.Sampling{Temperature: new(0.4), MaxTokens: t.Sampling.MaxTokens}})
	}
	first, err := ask(messages)
	if err != nil {
		return q, err
	}
	found, err := extraction{schema: schema, plain: questionSchema, again: 1, note: c.Note, ask: ask}.data(first,
		messages)
	if err != nil {
		return q, err
	}
	return questionOf(found.Value, q.Source.Passage, q.Translated), nil
}

func optionsOf(q quiz.Question) string {
	all := make([]string, len(q.Options))
	for i, o := range q.Options {
		all[i] = o.Text
	}
	return strings.Join(all, " / ")
}

const askingBetter = "A question of a quiz does not hold. Write another in its place, on the text that " +
	"follows, without what is wrong with this one. Answer with JSON and nothing else: {\"question\": \"...\", " +
	"\"right\": \"the right option\", \"wrong\": [%d wrong options], \"quote\": \"the sentence of the text, word for " +
	"word, that makes the right option right\"}. Options are short and of about one length."

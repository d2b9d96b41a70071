package steps

import (
	"context"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"juvalogos/core/deskfile"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/core/tables"
)

type querySet struct {
	Model string `yaml:"model" json:"model,omitempty" most:"200" about:"The model that is asked again; the desk's own if left out."`
	Again *int   `yaml:"again" json:"again,omitempty" least:"0" most:"5" about:"How often the model is asked again, with what was wrong; 2 if left out."`
	Rows  int    `yaml:"rows" json:"rows" least:"1" most:"5000" about:"The most rows that the reply keeps; 500 if left out. Visitors can have the rest."`
	Told  int    `yaml:"told" json:"told" least:"1" most:"500" about:"The most rows that text has; 30 if left out."`
}

var _ asksModel = (*querySet)(nil)

func (set *querySet) modelNamed() string { return set.Model }

func (set *querySet) foresee(f *foresight, s *recipe.Step, voices []recipe.Voice) {
	if f.given(s, "text") {
		f.add(set.Model, len(voices)**set.Again, f.reply)
	}
}

func (set *querySet) certain(f *foresight, s *recipe.Step) recipe.Values {
	if f.given(s, "text") {
		return nil
	}
	return recipe.Values{"unsaid": false}
}

// query runs a query on the tables at hand.
func query() step {
	return step{
		StepKind: recipe.StepKind{
			Name: "query",
			About: "Runs one query that only reads on the tables at hand, and asks the model again with " +
				"what was wrong if need be. The query is looked at as the engine parsed it: what could change, " +
				"make or " +
				"read anything else is refused.",
			In: []recipe.Port{
				{Name: "query", Type: recipe.Text, About: "the query; where there is none, text has it"},
				{Name: "text", Type: recipe.Text, About: "what a model wrote, a query somewhere in it"},
				{Name: "prompt", Type: recipe.Prompt, About: "what it had been asked, for asking again"},
			},
			Out: []recipe.Port{
				{Name: "result", Type: recipe.ResultOf, About: "what came out: columns, rows, what was done"},
				{Name: "text", Type: recipe.Text, About: "the first rows for a prompt"},
				{Name: "done", Type: recipe.Truth, About: "whether anything was worked out"},
				{Name: "unsaid", Type: recipe.Truth,
					About: "whether a model wrote the query, and has yet to say what " +
						"came out"},
				{Name: "says", Type: recipe.Text, About: "where nothing was: why, in a sentence to the visitor"},
			},
			Set:         func() any { return &querySet{Again: new(2), Rows: 500, Told: 30} },
			Uncacheable: true,
		},
		do: runQuery,
	}
}

func runQuery(t *RunContext, ctx context.Context, c *recipe.Call) (recipe.Values, error) {
	set := c.Set.(*querySet)
	none := func(why string) (recipe.Values, error) {
		return recipe.Values{"result": nil, "text": "", "done": false, "unsaid": false,
			"says": why}, nil
	}
	all, err := t.tables(ctx)
	if err != nil {
		return nil, err
	}
	if len(all) == 0 {
		return none("There is no table here yet that could be asked.")
	}
	wanted, said := strings.TrimSpace(text(c.In, "query")), text(c.In, "text")
	messages, _ := c.In["prompt"].([]prompt.Message)
	byModel := wanted == ""
	for again := 0; ; again++ {
		wrong, tooMuch := "", false
		if byModel {
			var why string
			if wanted, why = queryIn(said); why != "" {
				return none(why)
			}
		}
		if wanted == "" {
			wrong = "there is no query in your answer; write one SELECT between ```sql and ```"
		} else {
			result, err := t.Tables.Ask(ctx, wanted, set.Rows)
			var refused *tables.Refused
			if err == nil {
				result.Query = wanted
				c.Note(fmt.Sprintf("%d rows came out of it", result.Total))
				return recipe.Values{"result": result, "text": toldOf(&result, set.Told), "done": true,
					"unsaid": byModel,
					"says":   ""}, nil
			}
			if !errors.As(err, &refused) {
				return nil, err
			}
			wrong, tooMuch = refused.What, !refused.TooMuch.IsZero() && (again > 0 || !byModel)
		}
		c.Note("the query does not run: " + wrong)
		if tooMuch {
			return none("Working this out takes too long here, or too much memory. Ask for less at once: of fewer " +
				"rows, or of one table alone.")
		}
		if !byModel || again >= *set.Again || messages == nil {
			return none("This could not be worked out from the table. Ask it in other words, or with the names of " +
				"columns.")
		}
		messages = append(slices.Clone(messages), prompt.Message{Role: prompt.Assistant, Text: said},
			prompt.Message{Role: prompt.User,
				Text: "That query does not run: " + wrong + "\nWrite it anew, one SELECT " +
					"between ```sql and ```, and nothing else."})
		said, err = t.whole(ctx, c, set.Model, Ask{Messages: messages,
			Sampling: deskfile.Sampling{Temperature: new(0.0), MaxTokens: t.Sampling.MaxTokens}})
		if err != nil {
			return nil, err
		}
	}
}

// toldOf is a result for a prompt.
func toldOf(r *tables.Result, most int) string {
	shown := min(len(r.Rows), most)
	head := fmt.Sprintf("%d rows came out", r.Total)
	if r.Total == 1 {
		head = "1 row came out"
	}
	if int64(shown) < r.Total {
		head += fmt.Sprintf("; the first %d", shown)
	}
	return head + ":\n" + r.Text(most)
}

var (
	fenced = regexp.MustCompile("(?s)```[a-zA-Z]*[ \t]*\n(.*?)(?:```|\\z)")
	// notThere is how a model says that no table holds the answer.
	notThere = regexp.MustCompile(`(?im)^\W*NO ANSWER\b[\s:.–-]*(.*)$`)
)

// queryIn is the query in what a model said: the last that it put between fences, or all
// of it where it begins like one. why is set where it says that there is no answer.
func queryIn(said string) (query, why string) {
	blocks := fenced.FindAllStringSubmatch(said, -1)
	for _, b := range slices.Backward(blocks) {
		if text := strings.TrimSpace(b[1]); looksLikeQuery(text) {
			return text, ""
		}
	}
	if m := notThere.FindStringSubmatch(said); m != nil {
		if why = strings.TrimSpace(m[1]); why == "" {
			why = "The tables do not say this."
		}
		return "", why
	}
	if text := strings.TrimSpace(said); looksLikeQuery(text) {
		return text, ""
	}
	return "", ""
}

func looksLikeQuery(text string) bool {
	word, _, _ := strings.Cut(strings.ToUpper(strings.TrimLeft(text, "( \n")), " ")
	word, _, _ = strings.Cut(word, "\n")
	return word == "SELECT" || word == "WITH" || word == "FROM" || word == "VALUES"
}

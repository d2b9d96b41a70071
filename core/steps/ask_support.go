package steps

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"

	"juvalogos/core/citing"
	"juvalogos/core/deskfile"
	"juvalogos/core/evidence"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/core/templates"
)

// mostJudged are how many sentences a model is asked about.
const mostJudged = 20

// longestJudgement is how many tokens it may take.
const longestJudgement = 1500

const judgeSentences = "Below are numbered passages and numbered sentences. For each sentence that a passage says, " +
	"or of which a passage says the opposite, give the number of the sentence, whether it says the same " +
	"(\"same\") or something else (\"otherwise\"), the number of the passage, and the very words of the passage that " +
	"say so, copied exactly. Leave out sentences of which no passage says anything. Judge by the passages alone."

// judgementSchema is what a model answers in.
var judgementSchema = map[string]any{
	"type": "array", "items": map[string]any{"type": "object",
		"required": []any{"sentence", "says", "passage", "words"}, "properties": map[string]any{
			"sentence": map[string]any{"type": "integer"}, "passage": map[string]any{"type": "integer"},
			"says":  map[string]any{"type": "string", "enum": []any{"same", "otherwise"}},
			"words": map[string]any{"type": "string"}}},
}

// askSupport has a model say which of the sentences that were checked passages say; what
// it cannot say is left as it was judged.
func askSupport(t *RunContext, ctx context.Context, c *recipe.Call, model string, checked citing.Checked,
	passages []evidence.Passage) []citing.Told {
	var claims, said strings.Builder
	places := []int{} // of the sentences that are asked about
	for i, s := range checked.Sentences {
		if s.Support != evidence.Unsupported && s.Support != evidence.Supported || len(places) == mostJudged {
			continue
		}
		places = append(places, i)
		fmt.Fprintf(&claims, "%d. %s\n", len(places), strings.TrimSpace(checked.Text[s.From:s.To]))
	}
	if len(places) == 0 {
		return nil
	}
	for i, p := range passages {
		fmt.Fprintf(&said, "[%d] %s\n%s\n\n", i+1, p.Title, p.Text)
	}
	messages := []prompt.Message{{Role: prompt.System, Text: judgeSentences + " " + templates.OnlyMaterial},
		{Role: prompt.User, Text: "Passages:\n" + templates.Fence(strings.TrimSpace(said.String())) +
			"\n\nSentences:\n" + templates.Fence(strings.TrimSpace(claims.String()))}}
	found, err := Fitting(messages, judgementSchema, func(m []prompt.Message) (string, error) {
		return t.whole(ctx, c, model, Ask{Messages: m, Schema: judgementSchema,
			Sampling: deskfile.Sampling{Temperature: new(0.0), MaxTokens: longestJudgement}})
	})
	if err != nil {
		c.Note("no model judged the sentences: " + err.Error())
		return nil
	}
	var all []struct {
		Sentence, Passage int
		Says, Words       string
	}
	if err := json.Unmarshal([]byte(found), &all); err != nil {
		c.Note("no model judged the sentences: " + err.Error())
		return nil
	}
	var told []citing.Told
	for _, one := range all {
		if one.Sentence >= 1 && one.Sentence <= len(places) {
			told = append(told, citing.Told{Sentence: places[one.Sentence-1], Passage: one.Passage, Words: one.Words,
				Otherwise: one.Says == "otherwise"})
		}
	}
	return told
}

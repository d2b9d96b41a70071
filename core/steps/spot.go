package steps

import (
	"context"
	"fmt"
	"strings"

	"juvalogos/core/recipe"
	"juvalogos/core/spotting"
)

type spotSet struct {
	Others int     `yaml:"others" json:"others" least:"0" most:"10" about:"How many other answers are given beside the first; 3 if left out."`
	Least  float64 `yaml:"least" json:"least" least:"0" most:"1" about:"The confidence, between 0 and 1, below which there is no answer; 0.15 if left out."`
}

// spot answers a short question with the very words of a passage.
func spot() step {
	return step{
		Kind: recipe.Kind{
			Name: "spot", About: "Answers a short factual question with the very words of a passage, with a confidence. No model is asked.",
			In: []recipe.Port{
				{Name: "question", Type: recipe.Text, Need: true, About: "a short question: who, when, where, how many, what"},
				{Name: "passages", Type: recipe.ListOf(recipe.Data), Need: true, About: "what retrieve found"},
				{Name: "sure", Type: recipe.Number, About: "how likely they are to answer at all, 0 to 1"},
			},
			Out: []recipe.Port{
				{Name: "text", Type: recipe.Text, About: "the answer as a reply, with the sentence it stands in"},
				{Name: "answer", Type: recipe.Text, About: "the very words; nothing if there is no answer"},
				{Name: "confidence", Type: recipe.Number, About: "how often answers like it are right, 0 to 1"},
				{Name: "answers", Type: recipe.ListOf(recipe.Data), About: "the answer and the others, the best first: answer, confidence, passage, sentence"},
				{Name: "margin", Type: recipe.Sources, About: "where the answer stands"},
			},
			Set: func() any { return &spotSet{Others: 3, Least: 0.15} },
		},
		do: func(_ *Turn, _ context.Context, c *recipe.Call) (recipe.Values, error) {
			set := c.Set.(*spotSet)
			given, _ := c.In["passages"].([]any)
			passages := make([]spotting.Passage, len(given))
			for i, p := range given {
				m, _ := p.(map[string]any)
				passages[i].Title, _ = m["title"].(string)
				passages[i].Text, _ = m["text"].(string)
				if path, _ := m["path"].(string); path != "" {
					passages[i].Path = strings.Split(path, " > ")
				}
			}
			sure, known := c.In["sure"].(float64)
			if !known {
				sure = 1
			}
			question := text(c.In, "question")
			found := spotting.Find(question, passages, sure, 1+set.Others)
			out := told(found, given, set.Least, sure)
			if !spotting.Factual(question) {
				out["text"] = "Here a few words of the documents answer who, when, where, what and how many; this question asks for more."
			}
			return out, nil
		},
	}
}

// told makes a reply of answers.
func told(found []spotting.Answer, given []any, least, sure float64) recipe.Values {
	answers := []any{}
	for _, a := range found {
		passage, _ := given[a.Passage].(map[string]any)
		body, _ := passage["text"].(string)
		answers = append(answers, map[string]any{
			"answer": a.Text, "confidence": a.Confidence, "passage": float64(a.Passage + 1), "title": passage["title"], "sentence": body[a.Sentence[0]:a.Sentence[1]],
		})
	}
	margin := map[string]any{"sentences": []any{}, "passages": []any{}, "supported": false, "answers": false}
	if len(found) == 0 || found[0].Confidence < least {
		near := []any{}
		if sure >= leastNear {
			near = given[:min(3, len(given))]
		}
		margin["passages"] = near
		return recipe.Values{"text": "I found no answer.", "answer": "", "confidence": 0.0, "answers": answers, "margin": margin}
	}
	var b strings.Builder
	sentences, sources := []any{}, []any{}
	used := map[int]bool{}
	for i, a := range found {
		if i > 0 && a.Confidence < least {
			break
		}
		passage, _ := given[a.Passage].(map[string]any)
		body, _ := passage["text"].(string)
		switch i {
		case 0:
		case 1:
			b.WriteString("\n\nOther answers:\n\n")
		}
		from := b.Len()
		if i == 0 {
			fmt.Fprintf(&b, "**%s** [%d]", plainly(a.Text), a.Passage+1)
		} else {
			fmt.Fprintf(&b, "- %s [%d]", plainly(a.Text), a.Passage+1)
			from += len("- ")
		}
		to := b.Len()
		if i == 0 {
			fmt.Fprintf(&b, "\n\n%s: answers like this are right %s.", sureness(a.Confidence), inTen(a.Confidence))
		} else {
			fmt.Fprintf(&b, " (%.0f %%)\n", 100*a.Confidence)
		}
		// The quote is the sentence; what is lit in it is the answer.
		n := map[string]any{"passage": float64(a.Passage + 1), "quote": body[a.Sentence[0]:a.Sentence[1]]}
		mark(n, passage, a.From, a.To)
		sentences = append(sentences, map[string]any{"from": float64(from), "to": float64(to), "support": "supported", "notes": []any{n}})
		if !used[a.Passage] {
			used[a.Passage] = true
			sources = append(sources, passage)
		}
	}
	margin["sentences"], margin["passages"], margin["supported"], margin["answers"] = sentences, sources, true, true
	return recipe.Values{"text": strings.TrimSpace(b.String()), "answer": found[0].Text, "confidence": found[0].Confidence, "answers": answers, "margin": margin}
}

// plainly keeps a quoted text from being read as Markdown, and on one line.
func plainly(text string) string {
	var b strings.Builder
	for _, r := range strings.Join(strings.Fields(text), " ") {
		if strings.ContainsRune("\\`*_[]<>#|~", r) {
			b.WriteByte('\\')
		}
		b.WriteRune(r)
	}
	return b.String()
}

func sureness(c float64) string {
	switch {
	case c >= 0.8:
		return "Quite sure"
	case c >= 0.5:
		return "Fairly sure"
	}
	return "Not sure"
}

func inTen(c float64) string {
	n := min(9, int(c*10+0.5))
	if n <= 1 {
		return "about once in ten times"
	}
	return fmt.Sprintf("about %d times in ten", n)
}

package steps

import (
	"context"
	"fmt"
	"strings"

	"juvalogos/core/evidence"
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
		StepKind: recipe.StepKind{
			Name: "spot", About: "Answers a short factual question with the very words of a passage, with a " +
				"confidence. No model is asked.",
			In: []recipe.Port{
				{Name: "question", Type: recipe.Text, Need: true,
					About: "a short question: who, when, where, how many, what"},
				{Name: "passages", Type: recipe.ListOf(recipe.Passage), Need: true, About: "what retrieve found"},
				{Name: "sure", Type: recipe.Number, About: "how likely they are to answer at all, 0 to 1"},
				{Name: "foreign", Type: recipe.ListOf(recipe.Text), About: "what retrieve found of them: where the " +
					"question is in another one, the margin says so"},
			},
			Out: []recipe.Port{
				{Name: "text", Type: recipe.Text, About: "the answer as a reply, with the sentence it stands in"},
				{Name: "answer", Type: recipe.Text, About: "the very words; nothing if there is no answer"},
				{Name: "confidence", Type: recipe.Number, About: "how often answers like it are right, 0 to 1"},
				{Name: "answers", Type: recipe.ListOf(recipe.Answer),
					About: "the answer and the others, the best first: answer, confidence, passage, sentence"},
				{Name: "margin", Type: recipe.Sources, About: "where the answer stands"},
			},
			Set: func() any { return &spotSet{Others: 3, Least: 0.15} },
		},
		do: func(_ *RunContext, _ context.Context, c *recipe.Call) (recipe.Values, error) {
			set := c.Set.(*spotSet)
			passages, err := recipe.List[evidence.Passage](c.In["passages"])
			if err != nil {
				return nil, err
			}
			sure, known := c.In["sure"].(float64)
			if !known {
				sure = 1
			}
			question := text(c.In, "question")
			found := spotting.Find(question, passages, sure, 1+set.Others)
			out := told(found, passages, set.Least, sure)
			margin := out["margin"].(evidence.Sources)
			if err := askedIn(&margin, c.In); err != nil {
				return nil, err
			}
			out["margin"] = margin
			if !spotting.Factual(question) {
				out["text"] = "Here a few words of the documents answer who, when, where, what and how many; this " +
					"question asks for more."
			}
			return out, nil
		},
	}
}

// told makes a reply of answers.
func told(found []spotting.Answer, passages []evidence.Passage, least, sure float64) recipe.Values {
	answers := make([]evidence.Answer, len(found))
	for i, a := range found {
		p := passages[a.Passage]
		answers[i] = evidence.Answer{
			Text: a.Text, Confidence: a.Confidence, Passage: p.Number, Title: p.Title,
			Sentence: p.Text[a.Sentence[0]:a.Sentence[1]],
		}
	}
	out := recipe.Values{"text": "I found no answer.", "answer": "", "confidence": 0.0,
		"answers": recipe.Listed(answers)}
	if len(found) == 0 || found[0].Confidence < least {
		out["margin"] = marginOf(nil, passages, sure >= leastNear)
		return out
	}
	text, sentences := replyOf(found, passages, least)
	margin := marginOf(sentences, passages, false)
	margin.Answers = true
	out["text"], out["margin"], out["answer"], out["confidence"] = text, margin, found[0].Text, found[0].Confidence
	return out
}

// replyOf is a reply that tells the best answer and the others that are likely
// enough, and its sentences: the stretches that are answers.
func replyOf(found []spotting.Answer, passages []evidence.Passage, least float64) (string, []evidence.Sentence) {
	var b strings.Builder
	var sentences []evidence.Sentence
	for i, a := range found {
		if i > 0 && a.Confidence < least {
			break
		}
		p := passages[a.Passage]
		if i == 1 {
			b.WriteString("\n\nOther answers:\n\n")
		}
		if i > 0 {
			b.WriteString("- ")
		}
		from := b.Len()
		if i == 0 {
			fmt.Fprintf(&b, "**%s** [%d]", plainly(a.Text), p.Number)
		} else {
			fmt.Fprintf(&b, "%s [%d]", plainly(a.Text), p.Number)
		}
		to := b.Len()
		if i == 0 {
			fmt.Fprintf(&b, "\n\n%s: answers like this are right %s.", sureness(a.Confidence), inTen(a.Confidence))
		} else {
			fmt.Fprintf(&b, " (%.0f %%)\n", 100*a.Confidence)
		}
		// The quote is the sentence; what is lit in it is the answer.
		note := p.NoteOf(a.Sentence, [2]int{a.From, a.To})
		sentences = append(sentences, evidence.Sentence{From: from, To: to, Support: evidence.Supported,
			Notes: []evidence.Note{note}})
	}
	return strings.TrimSpace(b.String()), sentences
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

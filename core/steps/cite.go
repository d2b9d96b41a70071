package steps

import (
	"context"
	"strings"

	"juvalogos/core/citing"
	"juvalogos/core/recipe"
)

// cite holds what a model said against the passages that it was given.
func cite() step {
	return step{
		Kind: recipe.Kind{
			Name: "cite", About: "Holds a text against the passages that it refers to: references to nothing are taken out, wrong numbers mended, and each sentence is told what it rests on. No model is asked.",
			In: []recipe.Port{
				{Name: "text", Type: recipe.Text, Need: true, About: "what the model said; where this step's text is the reply, it is shown as it grows and mended at the end"},
				{Name: "passages", Type: recipe.ListOf(recipe.Data), Need: true, About: "what retrieve found"},
				{Name: "answers", Type: recipe.Truth, About: "whether they are likely to answer"},
				{Name: "documents", Type: recipe.Truth, About: "whether there was anything to look through; where there was not, the text stays as it is"},
				{Name: "sure", Type: recipe.Number, About: "how likely, 0 to 1: what is near is offered only where there is some likelihood"},
			},
			Out: []recipe.Port{
				{Name: "text", Type: recipe.Text, About: "the text, mended"},
				{Name: "margin", Type: recipe.Sources, About: "its sentences with the passages they rest on"},
				{Name: "supported", Type: recipe.Truth, About: "whether any sentence rests on a passage"},
			},
			Follows: "text",
		},
		do: func(_ *Turn, _ context.Context, c *recipe.Call) (recipe.Values, error) {
			if any, known := c.In["documents"].(bool); known && !any {
				return recipe.Values{"text": text(c.In, "text"), "margin": nil, "supported": false}, nil
			}
			passages, _ := c.In["passages"].([]any)
			texts := make([]string, len(passages))
			for i, p := range passages {
				if m, is := p.(map[string]any); is {
					texts[i], _ = m["text"].(string)
				}
			}
			checked := citing.Check(text(c.In, "text"), texts)
			answers, _ := c.In["answers"].(bool)
			sure, known := c.In["sure"].(float64)
			near := !known || sure >= leastNear
			supported := false
			used := map[int]bool{}
			sentences := make([]any, len(checked.Sentences))
			for i, s := range checked.Sentences {
				notes := []any{}
				for _, n := range s.Notes {
					used[n.Passage] = true
					supported = true
					notes = append(notes, note(n, passages[n.Passage-1]))
				}
				sentences[i] = map[string]any{"from": float64(s.From), "to": float64(s.To), "support": string(s.Support), "notes": notes}
			}
			sources := []any{}
			for i, p := range passages {
				m, is := p.(map[string]any)
				// Where nothing supports, what is near is offered.
				if is && (used[i+1] || !supported && near && i < 3) {
					sources = append(sources, m)
				}
			}
			margin := map[string]any{"sentences": sentences, "passages": sources, "supported": supported, "answers": answers}
			return recipe.Values{"text": checked.Text, "margin": margin, "supported": supported}, nil
		},
	}
}

// leastNear is how likely something found must answer to be offered where the
// reply rests on nothing.
const leastNear = 0.2

// note is a note with the place of its quote: the stretches of the document
// that it stands in.
func note(n citing.Note, p any) map[string]any {
	out := map[string]any{"passage": float64(n.Passage), "quote": n.Quote}
	m, _ := p.(map[string]any)
	text, _ := m["text"].(string)
	if begin := strings.Index(text, n.Quote); begin >= 0 {
		mark(out, m, begin, begin+len(n.Quote))
	}
	return out
}

// mark adds to a note the place of a stretch of a passage: bytes of its text.
func mark(out, passage map[string]any, begin, end int) {
	text, _ := passage["text"].(string)
	spans, _ := passage["spans"].([]any)
	marks := []any{}
	section, _ := passage["path"].(string)
	section = section[strings.LastIndex(section, " > ")+1:]
	section = strings.TrimPrefix(section, "> ")
	at := 0 // in the text, which has the spans line by line
	for _, s := range spans {
		span, _ := s.(map[string]any)
		from, _ := span["from"].(float64)
		to, _ := span["to"].(float64)
		length := int(to - from)
		if heading, _ := span["heading"].(bool); heading && at < begin && at+length <= len(text) {
			section = text[at : at+length]
		}
		if a, b := max(begin, at), min(end, at+length); a < b {
			if place := placeAt(span, from+float64(a-at)); len(marks) == 0 && place != "" {
				out["place"] = place
			}
			marks = append(marks, map[string]any{"block": span["block"], "from": from + float64(a-at), "to": from + float64(b-at)})
		}
		at += length + 1
	}
	out["marks"] = marks
	out["section"] = section
}

// placeAt is the place of a byte of a block, within a span of it.
func placeAt(span map[string]any, offset float64) string {
	place, _ := span["place"].(string)
	turns, _ := span["turns"].([]any)
	for _, t := range turns {
		turn, _ := t.(map[string]any)
		if at, is := turn["at"].(float64); is && at <= offset {
			place, _ = turn["place"].(string)
		}
	}
	return place
}

package steps

import (
	"strings"
	"testing"

	"juvalogos/core/recipe"
)

func TestForesee(t *testing.T) {
	const compose = "steps:\n  - {name: p, do: compose, from: {q: question}, set: {user: '{{.q}}'}}\n"
	voices := []any{recipe.Voice{Model: "a", MaxTokens: 50}, recipe.Voice{Model: "b"}, recipe.Voice{}}
	builtIn := func(name string) string { src, _ := Source(name); return string(src) }
	for name, c := range map[string]struct {
		text     string
		settings recipe.Values
		want     []Foreseen
		open     bool
	}{
		"one call": {compose + "  - {name: a, do: generate, from: {prompt: p.prompt}}\nreply: a.text\n", nil,
			[]Foreseen{{"", 1, 1000, 300}}, false},
		"its own longest, alternatives, its own model": {compose +
			"  - {name: a, do: generate, from: {prompt: p.prompt}, set: {model: c, alternatives: 3, max_tokens: " +
			"20}}\nreply: a.texts\nshow: cards\n", nil,
			[]Foreseen{{"c", 3, 3000, 60}}, false},
		"at least so many words": {compose + "  - {name: a, do: generate, from: {prompt: p.prompt}, set: {least: " +
			"5}}\nreply: a.text\n", nil, []Foreseen{{"", 4, 4000, 1200}}, false},
		"asked again for JSON": {compose + "  - {name: a, do: generate, from: {prompt: p.prompt}}\n" +
			"  - {name: d, do: extract, from: {text: a.text}, set: {again: 1}}\nreply: d.text\n", nil,
			[]Foreseen{{"", 2, 2000, 600}}, false},
		"each of an unknown list": {"limits: {calls: 5, tokens: 100000}\n" + compose +
			"  - {name: a, do: generate, from: {prompt: p.prompt}, set: {alternatives: 2}}\n" +
			"  - {name: b, do: generate, each: a.texts, from: {prompt: p.prompt}}\n" +
			"  - {name: j, do: join, from: {parts: b.text}}\nreply: j.text\n", nil,
			[]Foreseen{{"", 5, 5000, 1500}}, true},
		"no more tokens than the limit": {"limits: {tokens: 650}\n" + compose +
			"  - {name: a, do: generate, from: {prompt: p.prompt}}\nreply: a.text\n", nil,
			[]Foreseen{{"", 1, 500, 150}}, false},
		"contrast": {builtIn("contrast"), recipe.Values{"voices": voices},
			[]Foreseen{{"a", 1, 1000, 50}, {"b", 1, 1000, 300}, {"", 1, 1000, 300}}, false},
		"reckon": {builtIn("reckon"), recipe.Values{"reader": "first"},
			[]Foreseen{{"", 4, 4000, 1200}}, false},
		"reckon where no model is named": {builtIn("reckon"), recipe.Values{"reader": "first"}, nil, false},
		"reckon without a model":         {builtIn("reckon"), recipe.Values{"reader": "alone"}, nil, false},
		"continue": {builtIn("continue"), recipe.Values{"alternatives": 4.0, "most": 70.0},
			[]Foreseen{{"", 4, 4000, 280}}, false},
	} {
		if strings.HasPrefix(c.text, "steps:") || strings.HasPrefix(c.text, "limits:") {
			c.text = "recipe: x\n" + c.text
		}
		r, err := Check("x.yaml", []byte(c.text))
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		model := "m"
		if strings.Contains(name, "no model is named") {
			model = ""
		}
		got, open := Foresee(r, c.settings, model, 1000, 300)
		same := len(got) == len(c.want) && open == c.open
		for i := range c.want {
			same = same && got[i] == c.want[i]
		}
		if !same {
			t.Errorf("%s: %+v, %v; expected %+v, %v", name, got, open, c.want, c.open)
		}
	}
}

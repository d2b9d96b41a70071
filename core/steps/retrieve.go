package steps

import (
	"context"
	"fmt"
	"strings"

	"juvalogos/core/evidence"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
)

// Shelves finds passages on the desk's shelves.
type Shelves interface {
	// Find finds the passages that answer a question.
	Find(ctx context.Context, w Wanted) (Finding, error)
	// Help is what the desk's model may help with.
	Help() Help
}

// Wanted is what is looked for.
type Wanted struct {
	Question string
	Within   string // only documents whose title or file name has these words; "": all
	Most     int    // passages
	// Texts: not in documents that are tables, which are asked otherwise.
	Texts bool
}

// Help is what a model may be asked for besides the answer.
type Help struct {
	Rephrase bool // the question in other words
	Choose   bool // among what was found
}

// Finding is what was found.
type Finding struct {
	Found    []evidence.Passage // the best first; not numbered yet
	Answers  float64            // how likely any of them answers, 0 to 1
	Least    float64            // how likely that must be to count as an answer, by the shelf's settings
	Passages int                // that were looked through
	// Elsewhere: no document's name has the words of within; all were looked
	// through.
	Elsewhere bool
	// AskedIn is the language of the question, like de, where no passage that was looked
	// through is in it; In are theirs. "": some are, or it is not known.
	AskedIn string
	In      []string
	// Note says where was looked, if not everywhere; "": everywhere.
	Note string
	// Asked are models that were asked for the vector of the question.
	Asked []*recipe.ModelCall
}

type retrieveSet struct {
	Most   int      `yaml:"most" json:"most" least:"1" most:"50" about:"The most passages; 6 if left out."`
	Tokens int      `yaml:"tokens" json:"tokens" least:"50" most:"1000000" about:"The most tokens of all of them together; 2000 if left out. What does not fit is left out from the end."`
	Texts  bool     `yaml:"texts" json:"texts,omitempty" about:"Not in documents that are tables, where these are asked by the step query."`
	Least  *float64 `yaml:"least" json:"least,omitempty" least:"0" most:"1" about:"How likely, between 0 and 1, something found must answer to count as an answer; what the shelf is set to if left out, usually 0.35."`
}

// retrieve finds passages on the desk's shelves.
func retrieve() step {
	return step{
		StepKind: recipe.StepKind{
			Name: "retrieve", About: "Finds the passages on the desk's shelves that answer a question, and judges " +
				"whether any does.",
			In: []recipe.Port{
				{Name: "question", Type: recipe.Text, Need: true, About: "what is looked for; it should stand alone"},
				{Name: "within", Type: recipe.Text, About: "only in documents whose title or file name has these " +
					"words, if there are such"},
			},
			Out: []recipe.Port{
				{Name: "passages", Type: recipe.ListOf(recipe.Passage),
					About: "what was found, the best first: number, title, place, path, text"},
				{Name: "text", Type: recipe.Text, About: "the passages for a prompt, each with its number in square " +
					"brackets"},
				{Name: "answers", Type: recipe.Truth, About: "whether something found is likely to answer"},
				{Name: "sure", Type: recipe.Number, About: "how likely, 0 to 1"},
				{Name: "documents", Type: recipe.Truth, About: "whether there was anything to look through"},
				{Name: "foreign", Type: recipe.ListOf(recipe.Text), About: "where the question is in another " +
					"language than all documents: its own and theirs, like de and en; empty otherwise"},
			},
			Set:         func() any { return &retrieveSet{Most: 6, Tokens: 2000} },
			Uncacheable: true,
		},
		do: func(t *RunContext, ctx context.Context, c *recipe.Call) (recipe.Values, error) {
			if t.Shelves == nil {
				return nil, fmt.Errorf("the desk has no shelves; name some in the desk file under shelves, or let " +
					"visitors attach documents")
			}
			set := c.Set.(*retrieveSet)
			finding, err := find(t, ctx, c, Wanted{Question: text(c.In, "question"), Within: text(c.In, "within"),
				Most: set.Most, Texts: set.Texts})
			for _, asked := range finding.Asked {
				c.Asked(asked)
			}
			if finding.Note != "" {
				c.Note(finding.Note)
			}
			if finding.Elsewhere {
				c.Note("no document's name has the words that were asked for; all were looked through")
			}
			if finding.AskedIn != "" {
				c.Note(fmt.Sprintf("the question is in another language (%s) than the documents (%s): only names and "+
					"numbers could be compared", finding.AskedIn, strings.Join(finding.In, ", ")))
			}
			if err != nil {
				return nil, err
			}
			passages, shown := fitting(finding.Found, set.Tokens)
			if len(passages) < len(finding.Found) {
				c.Note(fmt.Sprintf("%d of %d passages fit into %d tokens", len(passages), len(finding.Found),
					set.Tokens))
			}
			least := finding.Least
			if set.Least != nil {
				least = *set.Least
			}
			return recipe.Values{
				"passages": recipe.Listed(passages), "text": shown, "answers": finding.Answers >= least &&
					len(passages) > 0,
				"sure": finding.Answers, "documents": finding.Passages > 0, "foreign": languagesOf(finding),
			}, nil
		},
	}
}

// languagesOf is the language of the question and those of the documents, where they
// differ.
func languagesOf(f Finding) []any {
	if f.AskedIn == "" {
		return []any{}
	}
	return recipe.Listed(append([]string{f.AskedIn}, f.In...))
}

// askedIn tells a margin what retrieve found of languages.
func askedIn(margin *evidence.Sources, in recipe.Values) error {
	all, err := recipe.List[string](in["foreign"])
	if err == nil && len(all) > 0 {
		margin.AskedIn, margin.In = all[0], all[1:]
	}
	return err
}

// fitting numbers as many passages as fit into so many tokens, one at least,
// and sets them for a prompt.
func fitting(found []evidence.Passage, tokens int) (passages []evidence.Passage, shown string) {
	var b strings.Builder
	used := 0
	for i, p := range found {
		head := p.Title
		for _, h := range p.Path {
			if h != p.Title {
				head += " > " + h
			}
		}
		one := fmt.Sprintf("[%d] %s\n%s", i+1, head, strings.TrimSpace(p.Text))
		if used += (prompt.Estimate{}).Count(one) + 1; used > tokens && i > 0 {
			break
		}
		b.WriteString(one + "\n\n")
		p.Number = i + 1
		passages = append(passages, p)
	}
	return passages, strings.TrimSpace(b.String())
}

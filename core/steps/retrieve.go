package steps

import (
	"context"
	"fmt"
	"strings"

	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
)

// Shelves finds passages on the desk's shelves.
type Shelves interface {
	// Find finds the passages that answer a question. within limits it to
	// documents whose title or file name has these words; "": all.
	Find(ctx context.Context, question, within string, most int) (Finding, error)
	// Help is what the desk's model may help with.
	Help() Help
}

// Help is what a model may be asked for besides the answer.
type Help struct {
	Rephrase bool // the question in other words
	Choose   bool // among what was found
}

// Finding is what was found.
type Finding struct {
	Found    []Found // the best first
	Answers  float64 // how likely any of them answers, 0 to 1
	Passages int     // that were looked through
	// Elsewhere: no document's name has the words of within; all were looked
	// through.
	Elsewhere bool
	// Asked are models that were asked for the vector of the question.
	Asked []*recipe.ModelCall
}

// Found is a passage that was found.
type Found struct {
	Shelf    string
	Document int64
	Title    string // of the document
	Format   string
	Path     []string // headings above it
	Place    string   // page 3, line 12, at 1:05
	Text     string
	Number   int // of the passage in its document
	Score    float64
	Spans    any // where it stands, as JSON has it
}

type retrieveSet struct {
	Most   int     `yaml:"most" json:"most" least:"1" most:"50" about:"The most passages; 6 if left out."`
	Tokens int     `yaml:"tokens" json:"tokens" least:"50" most:"1000000" about:"The most tokens of all of them together; 2000 if left out. What does not fit is left out from the end."`
	Least  float64 `yaml:"least" json:"least" least:"0" most:"1" about:"How likely, between 0 and 1, something found must answer to count as an answer; 0.35 if left out."`
}

// retrieve finds passages on the desk's shelves.
func retrieve() step {
	return step{
		Kind: recipe.Kind{
			Name: "retrieve", About: "Finds the passages on the desk's shelves that answer a question, and judges whether any does.",
			In: []recipe.Port{
				{Name: "question", Type: recipe.Text, Need: true, About: "what is looked for; it should stand alone"},
				{Name: "within", Type: recipe.Text, About: "only in documents whose title or file name has these words, if there are such"},
			},
			Out: []recipe.Port{
				{Name: "passages", Type: recipe.ListOf(recipe.Data), About: "what was found, the best first: number, title, place, path, text"},
				{Name: "text", Type: recipe.Text, About: "the passages for a prompt, each with its number in square brackets"},
				{Name: "answers", Type: recipe.Truth, About: "whether something found is likely to answer"},
				{Name: "sure", Type: recipe.Number, About: "how likely, 0 to 1"},
				{Name: "documents", Type: recipe.Truth, About: "whether there was anything to look through"},
			},
			Set:    func() any { return &retrieveSet{Most: 6, Tokens: 2000, Least: 0.35} },
			Fickle: true,
		},
		do: func(t *Turn, ctx context.Context, c *recipe.Call) (recipe.Values, error) {
			if t.Shelves == nil {
				return nil, fmt.Errorf("the desk has no shelves; name some in the desk file under shelves, or let visitors attach documents")
			}
			set := c.Set.(*retrieveSet)
			finding, err := find(t, ctx, c, text(c.In, "question"), text(c.In, "within"), set.Most)
			for _, asked := range finding.Asked {
				c.Asked(asked)
			}
			if finding.Elsewhere {
				c.Note("no document's name has the words that were asked for; all were looked through")
			}
			found, sure := finding.Found, finding.Answers
			if err != nil {
				return nil, err
			}
			passages := []any{}
			var b strings.Builder
			used := 0
			for _, f := range found {
				head := f.Title
				for _, h := range f.Path {
					if h != f.Title {
						head += " > " + h
					}
				}
				shown := fmt.Sprintf("[%d] %s\n%s", len(passages)+1, head, strings.TrimSpace(f.Text))
				n := prompt.Estimate{}.Count(shown) + 1
				if used+n > set.Tokens && len(passages) > 0 {
					c.Note(fmt.Sprintf("%d of %d passages fit into %d tokens", len(passages), len(found), set.Tokens))
					break
				}
				used += n
				b.WriteString(shown + "\n\n")
				passages = append(passages, map[string]any{
					"number": float64(len(passages) + 1), "shelf": f.Shelf, "document": float64(f.Document), "title": f.Title, "format": f.Format,
					"path": strings.Join(f.Path, " > "), "place": f.Place, "text": f.Text, "passage": float64(f.Number), "score": f.Score, "spans": f.Spans,
				})
			}
			return recipe.Values{"passages": passages, "text": strings.TrimSpace(b.String()), "answers": sure >= set.Least && len(passages) > 0, "sure": sure, "documents": finding.Passages > 0}, nil
		},
	}
}

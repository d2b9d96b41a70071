package steps

import (
	"context"
	"errors"

	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
)

// Pages reads what addresses lead to.
type Pages interface {
	// Read reads a page or a file at an address, where the owner lets visitors reach.
	Read(ctx context.Context, address string) (Page, error)
}

// Page is what an address leads to, as it was read.
type Page struct {
	Title   string
	Address string // its own, whatever address led to it
	Text    string
}

type readSet struct {
	Tokens int `yaml:"tokens" json:"tokens" least:"50" most:"1000000" about:"The most tokens of the text; 3000 if left out. What does not fit is left out from the end."`
}

// read reads what an address leads to.
func read() step {
	return step{
		StepKind: recipe.StepKind{
			Name: "read",
			About: "Reads the page or file that an address leads to. The service only reads from hosts that " +
				"it was started with (-visit).",
			In: []recipe.Port{{Name: "address", Type: recipe.Address, Need: true, About: "where it is"}},
			Out: []recipe.Port{
				{Name: "text", Type: recipe.Text, About: "what it says"},
				{Name: "title", Type: recipe.Text, About: "what it is called"},
				{Name: "address", Type: recipe.Text, About: "its own address, whatever address led to it"},
				{Name: "whole", Type: recipe.Truth, About: "whether the text is all that it says"},
			},
			Set:         func() any { return &readSet{Tokens: 3000} },
			Uncacheable: true,
		},
		do: func(t *RunContext, ctx context.Context, c *recipe.Call) (recipe.Values, error) {
			if t.Pages == nil {
				return nil, errors.New("no pages may be read here; start with -visit HOST to allow those of a host")
			}
			page, err := t.Pages.Read(ctx, text(c.In, "address"))
			if err != nil {
				return nil, err
			}
			said := prompt.Cut(prompt.Estimate{}, page.Text, c.Set.(*readSet).Tokens)
			whole := len(said) == len(page.Text)
			if !whole {
				c.Note("the end of the page was left out: it has more tokens than are taken")
			}
			return recipe.Values{"text": said, "title": page.Title, "address": page.Address, "whole": whole}, nil
		},
	}
}

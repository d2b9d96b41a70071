package reply

import (
	"context"

	"juvalogos/core/recipe"
	"juvalogos/core/steps"
	"juvalogos/internal/shelf"
)

// shelves are those that one reply may look at; it is a steps.Shelves.
type shelves struct {
	library *shelf.Library
	slugs   []string
	// What the visitor attached, where the desk allows it.
	attached bool
	reply    *Reply
}

func (s shelves) Help() (help steps.Help) {
	for _, slug := range s.slugs {
		settings, err := s.library.Settings(context.Background(), slug)
		if err == nil {
			help.Rephrase, help.Choose = help.Rephrase || settings.Rephrase, help.Choose || settings.Choose
		}
	}
	return help
}

func (s shelves) Find(ctx context.Context, question, within string, most int) (steps.Finding, error) {
	slugs := s.slugs
	if s.attached {
		own, err := s.library.AttachedShelf(ctx, s.reply.Conversation, s.reply.visitor)
		if err != nil {
			return steps.Finding{}, err
		}
		if own != "" {
			s.reply.private.Store(true)
			slugs = append([]string{own}, slugs...)
		}
	}
	r, err := s.library.Search(ctx, slugs, shelf.Query{Text: question, Within: within, Limit: most, Join: true})
	if err != nil {
		return steps.Finding{}, err
	}
	finding := steps.Finding{Answers: r.Answers, Passages: r.Passages, Elsewhere: r.Elsewhere}
	for _, f := range r.Found {
		finding.Found = append(finding.Found, f.Passage)
	}
	for _, a := range r.Asked {
		finding.Asked = append(finding.Asked,
			&recipe.ModelCall{Model: a.Model, At: a.At, Took: a.Took, PromptTokens: a.Tokens, Cost: a.Cost,
				Error: a.Error})
	}
	return finding, nil
}

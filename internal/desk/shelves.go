package desk

import (
	"context"

	"juvalogos/core/steps"
	"juvalogos/internal/shelf"
)

// shelves are those of one desk; it is a steps.Shelves.
type shelves struct {
	library *shelf.Library
	slugs   []string
}

func (s shelves) Find(ctx context.Context, question string, most int) ([]steps.Found, float64, error) {
	found, answers, err := s.library.Search(ctx, s.slugs, question, most, true)
	if err != nil {
		return nil, 0, err
	}
	all := make([]steps.Found, len(found))
	for i, f := range found {
		spans := make([]any, len(f.Spans))
		for k, s := range f.Spans {
			turns := make([]any, len(s.Turns))
			for n, t := range s.Turns {
				turns[n] = map[string]any{"at": float64(t.At), "place": s.At(t.At).Place()}
			}
			spans[k] = map[string]any{"turns": turns, "block": float64(s.Block), "from": float64(s.From), "to": float64(s.To), "place": s.Place(), "heading": s.Heading}
		}
		all[i] = steps.Found{
			Shelf: f.Shelf, Document: f.Document.ID, Title: f.Document.Title, Format: f.Document.Format, Path: f.Path, Place: f.Place(),
			Text: f.Text, Number: f.Number, Score: f.Hit.Score, Spans: spans,
		}
	}
	return all, answers, nil
}

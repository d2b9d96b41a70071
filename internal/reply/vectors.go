package reply

import (
	"context"

	"github.com/google/uuid"

	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/internal/desk"
	"juvalogos/internal/models"
	"juvalogos/internal/record"
	"juvalogos/internal/shelf"
)

// NoVectors is the error of what makes no vectors.
type NoVectors struct{ Why string }

func (n *NoVectors) Error() string { return "no vectors: " + n.Why }

// Vectors are those of texts by the model that the desk's first shelf uses, and how
// many tokens were read. It fails with *NoVectors, *fault.Problem or *shelf.Problem.
func (s *Service) Vectors(ctx context.Context, d *desk.Desk, visitor record.Visitor, texts []string) ([][]float32, int,
	error) {
	if s.Shelves == nil || len(d.Settings.Shelves) == 0 {
		return nil, 0, &NoVectors{"the desk " + d.Slug + " answers from no shelf"}
	}
	entry, err := s.Shelves.VectorsBy(ctx, d.Settings.Shelves[0])
	if err != nil {
		return nil, 0, err
	}
	if entry == nil {
		tokens := 0
		for _, text := range texts {
			tokens += prompt.Estimate{}.Count(text)
		}
		return shelf.BuiltIn(texts), tokens, nil
	}
	return s.embed(ctx, entry, d, visitor, texts)
}

// VectorsOf are those of texts by a model named. It fails as Vectors does, or with
// *models.NoModel.
func (s *Service) VectorsOf(ctx context.Context, name string, visitor record.Visitor, texts []string) ([][]float32, int,
	error) {
	entry, err := s.Models.Find(name)
	if err != nil {
		return nil, 0, err
	}
	if !entry.Able("embeddings") {
		return nil, 0, &NoVectors{"the model " + name + " makes none"}
	}
	return s.embed(ctx, &entry, &desk.Desk{}, visitor, texts)
}

// embed asks a model for vectors, and keeps what that used.
func (s *Service) embed(ctx context.Context, entry *models.Entry, d *desk.Desk, visitor record.Visitor,
	texts []string) ([][]float32, int, error) {
	began := s.Now()
	vectors, tokens, err := entry.Embed(ctx, texts)
	if err != nil {
		return nil, 0, explain(err)
	}
	call := recipe.ModelCall{Model: entry.Path(), PromptTokens: tokens, At: began, Took: s.Now().Sub(began),
		Cost: entry.Price.Of(tokens, 0, 0)}
	span := recipe.Span{Step: "embeddings", Do: "embeddings", Parent: -1, State: recipe.Done, Took: call.Took,
		Calls: []recipe.ModelCall{call}}
	t := &record.Trace{ID: uuid.Must(uuid.NewV7()), Kind: "direct", Turn: uuid.Must(uuid.NewV7()), Attempt: 1,
		DeskID: d.DeskID, Visitor: visitor, Recipe: "embeddings", State: string(record.Done), StartedAt: began,
		Seconds: call.Took.Seconds(), Usage: record.Usage(recipe.Sum([]recipe.Span{span}))}
	s.Fill(t, []recipe.Span{span}, nil, "")
	if err := s.Store.Traces.KeepTrace(context.WithoutCancel(ctx), t); err != nil {
		s.Log.Warn("what a model used could not be put on record", "model", entry.Path(), "error", err)
	}
	return vectors, tokens, nil
}

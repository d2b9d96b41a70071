package shelf

import (
	"context"

	"juvalogos/core/embedding"
	"juvalogos/internal/models"
)

// VectorsBy is the model whose vectors a shelf's passages have; nil: the built-in
// ones. It fails with *Problem.
func (l *Library) VectorsBy(ctx context.Context, slug string) (*models.Entry, error) {
	f, err := l.Shelf(ctx, slug)
	if err != nil {
		return nil, err
	}
	return l.meanings.embedder(settingsOf(f.Settings).Embedding)
}

// BuiltIn are the built-in vectors of texts; one of whose words none is known has no
// direction.
func BuiltIn(texts []string) [][]float32 {
	vectors := make([][]float32, len(texts))
	for i, text := range texts {
		v, _ := embedding.Load().Vector(text)
		vectors[i] = v[:]
	}
	return vectors
}

package protocol

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"net/http"

	"juvalogos/internal/models"
)

// longestEmbeddings is how many bytes of an answer with vectors are read.
const longestEmbeddings = 64 << 20

// Embed asks for the vectors of texts: POST /embeddings, the companion of
// /chat/completions.
func (c *Client) Embed(ctx context.Context, model string, texts []string) ([][]float32, int, error) {
	payload, err := json.Marshal(map[string]any{"model": model, "input": texts, "encoding_format": "float"})
	if err != nil {
		return nil, 0, err
	}
	ctx, cancel := context.WithTimeoutCause(ctx, c.connection.Patience,
		c.failure(model, models.Silent, 0, fmt.Sprintf("silent for %s", c.connection.Patience)))
	defer cancel()
	response, err := c.do(ctx, call{method: http.MethodPost, address: c.connection.Address + "/embeddings",
		body: payload, kind: "application/json"})
	if err != nil {
		return nil, 0, c.unsent(ctx, model, err)
	}
	defer response.Body.Close()
	if response.StatusCode < 200 || response.StatusCode > 299 {
		return nil, 0, c.refusal(model, response)
	}
	var answer struct {
		Data []struct {
			Index     int
			Embedding []float32
		}
		Usage struct {
			PromptTokens int `json:"prompt_tokens"`
			TotalTokens  int `json:"total_tokens"`
		}
	}
	if err := json.NewDecoder(io.LimitReader(response.Body, longestEmbeddings)).Decode(&answer); err != nil {
		if ctx.Err() != nil {
			return nil, 0, context.Cause(ctx)
		}
		return nil, 0, c.failure(model, models.Garbled, 0, "the vectors cannot be read")
	}
	vectors := make([][]float32, len(texts))
	for _, d := range answer.Data {
		if d.Index < 0 || d.Index >= len(texts) || len(d.Embedding) == 0 ||
			len(d.Embedding) != len(answer.Data[0].Embedding) || !unit(d.Embedding) {
			return nil, 0, c.failure(model, models.Garbled, 0, "the vectors are not usable")
		}
		vectors[d.Index] = d.Embedding
	}
	for i := range vectors {
		if vectors[i] == nil {
			return nil, 0, c.failure(model, models.Garbled, 0,
				fmt.Sprintf("%d vectors for %d texts", len(answer.Data), len(texts)))
		}
	}
	return vectors, max(answer.Usage.PromptTokens, answer.Usage.TotalTokens), nil
}

// unit makes a vector one of length 1; false if it has no direction.
func unit(v []float32) bool {
	sum := 0.0
	for _, x := range v {
		sum += float64(x) * float64(x)
	}
	if sum == 0 || math.IsNaN(sum) || math.IsInf(sum, 0) {
		return false
	}
	n := float32(1 / math.Sqrt(sum))
	for i := range v {
		v[i] *= n
	}
	return true
}

package templates

import (
	"context"
	"testing"
	"time"

	"juvalogos/core/prompt"
)

// Whatever a maker writes: a template ends soon, and what it builds is bounded.
func FuzzTemplate(f *testing.F) {
	for _, text := range []string{`{{.brief}} {{.text}}`, `{{range 10}}{{.}}{{end}}`, `{{fence .text}}`,
		`{{define "a"}}{{template "a"}}{{end}}{{template "a"}}`, `{{printf "%9999d" 1}}`, `{{with $x := .list}}{{join "," $x}}{{end}}`} {
		f.Add(text)
	}
	data := map[string]any{"brief": "Be brief.", "text": "A text.", "list": []any{"a", "b"}, "number": 3.0}
	f.Fuzz(func(t *testing.T, text string) {
		parsed, err := Parse("fuzz", text, nil)
		if err != nil {
			return
		}
		ctx, cancel := context.WithTimeout(context.Background(), time.Second)
		defer cancel()
		began := time.Now()
		if said, err := Fill(ctx, parsed, data, prompt.Estimate{}); err == nil && len(said) > 64<<20 {
			t.Errorf("%d bytes", len(said))
		}
		if took := time.Since(began); took > 30*time.Second {
			t.Errorf("after %v", took)
		}
	})
}

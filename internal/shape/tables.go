package shape

import (
	"juvalogos/core/tables"
	"juvalogos/internal/api"
	"juvalogos/internal/table"
)

// Tabled is a document with its tables.
func Tabled(t table.Shown) api.Tabled {
	out := api.Tabled{Document: t.Document, Name: t.Name, Own: t.Own, LookedAt: t.LookedAt,
		Tables: append([]tables.Table{}, t.Tables...)}
	if !t.Problem.IsZero() {
		out.Problem, out.Phrase = t.Problem.String(), t.Problem
	}
	return out
}

package reply

import (
	"slices"

	"juvalogos/core/recipe"
)

// heldBack is what a trace says in the place of what documents say that a
// visitor attached: nobody else is to see them.
const heldBack = "What went in and came out is held back: the visitor attached documents, which nobody else sees."

// withheld returns spans without texts.
func withheld(spans []recipe.Span) []recipe.Span {
	out := slices.Clone(spans)
	for i := range out {
		s := &out[i]
		s.In, s.Out, s.Piece, s.Notes = nil, nil, nil, []string{heldBack} // notes name what was looked in
		s.Calls = slices.Clone(s.Calls)
		for k := range s.Calls {
			s.Calls[k].Messages, s.Calls[k].Answer = nil, ""
		}
	}
	return out
}

// IsWithheld reports whether a trace's texts were held back.
func IsWithheld(spans []recipe.Span) bool {
	return slices.ContainsFunc(spans, func(s recipe.Span) bool { return slices.Contains(s.Notes, heldBack) })
}

package shape

import (
	"juvalogos/internal/api"
	"juvalogos/internal/record"
)

// Standing is a reply that a desk keeps current, without its page; a maker is told more.
func Standing(r record.Standing, maker bool) api.Standing {
	n := r.News
	out := api.Standing{Title: r.Title, MadeAt: orZero(r.MadeAt), LookedAt: orZero(r.LookedAt),
		News: api.News{Came: n.Came, Changed: n.Changed, Went: n.Went, More: n.More,
			Sections: All(n.Sections, func(s record.NewsSection) api.NewsSection {
				return api.NewsSection{Title: s.Title, Place: s.Place, Text: s.Text}
			})}}
	if maker {
		out.Problem = r.Problem.String()
		if r.Turn != nil {
			out.Turn = r.Turn.String()
		}
	}
	return out
}

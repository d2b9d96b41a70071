package tables

import "slices"

// goesOn reports whether a question goes on with the one before it.
func (r *reader) goesOn() bool {
	first := r.at(0).low
	switch first {
	case "and", "only", "but", "now", "same", "instead", "then", "just", "without", "except", "by", "per":
		return true
	case "what", "how":
		if r.at(1).low == "about" {
			r.use(1, 2)
			return true
		}
	}
	if i := r.find(0, "those", "them", "these"); i >= 0 && (r.at(i-1).low == "of" || r.at(i-1).low == "for") {
		return true
	}
	return len(r.tokens) <= 3 && r.find(0, "how", "what", "which", "who", "when", "where") < 0
}

// following is the wish before with what a question changes of it.
func (r *reader) following(w, before *wish) *wish {
	next := before.clone()
	next.sure = max(0.75, min(before.sure, 1))
	asks := r.find(0, "how", "which", "total", "average", "mean", "highest", "lowest", "most", "least", "median",
		"maximum", "minimum", "sum", "count") >= 0
	if w.measure != "" && asks && !(w.measure == counting && w.of == nil && r.follows("how", "many") < 0) {
		next.measure, next.of, next.way, next.limit, next.pick = w.measure, w.of, w.way, w.limit, w.pick
		if w.of == nil && w.measure != counting {
			next.of = before.of
		}
		next.by = nil
	} else if w.of != nil && len(w.by) == 0 && len(w.where) == 0 {
		next.of = w.of
		if next.measure == counting || next.measure == listing || next.measure == abouting {
			next.measure = r.usual(w.of)
		}
	}
	if len(w.by) > 0 {
		if next.pick != nil || next.limit > 0 {
			next.way, next.limit, next.pick = 0, 0, nil
		}
		next.by = w.by
		if next.measure == showing || next.measure == listing || next.measure == abouting {
			next.measure = counting
			if next.of != nil && next.of.Kind.Number() {
				next.measure = r.usual(next.of)
			}
		}
	}
	for _, f := range w.where {
		next.where = slices.DeleteFunc(next.where, func(o filter) bool {
			return o.column == f.column && (o.part == f.part || o.part != "month" && f.part != "monthofyear")
		})
		next.where = append(next.where, f)
	}
	return next
}

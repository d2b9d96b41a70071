package steps

import (
	"slices"

	"juvalogos/core/recipe"
)

// ModelsOf lists the models that a recipe names itself, in its steps and in its
// settings.
func ModelsOf(r *recipe.Recipe, settings recipe.Values) []string {
	var names []string
	add := func(name string) {
		if name != "" && !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	r.Walk(func(s *recipe.Step) {
		for _, set := range append([]any{s.Set}, s.Fallback...) {
			switch set := set.(type) {
			case *composeSet:
				add(set.Model)
			case *generateSet:
				add(set.Model)
			case *rewriteSet:
				add(set.Model)
			case *extractSet:
				add(set.Model)
			}
		}
	})
	for _, v := range r.Voices(settings) {
		add(v.Model)
	}
	return names
}

// Remembers reports whether a recipe recalls the conversation.
func Remembers(r *recipe.Recipe) (is bool) {
	r.Walk(func(s *recipe.Step) { is = is || s.Kind.Name == "recall" })
	return is
}

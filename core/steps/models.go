package steps

import (
	"slices"

	"juvalogos/core/recipe"
)

// namesModel are settings that can name a model.
type namesModel interface {
	// modelNamed is the name; "" is the desk's own.
	modelNamed() string
}

// asksModel are the settings of a step that asks a model.
type asksModel interface {
	namesModel
	// foresee counts what a step asks at most that runs once for each voice.
	foresee(f *foresight, s *recipe.Step, voices []recipe.Voice)
}

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
			if n, ok := set.(namesModel); ok {
				add(n.modelNamed())
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

// Looks lists the models that a recipe shows the pictures of a question, "" for the
// desk's own; used reports whether it does anything with them.
func Looks(r *recipe.Recipe, settings recipe.Values) (models []string, used bool) {
	r.Walk(func(s *recipe.Step) {
		for _, w := range s.In {
			if w.From.Step != nil || w.From.Name != "pictures" && w.From.Name != "picture" {
				continue
			}
			used = true
			if s.Kind.Name == "compose" || s.Kind.Name == "describe" {
				models = append(models, s.Set.(namesModel).modelNamed())
			}
		}
		if s.Each != nil && s.Each.Step == nil && s.Each.Name == "pictures" {
			used = true
		}
	})
	if voices := r.Voices(settings); len(voices) > 0 && len(models) > 0 {
		models = nil
		for _, v := range voices {
			models = append(models, v.Model)
		}
	}
	return models, used
}

// AsksTables reports whether a recipe asks tables.
func AsksTables(r *recipe.Recipe) (is bool) {
	r.Walk(func(s *recipe.Step) { is = is || s.Kind.Name == "survey" || s.Kind.Name == "query" })
	return is
}

// Draws reports whether a recipe makes pictures, and fromPictures whether of a picture.
func Draws(r *recipe.Recipe) (is, fromPictures bool) {
	r.Walk(func(s *recipe.Step) {
		is = is || s.Kind.Name == "depict" || s.Kind.Name == "vary"
		fromPictures = fromPictures || s.Kind.Name == "vary"
	})
	return is, fromPictures
}

// Needs is what a recipe asks of models that they can do, by name; "" is the desk's own.
// What is certain to be skipped asks nothing. model is the desk's own; "": it has none.
func Needs(r *recipe.Recipe, settings recipe.Values, model string) map[string][]string {
	needs := map[string][]string{}
	add := func(model, can string) {
		if !slices.Contains(needs[model], can) {
			needs[model] = append(needs[model], can)
		}
	}
	voices := r.Voices(settings)
	r.Walk(func(s *recipe.Step) {
		for _, set := range append([]any{s.Set}, s.Fallback...) {
			asks, ok := set.(asksModel)
			if !ok || !mayAsk(asks, s, settings, model) {
				continue
			}
			name := asks.modelNamed()
			can := "chat"
			if s.Kind.Name == "depict" || s.Kind.Name == "vary" {
				can = "pictures"
			}
			if name != "" || len(voices) == 0 {
				add(name, can)
			}
		}
	})
	for _, v := range voices {
		add(v.Model, "chat")
	}
	return needs
}

// mayAsk reports whether a step may ask a model at all.
func mayAsk(set asksModel, s *recipe.Step, settings recipe.Values, model string) bool {
	f := &foresight{settings: settings, nobody: model == "", calls: 1, tokens: 1}
	if f.idle(s) {
		return false
	}
	set.foresee(f, s, []recipe.Voice{{}})
	return len(f.models) > 0
}

package desk

import (
	"cmp"
	"context"
	"fmt"
	"net/url"
	"slices"
	"strings"

	"juvalogos/core/deskfile"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/core/steps"
	"juvalogos/core/yamlfile"
	"juvalogos/internal/fault"
	"juvalogos/internal/models"
	"juvalogos/internal/record"
)

// Check reads a desk file and holds it against the models there are. The error
// is yamlfile.Problems.
func (s *Service) Check(name string, text []byte) (deskfile.File, error) {
	f, err := CheckFile(name, text, s.Models)
	if err != nil || len(f.Shelves) == 0 || s.Store.Shelves == nil {
		return f, err
	}
	there, err := s.Store.Shelves.Shelves(context.Background())
	if err != nil {
		return f, fault.New(fault.NoRecords, err)
	}
	var known []string
	for _, shelf := range there {
		known = append(known, shelf.Slug)
	}
	var problems yamlfile.Problems
	for i, slug := range f.Shelves {
		if !slices.Contains(known, slug) {
			at := yamlfile.Locate(text, fmt.Sprintf("shelves.%d", i))
			problems = append(problems, yamlfile.Problem{File: name, Line: at.Line, Column: at.Column,
				Message: "shelves: " + yamlfile.Unknown("shelf", slug,
					known) + ". Or make it: juvalogos shelf create " +
					slug})
		}
	}
	if problems != nil {
		return f, problems
	}
	return f, nil
}

// CheckFile is Check without a service. With nil for models the desk's models
// are not looked up. The error is yamlfile.Problems.
func CheckFile(name string, text []byte, registry *models.Registry) (deskfile.File, error) {
	f, err := deskfile.Read(name, text)
	if err != nil {
		return f, err
	}
	r, settings, err := recipeOf(name, text, f)
	if err != nil || registry == nil {
		return f, err
	}
	var problems yamlfile.Problems
	say := func(model, format string, args ...any) {
		at := yamlfile.Locate(text, model)
		problems = append(problems, yamlfile.Problem{File: name, Line: at.Line, Column: at.Column,
			Message: fmt.Sprintf(format, args...)})
	}
	needs := steps.Needs(r, settings, f.Model)
	check := func(model, place string) {
		entry, err := registry.Find(model)
		if err != nil {
			say(place, "model: %v", err)
			return
		}
		own := needs[""]
		if own == nil {
			own = []string{"chat"}
		}
		if f.Sound.Take && f.Sound.Model == "" && !entry.Able("chat") {
			own = []string{"hear"} // a desk that writes down what is spoken, and answers nothing
		}
		for _, can := range own {
			if !entry.Able(can) {
				say(place, "model: %q %s; the connection file gives it only: %s", model, cannot[can],
					strings.Join(entry.Can, ", "))
				return
			}
		}
		if !slices.Contains(own, "chat") {
			return
		}
		counter, err := entry.Counter()
		if err != nil {
			say(place, "model: %v", err)
			return
		}
		standing := prompt.Standing{Brief: prompt.Measure(counter, f.Brief)}
		if _, err := prompt.Room(entry.Context, f.Sampling.MaxTokens, standing, prompt.Piece{Tokens: 64}); err != nil {
			say(place, "model: brief and longest reply leave no room for a question in the %d tokens of %q; shorten "+
				"the brief or lower sampling: max_tokens", entry.Context, model)
		}
	}
	if f.Model != "" {
		check(f.Model, "model")
	} else if why := wantsModel(f, r, needs); why != "" {
		say("model", "model: %s; name one under model", why)
	}
	for _, m := range steps.ModelsOf(r, settings) {
		entry, err := registry.Find(m)
		if err != nil {
			say("recipe", "recipe %s: model: %v", r.Name, err)
			continue
		}
		for _, can := range needs[m] {
			if !entry.Able(can) {
				say("recipe", "recipe %s: model: %q %s", r.Name, m, cannot[can])
			}
		}
	}
	for i, m := range f.Choices.Models {
		check(m.Model, fmt.Sprintf("choices.models.%d.model", i))
	}
	checkPictures(f, r, settings, registry, say)
	checkSound(f, registry, say)
	checkOpeners(f, say)
	checkStanding(f, r, settings, say)
	checkBringing(f.Bring, len(f.Shelves) > 0, registry, say)
	if problems != nil {
		return f, problems
	}
	return f, nil
}

// wantsModel says why a desk that names no model needs one; "": it does not.
func wantsModel(f deskfile.File, r *recipe.Recipe, needs map[string][]string) string {
	switch {
	case needs[""] != nil:
		return fmt.Sprintf("the recipe %s asks a model", r.Name)
	case len(f.Choices.Models) > 0:
		return "visitors may choose another model, and there is none to choose it instead of"
	case f.Pictures.Described == deskfile.ByModel:
		return "pictures are described by the desk's model"
	case (f.Sound.Take || f.Sound.Dictate) && f.Sound.Model == "":
		return "what is spoken is written down by the desk's model, where sound names none"
	}
	return ""
}

// cannot says what a model does not do.
var cannot = map[string]string{"chat": "does not chat", "hear": "does not hear", "pictures": "makes no pictures"}

// checkSound says what is wrong with what visitors may do with spoken words.
func checkSound(f deskfile.File, registry *models.Registry, say func(place, format string, args ...any)) {
	d := f.Sound
	hears := func(name, place, can, cannot string) (models.Entry, bool) {
		e, err := registry.Find(name)
		if err != nil {
			say(place, "%s: %v", place, err)
			return e, false
		}
		if !e.Able(can) {
			say(place, "%s: %q %s; the connection file gives it only: %s", place, name, cannot,
				strings.Join(e.Can, ", "))
			return e, false
		}
		return e, true
	}
	if f.Aloud.Model != "" {
		e, ok := hears(f.Aloud.Model, "aloud.model", "speech", "does not speak")
		if voices := e.Speaks.Voices; ok && f.Aloud.Voice != "" && len(voices) > 0 &&
			!slices.Contains(voices, f.Aloud.Voice) {
			say("aloud.voice", "aloud.voice: %s", yamlfile.Unknown("voice", f.Aloud.Voice, voices))
		}
	}
	if !d.Take && !d.Dictate {
		return
	}
	place := "sound.model"
	if d.Model == "" {
		place = "model"
	}
	if d.Model == "" && f.Model == "" {
		return // told already
	}
	e, ok := hears(cmp.Or(d.Model, f.Model), place, "hear", "does not hear")
	switch {
	case !ok:
	case d.Task == deskfile.IntoEnglish && !e.Hears.English && !e.Able("chat"):
		say("sound.task", "sound.task: %q does not translate; the connection file says so with hears: {into_english: "+
			"true}", e.Name)
	case d.Language != "" && !e.Hears.Knows(d.Language):
		say("sound.language", "sound.language: %q knows only: %s", e.Name, strings.Join(e.Hears.Languages, ", "))
	}
	for i, one := range d.Samples {
		if u, err := url.Parse(one.Address); err != nil || u.Host == "" {
			say(fmt.Sprintf("sound.samples.%d.address", i),
				"sound.samples: %q is no address; it begins with http:// or "+
					"https://", one.Address)
		}
	}
}

// checkPictures says what is wrong with what visitors may do with pictures.
func checkPictures(f deskfile.File, r *recipe.Recipe, settings recipe.Values, registry *models.Registry,
	say func(place, format string, args ...any)) {
	switch p := f.Pictures; {
	case !p.Take && p.Elsewhere == f.Slug:
		say("pictures.elsewhere", "elsewhere: that is this desk; name one that looks at pictures")
		return
	case !p.Take:
		if _, fromPictures := steps.Draws(r); fromPictures {
			say("recipe", "recipe: %s makes pictures from a picture, and visitors may give none here; write pictures: "+
				"{take: true}", r.Name)
		}
		return
	}
	shown, used := steps.Looks(r, settings)
	if !used {
		say("pictures.take",
			"take: the recipe %s does nothing with pictures; wire pictures: pictures to the step that "+
				"composes the prompt, or leave this out", r.Name)
	}
	for _, name := range shown {
		if name = cmp.Or(name, f.Model); name == "" {
			continue
		}
		if entry, err := registry.Find(name); err == nil && !entry.Able("see") {
			say("pictures.take",
				"take: the model %q does not see pictures; name one that can: [see], or leave this out",
				entry.Path())
		}
	}
}

// checkStanding says what is wrong with the replies that a desk is to keep current.
func checkStanding(f deskfile.File, r *recipe.Recipe, settings recipe.Values, say func(place, format string,
	args ...any)) {
	for i, one := range f.Standing {
		at := func(key string) string { return fmt.Sprintf("standing.%d.%s", i, key) }
		for _, other := range f.Standing[:i] {
			if other.Title == one.Title {
				say(at("title"), "title: two are called %q; visitors could not tell them apart", one.Title)
			}
		}
		switch {
		case one.Address == "" && len(f.Shelves) == 0:
			say(at("ask"),
				"ask: the desk has no shelves, so nothing tells when it has to be asked anew; name some under "+
					"shelves, or an address here")
		case one.Address != "" && !f.Bring.Addresses:
			say(at("address"), "address: write bring: {addresses: true}, so that the desk can bring it")
		case one.Address != "":
			if u, err := url.Parse(one.Address); err != nil || u.Host == "" {
				say(at("address"), "address: %q is no address; it begins with http:// or https://", one.Address)
			}
		}
		if _, err := r.Fill(one.Ask, one.Inputs, settings); err != nil {
			say(at("inputs"), "inputs: %v", err)
		}
	}
}

// checkBringing says what is wrong with what visitors may have brought.
func checkBringing(b deskfile.Bring, shelves bool, registry *models.Registry,
	say func(place, format string, args ...any)) {
	for i, s := range b.Sources {
		place := fmt.Sprintf("bring.sources.%d.address", i)
		if u, err := url.Parse(s.Address); err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" {
			say(place, "address: %q is no address; it begins with http:// or https://", s.Address)
		}
		for _, other := range b.Sources[:i] {
			if other.Title == s.Title && other.Kind == s.Kind {
				say(place, "title: two sources are called %q; visitors could not tell them apart", s.Title)
			}
		}
	}
	if b.Documents && !shelves {
		say("bring.documents", "documents: the desk has no shelves; name some under shelves")
	}
	if b.Embedding == "" {
		return
	}
	if entry, err := registry.Find(b.Embedding); err != nil {
		say("bring.embedding", "embedding: %v", err)
	} else if !entry.Able("embeddings") {
		say("bring.embedding", "embedding: %q makes no embeddings; the connection file gives it only: %s", b.Embedding,
			strings.Join(entry.Can, ", "))
	}
}

// Publish checks a desk file and makes it the published revision of its desk.
// fresh is false if it was that already.
func (s *Service) Publish(ctx context.Context, name string, text []byte, note, by string) (r record.Revision,
	fresh bool, err error) {
	f, err := s.Check(name, text)
	if err != nil {
		return record.Revision{}, false, err
	}
	r, fresh, err = s.Store.Desks.Publish(ctx, f.Slug, string(text), record.OneLine(note, longestNote), by)
	if err != nil {
		return r, false, err
	}
	if fresh && len(f.Shelves) > 0 {
		if err := s.Store.Desks.NoteShelves(ctx, r.DeskID, r.Number, f.Shelves); err != nil {
			return r, fresh, fmt.Errorf("note the state of the shelves: %w", err)
		}
	}
	s.forget(f.Slug)
	s.Log.Info("desk published", "desk", r.Slug, "revision", r.Number, "new", fresh, "by", by)
	return r, fresh, nil
}

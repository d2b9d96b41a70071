package desk

import (
	"encoding/base64"
	"fmt"
	"strings"

	"juvalogos/core/deskfile"
	"juvalogos/core/picture"
	"juvalogos/core/recipe"
	"juvalogos/core/steps"
	"juvalogos/core/yamlfile"
)

// OwnRecipe is what the name of a file with a desk's own recipe ends with.
const OwnRecipe = ".recipe.yaml"

// recipeOf returns the recipe that a desk file names, with what the file sets.
// The error is yamlfile.Problems at their places in the desk file.
func recipeOf(name string, text []byte, f deskfile.File) (*recipe.Recipe, recipe.Values, error) {
	at := func(path, message string) error {
		p := yamlfile.Locate(text, path)
		return yamlfile.Problems{{File: name, Line: p.Line, Column: p.Column, Message: message}}
	}
	src, builtIn := steps.Source(f.Recipe)
	own := strings.HasSuffix(f.Recipe, OwnRecipe)
	switch {
	case own && f.OwnRecipe == "":
		return nil, nil, at("recipe", "recipe: "+f.Recipe+" is not here; publish with the command line where that "+
			"file lies beside this one, or write its text under own_recipe")
	case own:
		src = []byte(f.OwnRecipe)
	case !builtIn:
		return nil, nil, at("recipe", "recipe: "+yamlfile.Unknown("recipe", f.Recipe, steps.BuiltIn())+
			"; a file of your own ends with "+OwnRecipe)
	case f.OwnRecipe != "":
		return nil, nil, at("own_recipe", "own_recipe: is not used, because recipe names "+f.Recipe+
			"; name it there, like mine"+OwnRecipe)
	}
	r, err := steps.Check(f.Recipe, src)
	if err != nil {
		return nil, nil, withinDesk(err, name, text, own)
	}
	settings, err := r.Settle(name, "recipe_settings", f.RecipeSettings)
	return r, settings, err
}

// RecipeOf returns the recipe that a desk file names.
func (s *Service) RecipeOf(slug string, f deskfile.File) (*recipe.Recipe, recipe.Values, error) {
	if d := s.cache.get(slug, s.Now()); d != nil {
		return d.Recipe, d.RecipeSettings, nil
	}
	return recipeOf(slug, nil, f)
}

// withinDesk moves problems of a recipe to where its text stands in the desk
// file: a block that begins on the line below its key.
func withinDesk(err error, name string, text []byte, own bool) error {
	problems, ok := err.(yamlfile.Problems)
	if !ok || !own {
		return err
	}
	at := yamlfile.Locate(text, "own_recipe")
	moved := make(yamlfile.Problems, len(problems))
	for i, p := range problems {
		moved[i] = yamlfile.Problem{File: name, Line: at.Line + p.Line, Column: p.Column + 2, Message: "own_recipe: " +
			p.Message}
	}
	return moved
}

// Inline puts the text of a recipe file into the desk file that names it, in
// place of what stands under own_recipe.
func Inline(deskText []byte, recipeText []byte) []byte {
	return withBlock(deskText, "own_recipe", "|", recipeText)
}

// withBlock puts a block at the end of a desk file, in place of what stands under its key.
func withBlock(deskText []byte, key, mark string, block []byte) []byte {
	var lines []string
	within := false
	for line := range strings.Lines(string(deskText)) {
		if strings.HasPrefix(line, key+":") {
			within = true
			continue
		}
		if within && (strings.HasPrefix(line, " ") || strings.TrimSpace(line) == "") {
			continue
		}
		within = false
		lines = append(lines, line)
	}
	out := strings.TrimRight(strings.Join(lines, ""), "\n") + "\n" + strings.TrimSpace(key+": "+mark) + "\n"
	for line := range strings.Lines(strings.TrimRight(string(block), "\n") + "\n") {
		if strings.TrimSpace(line) == "" {
			out += "\n"
		} else {
			out += "  " + line
		}
	}
	return []byte(out)
}

// WithFiles returns a desk file with what it names of the files beside it put in: its
// recipe, and the pictures of its openers. read reads such a file. The error is what
// read returned, or what is wrong with a picture.
func WithFiles(text []byte, read func(name string) ([]byte, error)) ([]byte, error) {
	f, err := deskfile.Read("", text)
	if err != nil {
		return text, nil // what is wrong is said by whoever checks it
	}
	if strings.HasSuffix(f.Recipe, OwnRecipe) {
		src, err := read(f.Recipe)
		switch {
		case err == nil:
			text = Inline(text, src)
		case f.OwnRecipe == "":
			return nil, err
		}
	}
	return withPictures(text, f, read)
}

// Pictures of openers are made small: the desk file is a text that people read.
var openerPicture = picture.Wanted{Side: 1024, Bytes: 50_000, Kinds: []string{"image/jpeg"}}

// mostOpenerPicture is how many bytes the picture of an opener may have.
const mostOpenerPicture = 100_000

func withPictures(text []byte, f deskfile.File, read func(name string) ([]byte, error)) ([]byte, error) {
	var block strings.Builder
	done := map[string]bool{"": true}
	for _, name := range f.OpenerPictures {
		if done[name] {
			continue
		}
		done[name] = true
		body, err := read(name)
		if err != nil {
			if own, there := f.OwnPictures[name]; there {
				fmt.Fprintf(&block, "%q: %s\n", name, own)
				continue
			}
			return nil, err
		}
		p, err := picture.Read(name, body, picture.DefaultLimits)
		if err != nil {
			return nil, err
		}
		made, err := p.Make(openerPicture)
		if err != nil {
			return nil, err
		}
		fmt.Fprintf(&block, "%q: %s\n", name, base64.StdEncoding.EncodeToString(made.Body))
	}
	if block.Len() == 0 {
		return text, nil
	}
	return withBlock(text, "own_pictures", "", []byte(block.String())), nil
}

// OpenerPicture is the picture that an opener, counted from 1, is asked with.
func OpenerPicture(f deskfile.File, opener int) (name string, body []byte, ok bool) {
	if opener < 1 || opener > min(len(f.Openers), len(f.OpenerPictures)) {
		return "", nil, false
	}
	name = f.OpenerPictures[opener-1]
	body, err := base64.StdEncoding.DecodeString(f.OwnPictures[name])
	return name, body, err == nil && len(body) > 0
}

// checkOpeners says what is wrong with the pictures of openers.
func checkOpeners(f deskfile.File, say func(place, format string, args ...any)) {
	if len(f.OpenerPictures) > 0 && !f.Pictures.Take {
		say("opener_pictures",
			"opener_pictures: visitors may not ask about pictures here; write pictures: {take: true}")
	}
	if n := len(f.OpenerPictures); n > len(f.Openers) {
		say("opener_pictures", "opener_pictures: there are %d pictures and %d openers", n, len(f.Openers))
	}
	for i, name := range f.OpenerPictures {
		if name == "" {
			continue
		}
		place := fmt.Sprintf("opener_pictures.%d", i)
		_, body, ok := OpenerPicture(f, i+1)
		kind := picture.KindOf(body)
		switch {
		case f.OwnPictures[name] == "":
			say(place,
				"opener_pictures: %s is not here; publish with the command line where that file lies beside this "+
					"one", name)
		case !ok || kind != "image/jpeg" && kind != "image/png":
			say(place, "opener_pictures: what stands under own_pictures for %s is no JPEG or PNG in base64", name)
		case len(body) > mostOpenerPicture:
			say(place,
				"opener_pictures: %s has %d bytes, and %d at most are kept; publish with the command line, which "+
					"makes it smaller", name, len(body), mostOpenerPicture)
		}
	}
}

package recipe

import (
	"fmt"
	"slices"

	"juvalogos/core/yamlfile"
)

// Recipe is a recipe that was checked and can run. It does not change and may
// run many times at once.
type Recipe struct {
	File
	Steps  []*Step // those of the top, in an order in which they could run
	Reply  Ref
	Blind  Ref // zero: never
	Parts  []Part
	Digest string // of the file's bytes
}

// Step is a checked step.
type Step struct {
	Name     string
	Kind     StepKind
	Says     string
	In       []Wire
	Out      []Port // what it gives, lists where it runs for each
	Set      any    // a pointer to its settings, or nil
	Fallback []any  // settings to try instead
	If       *Condition
	Each     *Ref
	Inner    []*Step // of a group
	Gives    []Wire  // of a group: its outputs, and where they come from within
	Line     int

	file   StepFile
	needs  []*Step // steps of the same level that must have ended
	outer  []Ref   // of a group: what it needs from around it
	always bool    // it cannot be skipped
}

// Part is a further part of the turn.
type Part struct {
	Title string
	Type  Type
	From  Ref
}

// Wire leads a value to an input, or from a group to its output.
type Wire struct {
	Port Port
	From Ref
}

// Ref is where a value comes from.
type Ref struct {
	Step   *Step  // nil: taken, set or the item
	Output string // of Step
	Name   string // question, settings.NAME, item, number
	Type   Type
}

func (r Ref) String() string {
	if r.Step != nil {
		return r.Step.Name + "." + r.Output
	}
	return r.Name
}

// Condition decides whether a step runs.
type Condition struct {
	From  Ref
	Not   bool
	Value *string // nil: whether From is anything at all
}

// Lanes reports whether the reply is several texts.
func (r *Recipe) Lanes() bool {
	_, list := r.Reply.Type.Element()
	return list
}

// Keeps reports whether outputs of some step are kept.
func (r *Recipe) Keeps() (is bool) {
	r.Walk(func(s *Step) { is = is || s.file.Keep > 0 })
	return is
}

// Walk calls f for every step, groups before what is in them.
func (r *Recipe) Walk(f func(s *Step)) { walk(r.Steps, f) }

func walk(steps []*Step, f func(*Step)) {
	for _, s := range steps {
		f(s)
		walk(s.Inner, f)
	}
}

// Settle reads what a desk file says under recipe_settings and completes it.
// file is the desk file's name in problems, key what the value is called.
func (r *Recipe) Settle(file, key string, given yamlfile.Later) (Values, error) {
	settings := Values{}
	for _, in := range r.File.Settings {
		if in.fallback != nil {
			settings[in.Name] = in.fallback
		}
	}
	entries, problems := given.Entries(file, key)
	known := make([]string, len(r.File.Settings))
	for i, in := range r.File.Settings {
		known[i] = in.Name
	}
	for _, e := range entries {
		i := slices.Index(known, e.Key)
		if i < 0 {
			problems = append(problems, yamlfile.Problem{File: file, Line: e.At.Line, Column: e.At.Column,
				Message: key + ": " + yamlfile.Unknown("setting of the recipe "+r.Name, e.Key, known)})
			continue
		}
		v, wrong := r.File.Settings[i].read(file, e.Value)
		problems = append(problems, wrong...)
		settings[e.Key] = v
	}
	at := given.At()
	for _, in := range r.File.Settings {
		if in.Need && settings[in.Name] == nil && len(problems) == 0 {
			title := in.Title
			if title != "" {
				title = ": " + title
			}
			problems = append(problems, yamlfile.Problem{File: file, Line: at.Line, Column: at.Column, Message: key +
				": " + quoted(in.Name) + " is missing" + title})
		}
	}
	if problems != nil {
		return nil, problems
	}
	return settings, nil
}

// Voices are the voices among the settings.
func (r *Recipe) Voices(settings Values) []Voice {
	var all []Voice
	for _, in := range r.File.Settings {
		switch v := settings[in.Name].(type) {
		case Voice:
			all = append(all, v)
		case []any:
			for _, x := range v {
				if voice, ok := x.(Voice); ok {
					all = append(all, voice)
				}
			}
		}
	}
	return all
}

// InTurn reports whether a step runs for one entry of its list after the other.
func (s *Step) InTurn() bool { return s.file.Carries != "" || s.file.AtOnce == 1 }

// Needs lists what a step refers to: its inputs, its list, its condition, and
// for a group what the steps in it need of what is around it.
func (s *Step) Needs() (refs []Ref) {
	for _, w := range s.In {
		refs = append(refs, w.From)
	}
	if s.Each != nil {
		refs = append(refs, *s.Each)
	}
	if s.If != nil {
		refs = append(refs, s.If.From)
	}
	return append(refs, s.outer...)
}

// Manner says in a few words how a step runs, where that is special.
func (s *Step) Manner() (words []string) {
	f := s.file
	if f.AtOnce > 0 {
		words = append(words, fmt.Sprintf("%d at once", f.AtOnce))
	}
	if f.Carries != "" {
		words = append(words, "one after the other")
	}
	if f.Tries > 1 {
		words = append(words, fmt.Sprintf("up to %d tries", f.Tries))
	}
	switch n := len(f.Fallback); {
	case n == 1:
		words = append(words, "a fallback")
	case n > 1:
		words = append(words, fmt.Sprintf("%d fallbacks", n))
	}
	if f.Limit > 0 {
		words = append(words, "at most "+f.Limit.String())
	}
	if f.Keep > 0 {
		words = append(words, "kept for "+f.Keep.String())
	}
	if f.MayFail {
		words = append(words, "may fail")
	}
	return words
}

// String writes a condition as a file has it.
func (c *Condition) String() string {
	text := c.From.String()
	switch {
	case c.Value != nil && c.Not:
		return text + " is not " + *c.Value
	case c.Value != nil:
		return text + " is " + *c.Value
	case c.Not:
		return "not " + text
	}
	return text
}

package recipe

import (
	"encoding/json"

	"juvalogos/core/yamlfile"
)

// Running a recipe again from a step on, with what came before taken from the
// spans of an earlier run.

// Paths are all steps by name, GROUP/STEP within a group.
func (r *Recipe) Paths() map[string]*Step {
	paths := map[string]*Step{}
	var add func(steps []*Step, before string)
	add = func(steps []*Step, before string) {
		for _, s := range steps {
			paths[before+s.Name] = s
			add(s.Inner, before+s.Name+"/")
		}
	}
	add(r.Steps, "")
	return paths
}

// Following are the steps of the top that depend on one, itself among them.
func (r *Recipe) Following(name string) map[string]bool {
	again := map[string]bool{name: true}
	for _, s := range r.Steps { // each comes after those that it needs
		for _, needed := range s.needs {
			if again[needed.Name] {
				again[s.Name] = true
			}
		}
	}
	return again
}

// SetOver reads settings, as JSON, over the step's own.
func (s *Step) SetOver(text json.RawMessage) (any, yamlfile.Problems) {
	if s.Kind.Set == nil {
		return nil, yamlfile.Problems{{Message: s.Kind.Name + " has no settings"}}
	}
	var f struct {
		Set yamlfile.Later `yaml:"set"`
	}
	if err := yamlfile.Decode(s.Name, []byte(`{"set": `+string(text)+`}`), &f); err != nil {
		problems, _ := err.(yamlfile.Problems)
		return nil, problems
	}
	set := s.Kind.Set()
	s.file.Set.DecodeOver(s.Name, "set", set)
	problems := f.Set.DecodeOver(s.Name, "set", set)
	if problems == nil && s.Kind.Check != nil {
		if err := s.Kind.Check(set); err != nil {
			problems = yamlfile.Problems{{Message: err.Error()}}
		}
	}
	return set, problems
}

// InputType is what an input carries as it is wired; Anything if it is not.
func (s *Step) InputType(name string) Type {
	for _, w := range s.In {
		if w.Port.Name == name {
			return w.From.Type
		}
	}
	for _, p := range s.Kind.In {
		if p.Name == name {
			return p.Type
		}
	}
	return Anything
}

// OutputsIn finds what a step of the top gave in an earlier run. ran is false
// if it never began; outputs that are nil mean that it was skipped. It fails if
// what is on record is not of the types that the step gives now.
func (s *Step) OutputsIn(spans []Span) (out Values, ran bool, err error) {
	lists := map[string][]any{}
	for _, span := range spans {
		if span.Step != s.Name || span.Parent >= 0 {
			continue
		}
		ran = true
		if span.State != Done && span.State != Reused {
			continue
		}
		if s.Each == nil {
			out = Values{}
		}
		for _, port := range s.Out {
			v, there := span.Out[port.Name]
			if !there || v == nil {
				continue
			}
			if s.Each == nil || span.Number == 0 {
				if out == nil {
					out = Values{}
				}
				if out[port.Name], err = Value(port.Type, v); err != nil {
					return nil, ran, err
				}
				continue
			}
			element, _ := port.Type.Element()
			value, err := Value(element, v)
			if err != nil {
				return nil, ran, err
			}
			for len(lists[port.Name]) < span.Number {
				lists[port.Name] = append(lists[port.Name], nil)
			}
			lists[port.Name][span.Number-1] = value
		}
	}
	for name, list := range lists {
		if out == nil {
			out = Values{}
		}
		out[name] = list
	}
	return out, ran, nil
}

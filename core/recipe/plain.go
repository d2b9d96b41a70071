package recipe

import (
	"encoding/json"
	"fmt"
)

// Plain is a value as JSON has it: what templates and programs of makers read.
// It is a copy; nil if v is nothing that JSON holds.
func Plain(v any) any {
	text, err := json.Marshal(v)
	if err != nil {
		return nil
	}
	var plain any
	if json.Unmarshal(text, &plain) != nil {
		return nil
	}
	return plain
}

// carried are the inputs of a step as its ports take them: evidence becomes
// data where a port takes data, and the other way round.
func (s *Step) carried(in Values) (Values, error) {
	for _, w := range s.In {
		v, there := in[w.Port.Name]
		switch {
		case !there || w.Port.Type == w.From.Type:
		case innermost(w.From.Type).evident() && innermost(w.Port.Type) == Data:
			in[w.Port.Name] = Plain(v)
		case innermost(w.Port.Type).evident():
			var err error
			if in[w.Port.Name], err = Value(w.Port.Type, v); err != nil {
				return in, fmt.Errorf("its input %q is no %s: %w", w.Port.Name, w.Port.Type, err)
			}
		}
	}
	return in, nil
}

func innermost(t Type) Type {
	for {
		e, list := t.Element()
		if !list {
			return t
		}
		t = e
	}
}

// List is a value that carries a list, as one of T. Its entries are what their
// type says; entries of steps that failed are left out. It fails if v is no
// list, or an entry is no T.
func List[T any](v any) ([]T, error) {
	entries, ok := v.([]any)
	if !ok && v != nil {
		return nil, fmt.Errorf("expected a list, found %T", v)
	}
	all := make([]T, 0, len(entries))
	for i, x := range entries {
		if x == nil {
			continue
		}
		entry, ok := x.(T)
		if !ok {
			return nil, fmt.Errorf("entry %d: expected %T, found %T", i+1, entry, x)
		}
		all = append(all, entry)
	}
	return all, nil
}

// Listed is a list as a value that is carried.
func Listed[T any](all []T) []any {
	entries := make([]any, len(all))
	for i, x := range all {
		entries[i] = x
	}
	return entries
}

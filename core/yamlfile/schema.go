package yamlfile

import "reflect"

// Schema returns the JSON Schema (draft 2020-12) of files that Decode reads
// into a struct like v.
func Schema(title string, v any) map[string]any {
	shapes := &shapes{open: map[reflect.Type]bool{}, defs: map[string]any{}}
	s := shapes.of(reflect.TypeOf(v), field{})
	if len(shapes.defs) > 0 {
		s["$defs"] = shapes.defs
	}
	s["$schema"] = "https://json-schema.org/draft/2020-12/schema"
	s["title"] = title
	return s
}

// shapes makes schemas of types. One that holds itself is described once, and
// referred to.
type shapes struct {
	open map[reflect.Type]bool
	defs map[string]any
}

func (o *shapes) of(t reflect.Type, f field) map[string]any {
	s := map[string]any{}
	if f.about != "" {
		s["description"] = f.about
	}
	if f.example != "" {
		s["examples"] = []string{f.example}
	}
	switch {
	case t == laterType:
	case t == objectType:
		s["type"] = "object"
	case t == pairsType || t == textsType:
		s["type"], s["additionalProperties"] = "object", map[string]any{"type": "string"}
	case t == durationType:
		s["type"], s["pattern"] = "string", `^[0-9.]+(ms|s|m|h)([0-9.]+(ms|s|m|h))*$`
	case t.Kind() == reflect.Struct && o.open[t]:
		if o.defs[t.Name()] == nil {
			o.defs[t.Name()] = true // being made
			o.open[t] = false
			o.defs[t.Name()] = o.of(t, field{})
		}
		s["$ref"] = "#/$defs/" + t.Name()
	case t.Kind() == reflect.Struct:
		o.open[t] = true
		defer delete(o.open, t)
		properties, required := map[string]any{}, []string{}
		for _, k := range fieldsOf(t) {
			properties[k.key] = o.of(k.kind, k)
			if k.need {
				required = append(required, k.key)
			}
		}
		s["type"], s["properties"], s["required"], s["additionalProperties"] = "object", properties, required, false
	case t.Kind() == reflect.Slice:
		s["type"], s["items"] = "array", o.of(t.Elem(), field{choices: f.choices})
		bound(s, "minItems", f.least)
		bound(s, "maxItems", f.most)
	case t.Kind() == reflect.String:
		s["type"] = "string"
		if len(f.choices) > 0 {
			s["enum"] = f.choices
		}
		if f.pattern != nil {
			s["pattern"] = f.pattern.String()
		}
		if f.need {
			s["minLength"] = 1
		}
		bound(s, "maxLength", f.most)
	case t.Kind() == reflect.Bool:
		s["type"] = "boolean"
	case t.Kind() == reflect.Int:
		s["type"] = "integer"
		bound(s, "minimum", f.least)
		bound(s, "maximum", f.most)
	case t.Kind() == reflect.Float64:
		s["type"] = "number"
		bound(s, "minimum", f.least)
		bound(s, "maximum", f.most)
	}
	return s
}

func bound(s map[string]any, key string, n *float64) {
	if n != nil {
		s[key] = *n
	}
}

// SchemaOf returns the schema of a value that is read into what v points to.
func SchemaOf(v any) map[string]any {
	t := reflect.TypeOf(v)
	if t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	o := &shapes{open: map[reflect.Type]bool{}, defs: map[string]any{}}
	return o.of(t, field{})
}

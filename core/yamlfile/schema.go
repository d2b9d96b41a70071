package yamlfile

import "reflect"

// Schema returns the JSON Schema (draft 2020-12) of files that Decode reads
// into a struct like v.
func Schema(title string, v any) map[string]any {
	s := schemaOf(reflect.TypeOf(v), field{})
	s["$schema"] = "https://json-schema.org/draft/2020-12/schema"
	s["title"] = title
	return s
}

func schemaOf(t reflect.Type, f field) map[string]any {
	s := map[string]any{}
	if f.about != "" {
		s["description"] = f.about
	}
	if f.example != "" {
		s["examples"] = []string{f.example}
	}
	switch {
	case t == durationType:
		s["type"], s["pattern"] = "string", `^[0-9.]+(ms|s|m|h)([0-9.]+(ms|s|m|h))*$`
	case t.Kind() == reflect.Struct:
		properties, required := map[string]any{}, []string{}
		for _, k := range fieldsOf(t) {
			properties[k.key] = schemaOf(k.kind, k)
			if k.need {
				required = append(required, k.key)
			}
		}
		s["type"], s["properties"], s["required"], s["additionalProperties"] = "object", properties, required, false
	case t.Kind() == reflect.Slice:
		s["type"], s["items"] = "array", schemaOf(t.Elem(), field{choices: f.choices})
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

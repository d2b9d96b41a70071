package modelserver

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"regexp"
	"slices"
	"strings"
)

// responseFormat is how the protocol asks for JSON.
type responseFormat struct {
	Type       string `json:"type"` // text, json_object or json_schema
	JSONSchema struct {
		Schema json.RawMessage `json:"schema"`
	} `json:"json_schema"`
}

var (
	asksJSON  = regexp.MustCompile(`(?i)\b(?:answer|reply|respond|write|return|output)\b[^.\n]{0,60}\bJSON\b`)
	namedKeys = regexp.MustCompile(`"([A-Za-z_][\w-]*)"\s*:\s*(\[)?`)
)

// structured answers in JSON if it is asked to. By response_format it answers
// with JSON and nothing else; asked in words it does what real models do:
// mostly that, now and then wrapped in chatter or slightly broken.
func structured(f responseFormat, c conversation, prose string, chance *rand.Rand) (reply string, ok bool) {
	inWords := asksJSON.MatchString(c.system + "\n" + c.question)
	if f.Type != "json_object" && f.Type != "json_schema" && !inWords {
		return "", false
	}
	var value any
	if s := readSchema(f.JSONSchema.Schema); s != nil {
		value = s.sample("reply", sentences(prose), 0)
	} else {
		value = sampleKeys(c, sentences(prose))
	}
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false)
	e.SetIndent("", "  ")
	if err := e.Encode(value); err != nil {
		return "{}", true
	}
	text := strings.TrimSpace(b.String())
	if f.Type == "json_object" || f.Type == "json_schema" {
		return text, true
	}
	switch chance.IntN(6) {
	case 0:
		return "Certainly! Here is the JSON you asked for:\n\n```json\n" + text +
			"\n```\n\nLet me know if you need anything else.", true
	case 1:
		return "```json\n" + text + "\n```", true
	case 2:
		return damage(text, chance), true
	}
	return text, true
}

// damage breaks JSON in one of the ways in which models break it.
func damage(text string, chance *rand.Rand) string {
	switch chance.IntN(4) {
	case 0: // a comma too many
		if i := strings.LastIndexByte(text, '}'); i > 0 {
			return strings.TrimRight(text[:i], " \n") + ",\n}"
		}
	case 1: // the end is missing
		return strings.TrimRight(text, "}] \n")
	case 2: // keys without quotation marks
		return regexp.MustCompile(`"([A-Za-z_]\w*)":`).ReplaceAllString(text, "$1:")
	}
	return strings.Replace(text, "\n", " // as asked\n", 1)
}

// sampleKeys fills the keys that the prompt names.
func sampleKeys(c conversation, said []string) map[string]any {
	out := map[string]any{}
	keys := namedKeys.FindAllStringSubmatch(c.system+"\n"+c.question, -1)
	for i, k := range keys {
		if k[2] != "" {
			out[k[1]] = inShort(said, 3)
			continue
		}
		out[k[1]] = at(said, i)
	}
	if len(out) == 0 {
		out["reply"] = strings.Join(said, " ")
	}
	return out
}

// inShort takes the most telling few of what was said, each without what
// follows its first comma or colon.
func inShort(said []string, most int) []string {
	list := []string{}
	for _, s := range said {
		s = strings.Trim(markup.ReplaceAllString(s, ""), " *#|")
		if at := strings.IndexAny(s, ",:;.("); at > 0 {
			s = strings.TrimSpace(s[:at])
		}
		if n := len(strings.Fields(s)); n >= 3 && n <= 9 && !strings.ContainsAny(s, "=\"") &&
			!strings.HasPrefix(s, "You might") && !strings.HasPrefix(s, "If") && !slices.Contains(list, s) {
			if list = append(list, s); len(list) == most {
				break
			}
		}
	}
	return list
}

func at(list []string, i int) string {
	if len(list) == 0 {
		return ""
	}
	return list[i%len(list)]
}

// schema is what of JSON Schema is understood.
type schema struct {
	Type       string             `json:"type"`
	Properties map[string]*schema `json:"properties"`
	Required   []string           `json:"required"`
	Items      *schema            `json:"items"`
	Enum       []any              `json:"enum"`
	Minimum    *float64           `json:"minimum"`
	MinItems   int                `json:"minItems"`
}

func readSchema(text json.RawMessage) *schema {
	var s schema
	if len(text) == 0 || json.Unmarshal(text, &s) != nil || s.Type == "" && s.Properties == nil && s.Enum == nil {
		return nil
	}
	return &s
}

// deepest bounds a schema that contains itself.
const deepest = 6

// sample makes a value that the schema allows, with what was said for texts.
func (s *schema) sample(key string, said []string, depth int) any {
	switch {
	case s == nil || depth > deepest:
		return nil
	case len(s.Enum) > 0:
		for _, e := range s.Enum { // one that was mentioned, if there is one
			if text, ok := e.(string); ok &&
				strings.Contains(strings.ToLower(strings.Join(said, " ")), strings.ToLower(text)) {
				return e
			}
		}
		return s.Enum[0]
	}
	switch s.Type {
	case "object", "":
		out := map[string]any{}
		var names []string
		for name := range s.Properties {
			names = append(names, name)
		}
		slices.Sort(names)
		for i, name := range names {
			out[name] = s.Properties[name].sample(name, rotate(said, i), depth+1)
		}
		return out
	case "array":
		list := []any{}
		if s.Items != nil && s.Items.Type == "string" && s.Items.Enum == nil {
			for _, text := range inShort(said, max(3, s.MinItems)) {
				list = append(list, text)
			}
			if len(list) >= max(1, s.MinItems) {
				return list
			}
			list = list[:0]
		}
		for i := range max(s.MinItems, min(3, len(said))) {
			list = append(list, s.Items.sample(key, rotate(said, i), depth+1))
		}
		return list
	case "integer", "number":
		if s.Minimum != nil {
			return *s.Minimum
		}
		return len(said)
	case "boolean":
		return len(said) > 1
	}
	if len(said) == 0 {
		return fmt.Sprintf("no %s", key)
	}
	return said[0]
}

func rotate(list []string, n int) []string {
	if len(list) == 0 {
		return list
	}
	n %= len(list)
	return slices.Concat(list[n:], list[:n])
}

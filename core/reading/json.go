package reading

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strings"
)

var _ = register(format{name: "json", title: "JSON", endings: []string{".json"}, read: readJSON})

var _ = register(format{name: "jsonl", endings: []string{".jsonl", ".ndjson"}, read: readJSON})

// readJSON reads JSON and JSON Lines: every entry of the outermost list, and
// every line, is a row of its leaves with their names.
func readJSON(ctx context.Context, name string, body []byte, l Limits) (d Document, err error) {
	decoded, err := decode(name, body)
	if err != nil {
		return d, err
	}
	text := []byte(decoded)
	if jsonDepth(text) > l.Depth {
		return d, problem(name, "it nests too deep")
	}
	decoder := json.NewDecoder(bytes.NewReader(text))
	decoder.UseNumber()
	line, counted := 1, 0
	for {
		var v any
		if err := decoder.Decode(&v); err == io.EOF {
			return d, nil
		} else if err != nil {
			at := int(decoder.InputOffset())
			return d, problem(name, "line %d: it is no JSON: %v", 1+
				bytes.Count(text[:min(at, len(text))], []byte("\n")), err)
		}
		entries, list := v.([]any)
		if !list {
			entries = []any{v}
		}
		at := int(decoder.InputOffset())
		for _, e := range entries {
			if ctx.Err() != nil {
				return d, context.Cause(ctx)
			}
			if object, is := e.(map[string]any); is && !list && len(d.Blocks) == 0 {
				if title, is := object["title"].(string); is {
					d.Title = title
				}
			}
			var leaves []string
			flatten("", e, &leaves)
			number := len(d.Blocks) + 1
			if number > l.Blocks {
				return d, problem(name, "it has more than %d entries", l.Blocks)
			}
			b := Block{Kind: Row, Text: strings.Join(leaves, "; "), Row: number}
			if !list {
				b.Line = line
			}
			d.Blocks = append(d.Blocks, b)
		}
		line += bytes.Count(text[counted:at], []byte("\n"))
		counted = at
		for counted < len(text) && (text[counted] == '\n' || text[counted] == '\r') {
			if text[counted] == '\n' {
				line++
			}
			counted++
		}
	}
}

// jsonDepth is how deep brackets nest, those in texts not counted.
func jsonDepth(text []byte) (deepest int) {
	deep, quoted := 0, false
	for i := 0; i < len(text); i++ {
		switch b := text[i]; {
		case quoted && b == '\\':
			i++
		case b == '"':
			quoted = !quoted
		case quoted:
		case b == '{' || b == '[':
			deep++
			deepest = max(deepest, deep)
		case b == '}' || b == ']':
			deep--
		}
	}
	return deepest
}

func flatten(path string, v any, leaves *[]string) {
	under := func(key string) string {
		if path == "" {
			return key
		}
		return path + " " + key
	}
	switch v := v.(type) {
	case map[string]any:
		keys := make([]string, 0, len(v))
		for k := range v {
			keys = append(keys, k)
		}
		slices.Sort(keys)
		for _, k := range keys {
			flatten(under(k), v[k], leaves)
		}
	case []any:
		plain := true
		var all []string
		for _, e := range v {
			switch e.(type) {
			case map[string]any, []any:
				plain = false
			}
			all = append(all, fmt.Sprint(e))
		}
		if plain {
			flatten(path, strings.Join(all, ", "), leaves)
			return
		}
		for i, e := range v {
			flatten(under(fmt.Sprint(i+1)), e, leaves)
		}
	case nil:
	default:
		text := squeeze(fmt.Sprint(v))
		if text == "" {
			return
		}
		if path != "" {
			text = path + ": " + text
		}
		*leaves = append(*leaves, text)
	}
}

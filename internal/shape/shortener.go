package shape

import "juvalogos/core/recipe"

// shortener cuts long texts in what is shown first.
type shortener struct{ whole, did bool }

// longestShown is in bytes.
const longestShown = 20_000

func (c *shortener) text(s string) string {
	if c.whole || len(s) <= longestShown {
		return s
	}
	c.did = true
	return s[:longestShown] + "…"
}

func (c *shortener) values(v recipe.Values) recipe.Values {
	if v == nil {
		return nil
	}
	out := make(recipe.Values, len(v))
	for k, x := range v {
		out[k] = c.value(recipe.Plain(x))
	}
	return out
}

func (c *shortener) value(v any) any {
	switch v := v.(type) {
	case string:
		return c.text(v)
	case []any:
		for i := range v {
			v[i] = c.value(v[i])
		}
	case map[string]any:
		for k := range v {
			v[k] = c.value(v[k])
		}
	}
	return v
}

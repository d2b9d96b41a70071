package connection

import (
	"encoding/json"
	"net/url"
	"regexp"
	"slices"
	"strings"

	"juvalogos/core/curlline"
	"juvalogos/core/yamlfile"
	"juvalogos/internal/fault"
	"juvalogos/internal/models"
)

// FromCurl makes a connection, that is not in use yet, of a command line for curl
// that works. The key that stands in it is returned apart. What of the answer is the
// reply, trying it out tells. It fails with
// *fault.Problem if something in the line cannot be taken over.
func FromCurl(line string) (c models.Connection, key string, err error) {
	r, err := curlline.Parse(strings.TrimSpace(line))
	if err != nil {
		return c, "", fault.Say(fault.Invalid, "This line cannot be taken over: %v.", err)
	}
	u, err := url.Parse(r.Address)
	if err != nil {
		return c, "", fault.Say(fault.Invalid, "This line has no address that can be read.")
	}
	c = models.Connection{Name: nameOf(u.Hostname()), Protocol: models.EndpointWay,
		Models: []models.Model{{Name: nameOf(u.Hostname()), Can: []string{"chat"}, Context: usualContext}}}
	kind, headers, key := sorted(r)
	if len(headers) > 0 {
		c.Headers = headers
	}
	var body map[string]any
	if json.Unmarshal([]byte(r.Body), &body) == nil {
		if name, ok := body["model"].(string); ok && name != "" {
			c.Models[0].Name = name
		}
		if base, ok := strings.CutSuffix(u.Path, "/chat/completions"); ok && body["messages"] != nil {
			c.Protocol, c.Address = models.ChatCompletions, u.Scheme+"://"+u.Host+base
			return c, key, nil
		}
	}
	c.Address = u.Scheme + "://" + u.Host
	path := literal(u.EscapedPath())
	if u.RawQuery != "" {
		path += "?" + literal(u.RawQuery)
	}
	e := &models.Endpoint{Method: r.Method, Path: path}
	switch {
	case body != nil:
		e.Body = bodyTemplate(body)
	case strings.Contains(kind, "form") || kind == "" && strings.Contains(r.Body, "="):
		e.Form, e.Body = "form", formTemplate(r.Body)
	case r.Body != "":
		e.Form, e.Body = "raw", "{{.prompt}}"
	}
	if e.Method == "POST" {
		e.Method = ""
	}
	c.Endpoint = e
	return c, key, nil
}

// usualContext is what a model's context is taken to be that nobody says it of.
const usualContext = 8192

var notName = regexp.MustCompile(`[^a-z0-9]+`)

// nameOf makes a connection's name of a host's.
func nameOf(host string) string {
	name := strings.Trim(notName.ReplaceAllString(strings.ToLower(host), "-"), "-")
	if name == "" {
		return "model"
	}
	return name[:min(len(name), 40)]
}

// literal is a text as a template that says just it.
func literal(text string) string { return strings.ReplaceAll(text, "{{", `{{"{{"}}`) }

// sorted takes from the headers what kind the body is, and the key; of what is left,
// what is worth sending.
func sorted(r curlline.Request) (kind string, headers yamlfile.Texts, key string) {
	headers = yamlfile.Texts{}
	for _, h := range r.Headers {
		switch name := strings.ToLower(h.Name); {
		case name == "content-type":
			kind = strings.ToLower(h.Value)
		case slices.Contains([]string{"accept", "user-agent", "content-length", "host", "connection", "accept-encoding",
			"accept-language", "origin", "referer", "priority"}, name), strings.HasPrefix(name, "sec-"):
		case name == "authorization" && strings.HasPrefix(h.Value, "Bearer ") && key == "":
			key = strings.TrimSpace(h.Value[len("Bearer "):])
		case models.HoldsKey(h.Name) && key == "":
			before, value := "", h.Value
			if word, rest, ok := strings.Cut(h.Value, " "); ok { // like Token abc
				before, value = word+" ", rest
			}
			headers[h.Name], key = before+models.KeyMark, strings.TrimSpace(value)
		case models.HoldsKey(h.Name): // a second secret has no place
		default:
			headers[h.Name] = h.Value
		}
	}
	return kind, headers, key
}

// Names under which services take what they are asked, the likeliest first, and
// settings.
var (
	asked = []string{"messages", "prompt", "inputs", "input", "question", "query", "text", "instruction", "message",
		"content"}
	settings = map[string]string{"max_tokens": "{{.max_tokens}}", "max_new_tokens": "{{.max_tokens}}",
		"max_output_tokens": "{{.max_tokens}}", "max_length": "{{.max_tokens}}", "n_predict": "{{.max_tokens}}",
		"temperature": "{{.temperature}}", "top_p": "{{.top_p}}", "seed": "{{.seed}}", "model": "{{json .model}}"}
)

// mark begins and ends what is put in the place of a template while JSON is written.
const mark = "\u2063"

// bodyTemplate makes a template of a body of JSON.
func bodyTemplate(body map[string]any) string {
	for _, name := range asked {
		if into, ok := holding(body, name, 0); ok {
			what := "{{json .prompt}}"
			if list, ok := into[name].([]any); ok && name == "messages" && len(list) > 0 {
				what = "{{json .messages}}"
			}
			into[name] = mark + what + mark
			break
		}
	}
	setUp(body, 0)
	var b strings.Builder
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false)
	e.SetIndent("", "  ")
	if e.Encode(body) != nil {
		return ""
	}
	parts := strings.Split(b.String(), mark)
	for i := range parts {
		if i%2 == 0 { // what stood there
			parts[i] = literal(parts[i])
			if i > 0 {
				parts[i] = strings.TrimPrefix(parts[i], `"`)
			}
			if i+1 < len(parts) {
				parts[i] = strings.TrimSuffix(parts[i], `"`)
			}
			continue
		}
		parts[i] = strings.ReplaceAll(parts[i], `\"`, `"`)
	}
	return strings.TrimSpace(strings.Join(parts, ""))
}

// holding finds the object that has a text or a list under a name.
func holding(v any, name string, depth int) (map[string]any, bool) {
	if depth > 6 {
		return nil, false
	}
	switch v := v.(type) {
	case map[string]any:
		switch v[name].(type) {
		case string:
			return v, true
		case []any:
			if name == "messages" {
				return v, true
			}
		}
		for _, key := range sortedKeys(v) {
			if into, ok := holding(v[key], name, depth+1); ok {
				return into, true
			}
		}
	case []any:
		for _, one := range v {
			if into, ok := holding(one, name, depth+1); ok {
				return into, true
			}
		}
	}
	return nil, false
}

func sortedKeys(m map[string]any) []string {
	var keys []string
	for key := range m {
		keys = append(keys, key)
	}
	slices.Sort(keys)
	return keys
}

// setUp puts what a desk sets in the place of what stood there. A stream is not asked
// for: how it would come, the line does not say.
func setUp(v any, depth int) {
	m, ok := v.(map[string]any)
	if !ok || depth > 6 {
		return
	}
	for key, value := range m {
		switch value.(type) {
		case float64, string:
			if what, ok := settings[key]; ok {
				m[key] = mark + what + mark
			}
		case bool:
			if key == "stream" {
				m[key] = false
			}
		default:
			setUp(value, depth+1)
		}
	}
}

// formTemplate makes lines of name=value of a body that is a form.
func formTemplate(body string) string {
	var lines []string
	done := false
	for _, pair := range strings.Split(body, "&") {
		name, value, _ := strings.Cut(pair, "=")
		if text, err := url.QueryUnescape(value); err == nil {
			value = text
		}
		value = literal(value)
		switch what, ok := settings[name]; {
		case ok:
			value = strings.ReplaceAll(what, "json ", "")
		case !done && slices.Contains(asked, name):
			value, done = "{{.prompt}}", true
		}
		lines = append(lines, name+"="+value)
	}
	return strings.Join(lines, "\n")
}

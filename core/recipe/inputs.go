package recipe

import (
	"encoding/base64"
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"juvalogos/core/phrase"
	"juvalogos/core/yamlfile"
)

func quoted(s string) string { return strconv.Quote(s) }

// read reads a value of the input's type that stands in a file.
func (in Input) read(file string, v yamlfile.Later) (any, yamlfile.Problems) {
	return readTyped(file, in, in.Type, v)
}

func readTyped(file string, in Input, t Type, v yamlfile.Later) (any, yamlfile.Problems) {
	if e, ok := t.Element(); ok {
		entries, ok := v.List()
		if !ok {
			return nil, yamlfile.Problems{v.Problem(file, fmt.Sprintf("%s: expected a %s (lines that begin with \"- "+
				"\")", in.Name, t))}
		}
		list := make([]any, len(entries))
		var problems yamlfile.Problems
		for i, entry := range entries {
			x, wrong := readTyped(file, in, e, entry)
			list[i] = x
			problems = append(problems, wrong...)
		}
		return list, problems
	}
	if t == VoiceOf {
		var voice Voice
		return voice, v.Decode(file, in.Name, &voice)
	}
	plain, err := v.Value()
	if err != nil {
		return nil, yamlfile.Problems{v.Problem(file, fmt.Sprintf("%s: %v", in.Name, err))}
	}
	x, err := in.fit(t, plain)
	if err != nil {
		return nil, yamlfile.Problems{v.Problem(file, err.Error())}
	}
	return x, nil
}

// Parse makes a value of the input's type from what a visitor or a command
// line gave as text. Pictures, sound, documents and tables come as data URLs
// (RFC 2397), with a parameter name for the file's name. The error is a
// sentence that says what to write.
func (in Input) Parse(text string) (any, error) {
	if e, ok := in.Type.Element(); ok {
		var list []any
		for line := range strings.Lines(text) {
			x, err := Input{Name: in.Name, Type: e, Choices: in.Choices}.Parse(strings.TrimSpace(line))
			if err != nil {
				return nil, err
			}
			list = append(list, x)
		}
		return list, nil
	}
	switch in.Type {
	case Number:
		n, err := strconv.ParseFloat(strings.TrimSpace(text), 64)
		if err != nil {
			return nil, phrase.Errorf("%s: %q is not a number", in.called(), text)
		}
		return n, nil
	case Truth:
		b, err := strconv.ParseBool(strings.TrimSpace(text))
		if err != nil {
			return nil, phrase.Errorf("%s: %q is neither true nor false", in.called(), text)
		}
		return b, nil
	case Text, Choice, Address, Data:
		return in.fit(in.Type, text)
	case Picture, Audio, Document, Table:
		return in.media(text)
	}
	return nil, phrase.Errorf("%s: a %s cannot be given as text", in.called(), in.Type)
}

// families are how the media types of inputs begin; any will do for the others.
var families = map[Type]string{Picture: "image/", Audio: "audio/"}

// OnRecord begins what stands for a file that is on record, before its id.
const OnRecord = "media:"

// media reads a file out of a data URL, or takes one that is on record.
func (in Input) media(text string) (Media, error) {
	if id, is := strings.CutPrefix(text, OnRecord); is {
		return Media{ID: id}, nil
	}
	head, body, ok := strings.Cut(strings.TrimPrefix(text, "data:"), ",")
	if !ok || !strings.HasPrefix(text, "data:") || !strings.HasSuffix(head, ";base64") {
		return Media{}, phrase.Errorf("%s: a %s is given as a file", in.called(), in.Type)
	}
	kind, rest, _ := strings.Cut(strings.TrimSuffix(head, ";base64"), ";")
	m := Media{Kind: kind}
	for _, parameter := range strings.Split(rest, ";") {
		if name, ok := strings.CutPrefix(parameter, "name="); ok {
			if plain, err := url.PathUnescape(name); err == nil {
				m.Name = plain
			}
		}
	}
	if family := families[in.Type]; !strings.HasPrefix(m.Kind, family) {
		return m, phrase.Errorf("%s: %s is no %s", in.called(), m.Name, in.Type)
	}
	var err error
	if m.Body, err = base64.StdEncoding.DecodeString(body); err != nil || len(m.Body) == 0 {
		return m, phrase.Errorf("%s: the file did not arrive whole; choose it again", in.called())
	}
	return m, nil
}

// fit checks a value as JSON holds it.
func (in Input) fit(t Type, v any) (any, error) {
	if t == Data {
		return v, nil
	}
	if wrong := mistyped(t, v); wrong != "" || v == nil {
		if v == nil {
			wrong = fmt.Sprintf("expected %s, found nothing", t)
		}
		return nil, fmt.Errorf("%s: %s", in.Name,
			strings.NewReplacer("float64", "a number", "string", "text", "bool", "true or false",
				"map[string]interface {}", "keys with values", "[]interface {}", "a list").Replace(wrong))
	}
	text, _ := v.(string)
	switch {
	case t == Choice && len(in.Choices) > 0 && !slices.Contains(in.Choices, text):
		return nil, fmt.Errorf("%s: %s", in.called(), yamlfile.Unknown("choice", text, in.Choices))
	case t == Address && !strings.HasPrefix(text, "http://") && !strings.HasPrefix(text, "https://"):
		return nil, phrase.Errorf("%s: %q is not an address; it begins with http:// or https://", in.called(), text)
	}
	return v, nil
}

// Fill reads what was filled in, as text by the names of inputs, beside a question; settings are
// those of the recipe. It fails, with a *phrase.Error, if something is missing, cannot be read or
// is not asked for.
func (r *Recipe) Fill(question string, filled map[string]string, settings Values) (Values, error) {
	values := Values{}
	for _, in := range r.Inputs {
		text, ok := filled[in.Name]
		if in.Name == "question" {
			text, ok = question, true
		}
		if !ok || text == "" {
			continue
		}
		v, err := in.Parse(text)
		if err != nil {
			return nil, err
		}
		values[in.Name] = v
	}
	for name := range filled {
		if !slices.ContainsFunc(r.Inputs, func(in Input) bool { return in.Name == name && in.Asked(settings) }) {
			return nil, phrase.Errorf("%q is not asked for here", name)
		}
	}
	return r.Complete(values)
}

// Complete checks what a visitor gave and adds what they left out. The error
// is a sentence for the visitor.
func (r *Recipe) Complete(given Values) (Values, error) {
	all := Values{}
	for name, v := range given {
		i := slices.IndexFunc(r.Inputs, func(in Input) bool { return in.Name == name })
		if i < 0 {
			return nil, phrase.Errorf("%q is not asked for here", name)
		}
		if wrong := mistyped(r.Inputs[i].Type, v); wrong != "" {
			return nil, fmt.Errorf("%s: %s", name, wrong)
		}
		all[name] = v
	}
	for _, in := range r.Inputs {
		if all[in.Name] == nil && in.fallback != nil {
			all[in.Name] = in.fallback
		}
		if in.Need && isEmpty(all[in.Name]) {
			return nil, phrase.Errorf("“%s” is missing", in.called())
		}
	}
	return all, nil
}

// Asked reports whether an input is asked for where a desk has some settings.
func (in Input) Asked(settings Values) bool { return in.When == "" || !isEmpty(settings[in.When]) }

// called is what a visitor reads beside an input.
func (in Input) called() string {
	if in.Title != "" {
		return in.Title
	}
	return in.Name
}

// DefaultText is the input's default as people read it; "" if it has none.
func (in Input) DefaultText() string {
	if in.fallback == nil {
		return ""
	}
	return plain(in.fallback)
}

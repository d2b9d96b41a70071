package recipe

import (
	"encoding/json"
	"fmt"
	"strconv"

	"juvalogos/core/evidence"
	"juvalogos/core/prompt"
	"juvalogos/core/quiz"
	"juvalogos/core/tables"
)

// A packed trace holds every long text once: what a step gives another takes,
// and the same words stand in the prompt that was sent.
type packed struct {
	Texts  []string `json:"texts"`
	Spans  []Span   `json:"spans"`
	Inputs any      `json:"inputs,omitempty"`
	// Takes is what Inputs were called in traces until November 2026.
	Takes any `json:"takes,omitempty"`
}

// shortest is the length in bytes from which a text is held apart.
const shortest = 40

// reference marks a text that is held apart; nothing else begins with it. It is
// followed by the text's place, or by elsewhere.
const (
	reference = "\x01"
	elsewhere = "-"
)

// Pack writes spans, and what the visitor gave, as JSON. known is a text that
// is kept elsewhere and need not be repeated, like the reply; Unpack is to be
// given the same. It fails on a value that JSON cannot hold.
func Pack(spans []Span, inputs Values, known string) ([]byte, error) {
	p := packer{seen: map[string]int{}, known: known}
	out := packed{Spans: make([]Span, len(spans))}
	for i, s := range spans {
		s.In, s.Out = p.values(s.In), p.values(s.Out)
		calls := make([]ModelCall, len(s.Calls))
		for j, c := range s.Calls {
			c.Answer = p.text(c.Answer)
			messages := make([]prompt.Message, len(c.Messages))
			for k, m := range c.Messages {
				messages[k] = prompt.Message{Role: m.Role, Text: p.text(m.Text), Pictures: m.Pictures}
			}
			c.Messages = messages
			calls[j] = c
		}
		if s.Calls = calls; len(calls) == 0 {
			s.Calls = nil
		}
		out.Spans[i] = s
	}
	out.Inputs = p.values(inputs)
	out.Texts = p.texts
	return json.Marshal(out)
}

type packer struct {
	texts []string
	seen  map[string]int
	known string
}

func (p *packer) text(s string) string {
	if len(s) < shortest && (s == "" || s[0] != reference[0]) {
		return s
	}
	if s == p.known {
		return reference + elsewhere
	}
	i, ok := p.seen[s]
	if !ok {
		i = len(p.texts)
		p.seen[s] = i
		p.texts = append(p.texts, s)
	}
	return reference + strconv.Itoa(i)
}

func (p *packer) values(v Values) Values {
	if len(v) == 0 {
		return nil
	}
	out := make(Values, len(v))
	for k, x := range v {
		out[k] = p.value(x)
	}
	return out
}

// value packs a value of any type into what JSON holds.
func (p *packer) value(v any) any {
	switch v := v.(type) {
	case string:
		return p.text(v)
	case []any:
		out := make([]any, len(v))
		for i, x := range v {
			out[i] = p.value(x)
		}
		return out
	case map[string]any:
		return p.values(v)
	case []prompt.Message:
		out := make([]any, len(v))
		for i, m := range v {
			message := map[string]any{"role": m.Role, "content": p.text(m.Text)}
			if len(m.Pictures) > 0 {
				message["pictures"] = m.Pictures
			}
			out[i] = message
		}
		return out
	case []prompt.Exchange:
		out := make([]any, len(v))
		for i, e := range v {
			out[i] = map[string]any{"question": p.text(e.Question.Text), "reply": p.text(e.Reply.Text)}
		}
		return out
	case evidence.Passage, evidence.Answer, evidence.Sources, evidence.Outline, quiz.Quiz, tables.Result,
		tables.Chart, tables.Figures:
		return p.value(Plain(v))
	case Media:
		if v.ID == "" {
			return map[string]any{"name": v.Name, "kind": v.Kind, "bytes": len(v.Body)}
		}
		v.Body = nil
		return v
	}
	return v
}

// Unpack reads what Pack wrote. Values come as JSON has them: Value turns them
// back into what a port carries. It fails on what Pack did not write, or wrote
// with another known.
func Unpack(text []byte, known string) (spans []Span, inputs Values, err error) {
	var p packed
	if err := json.Unmarshal(text, &p); err != nil {
		return nil, nil, fmt.Errorf("read a trace: %w", err)
	}
	u := unpacker{p.Texts, known}
	for i := range p.Spans {
		s := &p.Spans[i]
		u.value(s.In)
		u.value(s.Out)
		for j := range s.Calls {
			c := &s.Calls[j]
			c.Answer = u.text(c.Answer)
			for k := range c.Messages {
				c.Messages[k].Text = u.text(c.Messages[k].Text)
			}
		}
	}
	if p.Inputs == nil {
		p.Inputs = p.Takes
	}
	inputs, _ = u.value(p.Inputs).(map[string]any)
	return p.Spans, inputs, nil
}

type unpacker struct {
	texts []string
	known string
}

func (u unpacker) text(s string) string {
	if len(s) < 2 || s[0] != reference[0] {
		return s
	}
	if s[1:] == elsewhere {
		return u.known
	}
	i, err := strconv.Atoi(s[1:])
	if err != nil || i < 0 || i >= len(u.texts) {
		return s
	}
	return u.texts[i]
}

func (u unpacker) value(v any) any {
	switch v := v.(type) {
	case string:
		return u.text(v)
	case []any:
		for i := range v {
			v[i] = u.value(v[i])
		}
	case map[string]any:
		for k := range v {
			v[k] = u.value(v[k])
		}
		return v
	case Values:
		for k := range v {
			v[k] = u.value(v[k])
		}
		return map[string]any(v)
	}
	return v
}

// Value turns what Unpack returned, or what a maker typed as JSON, into what a
// port of a type carries.
func Value(t Type, v any) (any, error) {
	if e, ok := t.Element(); ok {
		list, ok := v.([]any)
		if !ok {
			return nil, fmt.Errorf("expected a %s", t)
		}
		out := make([]any, len(list))
		for i, x := range list {
			if x == nil {
				continue
			}
			var err error
			if out[i], err = Value(e, x); err != nil {
				return nil, err
			}
		}
		return out, nil
	}
	into := func(target any) error {
		text, err := json.Marshal(v)
		if err == nil {
			err = json.Unmarshal(text, target)
		}
		return err
	}
	switch t {
	case Prompt:
		var messages []prompt.Message
		err := into(&messages)
		return messages, err
	case Picture, Audio, Document, Table:
		if m, is := v.(Media); is {
			return m, nil
		}
		var m Media
		err := into(&m)
		return m, err
	case VoiceOf:
		return as[Voice](into)
	case Passage:
		return as[evidence.Passage](into)
	case Answer:
		return as[evidence.Answer](into)
	case Sources:
		return as[evidence.Sources](into)
	case OutlineOf:
		return as[evidence.Outline](into)
	case QuizOf:
		return as[quiz.Quiz](into)
	case ResultOf:
		return as[tables.Result](into)
	case ChartOf:
		return as[tables.Chart](into)
	case FiguresOf:
		return as[tables.Figures](into)
	case Past:
		var flat []struct{ Question, Reply string }
		err := into(&flat)
		exchanges := make([]prompt.Exchange, len(flat))
		for i, e := range flat {
			exchanges[i] = prompt.Exchange{Question: prompt.Measure(prompt.Estimate{}, e.Question),
				Reply: prompt.Measure(prompt.Estimate{}, e.Reply)}
		}
		return exchanges, err
	}
	if wrong := mistyped(t, v); wrong != "" {
		return nil, fmt.Errorf("%s", wrong)
	}
	return v, nil
}

// as reads a value of a type.
func as[T any](into func(any) error) (any, error) {
	var v T
	err := into(&v)
	return v, err
}

package steps

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strings"
	"text/template"
	"text/template/parse"

	"juvalogos/core/evidence"
	"juvalogos/core/memory"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
)

type composeSet struct {
	System string   `yaml:"system" json:"system" most:"40000" about:"The standing instructions, a text/template over the inputs and brief; {{.brief}} if left out, \"\" for none."`
	User   string   `yaml:"user" json:"user" need:"yes" most:"40000" about:"What the model is asked, a text/template over the inputs." example:"{{.question}}"`
	Model  string   `yaml:"model" json:"model,omitempty" most:"200" about:"The model that will read it, whose context it has to fit; the desk's own if left out."`
	Reply  int      `yaml:"reply" json:"reply,omitempty" least:"1" most:"1000000" about:"Tokens kept free for the reply; the desk's longest reply if left out."`
	Spare  []string `yaml:"spare" json:"spare,omitempty" most:"16" about:"Inputs that may be left out when there is no room, the first one first."`

	system, user sheet
}

var _ namesModel = (*composeSet)(nil)

func (set *composeSet) modelNamed() string { return set.Model }

// functions are what templates may call. The counter is put in when a template
// runs.
func functions(counter prompt.Counter) template.FuncMap {
	return template.FuncMap{
		"tokens":  counter.Count,
		"cut":     func(most int, text string) string { return prompt.Cut(counter, text, most) },
		"cutHead": func(most int, text string) string { return prompt.CutHead(counter, text, most) },
		"join":    func(separator string, list any) (string, error) { return joined(separator, list) },
		"json":    func(v any) (string, error) { b, err := json.MarshalIndent(v, "", "  "); return string(b), err },
		"trim":    strings.TrimSpace,
		"lower":   strings.ToLower,
		"upper":   strings.ToUpper,
		"plus":    func(a, b int) int { return a + b },
	}
}

// longestPrompt is in bytes; more does not fit any model.
const longestPrompt = 16 << 20

// compose makes a prompt of templates, with the conversation between the
// standing instructions and the question, and fits it into the model's context.
func compose() step {
	return step{
		StepKind: recipe.StepKind{
			Name: "compose", About: "Composes a prompt from templates (Go text/template) and fits it into the " +
				"model's context: the oldest turns give way first.",
			In: []recipe.Port{
				{Name: "past", Type: recipe.Past, About: "turns to put before the question"},
				{Name: "voice", Type: recipe.VoiceOf, About: "whose instruction is added"},
			},
			Variadic: &recipe.Port{Type: recipe.Anything, About: "whatever the templates use"},
			Out: []recipe.Port{{Name: "prompt", Type: recipe.Prompt, About: "the finished prompt"},
				{Name: "remembered", Type: recipe.Number, About: "how many turns are in it"}},
			Set:   func() any { return &composeSet{System: "{{.brief}}"} },
			Check: func(set any) error { return set.(*composeSet).parse() },
			Shape: func(set any, in []recipe.Port) ([]recipe.Port, error) {
				s := set.(*composeSet)
				names := []string{"brief"}
				for _, p := range in {
					names = append(names, p.Name)
				}
				for _, missing := range append(unwired(s.system, names), unwired(s.user, names)...) {
					return nil, fmt.Errorf("the template uses {{.%s}}, which is not wired; write %s under from, or "+
						"use one of: %s", missing, missing, strings.Join(names, ", "))
				}
				for _, spare := range s.Spare {
					if !slices.Contains(names, spare) {
						return nil, fmt.Errorf("spare: %q is not wired; there are: %s", spare,
							strings.Join(names, ", "))
					}
				}
				return compose().Out, nil
			},
		},
		do: func(t *RunContext, _ context.Context, c *recipe.Call) (recipe.Values, error) {
			set := c.Set.(*composeSet)
			voice, _ := c.In["voice"].(recipe.Voice)
			model, err := t.find(set.Model, voice)
			if err != nil {
				return nil, err
			}
			p, err := set.fit(t, model, c, voice)
			if err != nil {
				return nil, err
			}
			return recipe.Values{"prompt": p.Messages, "remembered": float64(p.Remembered)}, nil
		},
	}
}

func (s *composeSet) parse() (err error) {
	if s.system, err = parseTemplate("system", s.System); err == nil {
		s.user, err = parseTemplate("user", s.User)
	}
	return err
}

// sheet is a parsed template.
type sheet struct {
	*template.Template
	counts bool   // it calls a function that counts tokens as the model does
	only   string // the name of the one thing it writes, if that is all it does
}

func parseTemplate(name, text string) (sheet, error) {
	t, err := template.New(name).Funcs(functions(prompt.Estimate{})).Parse(text)
	if err != nil {
		return sheet{}, fmt.Errorf("%s", strings.TrimPrefix(err.Error(), "template: "))
	}
	s := sheet{Template: t, counts: strings.Contains(text, "cut") || strings.Contains(text, "tokens")}
	if name, ok := strings.CutPrefix(strings.TrimSuffix(text, "}}"), "{{."); ok && identifier(name) {
		s.only = name
	}
	return s, nil
}

func identifier(name string) bool {
	for _, r := range name {
		if r != '_' && (r < 'a' || r > 'z') {
			return false
		}
	}
	return name != ""
}

// unwired lists the top-level names that a template uses and nobody gives.
func unwired(t sheet, names []string) (missing []string) {
	if t.Template == nil || t.Tree == nil {
		return nil
	}
	var walk func(n parse.Node)
	list := func(l *parse.ListNode) {
		if l != nil {
			for _, n := range l.Nodes {
				walk(n)
			}
		}
	}
	walk = func(n parse.Node) {
		switch n := n.(type) {
		case *parse.ListNode:
			list(n)
		case *parse.ActionNode:
			walk(n.Pipe)
		case *parse.PipeNode:
			for _, c := range n.Cmds {
				for _, a := range c.Args {
					walk(a)
				}
			}
		case *parse.IfNode:
			walk(n.Pipe)
			list(n.List)
			list(n.ElseList)
		case *parse.RangeNode: // within, the dot is another
			walk(n.Pipe)
			list(n.ElseList)
		case *parse.WithNode:
			walk(n.Pipe)
			list(n.ElseList)
		case *parse.FieldNode:
			if !slices.Contains(names, n.Ident[0]) {
				missing = append(missing, n.Ident[0])
			}
		}
	}
	list(t.Root)
	return missing
}

// fit fills in the templates and leaves out what there is no room for: first
// the spare inputs, then the oldest turns.
func (s *composeSet) fit(t *RunContext, model Model, c *recipe.Call, voice recipe.Voice) (prompt.Prompt, error) {
	data := map[string]any{"brief": t.Brief.Text, "past": nil, "voice": voice}
	for _, name := range c.Wide {
		data[name] = ""
	}
	for name, v := range forTemplate(c.In) {
		data[name] = v
	}
	reply := s.Reply
	if reply == 0 {
		reply = t.Sampling.MaxTokens
	}
	if voice.MaxTokens > 0 {
		reply = voice.MaxTokens
	}
	past, _ := c.In["past"].([]prompt.Exchange)
	counter := model.Counter()
	spare := s.Spare
	for {
		system, err := fill(s.system, data, counter)
		if err != nil {
			return prompt.Prompt{}, err
		}
		user, err := fill(s.user, data, counter)
		if err != nil {
			return prompt.Prompt{}, err
		}
		if voice.Instruction != "" {
			system = strings.TrimSpace(system + "\n\n" + voice.Instruction)
		}
		standing := prompt.Standing{Brief: t.measure(counter, strings.TrimSpace(system))}
		question := t.measure(counter, user)
		room, err := prompt.Room(model.Context(), reply, standing, question)
		if err == nil {
			p := prompt.Compose(standing,
				memory.Recall(past, memory.Limits{Turns: len(past), Tokens: math.MaxInt}, room), question)
			if left := len(past) - p.Remembered; left > 0 {
				c.Note(fmt.Sprintf("%d earlier turns did not fit", left))
			}
			return p, nil
		}
		if len(spare) == 0 {
			return prompt.Prompt{}, err
		}
		c.Note(fmt.Sprintf("there was no room for %s", spare[0]))
		data[spare[0]], spare = "", spare[1:]
	}
}

// forTemplate are values as templates read them: evidence as data, by the names
// that its JSON has.
func forTemplate(in recipe.Values) recipe.Values {
	out := make(recipe.Values, len(in))
	for name, v := range in {
		switch v := v.(type) {
		case evidence.Passage, evidence.Answer, evidence.Sources:
			out[name] = recipe.Plain(v)
		case []any:
			out[name] = v
			if len(v) > 0 {
				switch v[0].(type) {
				case evidence.Passage, evidence.Answer, evidence.Sources:
					out[name] = recipe.Plain(v)
				}
			}
		default:
			out[name] = v
		}
	}
	return out
}

// measure counts a text; the brief is not counted again for every question.
func (t *RunContext) measure(counter prompt.Counter, text string) prompt.Piece {
	if text == t.Brief.Text && counter.Vocabulary() == t.Vocabulary {
		return t.Brief
	}
	if text == t.Question.Text && counter.Vocabulary() == t.Vocabulary {
		return t.Question
	}
	return prompt.Measure(counter, text)
}

func fill(s sheet, data map[string]any, counter prompt.Counter) (string, error) {
	if text, ok := data[s.only].(string); ok && s.only != "" && len(text) <= longestPrompt {
		return sound(text), nil
	}
	var b limited
	tpl := s.Template
	if s.counts {
		clone, err := tpl.Clone()
		if err != nil {
			return "", err
		}
		tpl = clone.Funcs(functions(counter))
	}
	if err := tpl.Execute(&b, data); err != nil {
		return "", fmt.Errorf("the template %s: %s", tpl.Name(), strings.TrimPrefix(err.Error(), "template: "))
	}
	return sound(b.String()), nil
}

func sound(text string) string { return strings.ToValidUTF8(text, "\uFFFD") }

// limited refuses to grow beyond longestPrompt.
type limited struct{ strings.Builder }

func (l *limited) Write(p []byte) (int, error) {
	if l.Len()+len(p) > longestPrompt {
		return 0, fmt.Errorf("it grows beyond %d bytes", longestPrompt)
	}
	return l.Builder.Write(p)
}

// Package templates fills in makers' templates (text/template), which run for every
// question and may be anybody's: what they build on the way, how often they loop and
// for how long is bounded, not only what comes out.
//
// A template may call a few functions of ours beside those of text/template: json,
// join, trim, lower, upper, fence, tokens, cut, cutHead and plus.
//
//	t, err := templates.Parse("user", "{{.question}}", nil)
//	text, err := templates.Fill(ctx, t, map[string]any{"question": "How?"}, prompt.Estimate{})
package templates

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"text/template"
	"text/template/parse"

	"juvalogos/core/prompt"
)

const (
	// longestPrompt is in bytes; more does not fit any model.
	longestPrompt = 16 << 20
	// mostBuilt is how many bytes all functions of one run may build together.
	mostBuilt = 4 * longestPrompt
	// mostRounds is how often loops and nested templates of one run may begin.
	mostRounds = 1_000_000
	// widest is a number in a format of printf, for a width or a precision.
	widest = 1000
)

// Sheet is a parsed template.
type Sheet struct {
	*template.Template
	more  template.FuncMap // functions of its own
	plain bool             // it calls nothing and loops nowhere
	only  string           // the name of the one thing it writes, if that is all it does
}

// Parse reads a template that may call our functions, and more. The error says where
// it is wrong.
func Parse(name, text string, more template.FuncMap) (Sheet, error) {
	b := &bounds{ctx: context.Background()}
	t, err := template.New(name).Funcs(b.functions(prompt.Estimate{}, more)).Parse(text)
	if err != nil {
		return Sheet{}, fmt.Errorf("%s", strings.TrimPrefix(err.Error(), "template: "))
	}
	s := Sheet{Template: t, more: more, plain: true}
	for _, each := range t.Templates() {
		if each.Tree != nil && each.Root != nil {
			s.plain = watch(each.Root, each != t) && s.plain
		}
	}
	if name, ok := strings.CutPrefix(strings.TrimSuffix(text, "}}"), "{{."); ok && identifier(name) {
		s.only = name
	}
	return s, nil
}

// round is the node that loops and nested templates begin with.
var round = func() parse.Node {
	t := template.Must(template.New("").Funcs(template.FuncMap{"nextround": func() (string, error) { return "", nil }}).
		Parse("{{nextround}}"))
	return t.Root.Nodes[0]
}()

// watch puts a call that counts into every loop and, where nested says so, into
// the template itself. It reports whether there is nothing to watch.
func watch(l *parse.ListNode, nested bool) (plain bool) {
	plain = !nested
	see := func(list *parse.ListNode, loop bool) {
		if list != nil {
			plain = watch(list, loop) && plain
		}
	}
	for _, n := range l.Nodes {
		switch n := n.(type) {
		case *parse.ActionNode:
			plain = plain && calls(n.Pipe) == 0
		case *parse.IfNode:
			plain = plain && calls(n.Pipe) == 0
			see(n.List, false)
			see(n.ElseList, false)
		case *parse.WithNode:
			plain = plain && calls(n.Pipe) == 0
			see(n.List, false)
			see(n.ElseList, false)
		case *parse.RangeNode:
			plain = false
			see(n.List, true)
			see(n.ElseList, false)
		case *parse.TemplateNode:
			plain = false
		}
	}
	if nested {
		l.Nodes = slices.Insert(l.Nodes, 0, round.Copy())
	}
	return plain
}

// calls counts the functions that a pipe names.
func calls(p *parse.PipeNode) (n int) {
	if p == nil {
		return 0
	}
	for _, c := range p.Cmds {
		for _, a := range c.Args {
			switch a := a.(type) {
			case *parse.IdentifierNode:
				n++
			case *parse.PipeNode:
				n += calls(a)
			}
		}
	}
	return n
}

func identifier(name string) bool {
	for _, r := range name {
		if r != '_' && (r < 'a' || r > 'z') {
			return false
		}
	}
	return name != ""
}

// Unwired lists the top-level names that a template uses and nobody gives.
func Unwired(t Sheet, names []string) (missing []string) {
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

// bounds are what one run of a template has used.
type bounds struct {
	ctx    context.Context
	built  int
	rounds int
}

// build sets aside what a function is about to build, in bytes.
func (b *bounds) build(size int) error {
	if size < 0 || b.built+size > mostBuilt {
		return fmt.Errorf("it builds more than %d MB on its way; make it simpler", mostBuilt>>20)
	}
	b.built += size
	return b.ctx.Err()
}

func (b *bounds) nextRound() (string, error) {
	if b.rounds++; b.rounds > mostRounds {
		return "", fmt.Errorf("it loops more than %d times; let it end earlier", mostRounds)
	}
	if b.rounds%64 == 0 && b.ctx.Err() != nil {
		return "", context.Cause(b.ctx)
	}
	return "", nil
}

// sizeOf is about how many bytes a value has when it is written; it stops when it
// is more than mostBuilt.
func sizeOf(v any) int {
	size := 0
	var walk func(v any, depth int)
	walk = func(v any, depth int) {
		if size > mostBuilt {
			return
		}
		size += 8 + 2*depth // as it is indented
		switch v := v.(type) {
		case string:
			size += len(v)
		case []byte:
			size += 4 * len(v)
		case []any:
			for _, x := range v {
				walk(x, depth+1)
			}
		case map[string]any:
			for key, x := range v {
				size += len(key)
				walk(x, depth+1)
			}
		case []string:
			for _, x := range v {
				walk(x, depth+1)
			}
		case nil, bool, int, int64, float64:
			size += 24
		default:
			// What a recipe's wires carry beside these is small, or text that was made
			// of it before; its JSON tells.
			text, err := json.Marshal(v)
			if err != nil {
				size += 1 << 10
			}
			size += len(text)
		}
	}
	walk(v, 0)
	return size
}

func sizeOfAll(values []any) (size int) {
	for _, v := range values {
		size += sizeOf(v)
	}
	return size
}

var digits = regexp.MustCompile(`[0-9]+`)

// printf is fmt's, without widths that come from outside or are larger than any
// page.
func (b *bounds) printf(format string, values ...any) (string, error) {
	wide := 0
	for _, n := range digits.FindAllString(format, -1) {
		if at, err := strconv.Atoi(n); err != nil || at > widest {
			return "", fmt.Errorf("printf: numbers in a format go up to %d", widest)
		} else {
			wide += at
		}
	}
	if strings.Contains(format, "*") {
		return "", fmt.Errorf("printf: write a width as a number, not as *")
	}
	// A byte becomes ten at most, as %+q writes what is no letter.
	if err := b.build(len(format) + wide + 10*sizeOfAll(values)); err != nil {
		return "", err
	}
	return fmt.Sprintf(format, values...), nil
}

// grows wraps a function of texts whose result has so many bytes for each of
// theirs.
func (b *bounds) grows(by int, do func(...any) string) func(...any) (string, error) {
	return func(values ...any) (string, error) {
		if err := b.build(by * sizeOfAll(values)); err != nil {
			return "", err
		}
		return do(values...), nil
	}
}

func (b *bounds) changes(by int, do func(string) string) func(string) (string, error) {
	return func(text string) (string, error) {
		if err := b.build(by * len(text)); err != nil {
			return "", err
		}
		return do(text), nil
	}
}

// functions are what templates may call: ours, and those of text/template that
// build texts, within bounds.
func (b *bounds) functions(counter prompt.Counter, more template.FuncMap) template.FuncMap {
	all := template.FuncMap{
		"nextround": b.nextRound,
		"tokens":    func(text string) (int, error) { return counter.Count(text), b.build(len(text)) },
		"cut": func(most int, text string) (string, error) {
			return prompt.Cut(counter, text, most), b.build(len(text))
		},
		"cutHead": func(most int, text string) (string, error) {
			return prompt.CutHead(counter, text, most), b.build(len(text))
		},
		"join": func(separator string, list any) (string, error) {
			size := sizeOf(list) // at least eight for each item
			if err := b.build(size + len(separator)*(size/8)); err != nil {
				return "", err
			}
			return joined(separator, list)
		},
		"json": func(v any) (string, error) {
			if err := b.build(6 * sizeOf(v)); err != nil {
				return "", err
			}
			text, err := json.MarshalIndent(v, "", "  ")
			return string(text), err
		},
		"fence": b.changes(2, Fence),
		"trim":  strings.TrimSpace,
		"lower": b.changes(3, strings.ToLower),
		"upper": b.changes(3, strings.ToUpper),
		"plus":  func(a, b int) int { return a + b },

		"printf":   b.printf,
		"print":    b.grows(2, func(v ...any) string { return fmt.Sprint(v...) }),
		"println":  b.grows(2, func(v ...any) string { return fmt.Sprintln(v...) }),
		"html":     b.grows(6, template.HTMLEscaper),
		"js":       b.grows(6, template.JSEscaper),
		"urlquery": b.grows(3, template.URLQueryEscaper),
	}
	for name, do := range more {
		if text, ok := do.(func(string) string); ok {
			do = b.changes(3, text)
		}
		maps.Copy(all, template.FuncMap{name: do})
	}
	return all
}

// Fill runs a template; it ends with the context. Its error is the context's, or says
// what of the template went wrong.
func Fill(ctx context.Context, s Sheet, data map[string]any, counter prompt.Counter) (string, error) {
	if text, ok := data[s.only].(string); ok && s.only != "" && len(text) <= longestPrompt {
		return sound(text), nil
	}
	var out limited
	t := s.Template
	if !s.plain {
		clone, err := t.Clone()
		if err != nil {
			return "", err
		}
		t = clone.Funcs((&bounds{ctx: ctx}).functions(counter, s.more))
	}
	if err := t.Execute(&out, data); err != nil {
		if ctx.Err() != nil {
			return "", context.Cause(ctx)
		}
		return "", fmt.Errorf("the template %s: %s", t.Name(), strings.TrimPrefix(err.Error(), "template: "))
	}
	return sound(out.String()), nil
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

// joined joins a list in a template.
func joined(separator string, list any) (string, error) {
	entries, ok := list.([]any)
	if !ok {
		return "", fmt.Errorf("join: %T is not a list", list)
	}
	parts := make([]string, len(entries))
	for i, v := range entries {
		parts[i] = fmt.Sprint(v)
	}
	return strings.Join(parts, separator), nil
}

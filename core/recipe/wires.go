package recipe

import (
	"fmt"
	"slices"
	"strings"

	"juvalogos/core/yamlfile"
)

// ref finds what a reference means. s is the step that refers, nil at the end
// of a level; what names the place of the reference in messages.
func (c *checker) ref(l *level, s *Step, where string, at yamlfile.Position, what string) (Ref, bool) {
	where = strings.TrimSpace(where)
	if r, ok := l.find(where); ok {
		return r, true
	}
	for out := l.around; out != nil; out = out.around {
		if r, ok := out.find(where); ok {
			if !slices.ContainsFunc(l.outer, func(o Ref) bool { return o.String() == r.String() }) {
				l.outer = append(l.outer, r)
			}
			return r, true
		}
	}
	who := ""
	if s != nil {
		who = fmt.Sprintf("step %q: ", s.Name)
	}
	name, output, dotted := strings.Cut(where, ".")
	for around := l; around != nil; around = around.around {
		i := slices.IndexFunc(around.steps, func(o *Step) bool { return o.Name == name })
		if i < 0 {
			continue
		}
		step := around.steps[i]
		if step.Out == nil {
			return Ref{}, false // what is wrong with that step has been said
		}
		var gives []string
		for _, o := range step.Out {
			gives = append(gives, step.Name+"."+o.Name)
		}
		if !dotted {
			c.sayAt(at, "%s%s: say which of what %q gives: %s", who, what, name, strings.Join(gives, ", "))
		} else {
			c.sayAt(at, "%s%s: nobody makes %q; %q gives %s", who, what, name+"."+output, name,
				strings.Join(gives, ", "))
		}
		return Ref{}, false
	}
	c.sayAt(at, "%s%s: %s", who, what, yamlfile.Unknown("name", where, l.known()))
	return Ref{}, false
}

// find looks a reference up at this level alone.
func (l *level) find(where string) (Ref, bool) {
	if t, ok := l.names[where]; ok {
		return Ref{Name: where, Type: t}, true
	}
	name, output, _ := strings.Cut(where, ".")
	for _, s := range l.steps {
		if s.Name != name {
			continue
		}
		for _, o := range s.Out {
			if o.Name == output {
				return Ref{Step: s, Output: output, Type: o.Type}, true
			}
		}
	}
	return Ref{}, false
}

// known lists what can be referred to.
func (l *level) known() []string {
	var names []string
	for ; l != nil; l = l.around {
		names = append(names, l.order...)
		for _, s := range l.steps {
			for _, o := range s.Out {
				names = append(names, s.Name+"."+o.Name)
			}
		}
	}
	return names
}

// splitCondition takes a condition apart.
func splitCondition(text string) (where string, not bool, value string, compares bool) {
	text = strings.TrimSpace(text)
	if rest, ok := strings.CutPrefix(text, "not "); ok {
		not, text = true, strings.TrimSpace(rest)
	}
	where, value, compares = strings.Cut(text, " is ")
	if rest, ok := strings.CutPrefix(value, "not "); ok {
		not, value = !not, rest
	}
	return strings.TrimSpace(where), not, strings.TrimSpace(value), compares
}

func (c *checker) condition(l *level, s *Step, path string) {
	at := c.at(path + ".if")
	where, not, value, compares := splitCondition(s.file.If)
	ref, ok := c.ref(l, s, where, at, "if")
	if !ok {
		return
	}
	s.If = &Condition{From: ref, Not: not}
	if !compares {
		return
	}
	if !Text.Takes(ref.Type) && ref.Type != Number && ref.Type != Truth && ref.Type != Data {
		c.sayAt(at, "step %q: if: %s is %s, which cannot be compared with %q; leave out the “is”", s.Name, where,
			aOf(ref.Type), value)
	}
	s.If.Value = &value
}

// ends checks the reply, the parts, and that every step is needed.
func (c *checker) ends(r *Recipe, l *level) {
	if r.Steps == nil {
		return
	}
	all := stepsBefore(l, nil)
	made := &level{steps: l.steps} // without what is taken
	texts := func(t Type) bool { return Text.Takes(t) || ListOf(Text).Takes(t) }
	if ref, ok := c.ref(l, nil, r.File.Reply, c.at("reply"), "reply"); ok {
		switch {
		case !texts(ref.Type):
			c.sayAt(c.at("reply"), "reply: %s is %s, and a text or a list of text is needed%s", ref, aOf(ref.Type),
				made.fitting(all, texts))
		case ref.Step == nil:
			c.sayAt(c.at("reply"), "reply: a step has to make it%s", made.fitting(all, texts))
		case !ref.Step.always:
			c.sayAt(c.at("reply"), "reply: %q may be skipped or fail, and then there would be no reply; lead it and "+
				"another through a step of the kind choose", ref.Step.Name)
		}
		r.Reply = ref
	}
	if _, list := r.Reply.Type.Element(); !list && r.File.Blind != "" {
		c.sayAt(c.at("blind"), "blind: only a reply of several texts can be blind")
	}
	if r.File.Blind != "" {
		if ref, ok := c.ref(l, nil, r.File.Blind, c.at("blind"), "blind"); ok {
			if ref.Type != Truth {
				c.sayAt(c.at("blind"), "blind: %s is %s, and a truth is needed%s", ref, aOf(ref.Type),
					l.fitting(all, Truth.Takes))
			}
			r.Blind = ref
		}
	}
	var ends []Wire
	for i, p := range r.File.Parts {
		at := c.at(fmt.Sprintf("parts.%d", i))
		shown := func(t Type) bool { return texts(t) || Data.Takes(t) || t.evident() || innermost(t) == Picture }
		ref, ok := c.ref(l, nil, p.From, at, "parts: "+p.Title)
		if !ok {
			continue
		}
		if !shown(ref.Type) {
			c.sayAt(at, "parts: %s: %s is %s, and text, data, pictures or a list of text is needed%s", p.Title, ref,
				aOf(ref.Type), l.fitting(all, shown))
		}
		r.Parts = append(r.Parts, Part{p.Title, ref.Type, ref})
		ends = append(ends, Wire{From: ref})
	}
	ends = append(ends, Wire{From: r.Reply}, Wire{From: r.Blind})
	c.needed(l, ends)
}

// needed says which steps of a level lead to none of its ends.
func (c *checker) needed(l *level, ends []Wire) {
	if len(c.problems) > 0 {
		return // one mistake is enough to make others look needless
	}
	used := map[*Step]bool{}
	var use func(s *Step)
	use = func(s *Step) {
		if s == nil || used[s] {
			return
		}
		used[s] = true
		for _, other := range s.needs {
			use(other)
		}
	}
	for _, e := range ends {
		use(e.From.Step)
	}
	for _, s := range l.steps {
		if !used[s] {
			c.sayAt(yamlfile.Position{Line: s.Line, Column: 1},
				"step %q: nobody needs it; wire what it gives into another step, or take it away", s.Name)
		}
	}
}

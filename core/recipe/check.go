package recipe

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"
	"strings"

	"juvalogos/core/yamlfile"
)

// Check reads a recipe file and finds everything that is wrong with it: names
// that nobody knows, types that do not fit, loops, outputs that nobody makes,
// steps that nobody needs. name is the file's name; the error is
// yamlfile.Problems.
func Check(name string, src []byte, kinds StepKinds) (*Recipe, error) {
	f, err := Read(name, src)
	if err != nil {
		return nil, err
	}
	sum := sha256.Sum256(src)
	c := &checker{file: name, at: yamlfile.Places(src), kinds: kinds}
	r := &Recipe{File: f, Digest: hex.EncodeToString(sum[:8])}
	top := c.taken(&r.File)
	r.Steps = c.level(top, f.Steps, "steps")
	c.ends(r, top)
	if c.problems != nil {
		slices.SortStableFunc(c.problems,
			func(a, b yamlfile.Problem) int { return cmp.Or(a.Line-b.Line, a.Column-b.Column) })
		return nil, c.problems
	}
	return r, nil
}

type checker struct {
	file     string
	at       func(path string) yamlfile.Position
	kinds    StepKinds
	problems yamlfile.Problems
}

// level is what can be referred to at one level: that of the recipe, or that
// within a group.
type level struct {
	around *level
	names  map[string]Type // taken, settings.NAME, item, number
	order  []string        // of names
	steps  []*Step
	outer  []Ref // what was found around it
}

func (c *checker) sayAt(at yamlfile.Position, format string, args ...any) {
	c.problems = append(c.problems, yamlfile.Problem{File: c.file, Line: at.Line, Column: at.Column,
		Message: fmt.Sprintf(format, args...)})
}

// given is what a question has without being asked for it: the pictures that it is
// asked with, and the newest of them.
var given = []Input{{Name: "pictures", Type: ListOf(Picture)}, {Name: "picture", Type: Picture}}

// Given are the pictures that a question is asked with as a recipe finds them, beside
// inputs of other names.
func Given(inputs Values, pictures []Media) {
	if len(pictures) == 0 {
		return
	}
	for name, v := range map[string]any{"pictures": Listed(pictures), "picture": pictures[len(pictures)-1]} {
		if _, taken := inputs[name]; !taken {
			inputs[name] = v
		}
	}
}

// taken names what is taken and what the desk file sets.
func (c *checker) taken(f *File) *level {
	l := &level{names: map[string]Type{}}
	take := func(inputs []Input, path, before string) {
		for i := range inputs {
			in := &inputs[i]
			at := c.at(fmt.Sprintf("%s.%d", path, i))
			if !in.Type.known() {
				c.sayAt(at, "%s: %s", in.Name, yamlfile.Unknown("type", string(in.Type), typeNames()))
				continue
			}
			if in.Type == Choice && len(in.Choices) == 0 {
				c.sayAt(at, "%s: a choice needs choices", in.Name)
			}
			if _, twice := l.names[before+in.Name]; twice {
				c.sayAt(at, "%s: is there twice; give each a name of its own", in.Name)
			}
			if in.Default.Given() {
				v, wrong := in.read(c.file, in.Default)
				c.problems = append(c.problems, wrong...)
				in.fallback = v
			}
			l.names[before+in.Name] = in.Type
			l.order = append(l.order, before+in.Name)
		}
	}
	take(f.Inputs, "inputs", "")
	for _, own := range given {
		if _, taken := l.names[own.Name]; !taken {
			l.names[own.Name] = own.Type
			l.order = append(l.order, own.Name)
		}
	}
	take(f.Settings, "settings", "settings.")
	for i, in := range f.Inputs {
		if _, is := l.names["settings."+in.When]; in.When != "" && !is {
			c.sayAt(c.at(fmt.Sprintf("inputs.%d.when", i)), "%s: when: %s", in.Name,
				yamlfile.Unknown("setting", in.When, namesOf(f.Settings)))
		}
	}
	return l
}

func namesOf(all []Input) []string {
	names := make([]string, len(all))
	for i, in := range all {
		names[i] = in.Name
	}
	return names
}

func typeNames() []string {
	var names []string
	for _, t := range Types() {
		names = append(names, string(t))
	}
	return names
}

// level checks the steps of one level and returns them in an order in which
// each comes after those that it needs.
func (c *checker) level(l *level, files []StepFile, path string) []*Step {
	byName := map[string]*Step{}
	for i, f := range files {
		s := &Step{Name: f.Name, Says: f.Says, file: f, Line: c.at(fmt.Sprintf("%s.%d", path, i)).Line}
		l.steps = append(l.steps, s)
		if _, taken := l.names[f.Name]; taken || byName[f.Name] != nil ||
			slices.Contains(append([]string{"settings"}, entry...), f.Name) {
			c.sayAt(c.at(fmt.Sprintf("%s.%d.name", path, i)), "step %q: the name is taken; give it another", f.Name)
			continue
		}
		byName[f.Name] = s
	}
	order, loop := inOrder(l.steps, byName)
	if loop != nil {
		names := make([]string, len(loop))
		for i, s := range loop {
			names[i] = s.Name
		}
		at := yamlfile.Position{Line: loop[0].Line, Column: 1}
		c.sayAt(at, "step %q: it needs its own result: %s; take one of these wires away", loop[0].Name,
			strings.Join(append(names, names[0]), " → "))
		return nil
	}
	for _, s := range order {
		c.step(l, s, fmt.Sprintf("%s.%d", path, slices.Index(l.steps, s)), byName)
	}
	return order
}

// mentions lists the names that a step refers to, those within a group too.
func mentions(f StepFile) []string {
	var names []string
	add := func(where string) {
		name, _, _ := strings.Cut(strings.TrimSpace(where), ".")
		names = append(names, name)
	}
	for _, p := range f.From {
		add(p.Value)
	}
	if f.Each != "" {
		add(f.Each)
	}
	if f.If != "" {
		where, _, _, _ := splitCondition(f.If)
		add(where)
	}
	own := map[string]bool{}
	for _, inner := range f.Steps {
		own[inner.Name] = true
	}
	for _, inner := range f.Steps {
		for _, name := range mentions(inner) {
			if !own[name] {
				names = append(names, name)
			}
		}
	}
	return names
}

// inOrder sorts steps so that each comes after what it mentions, as near to
// the file's order as that allows, or returns a loop.
func inOrder(steps []*Step, byName map[string]*Step) (order, loop []*Step) {
	const open, closed = 1, 2
	state := map[*Step]int{}
	var way []*Step
	var visit func(s *Step) bool
	visit = func(s *Step) bool {
		switch state[s] {
		case closed:
			return true
		case open:
			loop = slices.Clone(way[slices.Index(way, s):])
			return false
		}
		state[s] = open
		way = append(way, s)
		for _, name := range mentions(s.file) {
			if other := byName[name]; other != nil {
				if !visit(other) {
					return false
				}
				if other != s && !slices.Contains(s.needs, other) {
					s.needs = append(s.needs, other)
				}
			}
		}
		way = way[:len(way)-1]
		state[s] = closed
		order = append(order, s)
		return true
	}
	for _, s := range steps {
		if !visit(s) {
			return nil, loop
		}
	}
	return order, nil
}

// step checks one step whose needs have been checked.
func (c *checker) step(l *level, s *Step, path string, byName map[string]*Step) {
	f := s.file
	say := func(key, format string, args ...any) {
		if key != "" {
			key = "." + key
		}
		c.sayAt(c.at(path+key), "step %q: %s", s.Name, fmt.Sprintf(format, args...))
	}
	within := l
	if f.Each != "" {
		if ref, ok := c.ref(l, s, f.Each, c.at(path+".each"), "each"); ok {
			if e, isList := ref.Type.Element(); !isList {
				say("each", "each: %s is %s, and a list is needed%s", f.Each, aOf(ref.Type),
					l.fitting(byName, func(t Type) bool { _, ok := t.Element(); return ok }))
			} else {
				s.Each = &ref
				within = &level{around: l.around, names: map[string]Type{"item": e, "number": Number},
					order: append(slices.Clone(l.order), "item", "number"), steps: l.steps}
				for k, v := range l.names {
					if !slices.Contains(entry, k) {
						within.names[k] = v
					}
				}
				if f.Carries != "" {
					within.names["carried"] = Text
					within.order = append(within.order, "carried")
				}
			}
		}
	}
	if f.If != "" {
		c.condition(l, s, path)
	}
	if f.Do == GroupKind {
		c.group(within, s, path)
	} else {
		c.kind(within, s, path, say)
	}
	if within != l {
		l.outer = append(l.outer, within.outer...)
	}
	c.ofEach(s, say)
	s.always = f.If == "" && (!f.MayFail || f.Each != "")
	for _, other := range s.needs {
		for _, w := range s.In {
			if w.From.Step == other && w.Port.Need && !other.always {
				s.always = false
			}
		}
		if s.Each != nil && s.Each.Step == other && !other.always {
			s.always = false
		}
	}
	if s.Each != nil {
		for i := range s.Out {
			s.Out[i].Type = ListOf(s.Out[i].Type)
		}
	}
}

// entry are the names that a step has within each.
var entry = []string{"item", "number", "carried"}

// ofEach checks what belongs to each.
func (c *checker) ofEach(s *Step, say func(string, string, ...any)) {
	f := s.file
	for key, there := range map[string]bool{"at_once": f.AtOnce > 0, "shows": f.Shows != "",
		"carries": f.Carries != ""} {
		if there && f.Each == "" {
			say(key, "%s: belongs to each, and there is none here", key)
		}
	}
	if f.Carries != "" && f.AtOnce > 1 {
		say("at_once", "at_once: with carries there is one after the other; leave at_once out")
	}
	for key, name := range map[string]string{"shows": f.Shows, "carries": f.Carries} {
		if name == "" {
			continue
		}
		var texts []string
		for _, o := range s.Out {
			if o.Type == Text {
				texts = append(texts, o.Name)
			}
		}
		if !slices.Contains(texts, name) {
			say(key, "%s: %s", key, yamlfile.Unknown("text of this step", name, texts))
		}
	}
}

// kind checks the inputs and the settings of a step that is no group.
func (c *checker) kind(l *level, s *Step, path string, say func(string, string, ...any)) {
	f := s.file
	kind, ok := c.kinds[f.Do]
	if !ok {
		say("do", "do: %s", yamlfile.Unknown("kind", f.Do, c.kinds.names()))
		return
	}
	s.Kind = kind
	if len(f.Steps) > 0 {
		say("steps", "steps: only a group has steps; write do: group")
	}
	if len(f.Gives) > 0 {
		say("gives", "gives: only a group says what it gives")
	}
	if kind.Set != nil {
		s.Set = kind.Set()
		wrong := f.Set.Decode(c.file, fmt.Sprintf("step %q: set", s.Name), s.Set)
		for _, p := range wrong {
			if p.Line == 0 {
				at := c.at(path)
				p.Line, p.Column = at.Line, at.Column
			}
			c.problems = append(c.problems, p)
		}
		if wrong == nil && kind.Check != nil {
			if err := kind.Check(s.Set); err != nil {
				say("set", "%v", err)
			}
		}
		for i, other := range f.Fallback {
			set := kind.Set()
			f.Set.Decode(c.file, "set", set)
			wrong := other.DecodeOver(c.file, fmt.Sprintf("step %q: fallback", s.Name), set)
			c.problems = append(c.problems, wrong...)
			if wrong == nil && kind.Check != nil {
				if err := kind.Check(set); err != nil {
					say(fmt.Sprintf("fallback.%d", i), "fallback: %v", err)
				}
			}
			s.Fallback = append(s.Fallback, set)
		}
	} else {
		if f.Set.Given() {
			say("set", "set: %s has no settings", kind.Name)
		}
		if len(f.Fallback) > 0 {
			say("fallback", "fallback: %s has no settings that could be others", kind.Name)
		}
	}
	if f.Keep > 0 && kind.Uncacheable {
		say("keep", "keep: what %s gives is not the same every time, and cannot be kept", kind.Name)
	}
	inputs := c.inputs(l, s, path, say)
	s.Out = slices.Clone(kind.Out)
	if kind.Shape != nil {
		out, err := kind.Shape(s.Set, inputs)
		if err != nil {
			say("from", "%v", err)
		} else {
			s.Out = out
		}
	}
}

// inputs checks a step's wires and returns what they carry.
func (c *checker) inputs(l *level, s *Step, path string, say func(string, string, ...any)) (carried []Port) {
	kind := s.Kind
	var names []string
	for _, p := range kind.In {
		names = append(names, p.Name)
	}
	wired := map[string]bool{}
	for _, pair := range s.file.From {
		i := slices.Index(names, pair.Key)
		var port Port
		switch {
		case i >= 0:
			port = kind.In[i]
		case kind.Variadic != nil:
			port = *kind.Variadic
			port.Name, port.Need = pair.Key, false
		default:
			c.sayAt(pair.At, "step %q: from: %s", s.Name, yamlfile.Unknown("input of "+kind.Name, pair.Key, names))
			continue
		}
		wired[pair.Key] = true
		ref, ok := c.ref(l, s, pair.Value, pair.At, pair.Key)
		if !ok {
			continue
		}
		if !port.Type.Takes(ref.Type) {
			c.sayAt(pair.At, "step %q: %s: %s is %s, and %s is needed%s", s.Name, pair.Key, pair.Value, aOf(ref.Type),
				aOf(port.Type), l.fitting(stepsBefore(l, s), port.Type.Takes))
			continue
		}
		s.In = append(s.In, Wire{port, ref})
		carried = append(carried, Port{Name: pair.Key, Type: ref.Type})
	}
	for _, p := range kind.In {
		if p.Need && !wired[p.Name] {
			say("", "its input %q (%s) is not wired%s", p.Name, p.Type, l.fitting(stepsBefore(l, s), p.Type.Takes))
		}
	}
	if kind.Variadic != nil && kind.Variadic.Need && len(s.file.From) == 0 {
		say("", "it needs inputs: write them under from")
	}
	return carried
}

// group checks a step that is made of steps.
func (c *checker) group(l *level, s *Step, path string) {
	f := s.file
	s.Kind = StepKind{Name: GroupKind, About: "Several steps that count as one."}
	at := c.at(path)
	switch {
	case len(f.Steps) == 0:
		c.sayAt(at, "step %q: a group needs steps", s.Name)
		return
	case len(f.Gives) == 0:
		c.sayAt(at, "step %q: a group says under gives what it gives, as NAME: STEP.OUTPUT", s.Name)
		return
	case len(f.From) > 0:
		c.sayAt(f.From[0].At, "step %q: from: the steps of a group refer to what is around them; a group has no "+
			"inputs of its own", s.Name)
	case f.Keep > 0:
		c.sayAt(c.at(path+".keep"), "step %q: keep: belongs to the steps of the group", s.Name)
	}
	inner := &level{around: l, names: map[string]Type{}}
	for _, name := range entry {
		if t, ok := l.names[name]; ok {
			inner.names[name] = t
			inner.order = append(inner.order, name)
		}
	}
	s.Inner = c.level(inner, f.Steps, path+".steps")
	if s.Inner == nil {
		return
	}
	for _, pair := range f.Gives {
		ref, ok := c.ref(inner, nil, pair.Value, pair.At, "gives: "+pair.Key)
		if !ok {
			continue
		}
		port := Port{Name: pair.Key, Type: ref.Type}
		s.Out = append(s.Out, port)
		s.Gives = append(s.Gives, Wire{port, ref})
	}
	s.outer = inner.outer
	for _, r := range inner.outer { // a group around this one has to hand it on
		if _, here := l.find(r.String()); !here {
			l.outer = append(l.outer, r)
		}
	}
	c.needed(inner, s.Gives)
}

// stepsBefore are the steps whose outputs a step could refer to.
func stepsBefore(l *level, s *Step) map[string]*Step {
	before := map[string]*Step{}
	for _, other := range l.steps {
		if other == s || other.Out == nil {
			continue
		}
		before[other.Name] = other
	}
	return before
}

func aOf(t Type) string {
	if t == Data || t == Text || t == Anything {
		return string(t)
	}
	if strings.ContainsRune("aeiou", rune(t[0])) {
		return "an " + string(t)
	}
	return "a " + string(t)
}

// fitting lists what would fit, for the end of a message.
func (l *level) fitting(steps map[string]*Step, fits func(Type) bool) string {
	var found []string
	for _, name := range l.order {
		if fits(l.names[name]) {
			found = append(found, name)
		}
	}
	for _, s := range l.steps {
		if steps[s.Name] != s {
			continue
		}
		for _, o := range s.Out {
			if fits(o.Type) {
				found = append(found, s.Name+"."+o.Name)
			}
		}
	}
	if l.around != nil && len(found) == 0 {
		return l.around.fitting(stepsBefore(l.around, nil), fits)
	}
	if len(found) == 0 {
		return "; nothing here would fit"
	}
	return "; would fit: " + strings.Join(found, ", ")
}

package steps

import (
	"juvalogos/core/recipe"
)

// Foreseen is what a run may ask of one model at most.
type Foreseen struct {
	Model        string // "" is the desk's own
	Calls        int
	PromptTokens int
	ReplyTokens  int
}

// Foresee works out, before anything is asked, what a run of a recipe takes at
// most: every step runs, every text is as long as it may be, and no step fails.
// prompt is the longest prompt in tokens, reply the longest reply where neither
// step nor voice says. open reports that a step runs for each of a list that is
// not known yet: then it is counted once for every call that the recipe's limits
// allow. model is the desk's own; "": it has none.
func Foresee(r *recipe.Recipe, settings recipe.Values, model string, prompt, reply int) (most []Foreseen, open bool) {
	f := foresight{settings: settings, nobody: model == "", prompt: prompt, reply: reply, calls: r.File.Limits.Calls,
		tokens: r.File.Limits.Tokens}
	f.steps(r.Steps, []recipe.Voice{{}})
	return f.within(), f.open
}

// foresight adds up calls, by model in the order in which they are met.
type foresight struct {
	settings      recipe.Values
	nobody        bool // the desk has no model
	prompt, reply int
	calls, tokens int // the recipe's limits
	models        []Foreseen
	open          bool
}

// steps counts what steps ask that run once for each voice.
func (f *foresight) steps(steps []*recipe.Step, voices []recipe.Voice) {
	for _, s := range steps {
		if f.idle(s) {
			continue
		}
		each := f.runs(s, voices)
		f.steps(s.Inner, each)
		if set, ok := s.Set.(asksModel); ok {
			set.foresee(f, s, each)
		}
	}
}

// number is what is led to an input, if it is a number above 0.
func (f *foresight) number(s *recipe.Step, input string, otherwise int) int {
	if n, ok := f.wired(s, input).(float64); ok && n > 0 {
		return int(n)
	}
	return otherwise
}

// runs tells for which voices a step runs, itself or by its group.
func (f *foresight) runs(s *recipe.Step, voices []recipe.Voice) []recipe.Voice {
	if s.Each == nil {
		return voices
	}
	list, known := f.value(*s.Each).([]any)
	if !known {
		f.open = true
		list = make([]any, f.calls)
	}
	var all []recipe.Voice
	for range voices {
		for _, item := range list {
			v, _ := item.(recipe.Voice)
			all = append(all, v)
		}
	}
	return all
}

// wired is what is led to an input from the settings.
func (f *foresight) wired(s *recipe.Step, input string) any {
	for _, w := range s.In {
		if w.Port.Name == input {
			return f.value(w.From)
		}
	}
	return nil
}

func (f *foresight) value(r recipe.Ref) any {
	if r.Step != nil {
		if c, ok := r.Step.Set.(certain); ok {
			return c.certain(f, r.Step)[r.Output]
		}
		return nil
	}
	if len(r.Name) <= len("settings.") {
		return nil
	}
	return f.settings[r.Name[len("settings."):]]
}

// certain are the settings of a step that may know some of its outputs before it runs.
type certain interface {
	// certain are those, by name.
	certain(f *foresight, s *recipe.Step) recipe.Values
}

// idle reports whether it is certain that a step is skipped.
func (f *foresight) idle(s *recipe.Step) bool {
	if s.If == nil || s.If.From.Step == nil || s.If.Value != nil {
		return false
	}
	is, known := f.value(s.If.From).(bool)
	return known && is == s.If.Not
}

// given reports whether something may come to an input: one is led there, from a step
// that may run.
func (f *foresight) given(s *recipe.Step, input string) bool {
	for _, w := range s.In {
		if w.Port.Name == input {
			return w.From.Step == nil || !f.idle(w.From.Step)
		}
	}
	return false
}

func (f *foresight) add(model string, calls, longest int) {
	if calls == 0 {
		return
	}
	at := -1
	for i := range f.models {
		if f.models[i].Model == model {
			at = i
		}
	}
	if at < 0 {
		f.models = append(f.models, Foreseen{Model: model})
		at = len(f.models) - 1
	}
	m := &f.models[at]
	m.Calls += calls
	m.PromptTokens += calls * f.prompt
	m.ReplyTokens += calls * longest
}

// within cuts what was added up to the recipe's limits: no run takes more,
// whichever model it asks.
func (f *foresight) within() []Foreseen {
	for i := range f.models {
		m := &f.models[i]
		if m.Calls > f.calls {
			m.PromptTokens, m.ReplyTokens = m.PromptTokens/m.Calls*f.calls, m.ReplyTokens/m.Calls*f.calls
			m.Calls = f.calls
		}
		if over := m.PromptTokens + m.ReplyTokens; over > f.tokens {
			m.PromptTokens = int(float64(m.PromptTokens) * float64(f.tokens) / float64(over))
			m.ReplyTokens = int(float64(m.ReplyTokens) * float64(f.tokens) / float64(over))
		}
	}
	return f.models
}

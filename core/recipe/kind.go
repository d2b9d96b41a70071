package recipe

import (
	"context"
	"maps"
	"slices"
)

// StepKind is a kind of step: what it takes, what it gives, how it is set.
type StepKind struct {
	Name, About string
	In, Out     []Port
	// More, if not nil, allows further inputs of any name and its type.
	Variadic *Port
	// Set makes the settings with their defaults, a pointer to a struct that
	// yamlfile reads; nil: there are none.
	Set func() any
	// Check looks at settings that were read; nil: nothing to look at.
	Check func(set any) error
	// Shape works out what the step gives from its settings and from the types
	// of its inputs, in the order of the file; nil: Out.
	Shape func(set any, in []Port) ([]Port, error)
	// Uncacheable steps may give other outputs for the same inputs, and cannot be
	// kept.
	Uncacheable bool
	// Follows names the input of which the output of the same name is a later
	// state: where that output is the reply, the input is shown as it grows.
	Follows string
}

// Port is one input or output.
type Port struct {
	Name  string
	Type  Type
	Need  bool // of an input: it must be wired
	About string
}

// GroupKind is the kind of a step that is made of steps.
const GroupKind = "group"

// StepKinds are the kinds that recipes can use, by name.
type StepKinds map[string]StepKind

// All lists the kinds by name.
func (k StepKinds) All() []StepKind {
	var all []StepKind
	for _, name := range slices.Sorted(maps.Keys(k)) {
		all = append(all, k[name])
	}
	return all
}

func (k StepKinds) names() []string { return append(slices.Sorted(maps.Keys(k)), GroupKind) }

// Call is one run of a step.
type Call struct {
	Step *Step
	Set  any      // the settings, as StepKind.Set makes them
	In   Values   // by input; what is not wired or was skipped is not there
	Wide []string // the names of inputs allowed by StepKind.Variadic, in the order of the file

	run   *run
	span  *spanning
	reply *lead // which of its outputs is the reply; nil: none
}

// Do does what a step's kind is there for, and returns its outputs. It obeys
// ctx.
type Do func(ctx context.Context, c *Call) (Values, error)

// Streams reports whether the text that an output of the step gives is the
// reply, and is to be handed over as it comes; see Text.
func (c *Call) Streams(output string) bool { return c.reply.is(output) }

// Text opens a text of the reply: what it returns adds to it, and is called by
// one goroutine at a time. which counts from 0 where the step gives several.
// What has been added is read, and is not taken back.
func (c *Call) Text(which int) (add func(text []byte)) {
	lane := c.reply.lane + which
	write := c.run.options.Reply(lane)
	begun := false
	return func(text []byte) {
		if !begun {
			begun = true
			c.span.wrote()
			c.run.wrote(lane)
		}
		write(text)
	}
}

// Thought opens what a model thinks aloud before it writes the text that Text
// opens for which; nil if nobody listens.
func (c *Call) Thought(which int) (add func(text []byte)) {
	if c.run.options.Thought == nil {
		return nil
	}
	return c.run.options.Thought(c.reply.lane + which)
}

// Lane is where in the reply the text goes that Text opens for which, from 1.
func (c *Call) Lane(which int) int {
	if c.reply == nil {
		return 0
	}
	return c.reply.lane + which + 1
}

// Begin is called before a model is asked. It fails with *Runaway when the run
// has used what it may.
func (c *Call) Begin() error { return c.run.meter.begin() }

// Asked keeps a record of a model that was asked.
func (c *Call) Asked(m *ModelCall) {
	c.run.meter.add(m.PromptTokens + m.ReplyTokens)
	c.span.asked(m)
}

// Note keeps something in the step's span that is worth seeing.
func (c *Call) Note(text string) { c.span.note(text) }

// Package steps holds the kinds of steps that recipes are made of, one file each:
// its settings, its inputs and outputs, and what it does.
//
// A new kind is one file like join.go, and a word in all below. Settings that
// name a model have the method modelNamed, those of a step that asks one foresee
// too (see models.go); that is how what a desk will cost is known before.
//
// What a step needs of the world outside (models, programs, addresses, shelves)
// it finds in RunContext as an interface, so that all of it can be tried without
// any. A step takes and gives values of the types that package recipe has;
// evidence travels in the types of package evidence. A step that fails says in a
// sentence what a maker can do; the recipe decides whether it is tried again.
package steps

import (
	"context"
	"fmt"
	"strings"
	"unicode/utf8"

	"juvalogos/core/deskfile"
	"juvalogos/core/memory"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/core/sound"
)

// RunContext is what the steps of one run know of the desk and of the conversation.
type RunContext struct {
	Brief    prompt.Piece
	Model    string // the desk's own
	Sampling deskfile.Sampling
	Memory   memory.Limits
	Summary  prompt.Piece      // of what came before Past; empty if nothing did
	Past     []prompt.Exchange // oldest first
	Question prompt.Piece      // as it was asked; it need not be counted twice
	// Vocabulary is what these were counted in: that of the desk's model.
	Vocabulary string

	// Schema is a JSON Schema that the reply is to fit; nil: none.
	Schema any

	Models   Models
	Programs Programs // nil: none may be run
	Web      Web      // nil: nothing may be called
	Pages    Pages    // nil: none may be read
	Shelves  Shelves  // nil: the desk has none
	Pictures Pictures // nil: there are none here
	Tables   Tables   // nil: the desk has none
	Works    Works    // nil: there are none
	// Chance draws a seed where none is given; nil: none is drawn.
	Chance func() int
}

// Models finds models by name; "" is the desk's own.
type Models interface {
	Find(name string) (Model, error)
}

// Model is a model that can be asked.
type Model interface {
	// Name is connection/name.
	Name() string
	// Context is its length in tokens.
	Context() int
	Counter() prompt.Counter
	// Sight is how it takes pictures; nil: it does not see.
	Sight() *Sight
	// Draws reports whether it makes pictures, and seeds whether it takes a seed for it.
	Draws() (yes, seeds bool)
	// Ask asks once, waiting and trying again as the connection has it, and
	// hands over the text as it comes; the bytes are valid during the call of
	// text. The call holds the whole answer; what is known of it is returned
	// with an error too.
	Ask(ctx context.Context, a Ask, text func([]byte)) (*recipe.ModelCall, error)
}

// Sight is how a model takes pictures.
type Sight struct {
	// Most is how many it takes at once; 0: any number.
	Most int
	// Tokens estimates what a picture of so many dots takes.
	Tokens func(width, height int) int
}

// ErrBlind is the error of a model that is to look at a picture and does not see.
type ErrBlind struct{ Model string }

func (e ErrBlind) Error() string {
	return "the model " + e.Model + " does not see pictures; name one that can see, or leave the pictures out"
}

// Ask is what a model is asked.
type Ask struct {
	Messages []prompt.Message
	Sampling deskfile.Sampling
	// Make asks for pictures instead of words; File gets them, and Preview what they
	// look like before they are done.
	Make          *recipe.Making
	File, Preview func(recipe.Media)
	// Hear asks for the words of the sound that is the first of Files, and Heard gets them
	// with their times, if these are known.
	Hear  *sound.Asked
	Heard func(sound.Heard)
	// Say asks for a text to be spoken; File gets the sound.
	Say *sound.Saying
	// Files are what goes along that is not on record; pictures that are stand in
	// Messages.
	Files []recipe.Media
	// Schema is a JSON Schema that the reply is to fit, for servers that can
	// hold a model to it; nil: none.
	Schema any
	// Thought hears what the model thinks aloud; nil: nobody does.
	Thought func([]byte)
}

// Programs runs local programs.
type Programs interface {
	// Run runs a program by name until it ends or ctx does, with everything
	// that it started.
	Run(ctx context.Context, name string, arguments []string, input []byte) (output []byte, err error)
}

// Web calls addresses.
type Web interface {
	Call(ctx context.Context, method, address string, headers map[string]string, body []byte) (status int,
		answer []byte, err error)
}

// step is a kind with what it does.
type step struct {
	recipe.StepKind
	do func(t *RunContext, ctx context.Context, c *recipe.Call) (recipe.Values, error)
}

func all() []step {
	return []step{recall(), rewrite(), compose(), generate(), extract(), choose(), join(), retrieve(), cite(), spot(),
		program(), address(), read(), crop(), ocr(), describe(),
		depict(), vary(), survey(), construe(), query(), tell(), hold(), draw(),
		divide(), condense(), outline(), examine()}
}

var byName = func() map[string]step {
	m := map[string]step{}
	for _, s := range all() {
		m[s.Name] = s
	}
	return m
}()

// Kinds are the kinds of steps that recipes can use.
func Kinds() recipe.StepKinds {
	kinds := recipe.StepKinds{}
	for name, s := range byName {
		kinds[name] = s.StepKind
	}
	return kinds
}

// Do does a step for this turn; it is a recipe.Do.
func (t *RunContext) Do(ctx context.Context, c *recipe.Call) (recipe.Values, error) {
	s, ok := byName[c.Step.Kind.Name]
	if !ok {
		return nil, fmt.Errorf("there is no kind %q", c.Step.Kind.Name)
	}
	return s.do(t, ctx, c)
}

// find finds the model that a step asks: its setting, else its voice's, else
// the desk's own.
func (t *RunContext) find(setting string, v recipe.Voice) (Model, error) {
	if t.Models == nil {
		return nil, fmt.Errorf("there are no models here")
	}
	for _, name := range []string{setting, v.Model, t.Model} {
		if name != "" {
			return t.Models.Find(name)
		}
	}
	return nil, fmt.Errorf("no model is named: neither in the step, nor in the desk file")
}

// whole asks a model for a text that is not the reply.
func (t *RunContext) whole(ctx context.Context, c *recipe.Call, model string, a Ask) (string, error) {
	m, err := t.find(model, recipe.Voice{})
	if err != nil {
		return "", err
	}
	if err := c.Begin(); err != nil {
		return "", err
	}
	call, err := m.Ask(ctx, a, func([]byte) {})
	c.Asked(call)
	return Sound(call.Answer), err
}

// Sound is a text with what no record can hold replaced: NUL, and what is not
// UTF-8.
func Sound(text string) string {
	if strings.IndexByte(text, 0) < 0 && utf8.ValidString(text) {
		return text
	}
	return strings.ReplaceAll(strings.ToValidUTF8(text, "\uFFFD"), "\x00", "\uFFFD")
}

package inside

import (
	"context"
	"encoding/json"
	"maps"
	"strings"

	"github.com/google/uuid"

	"juvalogos/core/deskfile"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/core/yamlfile"
	"juvalogos/internal/desk"
	"juvalogos/internal/fault"
	"juvalogos/internal/record"
	"juvalogos/internal/reply"
)

// Edits are what a maker tries instead of how a reply was made.
type Edits struct {
	// Step is where the run begins: a step of the recipe's top. What came
	// before is taken from the trace. Empty: everything runs again.
	Step string `json:"step,omitempty"`
	// Alone runs that step and none that follow.
	Alone bool `json:"alone,omitempty"`
	// Brief, Model and Sampling stand in the place of the desk's.
	Brief    *string            `json:"brief,omitempty"`
	Model    string             `json:"model,omitempty"`
	Sampling *deskfile.Sampling `json:"sampling,omitempty"`
	// Set are settings of steps, as they would stand under set in the recipe;
	// what is left out stays. Inputs are inputs, as JSON.
	Set    map[string]json.RawMessage `json:"set,omitempty"`
	Inputs map[string]map[string]any  `json:"inputs,omitempty"`
	// Settings are those of the recipe, as they would stand under recipe_settings in the desk
	// file; what is left out stays. Everything runs again then.
	Settings map[string]any `json:"settings,omitempty"`
}

// Rerun makes a reply again from a step on, with edits, and keeps the result
// beside the original. The visitor's conversation is not touched.
func (s *Service) Rerun(ctx context.Context, id uuid.UUID, e Edits, by string) (Inside, error) {
	original, err := s.Inside(ctx, id, 0)
	switch {
	case err != nil:
		return original, err
	case original.Live:
		return original, fault.Plain(fault.StillWriting)
	case original.Thinned:
		return original, fault.Say(fault.Invalid, "Only figures are left of this trace; it cannot be run again.")
	case reply.IsWithheld(original.Spans):
		return original, fault.Say(fault.Invalid, "This reply drew on documents that only the visitor may see; it "+
			"cannot be run again.")
	}
	d, q, err := s.asItWas(ctx, original.Trace)
	if err == nil {
		d, err = s.edited(d, &q, e)
	}
	if err != nil {
		return original, err
	}
	if len(e.Settings) > 0 {
		e.Step, e.Alone = "", false // another recipe, as good as
	}
	options, err := s.replay(d, original, e)
	if err != nil {
		return original, err
	}
	began, inputs := s.Now(), q.All()
	run, failed := s.Replies.RunAgain(ctx, d, q, original.Conversation, original.Visitor, options)
	t := &record.Trace{
		ID: uuid.Must(uuid.NewV7()), Kind: "rerun", Turn: original.Turn, Attempt: original.Attempt,
		DeskID: original.DeskID, Revision: original.Revision,
		Visitor: original.Visitor, Recipe: d.Recipe.Name, State: string(record.Done), StartedAt: began,
		Seconds: s.Now().Sub(began).Seconds(),
		Usage:   run.Usage, Edits: marshalled(e), Slug: original.Slug, Conversation: original.Conversation,
		Question: original.Question,
	}
	if failed != nil {
		t.State, t.Problem = string(record.Failed), failed.Error()
	}
	s.Replies.Fill(t, run.Spans, inputs, "")
	s.Log.Info("a reply was run again", "trace", id, "step", e.Step, "by", by, "state", t.State)
	if err := s.Store.Traces.KeepTrace(context.WithoutCancel(ctx), t); err != nil {
		return original, fault.Logged(s.Log, "run again", fault.New(fault.NoRecords, err))
	}
	return s.Inside(context.WithoutCancel(ctx), t.ID, 0)
}

// asItWas opens a desk as it was when a trace was made, and what was asked.
func (s *Service) asItWas(ctx context.Context, t record.Trace) (*desk.Desk, reply.Request, error) {
	d := &desk.Desk{}
	var err error
	if t.Revision > 0 {
		d.Revision, err = s.Store.Desks.Revision(ctx, t.Slug, t.Revision)
	} else {
		d.Revision, err = s.Desks.Current(ctx, desk.DraftMark+t.Slug)
	}
	if err == nil {
		if d.Settings, err = deskfile.Read(t.Slug, []byte(d.File)); err == nil {
			d, err = s.Desks.Equip(d)
		}
	}
	if err != nil {
		return nil, reply.Request{}, fault.Logged(s.Log, "run again", fault.New(fault.NotSetUp, err))
	}
	choice, err := s.Store.Traces.ChoiceOf(ctx, t.Turn, t.Attempt)
	if err == nil && choice != nil {
		var c desk.Chose
		if json.Unmarshal(choice, &c) == nil {
			chosen, err := s.Desks.Chosen(d, c.Choice)
			if err == nil {
				chosen, err = s.Desks.Posed(chosen, c.Pose)
			}
			if err == nil {
				d = chosen
			}
		}
	}
	supplied, inputs, past, err := s.Store.Replies.PastOf(ctx, t.Turn, t.Attempt, reply.Recalled(d))
	if err != nil {
		return nil, reply.Request{}, fault.NotFound(s.Log, fault.NoTrace, err)
	}
	pictures, err := s.Replies.PicturesOf(ctx, t.Turn)
	if err != nil {
		return nil, reply.Request{}, err
	}
	q, err := reply.AskedAgain(d, t.Question, supplied, inputs, past, pictures)
	if err != nil {
		return nil, q, fault.Say(fault.Invalid, "What the visitor gave does not fit this revision's recipe: %v.", err)
	}
	return d, q, nil
}

// edited puts a maker's brief, model and sampling in the place of the desk's.
func (s *Service) edited(d *desk.Desk, q *reply.Request, e Edits) (*desk.Desk, error) {
	settings := d.Settings
	if e.Brief != nil {
		settings.Brief = *e.Brief
	}
	if e.Model != "" {
		settings.Model = e.Model
	}
	settings.Sampling = settings.Sampling.With(e.Sampling)
	recipeSettings, err := resettled(d, e.Settings)
	if err != nil {
		return nil, err
	}
	d, err = s.Desks.Equip(&desk.Desk{Revision: d.Revision, Settings: settings, Recipe: d.Recipe,
		RecipeSettings: recipeSettings})
	if err != nil {
		return nil, fault.Say(fault.Invalid, "This cannot be tried: %v.", err)
	}
	q.Question = prompt.Measure(d.Counter, q.Question.Text)
	return d, nil
}

// resettled are a recipe's settings with a maker's in the place of some.
func resettled(d *desk.Desk, edits map[string]any) (recipe.Values, error) {
	if len(edits) == 0 {
		return d.RecipeSettings, nil
	}
	text, err := json.Marshal(map[string]any{"settings": edits}) // JSON is YAML
	var given struct {
		Settings yamlfile.Later `yaml:"settings"`
	}
	if err == nil {
		err = yamlfile.Decode("settings", text, &given)
	}
	var settled recipe.Values
	if err == nil {
		settled, err = d.Recipe.Settle("settings", "settings", given.Settings)
	}
	if err != nil {
		return nil, fault.Say(fault.Invalid, "This cannot be tried: %v.", err)
	}
	all := maps.Clone(d.RecipeSettings)
	for name := range edits {
		all[name] = settled[name]
	}
	return all, nil
}

// replay works out what is taken from the trace and what runs anew.
func (s *Service) replay(d *desk.Desk, original Inside, e Edits) (o recipe.Options, err error) {
	refuse := func(format string, args ...any) (recipe.Options, error) {
		return o, fault.Say(fault.Invalid, format, args...)
	}
	o.Sets, o.Inputs, o.Outputs = map[string]any{}, map[string]recipe.Values{}, map[string]recipe.Values{}
	byPath := d.Recipe.Paths()
	for name, text := range e.Set {
		step := byPath[name]
		if step == nil {
			return refuse("The recipe has no step %q any more.", name)
		}
		set, problems := step.SetOver(text)
		if problems != nil {
			return refuse("Step %s: %s.", name, strings.TrimSuffix(problems[0].Message, "."))
		}
		o.Sets[name] = set
	}
	for name, inputs := range e.Inputs {
		step := byPath[name]
		if step == nil {
			return refuse("The recipe has no step %q any more.", name)
		}
		o.Inputs[name] = recipe.Values{}
		for input, v := range inputs {
			value, err := recipe.Value(step.InputType(input), v)
			if err != nil {
				return refuse("Step %s: its input %s: %v.", name, input, err)
			}
			o.Inputs[name][input] = value
		}
	}
	if e.Step == "" {
		return o, nil
	}
	from, _, _ := strings.Cut(e.Step, "/") // a group runs as a whole
	if byPath[from] == nil {
		return refuse("The recipe has no step %q any more.", e.Step)
	}
	again := d.Recipe.Following(from)
	if e.Alone {
		again = map[string]bool{from: true}
	}
	for _, step := range d.Recipe.Steps {
		if again[step.Name] {
			continue
		}
		out, ran, err := step.OutputsIn(original.Spans)
		if err != nil {
			return refuse("What step %s gave cannot be taken from the trace: %v.", step.Name, err)
		}
		if !ran && !e.Alone {
			continue // it never came to it, and may now
		}
		o.Outputs[step.Name] = out
	}
	return o, nil
}

// marshalled writes what goes on record as JSON.
func marshalled(v any) json.RawMessage {
	text, err := json.Marshal(v)
	if err != nil {
		return nil // cannot happen: these types always marshal
	}
	return text
}

package reply

import (
	"context"
	"time"

	"juvalogos/core/deskfile"
	"juvalogos/core/memory"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/core/steps"
	"juvalogos/internal/desk"
	"juvalogos/internal/models"
)

// Trial runs a recipe without a desk, a service or a record.
type Trial struct {
	Recipe   *recipe.Recipe
	Inputs   recipe.Values
	Settings recipe.Values
	Model    string // of steps that name none
	Brief    string
	Sampling deskfile.Sampling
	Past     []prompt.Exchange
	Tables   steps.Tables // nil: there are none
	Works    steps.Works  // documents that can be read whole; nil: there are none
	Record   *recipe.Recorder
}

// Try runs a trial; of the options it needs models, a log, and what recipes may
// use of the world outside. Its errors are those of recipe.Run.
func Try(ctx context.Context, o Options, t Trial) (recipe.Result, error) {
	if o.Now == nil {
		o.Now = time.Now
	}
	if o.Retry == (models.Retry{}) {
		o.Retry = models.DefaultRetry
	}
	s := &Service{Options: o}
	d := &desk.Desk{Settings: deskfile.File{Model: t.Model}, Counter: prompt.Estimate{}}
	if t.Model != "" {
		var err error
		if d.Entry, err = o.Models.Find(t.Model); err != nil {
			return recipe.Result{}, err
		}
		if d.Counter, err = d.Entry.Counter(); err != nil {
			return recipe.Result{}, err
		}
	}
	if t.Sampling.MaxTokens == 0 {
		t.Sampling.MaxTokens = deskfile.DefaultMaxTokens
	}
	turn := &steps.RunContext{
		Brief: prompt.Measure(d.Counter, t.Brief), Vocabulary: d.Counter.Vocabulary(), Model: t.Model,
		Sampling: t.Sampling,
		Memory:   memory.Limits{Turns: deskfile.DefaultMemoryTurns, Tokens: deskfile.DefaultMemoryTokens}, Past: t.Past,
		Models: finder{s, d, nil}, Programs: o.Programs, Web: o.Web, Tables: t.Tables, Works: t.Works,
	}
	return recipe.Run(ctx, t.Recipe, t.Inputs, t.Settings,
		recipe.Options{Do: turn.Do, Now: o.Now, Sleep: pause, Record: t.Record})
}

// Forecast tells what a trial takes at most. It fails if a model that is asked
// is not connected.
func (t Trial) Forecast(registry *models.Registry) (desk.Forecast, error) {
	texts := len(t.Brief)
	for _, v := range t.Inputs {
		if text, ok := v.(string); ok {
			texts += len(text)
		}
	}
	longest := t.Sampling.MaxTokens
	if longest == 0 {
		longest = deskfile.DefaultMaxTokens
	}
	// A byte is never more than a token.
	return desk.Foresee(t.Recipe, t.Settings, t.Model, desk.LongestForeseen+texts, longest,
		func(name string) (models.Entry, error) {
			if name == "" {
				name = t.Model
			}
			if name == "" {
				return models.Entry{}, nil // what it is asked for fails, and says so
			}
			return registry.Find(name)
		})
}

package desk

import (
	"context"
	"time"

	"juvalogos/core/deskfile"
	"juvalogos/core/memory"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/core/steps"
	"juvalogos/internal/models"
)

// Trial runs a recipe without a desk, a service or a record.
type Trial struct {
	Recipe   *recipe.Recipe
	Takes    recipe.Values
	Settings recipe.Values
	Model    string // of steps that name none
	Brief    string
	Sampling deskfile.Sampling
	Past     []prompt.Exchange
	Record   *recipe.Recorder
	Reply    func(lane int, text []byte)
}

// Try runs a trial; of the options it needs models, a log, and what recipes may
// use of the world outside.
func Try(ctx context.Context, o Options, t Trial) (recipe.Result, error) {
	if o.Now == nil {
		o.Now = time.Now
	}
	if o.Retry == (models.Retry{}) {
		o.Retry = models.DefaultRetry
	}
	s := &Service{Options: o}
	d := &Desk{Settings: deskfile.File{Model: t.Model}, counter: prompt.Estimate{}}
	if t.Model != "" {
		var err error
		if d.Entry, err = o.Models.Find(t.Model); err != nil {
			return recipe.Result{}, err
		}
		if d.counter, err = d.Entry.Counter(); err != nil {
			return recipe.Result{}, err
		}
	}
	if t.Sampling.MaxTokens == 0 {
		t.Sampling.MaxTokens = deskfile.DefaultMaxTokens
	}
	turn := &steps.Turn{
		Brief: prompt.Measure(d.counter, t.Brief), Vocabulary: d.counter.Vocabulary(), Model: t.Model, Sampling: t.Sampling,
		Memory: memory.Limits{Turns: deskfile.DefaultMemoryTurns, Tokens: deskfile.DefaultMemoryTokens}, Past: t.Past,
		Models: finder{s, d, nil}, Programs: o.Programs, Web: o.Web,
	}
	return recipe.Run(ctx, t.Recipe, t.Takes, t.Settings, recipe.Options{Do: turn.Do, Now: o.Now, Sleep: pause, Record: t.Record, Reply: t.Reply})
}

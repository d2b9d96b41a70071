package desk

import (
	"context"

	"juvalogos/core/recipe"
	"juvalogos/core/steps"
	"juvalogos/internal/models"
	"juvalogos/internal/record"
)

// Forecast is what one question takes at most, and what questions took of late.
type Forecast struct {
	Calls        int     `json:"calls"`
	PromptTokens int     `json:"prompt_tokens"`
	ReplyTokens  int     `json:"reply_tokens"`
	Cost         float64 `json:"cost"`
	// Open: how often models are asked is known only while it runs; the
	// recipe's limits bound it.
	Open bool `json:"open"`
	// Turns are those of the last 30 days, Usual what one of them cost on
	// average.
	Turns int     `json:"turns"`
	Usual float64 `json:"usual"`
}

// LongestForeseen is how long, in tokens, a forecast takes a question to be.
const LongestForeseen = 500

// Foresee adds up what a recipe takes at most. find finds the models it names;
// "" is model, the desk's own. It fails if a model that is asked is not connected.
func Foresee(r *recipe.Recipe, settings recipe.Values, model string, promptTokens, replyTokens int,
	find func(name string) (models.Entry, error)) (Forecast, error) {
	foreseen, open := steps.Foresee(r, settings, model, promptTokens, replyTokens)
	f := Forecast{Open: open}
	for _, m := range foreseen {
		entry, err := find(m.Model)
		if err != nil {
			return f, err
		}
		f.Calls += m.Calls
		f.PromptTokens += m.PromptTokens
		f.ReplyTokens += m.ReplyTokens
		f.Cost += entry.Price.Of(m.PromptTokens, 0, m.ReplyTokens)
	}
	return f, nil
}

// Forecast tells what a question at a desk takes at most; of a draft with
// DraftMark.
func (s *Service) Forecast(ctx context.Context, slug string) (Forecast, error) {
	d, err := s.Open(ctx, slug)
	if err != nil {
		return Forecast{}, err
	}
	most := d.Brief.Tokens + *d.Settings.Memory.Tokens + LongestForeseen
	f, err := Foresee(d.Recipe, d.RecipeSettings, d.Settings.Model, most, d.Settings.Sampling.MaxTokens,
		func(name string) (models.Entry, error) {
			if name == "" {
				return d.Entry, nil
			}
			return s.Models.Find(name)
		})
	if err != nil {
		return f, err
	}
	now := s.Now()
	rows, err := s.Store.Traces.Usage(ctx,
		record.UsageFilter{By: []string{"kind"}, Desk: d.Slug, From: now.AddDate(0, 0, -30), To: now.AddDate(0, 0, 1),
			Limit: 10})
	for _, row := range rows {
		if row.Keys[0] == "reply" && row.Turns > 0 {
			f.Turns, f.Usual = row.Turns, row.Cost/float64(row.Turns)
		}
	}
	return f, err
}

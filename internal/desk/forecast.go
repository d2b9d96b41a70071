package desk

import (
	"context"

	"juvalogos/core/deskfile"
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

// longestQuestion is how long, in tokens, a forecast takes a question to be.
const longestQuestion = 500

// forecast adds up what a recipe takes at most. find finds the models it names;
// "" is the desk's own.
func forecast(r *recipe.Recipe, settings recipe.Values, promptTokens, replyTokens int, find func(name string) (models.Entry, error)) (Forecast, error) {
	foreseen, open := steps.Foresee(r, settings, promptTokens, replyTokens)
	f := Forecast{Open: open}
	for _, m := range foreseen {
		entry, err := find(m.Model)
		if err != nil {
			return f, err
		}
		f.Calls += m.Calls
		f.PromptTokens += m.PromptTokens
		f.ReplyTokens += m.ReplyTokens
		f.Cost += entry.Price.Of(m.PromptTokens, m.ReplyTokens)
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
	most := d.brief.Tokens + *d.Settings.Memory.Tokens + longestQuestion
	f, err := forecast(d.Recipe, d.settings, most, d.sampling(nil).MaxTokens, func(name string) (models.Entry, error) {
		if name == "" {
			return d.Entry, nil
		}
		return s.Models.Find(name)
	})
	if err != nil {
		return f, err
	}
	now := s.Now()
	rows, err := s.Store.Traces.Usage(ctx, record.UsageFilter{By: []string{"kind"}, Desk: d.Slug, From: now.AddDate(0, 0, -30), To: now.AddDate(0, 0, 1), Limit: 10})
	for _, row := range rows {
		if row.Keys[0] == "reply" && row.Turns > 0 {
			f.Turns, f.Usual = row.Turns, row.Cost/float64(row.Turns)
		}
	}
	return f, err
}

// Forecast tells what a trial takes at most.
func (t Trial) Forecast(registry *models.Registry) (Forecast, error) {
	texts := len(t.Brief)
	for _, v := range t.Takes {
		if text, ok := v.(string); ok {
			texts += len(text)
		}
	}
	longest := t.Sampling.MaxTokens
	if longest == 0 {
		longest = deskfile.DefaultMaxTokens
	}
	// A byte is never more than a token.
	return forecast(t.Recipe, t.Settings, longestQuestion+texts, longest, func(name string) (models.Entry, error) {
		if name == "" {
			name = t.Model
		}
		if name == "" {
			return models.Entry{}, nil // what it is asked for fails, and says so
		}
		return registry.Find(name)
	})
}

package shelf

import (
	"context"
	"encoding/json"
	"strings"
	"unicode/utf8"

	"juvalogos/core/retrieval"
	"juvalogos/internal/record"
)

// Settings returns how a shelf is split and searched.
func (l *Library) Settings(ctx context.Context, slug string) (Settings, error) {
	f, err := l.Shelf(ctx, slug)
	return settingsOf(f.Settings), err
}

// Calibration tells what settings of Least do, as measured on other documents.
func Calibration() []retrieval.Calibrated { return retrieval.Calibration() }

// check says what is wrong with settings.
func (l *Library) check(s Settings) error {
	for _, r := range []struct {
		name           string
		v, least, most float64
		whatItMeasures string
	}{
		{"tokens", float64(s.Tokens), 40, 3000, "tokens of a passage"},
		{"overlap", float64(s.Overlap), 0, float64(s.Tokens) * 0.8,
			"tokens that the next passage has too; four fifths of a passage at most"},
		{"title_weight", s.TitleWeight, 0, 20, "what a word counts in the title"},
		{"expand", float64(s.Expand), 0, 20, "words that mean the same, for each word of a question"},
		{"vector_weight", s.VectorWeight, 0, 5, "what the built-in vectors count"},
		{"meaning_weight", s.MeaningWeight, 0, 5, "what the model's vectors count"},
		{"sense_weight", s.SenseWeight, 0, 5, "what the meanings of sentences count"},
		{"candidates", float64(s.Candidates), 0, 500, "passages that the last stage weighs; 0 leaves it out"},
		{"k1", s.K1, 0, 5, "how soon a word said often counts no more"},
		{"least", s.Least, 0, 1, "how likely something found must answer to count as an answer"},
		{"b", s.B, 0, 1, "how much longer texts are held back"},
	} {
		if !(r.v >= r.least && r.v <= r.most) { // so that no number at all is refused too
			return wrong("the setting %s (%s) must be between %g and %g", r.name, r.whatItMeasures, r.least, r.most)
		}
	}
	_, err := l.meanings.embedder(s.Embedding)
	return err
}

// Change gives a shelf another title and settings. What was split otherwise is
// read anew in the background; a model that costs nothing embeds at once, one
// that does waits for EmbedNow.
func (l *Library) Change(ctx context.Context, slug, title string, s Settings) (record.Shelf, error) {
	f, err := l.Shelf(ctx, slug)
	if err != nil {
		return f, err
	}
	if title = strings.TrimSpace(title); title == "" {
		title = f.Title
	}
	if utf8.RuneCountInString(title) > 80 {
		return f, wrong("a shelf's title has 80 characters at most")
	}
	if err := l.check(s); err != nil {
		return f, err
	}
	if s.Embedding != "" {
		s.Embedding = l.indexes.path(s.Embedding)
	}
	before := settingsOf(f.Settings)
	text, err := json.Marshal(s)
	if err != nil {
		return f, err
	}
	if err := l.Store.Shelves.SetShelf(ctx, f.ID, title, text); err != nil {
		return f, err
	}
	if s.Tokens != before.Tokens || s.Overlap != before.Overlap {
		documents, err := l.Store.Shelves.Documents(ctx, f.ID)
		if err != nil {
			return f, err
		}
		for _, d := range documents {
			if d.State == record.Ready {
				if err := l.ReadAgain(ctx, slug, d.ID); err != nil {
					return f, err
				}
			}
		}
	}
	if (s.SenseWeight == 0) != (before.SenseWeight == 0) {
		if err := l.Store.Shelves.RefillShelf(ctx, f.ID); err != nil {
			return f, err
		}
	}
	if s.Embedding != "" && s.Embedding != before.Embedding {
		if err := l.Store.Shelves.AgreeToEmbed(ctx, f.ID, false); err != nil {
			return f, err
		}
		l.meanings.embedSoon(f.ID)
	}
	return l.Shelf(ctx, slug)
}

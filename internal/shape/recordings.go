package shape

import (
	"cmp"
	"encoding/json"

	"juvalogos/core/deskfile"
	"juvalogos/core/phrase"
	"juvalogos/core/recipe"
	"juvalogos/core/sound"
	"juvalogos/internal/api"
	"juvalogos/internal/models"
	"juvalogos/internal/record"
	"juvalogos/internal/recording"
)

// Spoken words, in the API's shapes.

// Hearing is what visitors of a desk may do with spoken words; hears is its model for
// them, speaks the one that reads aloud, asks whether it answers questions.
func Hearing(f deskfile.File, hears, speaks *models.Entry, asks bool) api.Hearing {
	h := api.Hearing{Asks: asks}
	if speaks != nil && f.Aloud.Model != "" {
		h.Aloud, h.AloudMost = true, speaks.Speaks.Most()
	}
	d := f.Sound
	if hears == nil || !d.Take && !d.Dictate {
		return h
	}
	h.Take, h.Dictate, h.Most, h.Minutes, h.MostBytes = d.Take, d.Hears(), d.Most, d.Minutes, recording.MostBytes
	h.Task, h.Language, h.Names, h.Temperature = api.HearingTask(cmp.Or(d.Task, "write")), d.Language, d.Names,
		d.Temperature
	h.Guided, h.English = hears.Hears.Guided(), hears.Hears.English || hears.Able("chat")
	h.Change, h.Keep, h.Price = append([]string{}, d.Change...), api.HearingKeep(cmp.Or(d.Keep, "conversation")),
		hears.Price.Minute
	if d.Keep == deskfile.KeepDays {
		h.Days = d.Days
	}
	h.ByAddress = d.Addresses
	for _, one := range d.Samples {
		h.Samples = append(h.Samples, one.Title)
	}
	if d.May("language") {
		for _, l := range sound.Languages() {
			if hears.Hears.Knows(l.Code) {
				h.Languages = append(h.Languages, api.SpokenLanguage{Code: l.Code, Name: l.Name})
			}
		}
	}
	return h
}

// Recording is a recording; estimate is what it will cost, about, and maker whether what it
// did cost may be told.
func Recording(r record.Recording, estimate float64, maker bool) api.Recording {
	a := api.Recording{ID: r.ID.String(), Conversation: r.Conversation.String(), Name: r.Name, Kind: r.Kind,
		Seconds: r.Seconds, Size: r.Size, Note: r.Note, Source: r.Source, State: api.RecordingState(r.State),
		Problem: r.Problem, Task: api.RecordingTask(cmp.Or(r.Wishes.Task, "write")),
		Language: cmp.Or(r.Language, r.Wishes.Language), Names: r.Wishes.Names, At: r.AddedAt, Kept: r.Kept,
		KeepUntil: r.KeepUntil, Version: r.Version, Estimate: estimate}
	if r.Document != nil {
		a.Document = *r.Document
	}
	if maker {
		a.Cost = r.Cost
	}
	return a
}

// Sentences are those of a recording as they are shown, beside what was heard.
func Sentences(shown, heard sound.Transcript) []api.SpokenSentence {
	all := make([]api.SpokenSentence, len(shown.Sentences))
	for i, s := range shown.Sentences {
		all[i] = api.SpokenSentence{Start: s.Start, End: s.End, Text: s.Text, Who: s.Who,
			Words: All(s.Words, spokenWord)}
		if i < len(heard.Sentences) && heard.Sentences[i].Text != s.Text {
			all[i].Heard = heard.Sentences[i].Text
		}
	}
	return all
}

func spokenWord(w sound.Word) api.SpokenWord {
	return api.SpokenWord{Text: w.Text, Start: w.Start, End: w.End, Sure: w.Sure, About: w.About}
}

// mostPeaks is how finely the shape of a recording is drawn.
const mostPeaks = 1200

// RecordingWhole is a recording with its words.
func RecordingWhole(r record.Recording, pieces []record.SoundPiece, estimate float64, maker,
	peaks bool) api.RecordingWhole {
	shown, heard := recording.Transcript(r, pieces)
	w := api.RecordingWhole{Recording: Recording(r, estimate, maker), Sentences: Sentences(shown, heard),
		Peaks: []int{}}
	if peaks {
		w.Peaks = sound.Loudness(r.Loudness).Peaks(mostPeaks)
	}
	for i, p := range pieces {
		end := r.Seconds
		if i+1 < len(pieces) {
			end = pieces[i+1].Cut
		}
		switch p.State {
		case record.PieceDone:
			w.DoneSeconds += end - p.Cut
		case record.PieceFailed:
			w.Failed = append(w.Failed, api.MissingStretch{Start: p.Cut, End: end, Problem: p.Problem})
		default:
			if r.State != record.SoundWorking {
				w.Failed = append(w.Failed, api.MissingStretch{Start: p.Cut, End: end, Problem: phrase.Phrase{}})
			}
		}
	}
	return w
}

// RecordingInside is how a recording was written down, for its own maker.
func RecordingInside(r record.Recording, pieces []record.SoundPiece, slug string,
	estimate float64) api.RecordingInside {
	shown, heard := recording.Transcript(r, pieces)
	in := api.RecordingInside{Recording: Recording(r, estimate, true), Desk: slug, Model: r.Model,
		Temperature: r.Wishes.Temperature, Peaks: sound.Loudness(r.Loudness).Peaks(mostPeaks),
		Sentences: Sentences(shown, heard)}
	in.Pieces = All(pieces, func(p record.SoundPiece) api.RecordingPiece {
		one := api.RecordingPiece{Number: p.Number + 1, Start: p.Start, End: p.End, Cut: p.Cut, Clean: p.Clean,
			State: api.RecordingPieceState(p.State), Problem: p.Problem, Text: sound.Text(p.Words),
			Calls: []api.ModelCall{}}
		var calls []recipe.ModelCall
		if json.Unmarshal(p.Calls, &calls) == nil {
			cut := shortener{whole: true}
			one.Calls = All(calls, cut.call)
		}
		return one
	})
	return in
}

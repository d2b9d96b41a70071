package reply

import (
	"context"
	"strings"

	"juvalogos/core/deskfile"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/core/sound"
	"juvalogos/core/steps"
	"juvalogos/internal/models"
	"juvalogos/internal/record"
)

// Spoken words: models asked for those of a sound, and to speak a text. What they are for
// is the room recording's to know.

// Hear has a model write down what is spoken in a sound, when it is its turn. The call is
// how that went, with an error too.
func (s *Service) Hear(ctx context.Context, e models.Entry, who record.Visitor, of recipe.Media, asked sound.Asked,
	temperature *float64) (heard sound.Heard, call *recipe.ModelCall, err error) {
	ask := steps.Ask{Hear: &asked, Files: []recipe.Media{of}, Heard: func(h sound.Heard) { heard = h },
		Sampling: deskfile.Sampling{Temperature: temperature}}
	if e.Able("chat") { // it takes sound with a question
		ask.Messages = []prompt.Message{{Role: prompt.User, Text: hearInstruction(asked)}}
	}
	call, err = s.beside(ctx, e, who, ask)
	call.Answer = steps.Sound(call.Answer)
	if err == nil && heard.Text == "" && len(heard.Words) == 0 && len(heard.Sentences) == 0 {
		heard.Text = call.Answer
	}
	return cleaned(heard), call, err
}

// cleaned is what was heard with what no record can hold replaced.
func cleaned(h sound.Heard) sound.Heard {
	words := func(all []sound.Word) {
		for i := range all {
			all[i].Text = steps.Sound(all[i].Text)
		}
	}
	h.Text = steps.Sound(h.Text)
	words(h.Words)
	for i := range h.Sentences {
		s := &h.Sentences[i]
		s.Text, s.Who = steps.Sound(s.Text), steps.Sound(s.Who)
		words(s.Words)
	}
	return h
}

// hearInstruction is what a model is told that chats and takes sound.
func hearInstruction(a sound.Asked) string {
	var b strings.Builder
	b.WriteString("Write down, word for word and with punctuation, what is said in this recording. Say nothing else; " +
		"if nothing is said, answer with nothing.")
	if a.Language != "" {
		b.WriteString(" It is in " + sound.LanguageName(a.Language) + ".")
	}
	if a.Translate {
		b.WriteString(" Write it in English, whatever language is spoken.")
	}
	if a.Prompt != "" {
		b.WriteString(" Names and spellings to go by: " + a.Prompt)
	}
	return b.String()
}

// Say has a model speak a text, when it is its turn.
func (s *Service) Say(ctx context.Context, e models.Entry, who record.Visitor,
	saying sound.Saying) (spoken recipe.Media,
	call *recipe.ModelCall, err error) {
	call, err = s.beside(ctx, e, who, steps.Ask{Say: &saying, File: func(f recipe.Media) { spoken = f }})
	if err == nil && len(spoken.Body) == 0 {
		err = &models.Error{Kind: models.SaidNothing, Entry: e.Path(), Detail: "no sound came", Final: true}
	}
	return spoken, call, err
}

// KeepBeside puts the trace of something that is no reply on record.
func (s *Service) KeepBeside(ctx context.Context, t *record.Trace, spans []recipe.Span) {
	s.Fill(t, spans, nil, "")
	if err := s.Store.Traces.KeepTrace(ctx, t); err != nil {
		s.Log.Warn("what a model used could not be put on record", "kind", t.Kind, "error", err)
	}
}

// beside asks a model for something that is no reply.
func (s *Service) beside(ctx context.Context, e models.Entry, who record.Visitor, ask steps.Ask) (*recipe.ModelCall,
	error) {
	counter, err := e.Counter()
	if err != nil {
		return &recipe.ModelCall{Model: e.Path(), Error: err.Error()}, err
	}
	return asker{s, &e, counter, &Reply{visitor: who, record: &recipe.Recorder{}}}.Ask(ctx, ask, func([]byte) {})
}

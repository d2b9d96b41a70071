package reply

import (
	"context"
	"strings"
	"time"

	"github.com/google/uuid"

	"juvalogos/core/deskfile"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/core/steps"
	"juvalogos/internal/desk"
	"juvalogos/internal/fair"
	"juvalogos/internal/record"
)

// What pictures show, said by the desk's model for those who cannot see them, where the
// desk wants that and the visitor has said nothing.

const (
	// longestDescribing is how long that may take, and describedTokens how long it is.
	longestDescribing = 2 * time.Minute
	describedTokens   = 160
)

// Describe has the desk's model say in the background what a picture shows. Nothing
// happens where the desk does not want it, or its model does not see.
func (s *Service) Describe(ctx context.Context, d *desk.Desk, m record.Media) {
	if s.Media == nil || d.Settings.Pictures.Described != deskfile.ByModel || !d.Entry.Able("see") || m.Said != "" {
		return
	}
	s.mu.Lock()
	closing := s.closing
	if !closing {
		s.making.Add(1)
	}
	s.mu.Unlock()
	if closing {
		return
	}
	making := fair.With(s.makeCtx, fair.Of(ctx))
	go func() {
		defer s.making.Done()
		if err := s.describe(making, d, m); err != nil && making.Err() == nil {
			s.Log.Warn("a picture could not be described", "desk", d.Slug, "error", err)
		}
	}()
}

func (s *Service) describe(ctx context.Context, d *desk.Desk, m record.Media) error {
	ctx, cancel := context.WithTimeout(ctx, longestDescribing)
	defer cancel()
	r := &Reply{visitor: m.Visitor, Conversation: m.Conversation, record: &recipe.Recorder{}}
	a := asker{s, &d.Entry, d.Counter, r}
	began := s.Now()
	call, err := a.Ask(ctx, steps.Ask{
		Messages: []prompt.Message{{Role: prompt.User, Text: steps.DescribeInstruction, Pictures: []prompt.Picture{{
			ID: m.ID.String(), Name: m.Name, Width: m.Width, Height: m.Height,
			Tokens: d.Entry.Takes.TokensOf(m.Width, m.Height),
		}}}},
		Sampling: deskfile.Sampling{Temperature: new(0.0), MaxTokens: describedTokens},
	}, func([]byte) {})
	// What it took counts, whatever came of it; it belongs to no turn.
	span := recipe.Span{Step: "describe", Do: "describe", Parent: -1, State: recipe.Done,
		Calls: []recipe.ModelCall{*call}}
	trace := &record.Trace{ID: uuid.Must(uuid.NewV7()), Kind: "description", Turn: m.ID, Attempt: 1, DeskID: d.DeskID,
		Revision: d.Number, Visitor: m.Visitor, Recipe: "describe", State: string(record.Done), StartedAt: began,
		Seconds: s.Now().Sub(began).Seconds(), Usage: record.Usage(recipe.Sum([]recipe.Span{span}))}
	if err != nil {
		trace.State, trace.Problem = string(record.Failed), err.Error()
	}
	s.Fill(trace, []recipe.Span{span}, nil, "")
	if kept := s.Store.Traces.KeepTrace(context.WithoutCancel(ctx), trace); kept != nil {
		s.Log.Warn("what describing a picture took could not be put on record", "error", kept)
	}
	said := record.OneLine(strings.TrimSpace(call.Answer), longestAlt)
	if err != nil || said == "" {
		return err
	}
	return s.Media.Store.DescribeUnsaid(ctx, m.ID, said)
}

package desk

import (
	"context"
	"errors"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"juvalogos/core/prompt"
	"juvalogos/internal/record"
)

// Reasons are what visitors may give for a reply that did not help.
func Reasons() []string {
	return []string{"wrong", "incomplete", "unclear", "off-topic", "too-long", "other"}
}

// Causes are what makers may find to be behind one.
func Causes() []string {
	return []string{"nothing-found", "found-not-used", "model-wrong", "question-unclear", "other"}
}

const longestRemark = 2000

// Judge notes what a visitor says of an attempt at their turn.
func (s *Service) Judge(ctx context.Context, visitor record.Visitor, turn uuid.UUID, attempt int, v record.Verdict) error {
	if v.Reason != "" && !slices.Contains(Reasons(), v.Reason) {
		return &Problem{Code: Invalid, Sentence: "The reason is one of: " + strings.Join(Reasons(), ", ") + "."}
	}
	if v.Helped == nil {
		v.Reason, v.Remark = "", ""
	}
	v.Remark = tidy(v.Remark, longestRemark)
	return s.found(NoTurn, s.Store.Conversations.Judge(ctx, turn, visitor, attempt, v, s.Now()))
}

// Prefer makes one of several texts the reply that counts.
func (s *Service) Prefer(ctx context.Context, visitor record.Visitor, turn uuid.UUID, attempt, lane int) error {
	t, err := s.Store.Conversations.Turn(ctx, turn, visitor)
	if err != nil {
		return s.notFound(NoTurn, err)
	}
	lanes := readLanes(t.Attempt.Lanes)
	if t.Attempt.Number != attempt || lane < 0 || lane >= len(lanes) {
		return &Problem{Code: NoTurn, Sentence: Sentence(NoTurn)}
	}
	tokens := prompt.Estimate{}.Count(lanes[lane].Text)
	if d, err := s.Open(ctx, t.Slug); err == nil {
		tokens = d.counter.Count(lanes[lane].Text)
	}
	return s.found(NoTurn, s.Store.Conversations.Prefer(ctx, turn, visitor, attempt, lane, tokens))
}

// Find keeps what a maker found out about a judged reply.
func (s *Service) Find(ctx context.Context, turn uuid.UUID, attempt int, f record.Finding) error {
	if f.Cause != "" && !slices.Contains(Causes(), f.Cause) {
		return &Problem{Code: Invalid, Sentence: "The cause is one of: " + strings.Join(Causes(), ", ") + "."}
	}
	f.Note = tidy(f.Note, longestRemark)
	err := s.Store.Verdicts.Find(ctx, turn, attempt, f, s.Now())
	if errors.Is(err, record.ErrNotFound) {
		return &Problem{Code: NoTurn, Sentence: "There is no verdict on this reply. It may have been taken back."}
	}
	return err
}

// Judgements lists judged replies for makers.
func (s *Service) Judgements(ctx context.Context, f record.JudgedFilter) ([]record.Judged, error) {
	f.Limit = pageLimit(f.Limit)
	return s.Store.Verdicts.Judgements(ctx, f)
}

// weeksCounted is how far back causes are counted.
const weeksCounted = 12

// CauseCounts counts the replies that did not help by week and cause.
func (s *Service) CauseCounts(ctx context.Context, slug string) ([]record.CauseCount, error) {
	return s.Store.Verdicts.Causes(ctx, slug, s.Now().Add(-weeksCounted*7*24*time.Hour))
}

package inside

import (
	"context"
	"errors"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"juvalogos/internal/fault"
	"juvalogos/internal/record"
)

// Causes are what makers may find to be behind one.
func Causes() []string {
	return []string{"nothing-found", "found-not-used", "model-wrong", "question-unclear", "other"}
}

const longestRemark = 2000

// Find keeps what a maker found out about a judged reply.
func (s *Service) Find(ctx context.Context, turn uuid.UUID, attempt int, f record.Finding) error {
	if f.Cause != "" && !slices.Contains(Causes(), f.Cause) {
		return fault.Say(fault.Invalid, "The cause is one of: %s.", strings.Join(Causes(), ", "))
	}
	f.Note = record.OneLine(f.Note, longestRemark)
	err := s.Store.Verdicts.Find(ctx, turn, attempt, f, s.Now())
	if errors.Is(err, record.ErrNotFound) {
		return fault.Say(fault.NoTurn, "There is no verdict on this reply. It may have been taken back.")
	}
	return err
}

// Judgements lists judged replies for makers.
func (s *Service) Judgements(ctx context.Context, f record.JudgedFilter) ([]record.Judged, error) {
	f.Limit = record.PageLimit(f.Limit)
	return s.Store.Verdicts.Judgements(ctx, f)
}

// weeksCounted is how far back causes are counted.
const weeksCounted = 12

// CauseCounts counts the replies that did not help by week and cause.
func (s *Service) CauseCounts(ctx context.Context, slug string) ([]record.CauseCount, error) {
	return s.Store.Verdicts.Causes(ctx, slug, s.Now().Add(-weeksCounted*7*24*time.Hour))
}

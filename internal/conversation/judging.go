package conversation

import (
	"context"
	"slices"
	"strings"

	"github.com/google/uuid"

	"juvalogos/core/prompt"
	"juvalogos/internal/fault"
	"juvalogos/internal/record"
	"juvalogos/internal/reply"
)

// Reasons are what visitors may give for a reply that did not help.
func Reasons() []string {
	return []string{"wrong", "incomplete", "unclear", "off-topic", "too-long", "other"}
}

// mostRemarked is in characters.
const mostRemarked = 2000

// Judge notes what a visitor says of an attempt at their turn.
func (s *Service) Judge(ctx context.Context, visitor record.Visitor, turn uuid.UUID, attempt int,
	v record.Verdict) error {
	if v.Reason != "" && !slices.Contains(Reasons(), v.Reason) {
		return fault.Say(fault.Invalid, "The reason is one of: %s.", strings.Join(Reasons(), ", "))
	}
	if v.Helped == nil {
		v.Reason, v.Remark = "", ""
	}
	v.Remark = record.OneLine(v.Remark, mostRemarked)
	return fault.NotFound(s.Log, fault.NoTurn, s.Store.Judge(ctx, turn, visitor, attempt, v, s.Now()))
}

// Prefer makes one of several texts the reply that counts.
func (s *Service) Prefer(ctx context.Context, visitor record.Visitor, turn uuid.UUID, attempt, lane int) error {
	t, err := s.Store.Turn(ctx, turn, visitor)
	if err != nil {
		return fault.NotFound(s.Log, fault.NoTurn, err)
	}
	lanes := reply.ReadLanes(t.Attempt.Lanes)
	if t.Attempt.Number != attempt || lane < 0 || lane >= len(lanes) {
		return fault.Plain(fault.NoTurn)
	}
	tokens := prompt.Estimate{}.Count(lanes[lane].Text)
	if d, err := s.Desks.Open(ctx, t.Slug); err == nil {
		tokens = d.Counter.Count(lanes[lane].Text)
	}
	return fault.NotFound(s.Log, fault.NoTurn, s.Store.Prefer(ctx, turn, visitor, attempt, lane, tokens))
}

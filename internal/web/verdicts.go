package web

import (
	"strconv"

	"github.com/gofiber/fiber/v3"
	"github.com/google/uuid"

	"juvalogos/internal/api"
	"juvalogos/internal/conversation"
	"juvalogos/internal/fault"
	"juvalogos/internal/inside"
	"juvalogos/internal/record"
	"juvalogos/internal/shape"
)

// What visitors say of replies, and what makers find out about it.

// yesNo reads a query of that name: yes, no, or nothing.
func yesNo(c fiber.Ctx, name string) (*bool, error) {
	switch text := c.Query(name); text {
	case "":
		return nil, nil
	case "yes", "no":
		is := text == "yes"
		return &is, nil
	}
	return nil, invalid(name + " is yes or no.")
}

func (s *insides) verdicts(c fiber.Ctx) error {
	page, err := pageOf(c)
	if err != nil {
		return err
	}
	f := record.JudgedFilter{Desk: c.Query("desk"), Cause: c.Query("cause"), Before: page.Before, Limit: page.Limit}
	if f.Helped, err = yesNo(c, "helped"); err != nil {
		return err
	}
	if f.Done, err = yesNo(c, "done"); err != nil {
		return err
	}
	list, err := s.Inside.Judgements(c, f)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(api.VerdictList{Verdicts: shape.All(list, shape.Verdict), Reasons: conversation.Reasons(),
		Causes: inside.Causes()})
}

func (s *insides) find(c fiber.Ctx) error {
	turn, err := uuid.Parse(c.Params("turn"))
	attempt, err2 := strconv.Atoi(c.Params("attempt"))
	if err != nil || err2 != nil {
		return fault.Say(fault.NoTurn, "There is no such reply.")
	}
	var b api.NewFinding
	if err := readJSON(c, &b); err != nil {
		return err
	}
	if err := s.Inside.Find(c, turn, attempt,
		record.Finding{Cause: string(b.Cause), Note: b.Note, Done: b.Done, ChangedBy: by(c)}); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *insides) causes(c fiber.Ctx) error {
	counts, err := s.Inside.CauseCounts(c, c.Query("desk"))
	if err != nil {
		return err
	}
	return c.JSON(api.CauseList{Causes: shape.All(counts, shape.Cause)})
}

func (s *insides) preferences(c fiber.Ctx) error {
	list, err := s.Inside.Preferences(c, c.Params("slug"))
	if err != nil {
		return err
	}
	return c.JSON(api.PreferenceList{Preferences: shape.All(list, shape.Preference)})
}

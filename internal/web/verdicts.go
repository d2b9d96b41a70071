package web

import (
	"strconv"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/google/uuid"

	"juvalogos/internal/desk"
	"juvalogos/internal/store"
)

// What visitors say of replies, and what makers find out about it.

type (
	judgedBody struct {
		Turn         uuid.UUID   `json:"turn"`
		Attempt      int         `json:"attempt"`
		Conversation uuid.UUID   `json:"conversation"`
		Desk         string      `json:"desk"`
		Question     string      `json:"question"`
		Reply        string      `json:"reply"`
		Model        string      `json:"model"`
		Revision     int         `json:"revision"`
		Helped       bool        `json:"helped"`
		Reason       string      `json:"reason,omitempty"`
		Remark       string      `json:"remark,omitempty"`
		JudgedAt     time.Time   `json:"judged_at"`
		Trace        *uuid.UUID  `json:"trace,omitempty"`
		Finding      findingBody `json:"finding"`
	}
	findingBody struct {
		Cause     string     `json:"cause"`
		Note      string     `json:"note"`
		Done      bool       `json:"done"`
		ChangedBy string     `json:"changed_by,omitempty"`
		ChangedAt *time.Time `json:"changed_at,omitempty"`
	}
	causeBody struct {
		Week  string `json:"week"`
		Cause string `json:"cause"`
		Count int    `json:"count"`
	}
	preferenceBody struct {
		Title     string `json:"title"`
		Model     string `json:"model"`
		Shown     int    `json:"shown"`
		Preferred int    `json:"preferred"`
	}
)

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

func (s *Server) verdicts(c fiber.Ctx) error {
	page, err := pageOf(c)
	if err != nil {
		return err
	}
	f := store.JudgedFilter{Desk: c.Query("desk"), Cause: c.Query("cause"), Before: page.Before, Limit: page.Limit}
	if f.Helped, err = yesNo(c, "helped"); err != nil {
		return err
	}
	if f.Done, err = yesNo(c, "done"); err != nil {
		return err
	}
	list, err := s.Desks.Judgements(c, f)
	if err != nil {
		return err
	}
	bodies := make([]judgedBody, len(list))
	for i, j := range list {
		bodies[i] = judgedBody{
			j.Turn, j.Attempt, j.Conversation, j.Slug, j.Question, j.Reply, j.Model, j.Revision, j.Helped, j.Reason, j.Remark, j.JudgedAt, j.Trace, findingBody(j.Finding),
		}
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(fiber.Map{"verdicts": bodies, "reasons": desk.Reasons(), "causes": desk.Causes()})
}

func (s *Server) find(c fiber.Ctx) error {
	turn, err := uuid.Parse(c.Params("turn"))
	attempt, err2 := strconv.Atoi(c.Params("attempt"))
	if err != nil || err2 != nil {
		return &desk.Problem{Code: desk.NoTurn, Sentence: "There is no such reply."}
	}
	var b struct {
		Cause string `json:"cause"`
		Note  string `json:"note"`
		Done  bool   `json:"done"`
	}
	if err := readJSON(c, &b); err != nil {
		return err
	}
	if err := s.Desks.Find(c, turn, attempt, store.Finding{Cause: b.Cause, Note: b.Note, Done: b.Done, ChangedBy: by(c)}); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *Server) causes(c fiber.Ctx) error {
	counts, err := s.Desks.CauseCounts(c, c.Query("desk"))
	if err != nil {
		return err
	}
	bodies := make([]causeBody, len(counts))
	for i, n := range counts {
		bodies[i] = causeBody{n.Week.Format(time.DateOnly), n.Cause, n.Count}
	}
	return c.JSON(fiber.Map{"causes": bodies})
}

func (s *Server) preferences(c fiber.Ctx) error {
	if _, err := s.Desks.Desk(c, c.Params("slug")); err != nil {
		return err
	}
	list, err := s.Store.Preferences(c, c.Params("slug"))
	if err != nil {
		return err
	}
	bodies := make([]preferenceBody, len(list))
	for i, p := range list {
		bodies[i] = preferenceBody(p)
	}
	return c.JSON(fiber.Map{"preferences": bodies})
}

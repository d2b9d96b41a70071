package web

import (
	"bytes"
	"context"
	"encoding/csv"
	"fmt"
	"strconv"

	"github.com/gofiber/fiber/v3"
	"github.com/google/uuid"

	"juvalogos/internal/account"
	"juvalogos/internal/api"
	"juvalogos/internal/exam"
	"juvalogos/internal/fault"
	"juvalogos/internal/record"
	"juvalogos/internal/runs"
	"juvalogos/internal/shape"
)

// trials are the handlers of runs, in which candidates sit a quiz.
type trials struct {
	*door
	Exams *exam.Service
	Runs  *runs.Service
}

func (s *trials) routes(api fiber.Router) {
	api.Get("/runs", s.allowed(account.Read, s.list))
	api.Post("/runs", s.allowed(account.Publish, s.begin))
	api.Get("/runs/:id", s.allowed(account.Read, s.one))
	api.Delete("/runs/:id", s.allowed(account.Publish, s.doing((*runs.Service).Remove)))
	api.Post("/runs/:id/stop", s.allowed(account.Publish, s.doing((*runs.Service).Stop)))
	api.Post("/runs/:id/resume", s.allowed(account.Publish, s.doing((*runs.Service).Resume)))
	api.Get("/runs/:id/csv", s.allowed(account.Read, s.file))
}

func runAsked(c fiber.Ctx) (uuid.UUID, error) {
	id, err := uuid.Parse(c.Params("id"))
	if err != nil {
		return id, fault.Say(fault.NotHere, "There is no such run.")
	}
	return id, nil
}

func (s *trials) list(c fiber.Ctx) error {
	quiz := uuid.Nil
	if text := c.Query("quiz"); text != "" {
		var err error
		if quiz, err = uuid.Parse(text); err != nil {
			return fault.Say(fault.NotHere, "There is no such quiz.")
		}
	}
	all, err := s.Runs.Runs(c, quiz)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(api.RunList{Runs: shape.All(all, shape.Run)})
}

func (s *trials) begin(c fiber.Ctx) error {
	var b api.NewRun
	if err := readJSON(c, &b); err != nil {
		return err
	}
	o := runs.Order{Content: b.Quiz, Candidates: b.Candidates, Times: b.Times, Anew: b.Anew, By: by(c)}
	if b.QuizID != "" {
		id, err := uuid.Parse(b.QuizID)
		if err != nil {
			return fault.Say(fault.Invalid, "There is no quiz with the id %q.", b.QuizID)
		}
		q, err := s.Exams.Quiz(c, id)
		if err != nil {
			return err
		}
		o.Quiz, o.Content = id, q.Content
	}
	r, err := s.Runs.Begin(c, o)
	if err != nil {
		return err
	}
	return c.Status(fiber.StatusCreated).JSON(shape.WholeRun(r, nil))
}

func (s *trials) one(c fiber.Ctx) error {
	id, err := runAsked(c)
	if err != nil {
		return err
	}
	r, answers, err := s.Runs.Run(c, id)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(shape.WholeRun(r, answers))
}

// doing is a handler that does something with a run.
func (s *trials) doing(what func(*runs.Service, context.Context, uuid.UUID) error) fiber.Handler {
	return func(c fiber.Ctx) error {
		id, err := runAsked(c)
		if err == nil {
			err = what(s.Runs, c, id)
		}
		if err != nil {
			return err
		}
		return c.SendStatus(fiber.StatusNoContent)
	}
}

// file answers with a row for each answer.
func (s *trials) file(c fiber.Ctx) error {
	id, err := runAsked(c)
	if err != nil {
		return err
	}
	r, answers, err := s.Runs.Run(c, id)
	if err != nil {
		return err
	}
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	rows := [][]string{{"candidate", "model", "desk", "at hand", "question", "time", "chosen", "right", "said",
		"problem",
		"kept", "seconds", "cost", "turn"}}
	for _, a := range answers {
		rows = append(rows, answerRow(r, a))
	}
	for _, row := range rows {
		for i, cell := range row {
			row[i] = harmless(cell)
		}
		_ = w.Write(row) // a buffer takes everything
	}
	w.Flush()
	c.Set("Content-Type", "text/csv; charset=utf-8")
	c.Set("Content-Disposition", `attachment; filename="run.csv"`)
	return c.Send(b.Bytes())
}

func answerRow(r record.Run, a record.RunAnswer) []string {
	who, question := r.Candidates[a.Candidate], r.Content.Questions[a.Question]
	chosen, turn := "", ""
	if a.Chosen >= 0 {
		chosen = question.Options[a.Chosen].Text
	}
	if a.Turn != nil {
		turn = a.Turn.String()
	}
	return []string{who.Title, who.Model, who.Desk, string(who.AtHand), question.Text, strconv.Itoa(a.Time + 1), chosen,
		strconv.FormatBool(a.Chosen >= 0 && a.Chosen == question.Right()), a.Said, a.Problem.String(),
		strconv.FormatBool(a.Kept), fmt.Sprintf("%.2f", a.Seconds), strconv.FormatFloat(a.Cost, 'f', -1, 64), turn}
}

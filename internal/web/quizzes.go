package web

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"slices"
	"strconv"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/google/uuid"

	"juvalogos/core/quiz"
	"juvalogos/internal/account"
	"juvalogos/internal/api"
	"juvalogos/internal/exam"
	"juvalogos/internal/fault"
	"juvalogos/internal/record"
	"juvalogos/internal/shape"
)

// exams are the handlers of quizzes that are given to people.
type exams struct {
	*door
	Exams *exam.Service
}

func (s *exams) routes(api fiber.Router) {
	api.Get("/quizzes", s.allowed(account.Read, s.list))
	api.Post("/quizzes", s.allowed(account.Publish, s.give))
	api.Get("/quizzes/:id", s.allowed(account.Read, s.one))
	api.Put("/quizzes/:id", s.allowed(account.Publish, s.change))
	api.Delete("/quizzes/:id", s.allowed(account.Publish, s.withdraw))
	api.Post("/quizzes/:id/restore", s.allowed(account.Publish, s.restore))
	api.Get("/quizzes/:id/results", s.allowed(account.Read, s.resultsOf))
	api.Get("/quizzes/:id/as/:format", s.allowed(account.Read, s.file))
	api.Post("/quiz-files/:format", s.allowed(account.Read, s.read))
	api.Get("/quiz/:take", s.toTake)
	api.Post("/quiz/:take/sittings", s.begin)
	api.Post("/sittings/:id", s.handIn)
	api.Get("/quiz-results/:results", s.results)
	api.Get("/quiz-results/:results/csv", s.resultsFile)
}

func (s *exams) shown(q record.GivenQuiz) api.GivenQuiz {
	return api.GivenQuiz{ID: q.ID.String(), Quiz: q.Content, Edition: q.Edition, Page: s.BasePath + "/quiz/" + q.Take,
		ResultsPage: s.BasePath + "/quiz-results/" + q.Results, Names: q.Names, MadeBy: q.MadeBy, MadeAt: q.MadeAt,
		Withdrawn: q.Withdrawn, Sittings: q.Sittings}
}

func (s *exams) send(c fiber.Ctx, q record.GivenQuiz, err error) error {
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(s.shown(q))
}

func quizAsked(c fiber.Ctx) (uuid.UUID, error) {
	id, err := uuid.Parse(c.Params("id"))
	if err != nil {
		return id, fault.Say(fault.NotHere,
			"There is no such quiz. Check the link, or ask the person who gave it to you.")
	}
	return id, nil
}

func (s *exams) list(c fiber.Ctx) error {
	all, err := s.Exams.Quizzes(c)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(api.QuizList{Quizzes: shape.All(all, s.shown)})
}

func (s *exams) give(c fiber.Ctx) error {
	var b api.NewQuiz
	if err := readJSON(c, &b); err != nil {
		return err
	}
	q, err := s.Exams.Give(c, b.Quiz, b.Names, by(c))
	if err != nil {
		return err
	}
	return c.Status(fiber.StatusCreated).JSON(s.shown(q))
}

func (s *exams) one(c fiber.Ctx) error {
	id, err := quizAsked(c)
	if err != nil {
		return err
	}
	q, err := s.Exams.Quiz(c, id)
	return s.send(c, q, err)
}

func (s *exams) change(c fiber.Ctx) error {
	id, err := quizAsked(c)
	if err != nil {
		return err
	}
	var b api.NewQuiz
	if err := readJSON(c, &b); err != nil {
		return err
	}
	q, err := s.Exams.Change(c, id, b.Quiz, b.Names)
	return s.send(c, q, err)
}

func (s *exams) withdraw(c fiber.Ctx) error { return s.withdrawn(c, false) }
func (s *exams) restore(c fiber.Ctx) error  { return s.withdrawn(c, true) }

func (s *exams) withdrawn(c fiber.Ctx, again bool) error {
	id, err := quizAsked(c)
	if err != nil {
		return err
	}
	if err := s.Exams.Withdraw(c, id, again); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

// file answers with a quiz in one of the formats.
func (s *exams) file(c fiber.Ctx) error {
	id, err := quizAsked(c)
	if err != nil {
		return err
	}
	q, err := s.Exams.Quiz(c, id)
	if err != nil {
		return err
	}
	var b bytes.Buffer
	switch c.Params("format") {
	case "csv":
		c.Set("Content-Type", "text/csv; charset=utf-8")
		c.Set("Content-Disposition", `attachment; filename="quiz.csv"`)
		err = q.Content.WriteCSV(&b)
	case "qti":
		c.Set("Content-Type", "application/zip")
		c.Set("Content-Disposition", `attachment; filename="quiz-qti3.zip"`)
		err = q.Content.WriteQTI(&b)
	case "json":
		c.Set("Content-Disposition", `attachment; filename="quiz.json"`)
		return c.JSON(q.Content)
	default:
		return fault.Say(fault.NotHere, "A quiz can be saved as json, csv or qti.")
	}
	if err != nil {
		return err
	}
	return c.Send(b.Bytes())
}

// read makes a quiz of a file in one of the formats; nothing is kept.
func (s *exams) read(c fiber.Ctx) error {
	body, err := bodyOf(c)
	if err != nil {
		return err
	}
	title := c.Query("title", "Quiz")
	var r api.QuizRead
	switch c.Params("format") {
	case "csv":
		r.Quiz, err = quiz.ReadCSV(title, body)
	case "qti":
		r.Quiz, r.Left, err = quiz.ReadQTI(title, body)
	case "json":
		r.Quiz, err = quiz.ReadJSON(body)
	default:
		return fault.Say(fault.NotHere, "A quiz can be read from json, csv or qti.")
	}
	if err != nil {
		return fault.Say(fault.Invalid, "This quiz cannot be used: %s.", err.Error())
	}
	for _, flaws := range quiz.Check(r.Quiz.Questions) {
		r.Flaws = append(r.Flaws, shape.All(flaws, func(f quiz.Flaw) string { return string(f) }))
	}
	if r.Left == nil {
		r.Left = []string{}
	}
	return c.JSON(r)
}

// toTake answers with what a quiz is, and no question of it.
func (s *exams) toTake(c fiber.Ctx) error {
	q, err := s.Exams.ToTake(c, c.Params("take"))
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(api.QuizToTake{Title: q.Content.Title, About: q.Content.About, Questions: len(q.Content.Questions),
		Names: q.Names})
}

// begin answers with the questions of a sitting, the options in an order of its own.
func (s *exams) begin(c fiber.Ctx) error {
	who, err := s.visitor(c)
	if err != nil {
		return err
	}
	var b api.NewSitting
	if err := readJSON(c, &b); err != nil {
		return err
	}
	t, q, err := s.Exams.Begin(from(c), c.Params("take"), who, b.Name)
	if err != nil {
		return err
	}
	sitting := api.Sitting{ID: t.ID.String(), Try: t.Try, Questions: []api.SittingQuestion{}}
	for i, one := range q.Content.Questions {
		asked := api.SittingQuestion{Question: one.Text, Options: []string{}}
		for _, at := range quiz.Order(t.ID.String(), i, len(one.Options)) {
			asked.Options = append(asked.Options, one.Options[at].Text)
		}
		sitting.Questions = append(sitting.Questions, asked)
	}
	return c.Status(fiber.StatusCreated).JSON(sitting)
}

// handIn ends a sitting, and answers with what was right and where it stands.
func (s *exams) handIn(c fiber.Ctx) error {
	who, err := s.visitor(c)
	if err != nil {
		return err
	}
	id, err := quizAsked(c)
	if err != nil {
		return err
	}
	var b api.Answers
	if err := readJSON(c, &b); err != nil {
		return err
	}
	t, q, err := s.Exams.HandIn(from(c), id, who, b.Answers)
	if err != nil {
		return err
	}
	return c.JSON(marked(t, q))
}

// marked is what has become of a sitting; places of options are those of its own order.
func marked(t record.Sitting, q record.GivenQuiz) api.Marked {
	m := api.Marked{Score: t.Score, Of: len(t.Answers), Try: t.Try, Questions: []api.MarkedQuestion{}}
	for i, one := range q.Content.Questions[:min(len(t.Answers), len(q.Content.Questions))] {
		order := quiz.Order(t.ID.String(), i, len(one.Options))
		marked := api.MarkedQuestion{Right: slices.Index(order, one.Right()), Chosen: slices.Index(order, t.Answers[i]),
			Quote: one.Quote}
		if src := one.Source; src != nil {
			marked.Title, marked.Place, marked.Source = src.Passage.Title, src.Place, *src
		}
		m.Questions = append(m.Questions, marked)
	}
	return m
}

func (s *exams) resultsOf(c fiber.Ctx) error {
	id, err := quizAsked(c)
	if err != nil {
		return err
	}
	return s.sendResults(c, id, "")
}

func (s *exams) results(c fiber.Ctx) error { return s.sendResults(c, uuid.Nil, c.Params("results")) }

func (s *exams) sendResults(c fiber.Ctx, id uuid.UUID, link string) error {
	r, err := s.Exams.Results(c, id, link)
	if err != nil {
		return err
	}
	out := api.QuizResults{Title: r.Quiz.Content.Title, Names: r.Quiz.Names, Edition: r.Quiz.Edition,
		Earlier:   r.Earlier,
		Questions: []api.QuestionResult{}, Sittings: []api.SittingResult{}, Page: s.BasePath + "/quiz/" + r.Quiz.Take}
	for i, q := range r.Quiz.Content.Questions {
		one := api.QuestionResult{Question: q.Text, Right: q.Right(), Knew: r.Knew[i], Options: []api.OptionResult{}}
		for j, o := range q.Options {
			one.Options = append(one.Options, api.OptionResult{Text: o.Text, Chosen: r.Chose[i][j]})
		}
		out.Questions = append(out.Questions, one)
	}
	for _, t := range r.Sittings {
		out.Sittings = append(out.Sittings, api.SittingResult{Name: t.Name, Try: t.Try, Score: t.Score,
			EndedAt: *t.Ended,
			Seconds: t.Ended.Sub(t.Began).Seconds()})
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(out)
}

// resultsFile answers with a row for each sitting, and what was chosen at each question.
func (s *exams) resultsFile(c fiber.Ctx) error {
	r, err := s.Exams.Results(c, uuid.Nil, c.Params("results"))
	if err != nil {
		return err
	}
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	head := []string{"name", "try", "score", "of", "seconds", "ended"}
	for i := range r.Quiz.Content.Questions {
		head = append(head, fmt.Sprint("question ", i+1))
	}
	_ = w.Write(head) // a buffer takes everything
	for _, t := range r.Sittings {
		row := []string{t.Name, strconv.Itoa(t.Try), strconv.Itoa(t.Score), strconv.Itoa(len(t.Answers)),
			fmt.Sprintf("%.0f", t.Ended.Sub(t.Began).Seconds()), t.Ended.UTC().Format(time.RFC3339)}
		for i, a := range t.Answers {
			said := ""
			if a >= 0 && i < len(r.Quiz.Content.Questions) {
				said = r.Quiz.Content.Questions[i].Options[a].Text
			}
			row = append(row, said)
		}
		for i, cell := range row {
			row[i] = harmless(cell)
		}
		_ = w.Write(row)
	}
	w.Flush()
	c.Set("Content-Type", "text/csv; charset=utf-8")
	c.Set("Content-Disposition", `attachment; filename="results.csv"`)
	return c.Send(b.Bytes())
}

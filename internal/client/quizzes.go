package client

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"

	"juvalogos/core/quiz"
	"juvalogos/internal/api"
)

// Quizzes lists the quizzes that were given.
func (c *Client) Quizzes(ctx context.Context) ([]api.GivenQuiz, error) {
	var list api.QuizList
	err := c.call(ctx, http.MethodGet, "/api/quizzes", nil, &list)
	return list.Quizzes, err
}

// Quiz returns one of them.
func (c *Client) Quiz(ctx context.Context, id string) (q api.GivenQuiz, err error) {
	err = c.call(ctx, http.MethodGet, "/api/quizzes/"+url.PathEscape(id), nil, &q)
	return q, err
}

// GiveQuiz gives a quiz to people; with an id it puts other questions into one that was given.
func (c *Client) GiveQuiz(ctx context.Context, id string, q quiz.Quiz, names bool) (given api.GivenQuiz, err error) {
	method, path := http.MethodPost, "/api/quizzes"
	if id != "" {
		method, path = http.MethodPut, path+"/"+url.PathEscape(id)
	}
	err = c.call(ctx, method, path, api.NewQuiz{Quiz: q, Names: names}, &given)
	return given, err
}

// ReadQuiz makes a quiz of a file in a format: json, csv or qti.
func (c *Client) ReadQuiz(ctx context.Context, format, title string, body []byte) (r api.QuizRead, err error) {
	response, err := c.stream(ctx, http.MethodPost, "/api/quiz-files/"+url.PathEscape(format)+"?title="+
		url.QueryEscape(title), "application/octet-stream", bytes.NewReader(body), nil)
	if err != nil {
		return r, err
	}
	defer response.Body.Close()
	if err := json.NewDecoder(response.Body).Decode(&r); err != nil {
		return r, fmt.Errorf("read the answer: %w", err)
	}
	return r, nil
}

// QuizFile returns a quiz in a format.
func (c *Client) QuizFile(ctx context.Context, id, format string) ([]byte, error) {
	return c.file(ctx, "/api/quizzes/"+url.PathEscape(id)+"/as/"+url.PathEscape(format))
}

// WithdrawQuiz has a quiz taken no more; RestoreQuiz again.
func (c *Client) WithdrawQuiz(ctx context.Context, id string) error {
	return c.call(ctx, http.MethodDelete, "/api/quizzes/"+url.PathEscape(id), nil, nil)
}

// RestoreQuiz has a quiz taken again that was withdrawn.
func (c *Client) RestoreQuiz(ctx context.Context, id string) error {
	return c.call(ctx, http.MethodPost, "/api/quizzes/"+url.PathEscape(id)+"/restore", nil, nil)
}

// QuizResults tells how a quiz went.
func (c *Client) QuizResults(ctx context.Context, id string) (r api.QuizResults, err error) {
	err = c.call(ctx, http.MethodGet, "/api/quizzes/"+url.PathEscape(id)+"/results", nil, &r)
	return r, err
}

// BeginSitting begins to take the quiz whose link ends so.
func (c *Client) BeginSitting(ctx context.Context, take, name string) (s api.Sitting, err error) {
	err = c.call(ctx, http.MethodPost, "/api/quiz/"+url.PathEscape(take)+"/sittings", api.NewSitting{Name: name}, &s)
	return s, err
}

// HandIn ends a sitting with the places of the chosen options, -1 where there is none.
func (c *Client) HandIn(ctx context.Context, sitting string, answers []int) (m api.Marked, err error) {
	err = c.call(ctx, http.MethodPost, "/api/sittings/"+url.PathEscape(sitting), api.Answers{Answers: answers}, &m)
	return m, err
}

// Quiz is the quiz that a reply has; nil if it has none.
func Quiz(o api.Outcome) *quiz.Quiz {
	for _, p := range o.Parts {
		if q, is := p.Value.(quiz.Quiz); is {
			return &q
		}
	}
	return nil
}

// Runs lists runs, the newest first: of one quiz that was given, or with "" all.
func (c *Client) Runs(ctx context.Context, quiz string) ([]api.RunInShort, error) {
	var list api.RunList
	err := c.call(ctx, http.MethodGet, "/api/runs?quiz="+url.QueryEscape(quiz), nil, &list)
	return list.Runs, err
}

// BeginRun has candidates sit a quiz; the run goes on.
func (c *Client) BeginRun(ctx context.Context, n api.NewRun) (r api.Run, err error) {
	err = c.call(ctx, http.MethodPost, "/api/runs", n, &r)
	return r, err
}

// Run returns a run with its answers so far.
func (c *Client) Run(ctx context.Context, id string) (r api.Run, err error) {
	err = c.call(ctx, http.MethodGet, "/api/runs/"+url.PathEscape(id), nil, &r)
	return r, err
}

// StopRun has a run ask no more.
func (c *Client) StopRun(ctx context.Context, id string) error {
	return c.call(ctx, http.MethodPost, "/api/runs/"+url.PathEscape(id)+"/stop", nil, nil)
}

// ResumeRun goes on with a run, and asks again what failed.
func (c *Client) ResumeRun(ctx context.Context, id string) error {
	return c.call(ctx, http.MethodPost, "/api/runs/"+url.PathEscape(id)+"/resume", nil, nil)
}

// RemoveRun removes a run with its answers.
func (c *Client) RemoveRun(ctx context.Context, id string) error {
	return c.call(ctx, http.MethodDelete, "/api/runs/"+url.PathEscape(id), nil, nil)
}

package web

import (
	"errors"
	"net/http"
	"strconv"

	"github.com/gofiber/fiber/v3"

	"juvalogos/core/phrase"
	"juvalogos/core/yamlfile"
	"juvalogos/internal/account"
	"juvalogos/internal/api"
	"juvalogos/internal/fault"
	"juvalogos/internal/limits"
	"juvalogos/internal/shelf"
)

// tooLarge is a code that only the HTTP side has.
const tooLarge fault.Code = "too-large"

// statuses of the codes; what is missing is 502 if a model failed, else 500.
var statuses = map[fault.Code]int{
	fault.NoDesk: 404, fault.NoConversation: 404, fault.NoTurn: 404, fault.NotShared: 404, fault.NoTrace: 404,
	fault.NoModel: 404, fault.NoPicture: 404, fault.Blind: 422, fault.NoRecording: 404,
	fault.Deaf:    422,
	fault.TooMuch: 422, fault.TooLate: 504, fault.StepFailed: 502,
	fault.NoConnection: 404, fault.Exists: 409, fault.NotOffered: 409, fault.WrongPassword: 401, fault.TokenNeeded: 401,
	fault.Forbidden: 403, fault.NotHere: 404,
	fault.TooManyTries: 429, fault.LimitReached: 429, fault.Left: 409, "waking": 503,
	fault.Empty: 422, fault.QuestionLong: 413, fault.Invalid: 422,
	fault.StillWriting: 409, fault.NotSetUp: 503, fault.NoRecords: 503, fault.NotKept: 503, fault.Closing: 503,
	fault.Unexpected: 500, fault.Interruption: 503,
	"busy": 429, "over-quota": 429, "no-memory": 503, "too-long": 413, "declined": 422,
}

func statusOf(code fault.Code) int {
	if status, ok := statuses[code]; ok {
		return status
	}
	return http.StatusBadGateway
}

// problem is the one place where errors become answers.
func (s *door) problem(c fiber.Ctx, err error) error {
	b := s.describe(c, err)
	if s.isCompletions(c) {
		return completionProblem(c, b)
	}
	c.Status(b.Status)
	return c.JSON(b, "application/problem+json")
}

// describe is an error as RFC 9457 wants it: a sentence that may be shown to
// the person who asked, and what the log knows it by.
func (s *door) describe(c fiber.Ctx, err error) api.Problem {
	var p *fault.Problem
	var file yamlfile.Problems
	var web *fiber.Error
	var onShelf *shelf.Problem
	var tooSoon *account.TooSoon
	var over *limits.Exceeded
	b := api.Problem{Type: "about:blank", Status: 500, Code: string(fault.Unexpected),
		Phrase: fault.Sentence(fault.Unexpected)}
	switch {
	case errors.As(err, &p):
		b.Status, b.Code, b.Phrase, b.ID = statusOf(p.Code), string(p.Code), p.Sentence, p.ID
	case errors.As(err, &file):
		b.Status, b.Code, b.Problems = 422, string(fault.Invalid), file
		b.Phrase = phrase.Of("The file has mistakes.")
	case errors.As(err, &tooSoon):
		c.Set("Retry-After", strconv.Itoa(tooSoon.Seconds()))
		b.Status, b.Code = statusOf(fault.TooManyTries), string(fault.TooManyTries)
		b.Phrase = phrase.OfError(tooSoon)
	case errors.As(err, &over):
		s.Log.Info("a limit was reached", "limit", over.Limit, "path", c.Path(), "address", s.address(c))
		c.Set("Retry-After", strconv.Itoa(over.Seconds()))
		b.Status, b.Code, b.Phrase = statusOf(fault.LimitReached), string(fault.LimitReached), over.What
	case errors.As(err, &onShelf):
		status, code := shelfProblem(onShelf)
		b.Status, b.Code = status, string(code)
		b.Phrase = onShelf.What.Sentence()
	case errors.As(err, &web):
		b.Status, b.Code, b.Phrase = web.Code, string(codeOf(web.Code)), phrase.Phrase{Form: web.Message}
		if web.Code == 404 && web.Message == "Not Found" {
			b.Phrase = phrase.Of("There is nothing at this address.")
		}
	case fault.Unkept(err):
		p := fault.New(fault.NotKept, err)
		s.Log.Error("problem", "path", c.Path(), "id", p.ID, "error", err)
		b.Status, b.Code, b.Phrase, b.ID = statusOf(p.Code), string(p.Code), p.Sentence, p.ID
	default:
		id := fault.NewID()
		s.Log.Error("problem", "path", c.Path(), "id", id, "error", err)
		b.ID = id
	}
	b.Detail = b.Phrase.String()
	b.Title = http.StatusText(b.Status)
	return b
}

func codeOf(status int) fault.Code {
	switch status {
	case 401:
		return fault.TokenNeeded
	case 403:
		return fault.Forbidden
	case 404, 405:
		return fault.NotHere
	case 409:
		return fault.Exists
	case 413:
		return tooLarge
	case 400, 415, 422:
		return fault.Invalid
	}
	return fault.Unexpected
}

// invalid is the error of a request that cannot be understood.
func invalid(detail string) error { return fiber.NewError(fiber.StatusUnprocessableEntity, detail) }

// shelfProblem tells how an answer says what a shelf refused.
func shelfProblem(p *shelf.Problem) (status int, code fault.Code) {
	if p.Missing {
		return fiber.StatusNotFound, fault.NotHere
	}
	return fiber.StatusUnprocessableEntity, fault.Invalid
}

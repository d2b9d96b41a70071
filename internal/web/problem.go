package web

import (
	"errors"
	"net/http"
	"unicode"
	"unicode/utf8"

	"github.com/gofiber/fiber/v3"

	"juvalogos/core/yamlfile"
	"juvalogos/internal/api"
	"juvalogos/internal/desk"
	"juvalogos/internal/shelf"
)

// Codes that only the HTTP side has.
const (
	codeNoToken       desk.Code = "token-needed"
	codeNoRoute       desk.Code = "no-such-address"
	codeTooLarge      desk.Code = "too-large"
	codeForbidden     desk.Code = "forbidden"
	codeExists        desk.Code = "exists-already"
	codeWrongPassword desk.Code = "wrong-password"
)

// statuses of the codes; what is missing is 502 if a model failed, else 500.
var statuses = map[desk.Code]int{
	desk.NoDesk: 404, desk.NoConversation: 404, desk.NoTurn: 404, desk.NotShared: 404, desk.NoTrace: 404,
	desk.TooMuch: 422, desk.TooLate: 504, desk.StepFailed: 502,
	desk.NoConnection: 404, desk.Taken: 409, desk.NotOffered: 409, codeWrongPassword: 401, "waking": 503,
	desk.Empty: 422, desk.QuestionLong: 413, desk.Invalid: 422,
	desk.StillWriting: 409, desk.NotSetUp: 503, desk.NoRecords: 503, desk.Closing: 503,
	desk.Unexpected: 500, desk.Interruption: 503,
	"busy": 429, "too-long": 413,
}

func statusOf(code desk.Code) int {
	if status, ok := statuses[code]; ok {
		return status
	}
	return http.StatusBadGateway
}

// problem is the one place where errors become answers.
func (s *Server) problem(c fiber.Ctx, err error) error {
	b := s.describe(c, err)
	if s.isCompletions(c) {
		return completionProblem(c, b)
	}
	c.Status(b.Status)
	return c.JSON(b, "application/problem+json")
}

// describe is an error as RFC 9457 wants it: a sentence that may be shown to
// the person who asked, and what the log knows it by.
func (s *Server) describe(c fiber.Ctx, err error) api.Problem {
	var p *desk.Problem
	var file yamlfile.Problems
	var web *fiber.Error
	var onShelf *shelf.Problem
	b := api.Problem{Type: "about:blank", Status: 500, Code: string(desk.Unexpected), Detail: desk.Sentence(desk.Unexpected)}
	switch {
	case errors.As(err, &p):
		b.Status, b.Code, b.Detail, b.ID = statusOf(p.Code), string(p.Code), p.Sentence, p.ID
	case errors.As(err, &file):
		b.Status, b.Code, b.Detail, b.Problems = 422, string(desk.Invalid), "The file has mistakes.", file
	case errors.As(err, &onShelf):
		status, code := shelfProblem(onShelf)
		b.Status, b.Code = status, string(code)
		b.Detail = sentenceCase(onShelf.Sentence)
	case errors.As(err, &web):
		b.Status, b.Code, b.Detail = web.Code, string(codeOf(web.Code)), web.Message
		if web.Code == 404 && web.Message == "Not Found" {
			b.Detail = "There is nothing at this address."
		}
	default:
		id := desk.NewID()
		s.Log.Error("problem", "path", c.Path(), "id", id, "error", err)
		b.ID = id
	}
	b.Title = http.StatusText(b.Status)
	return b
}

func codeOf(status int) desk.Code {
	switch status {
	case 401:
		return codeNoToken
	case 403:
		return codeForbidden
	case 404, 405:
		return codeNoRoute
	case 409:
		return codeExists
	case 413:
		return codeTooLarge
	case 400, 415, 422:
		return desk.Invalid
	}
	return desk.Unexpected
}

// invalid is the error of a request that cannot be understood.
func invalid(detail string) error { return fiber.NewError(fiber.StatusUnprocessableEntity, detail) }

// sentenceCase makes a sentence of a message.
func sentenceCase(text string) string {
	first, size := utf8.DecodeRuneInString(text)
	if size == 0 {
		return ""
	}
	return string(unicode.ToUpper(first)) + text[size:] + "."
}

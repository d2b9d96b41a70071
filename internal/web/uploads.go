package web

import (
	"errors"
	"fmt"
	"io"
	"mime"
	"mime/multipart"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/valyala/fasthttp"
)

// Files that arrive, and bodies that are larger than they may be.

// arriving lets a handler take files in while they arrive. What is left of the
// body when it refuses them is not to be taken for another request.
func arriving(h fiber.Handler) fiber.Handler {
	return func(c fiber.Ctx) error {
		err := h(c)
		if err != nil && c.Request().IsBodyStream() {
			_, _ = io.CopyN(io.Discard, c.Request().BodyStream(), largestBody)
			c.Response().Header.SetConnectionClose()
		}
		return err
	}
}

// eachFile hands over the files of a form while they arrive.
func eachFile(c fiber.Ctx, do func(name string, body io.Reader) error) error {
	kind, parameters, err := mime.ParseMediaType(c.Get("Content-Type"))
	if err != nil || kind != "multipart/form-data" {
		return invalid("Send files as multipart/form-data, each in a part with a file name.")
	}
	body := io.Reader(strings.NewReader(string(c.Request().Body())))
	if c.Request().IsBodyStream() {
		body = c.Request().BodyStream()
	}
	form := multipart.NewReader(body, parameters["boundary"])
	for {
		part, err := form.NextPart()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return invalid("The files did not arrive whole. What arrived was added; send the others again.")
		}
		// FileName drops folders; the name in the header has them.
		_, disposition, _ := mime.ParseMediaType(part.Header.Get("Content-Disposition"))
		name := disposition["filename"]
		if name == "" {
			continue
		}
		if err := do(name, part); err != nil {
			return err
		}
	}
}

// uploadTime is how long the files of one request may take to arrive.
const uploadTime = 2 * time.Hour

// takesFiles reports whether a request adds files to a shelf.
func takesFiles(h *fasthttp.RequestHeader) bool {
	path, _, _ := strings.Cut(string(h.RequestURI()), "?")
	return string(h.Method()) == fiber.MethodPost &&
		(strings.Contains(path, "/api/shelves/") && strings.HasSuffix(path, "/documents") ||
			strings.Contains(path, "/api/at/") && strings.HasSuffix(path, "/attachments"))
}

// tooLong reports whether a request announces a body that is larger than it may
// be.
func tooLong(h *fasthttp.RequestHeader) bool {
	return h.ContentLength() > largestBody && !takesFiles(h)
}

// byHeader gives files the time they need to arrive.
func byHeader(h *fasthttp.RequestHeader) fasthttp.RequestConfig {
	if takesFiles(h) {
		return fasthttp.RequestConfig{ReadTimeout: uploadTime}
	}
	return fasthttp.RequestConfig{}
}

// limitBody refuses bodies that are larger than they may be; only files that
// are added to a shelf may be read while they arrive.
func limitBody(c fiber.Ctx) error {
	r := c.Request()
	if !r.IsBodyStream() || takesFiles(&r.Header) {
		return nil
	}
	if tooLong(&r.Header) {
		return fiber.ErrRequestEntityTooLarge
	}
	body, err := io.ReadAll(io.LimitReader(r.BodyStream(), largestBody+1))
	if err != nil {
		return fmt.Errorf("read a request: %w", err)
	}
	if len(body) > largestBody {
		return fiber.ErrRequestEntityTooLarge
	}
	r.SetBodyRaw(body)
	return nil
}

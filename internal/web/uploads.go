package web

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"mime"
	"mime/multipart"
	"net"
	"strings"
	"time"

	"juvalogos/internal/fault"

	"github.com/gofiber/fiber/v3"
)

// Files that arrive, and bodies that are larger than they may be.

// eachFile hands over the files of a form while they arrive.
func eachFile(c fiber.Ctx, do func(name string, body io.Reader) error) error {
	return eachPart(c, func(_, name string, body io.Reader) error {
		if name == "" {
			return nil
		}
		return do(name, body)
	})
}

// eachPart hands over the parts of a form while they arrive: the name of the field, and
// that of its file if it is one.
func eachPart(c fiber.Ctx, do func(field, name string, body io.Reader) error) error {
	kind, parameters, err := mime.ParseMediaType(c.Get("Content-Type"))
	if err != nil || kind != "multipart/form-data" {
		return invalid("Send files as multipart/form-data, each in a part with a file name.")
	}
	var body io.Reader
	if !c.Request().IsBodyStream() { // asking for the body of one that is would read all of it
		body = bytes.NewReader(c.Request().Body())
	} else {
		body = &paced{from: c.Request().BodyStream(), deadline: c.RequestCtx().Conn().SetReadDeadline, now: time.Now,
			began: time.Now()}
	}
	form := multipart.NewReader(body, parameters["boundary"])
	for {
		part, err := form.NextPart()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if errors.Is(err, slowness) {
			return slowness
		}
		if err != nil {
			return invalid("The files did not arrive whole. What arrived was added; send the others again.")
		}
		// FileName drops folders; the name in the header has them.
		_, disposition, _ := mime.ParseMediaType(part.Header.Get("Content-Disposition"))
		if err := do(part.FormName(), disposition["filename"], part); err != nil {
			return err
		}
	}
}

// leastSpeed is how fast the files of a request must come on average, in bytes
// a second, once the first moments are over; patience is how long they may stop.
const (
	leastSpeed   = 4 << 10
	firstMoments = 20 * time.Second
	patience     = 20 * time.Second
)

// slowness is the error of files that come too slowly to be waited for.
var slowness = fault.Say(fault.Invalid, "The files came too slowly and were given up. What arrived whole was added; "+
	"send the others again over a better connection.")

// paced reads a body that must keep a least speed; the connection's deadline is
// moved on with it, since the one for ordinary requests is short.
type paced struct {
	from     io.Reader
	deadline func(time.Time) error
	now      func() time.Time
	began    time.Time
	read     int64
}

func (p *paced) Read(into []byte) (int, error) {
	now := p.now()
	if past := now.Sub(p.began) - firstMoments; past > 0 && p.read < int64(past.Seconds()*leastSpeed) {
		return 0, slowness
	}
	if err := p.deadline(now.Add(patience)); err != nil {
		return 0, err
	}
	n, err := p.from.Read(into)
	p.read += int64(n)
	var late net.Error
	if errors.As(err, &late) && late.Timeout() {
		err = slowness
	}
	return n, err
}

// bodyOf is a request's body as it was sent. It is what handlers have instead
// of the framework's own: no more than largestBody is ever read, and nothing is
// unpacked (the door refuses what is packed). Handlers that take files read them
// while they arrive, through eachFile.
func bodyOf(c fiber.Ctx) ([]byte, error) { return bodyUpTo(c, largestBody) }

// largestWithPictures is how large a body may be that has pictures in it.
const largestWithPictures = 32 << 20

// bodyUpTo is bodyOf for calls that may bring more.
func bodyUpTo(c fiber.Ctx, most int) ([]byte, error) {
	r := c.Request()
	if bearer(c) == "" && formType(c.Get(fiber.HeaderContentType)) {
		return nil, fiber.NewError(fiber.StatusUnsupportedMediaType,
			"Send the body with the content type that it has, "+
				"like application/json.")
	}
	if !r.IsBodyStream() {
		return bytes.Clone(r.Body()), nil
	}
	if r.Header.ContentLength() > most {
		return nil, fiber.ErrRequestEntityTooLarge
	}
	body, err := io.ReadAll(io.LimitReader(r.BodyStream(), int64(most)+1))
	if err != nil {
		return nil, fmt.Errorf("read a request: %w", err)
	}
	if len(body) > most {
		return nil, fiber.ErrRequestEntityTooLarge
	}
	r.SetBodyRaw(body)
	return body, nil
}

// formType reports whether any page could have its reader's browser send a body of
// a type, without asking.
func formType(contentType string) bool {
	kind, _, err := mime.ParseMediaType(contentType)
	if err != nil {
		kind, _, _ = strings.Cut(strings.ToLower(contentType), ";")
	}
	switch strings.TrimSpace(kind) {
	case "text/plain", "application/x-www-form-urlencoded", "multipart/form-data":
		return true
	}
	return false
}

// leftOver sees to what a handler did not read of a body: it is not to be taken
// for another request. A little of it is read, so that the answer arrives.
func leftOver(c fiber.Ctx) {
	if !c.Request().IsBodyStream() {
		return
	}
	if conn := c.RequestCtx().Conn(); conn != nil {
		_ = conn.SetReadDeadline(time.Now().Add(2 * time.Second))
	}
	_, _ = io.CopyN(io.Discard, c.Request().BodyStream(), largestBody)
	c.Response().Header.SetConnectionClose()
}

// notPacked refuses bodies in a content coding: what they unpack to has no
// bound that is known before.
func notPacked(c fiber.Ctx) error {
	for _, coding := range c.Request().Header.PeekAll(fiber.HeaderContentEncoding) {
		if text := strings.ToLower(strings.TrimSpace(string(coding))); text != "" && text != "identity" {
			return fiber.NewError(fiber.StatusUnsupportedMediaType, "Send the body as it is, without a content coding.")
		}
	}
	return nil
}

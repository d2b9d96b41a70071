package web

import (
	"fmt"
	"io"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"
)

// ranged sends a file of a size, or the one range of it that is asked for (RFC 9110,
// 14). Several ranges at once, and what is no range, are answered with the whole.
func ranged(c fiber.Ctx, size int64, body func(from int64) io.Reader) error {
	c.Set("Accept-Ranges", "bytes")
	text, is := strings.CutPrefix(c.Get("Range"), "bytes=")
	first, last, two := strings.Cut(text, "-")
	if !is || !two || strings.Contains(text, ",") || c.Get("If-Range") != "" &&
		c.Get("If-Range") != c.GetRespHeader("ETag") {
		return c.SendStream(body(0), int(size))
	}
	from, errFrom := strconv.ParseInt(strings.TrimSpace(first), 10, 64)
	to, errTo := strconv.ParseInt(strings.TrimSpace(last), 10, 64)
	switch {
	case first == "" && errTo == nil: // so many at the end
		from, to = max(0, size-to), size-1
	case errFrom == nil && last == "":
		to = size - 1
	case errFrom != nil || errTo != nil || from < 0 || to < from:
		return c.SendStream(body(0), int(size))
	}
	to = min(to, size-1)
	if from >= size || from > to {
		c.Set("Content-Range", fmt.Sprintf("bytes */%d", size))
		return c.SendStatus(fiber.StatusRequestedRangeNotSatisfiable)
	}
	c.Set("Content-Range", fmt.Sprintf("bytes %d-%d/%d", from, to, size))
	length := to - from + 1
	return c.Status(fiber.StatusPartialContent).SendStream(io.LimitReader(body(from), length), int(length))
}

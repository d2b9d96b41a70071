package web

import (
	"bytes"
	"encoding/csv"
	"slices"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"juvalogos/internal/api"
	"juvalogos/internal/inside"
	"juvalogos/internal/record"
	"juvalogos/internal/shape"
)

// What models were asked for and what it cost, for makers.

// usage adds up: ?by=day,desk,... from a day up to and with another.
func (s *insides) usage(c fiber.Ctx) error {
	f := record.UsageFilter{Desk: c.Query("desk"), Model: c.Query("model"), Step: c.Query("step"),
		Visitor: c.Query("visitor")}
	if text := c.Query("by"); text != "" {
		f.By = strings.Split(text, ",")
	}
	var p inside.Period
	var err error
	if p.From, err = timeAsked(c, "from"); err != nil {
		return err
	}
	if p.To, err = timeAsked(c, "to"); err != nil {
		return err
	}
	f, rows, err := s.Inside.Usage(c, f, p)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	if c.Query("format") == "csv" {
		return sendUsageCSV(c, f.By, rows)
	}
	return c.JSON(api.Usage{By: shape.Some(f.By), From: f.From, To: f.To, Rows: shape.All(rows, shape.UsageRow)})
}

// limits are the table of limits and what was refused.
func (s *insides) limits(c fiber.Ctx) error {
	c.Set("Cache-Control", "no-store")
	return c.JSON(api.Limits{Limits: shape.All(s.Limits.Limits(), shape.Limit),
		Refusals: shape.All(s.Limits.Refusals(), shape.Refusal)})
}

func sendUsageCSV(c fiber.Ctx, by []string, rows []record.UsageRow) error {
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	_ = w.Write(append(slices.Clone(by), "turns", "calls", "calls_counted_here", "prompt_tokens", "reply_tokens",
		"cost"))
	for _, r := range rows {
		keys := r.Keys
		if len(by) == 0 {
			keys = nil
		}
		line := make([]string, len(keys))
		for i, k := range keys {
			line[i] = harmless(k)
		}
		_ = w.Write(append(line, strconv.Itoa(r.Turns), strconv.Itoa(r.Calls), strconv.Itoa(r.Counted),
			strconv.FormatInt(r.PromptTokens, 10),
			strconv.FormatInt(r.ReplyTokens, 10), strconv.FormatFloat(r.Cost, 'f', 6, 64)))
	}
	w.Flush()
	c.Set("Content-Type", "text/csv; charset=utf-8")
	c.Set("Content-Disposition", `attachment; filename="usage.csv"`)
	return c.Send(b.Bytes())
}

// harmless keeps a spreadsheet from taking a name for a formula.
func harmless(text string) string {
	if text != "" && strings.ContainsRune("=+-@\t\r", rune(text[0])) {
		return "'" + text
	}
	return text
}

package web

import (
	"bytes"
	"encoding/csv"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"juvalogos/internal/api"
	"juvalogos/internal/record"
	"juvalogos/internal/shape"
	"juvalogos/internal/store"
)

// What models were asked for and what it cost, for makers.

// mostUsageRows bounds an answer.
const mostUsageRows = 10_000

// usage adds up: ?by=day,desk,... from a day up to and with another.
func (s *Server) usage(c fiber.Ctx) error {
	now := time.Now().UTC()
	today := now.Truncate(24 * time.Hour)
	f := record.UsageFilter{
		Desk: c.Query("desk"), Model: c.Query("model"), Step: c.Query("step"), Visitor: c.Query("visitor"),
		From: today.AddDate(0, 0, -29), To: today.AddDate(0, 0, 1), Limit: mostUsageRows,
	}
	if text := c.Query("by"); text != "" {
		f.By = strings.Split(text, ",")
	}
	for _, key := range f.By {
		if !slices.Contains(store.UsageKeys(), key) {
			return invalid("by is one or more of " + strings.Join(store.UsageKeys(), ", ") + ", with commas between.")
		}
	}
	from, err := timeAsked(c, "from")
	if err != nil {
		return err
	}
	to, err := timeAsked(c, "to")
	if err != nil {
		return err
	}
	if from != nil {
		f.From = *from
	}
	if to != nil {
		if f.To = *to; to.Equal(to.Truncate(24 * time.Hour)) {
			f.To = to.AddDate(0, 0, 1) // with that day
		}
	}
	rows, err := s.Store.Traces.Usage(c, f)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	if c.Query("format") == "csv" {
		return sendUsageCSV(c, f.By, rows)
	}
	return c.JSON(api.Usage{By: shape.Some(f.By), From: f.From, To: f.To, Rows: shape.All(rows, shape.UsageRow)})
}

func sendUsageCSV(c fiber.Ctx, by []string, rows []record.UsageRow) error {
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	_ = w.Write(append(slices.Clone(by), "turns", "calls", "calls_counted_here", "prompt_tokens", "reply_tokens", "cost"))
	for _, r := range rows {
		keys := r.Keys
		if len(by) == 0 {
			keys = nil
		}
		line := make([]string, len(keys))
		for i, k := range keys {
			line[i] = harmless(k)
		}
		_ = w.Write(append(line, strconv.Itoa(r.Turns), strconv.Itoa(r.Calls), strconv.Itoa(r.Counted), strconv.FormatInt(r.PromptTokens, 10),
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

package main

import (
	"context"
	"encoding/json"
	"fmt"
	"net/url"
	"os"
	"slices"
	"strconv"
	"strings"
	"time"

	"juvalogos/core/difference"
	"juvalogos/internal/api"
	"juvalogos/internal/client"
	"juvalogos/internal/terminal"
)

var traceCommands = []command{
	{"list", "find traces: by desk, model, step, slow, costly, failed, flagged, words", traceList},
	{"show", "show how a reply was made, step by step", traceShow},
	{"export", "write a trace as JSON or as OTLP", traceExport},
	{"rerun", "make a reply again with something changed, and compare", traceRerun},
}

func traceList(args []string) error {
	f := newFlags("trace list [flags]", "Lists how replies were made, the newest first.",
		"juvalogos trace list -desk hive-helper -slow 5 -since 2026-11-01")
	query := url.Values{}
	keep := func(name, about string) { f.Func(name, about, func(v string) error { query.Set(name, v); return nil }) }
	keep("desk", "of this desk")
	keep("model", "that asked this model")
	keep("step", "that have this step")
	keep("state", "that ended so: done, stopped, failed, interrupted")
	keep("kind", "reply (the default), summary or rerun")
	keep("slow", "that took at least so many seconds")
	keep("costly", "that cost at least so much")
	keep("search", "whose question or reply has these words")
	keep("since", "begun since this day")
	keep("before", "begun before this time, like 2026-06-01T12:00:00Z")
	flagged := f.Bool("flagged", false, "whose reply did not help")
	limit := f.Int("limit", 20, "at most so many, up to 200")
	asJSON := f.Bool("json", false, "print JSON")
	return onService(f, args, 0, 0, "", func(c *client.Client, _ []string) error {
		if *flagged {
			query.Set("flagged", "yes")
		}
		query.Set("limit", strconv.Itoa(*limit))
		traces, err := c.Traces(context.Background(), query)
		if err != nil {
			return err
		}
		return list(*asJSON, traces, "There are none.",
			"TRACE, BEGUN, DESK, STATE, SECONDS, TOKENS, COST IN "+currencyOf(c)+", QUESTION",
			func(t api.Trace) []any {
				return []any{t.ID, when(&t.StartedAt), t.Desk, t.State, fmt.Sprintf("%.2f", t.Seconds),
					fmt.Sprintf("%d+%d", t.PromptTokens, t.ReplyTokens), fmt.Sprintf("%.6g", t.Cost),
					firstOf(t.Question, 50)}
			})
	})
}

func firstOf(text string, most int) string {
	text = strings.Join(strings.Fields(text), " ")
	if r := []rune(text); len(r) > most {
		return string(r[:most-1]) + "…"
	}
	return text
}

const oneTrace = "name one trace by its id, or a turn; \"juvalogos trace list\" prints them"

func traceShow(args []string) error {
	f := newFlags("trace show [flags] ID", "Shows how a reply was made: every step with its time, and what was sent "+
		"to models.", "juvalogos trace show -whole 01a1f9f2-5d0e-7c3a-9d64-0c5d7f1b2e3a")
	whole := f.Bool("whole", false, "print prompts and answers whole")
	asJSON := f.Bool("json", false, "print JSON")
	return onService(f, args, 1, 1, oneTrace, func(c *client.Client, names []string) error {
		t, err := c.Trace(context.Background(), names[0])
		if err != nil {
			return err
		}
		if *asJSON {
			return printJSON(t)
		}
		printTrace(t, currencyOf(c), *whole)
		return nil
	})
}

func printTrace(t api.Inside, currency string, whole bool) {
	var b strings.Builder
	fmt.Fprintf(&b, "%s\n%s, revision %d, recipe %s, %s, %s\n%.3f seconds, %d + %d tokens, %.6g %s\n\n",
		firstOf(t.Question, 100), t.Desk, t.Revision, t.Recipe, t.StartedAt.Local().Format(time.DateTime), t.State,
		t.Seconds, t.PromptTokens, t.ReplyTokens, t.Cost, currency)
	if t.Thinned {
		fmt.Fprintln(&b, "Only these figures are left; the owner keeps traces whole for a shorter time.")
	}
	writeSpans(&b, t, -1, whole)
	fmt.Print(terminal.Harmless(b.String()))
}

// writeSpans writes the steps within one, each group before what is in it.
func writeSpans(b *strings.Builder, t api.Inside, within int, whole bool) {
	const width = 36
	for i, s := range t.Spans {
		if s.Parent != within {
			continue
		}
		from := int(s.Start / max(t.Seconds, 1e-9) * width)
		to := max(from+1, int((s.Start+s.Seconds)/max(t.Seconds, 1e-9)*width))
		bar := strings.Repeat(" ", min(from, width)) + strings.Repeat("━", max(1, min(to, width)-min(from, width)))
		name := strings.Repeat("  ", strings.Count(s.Step, "/")) + s.Step[strings.LastIndex(s.Step, "/")+1:]
		if s.Number > 0 {
			name += fmt.Sprintf(" %d", s.Number)
		}
		fmt.Fprintf(b, "%-20s %-9s %-8s %9.1f ms  │%-*s│\n", name, s.Do, s.State, s.Seconds*1000, width+1, bar)
		for _, note := range append(s.Notes, s.Error) {
			if note != "" {
				fmt.Fprintln(b, "    "+note)
			}
		}
		for _, m := range s.Calls {
			fmt.Fprintf(b, "    %s: %d + %d tokens, cost %.6g\n", m.Model, m.PromptTokens, m.ReplyTokens, m.Cost)
			if !whole {
				continue
			}
			for _, message := range m.Messages {
				fmt.Fprintf(b, "    [%s]\n      %s\n", message.Role,
					strings.ReplaceAll(message.Content, "\n", "\n      "))
			}
			fmt.Fprintf(b, "    [answer]\n      %s\n", strings.ReplaceAll(m.Answer, "\n", "\n      "))
		}
		writeSpans(b, t, i, whole)
	}
}

func traceExport(args []string) error {
	f := newFlags("trace export [flags] ID", "Writes a trace to a file or to standard output, as JSON or in the "+
		"OpenTelemetry protocol (OTLP/JSON).", "juvalogos trace export -as otlp -to trace.json "+
		"01a1f9f2-5d0e-7c3a-9d64-0c5d7f1b2e3a")
	as := f.String("as", "json", "json or otlp")
	to := f.String("to", "", "file to write")
	return onService(f, args, 1, 1, oneTrace, func(c *client.Client, names []string) error {
		if *as != "json" && *as != "otlp" {
			return usageError("-as is json or otlp")
		}
		text, err := c.ExportTrace(context.Background(), names[0], *as)
		if err != nil {
			return err
		}
		if *to == "" {
			fmt.Println(string(text))
			return nil
		}
		return os.WriteFile(*to, text, 0o644)
	})
}

func traceRerun(args []string) error {
	f := newFlags("trace rerun [flags] ID",
		"Makes a reply again from a step on, with something changed, and shows both. The visitor's\n"+
			"conversation is not touched. What came before the step is taken from the trace.",
		"juvalogos trace rerun -brief \"Answer in one sentence.\" 01a1f9f2-5d0e-7c3a-9d64-0c5d7f1b2e3a")
	edits := map[string]any{}
	step := f.String("step", "", "where the run begins; left out: everything runs again")
	alone := f.Bool("alone", false, "run that step and none that follow")
	brief := f.String("brief", "", "another brief")
	model := f.String("model", "", "another model")
	temperature := f.Float64("temperature", -1, "another temperature")
	changed := map[string]*string{
		"set":    f.String("set", "", "settings of the step as JSON, like {\"temperature\": 0.2}"),
		"inputs": f.String("inputs", "", "what comes into the step as JSON, like {\"query\": \"SELECT ...\"}"),
	}
	asJSON := f.Bool("json", false, "print JSON")
	return onService(f, args, 1, 1, oneTrace, func(c *client.Client, names []string) error {
		for key, v := range map[string]string{"step": *step, "brief": *brief, "model": *model} {
			if v != "" {
				edits[key] = v
			}
		}
		if *alone {
			edits["alone"] = true
		}
		if *temperature >= 0 {
			edits["sampling"] = map[string]any{"temperature": *temperature}
		}
		for what, text := range changed {
			if *text == "" {
				continue
			}
			if *step == "" {
				return usageError("-" + what + " changes the step that -step names")
			}
			if !json.Valid([]byte(*text)) {
				return usageError("-" + what + " is JSON, like {\"temperature\": 0.2}")
			}
			edits[what] = map[string]json.RawMessage{*step: json.RawMessage(*text)}
		}
		before, err := c.Trace(context.Background(), names[0])
		if err != nil {
			return err
		}
		if before.Cost > 0 {
			fmt.Fprintf(os.Stderr, "(About %.2g %s, going by the last time.)\n", before.Cost, currencyOf(c))
		}
		after, err := c.Rerun(context.Background(), names[0], edits)
		if err != nil {
			return err
		}
		if *asJSON {
			return printJSON(after)
		}
		was, is := replyOf(before), replyOf(after)
		currency := currencyOf(c)
		fmt.Printf("%.3f s, %d + %d tokens, %.6g %s  →  %.3f s, %d + %d tokens, %.6g %[5]s\n\n", before.Seconds,
			before.PromptTokens, before.ReplyTokens, before.Cost, currency, after.Seconds, after.PromptTokens,
			after.ReplyTokens, after.Cost)
		if after.Problem != "" {
			return fmt.Errorf("the new run failed: %s", after.Problem)
		}
		if was == is {
			fmt.Printf("The same again:\n%s\n", terminal.Harmless(is))
			return nil
		}
		fmt.Print(difference.Text(terminal.Harmless(was)+"\n", terminal.Harmless(is)+"\n", "as it was", "as tried"))
		return nil
	})
}

// replyOf is the reply that a trace led to: what its last step gave, else what
// its last model call said.
func replyOf(t api.Inside) (reply string) {
	for _, s := range slices.Backward(t.Spans) {
		if s.Parent >= 0 || s.State != "done" {
			continue
		}
		for _, name := range []string{"text", "chosen"} {
			if text, is := s.Out[name].(string); is {
				return text
			}
		}
	}
	for _, s := range t.Spans {
		for _, m := range s.Calls {
			reply = m.Answer
		}
	}
	return reply
}

package main

import (
	"context"
	"fmt"
	"net/url"
	"os"
	"strings"
	"text/tabwriter"

	"juvalogos/internal/client"
)

func usage(args []string) error {
	f := newFlags("usage [flags]",
		"Adds up what models were asked for and what it cost, over the last thirty days or from -from\n"+
			"to -to (days in UTC). A * marks sums with calls for which the server gave no figures.",
		"juvalogos usage -by day,model -from 2026-11-01 -csv > november.csv")
	by := f.String("by", "day", "day, desk, model, step, visitor, turn or kind, or several with commas between")
	query := url.Values{}
	for name, about := range map[string]string{
		"from": "from this day on, like 2026-11-01", "to": "up to and with this day", "desk": "of this desk",
		"model": "of this model (connection/name)", "step": "of this step", "visitor": "of this visitor",
	} {
		f.Func(name, about, func(v string) error { query.Set(name, v); return nil })
	}
	asCSV := f.Bool("csv", false, "print CSV")
	asJSON := f.Bool("json", false, "print JSON")
	return onService(f, args, 0, 0, "", func(c *client.Client, _ []string) error {
		query.Set("by", *by)
		if *asCSV {
			text, err := c.UsageCSV(context.Background(), query)
			if err == nil {
				_, err = os.Stdout.Write(text)
			}
			return err
		}
		u, err := c.Usage(context.Background(), query)
		if err != nil {
			return err
		}
		if *asJSON {
			return printJSON(u)
		}
		if len(u.Rows) == 0 {
			fmt.Println("No model was asked in this time.")
			return nil
		}
		w := tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', 0)
		fmt.Fprintln(w, strings.ToUpper(strings.Join(append(u.By, "calls", "prompt tokens", "reply tokens", "cost in "+
			currencyOf(c)),
			"\t")))
		var calls int
		var in, out int64
		var cost float64
		for _, r := range u.Rows {
			mark := ""
			if r.Counted > 0 {
				mark = "*"
			}
			fmt.Fprintf(w, "%s\t%d\t%d%s\t%d%s\t%.6g\n", strings.Join(r.Keys, "\t"), r.Calls, r.PromptTokens, mark,
				r.ReplyTokens, mark, r.Cost)
			calls, in, out, cost = calls+r.Calls, in+r.PromptTokens, out+r.ReplyTokens, cost+r.Cost
		}
		fmt.Fprintf(w, "in all%s\t%d\t%d\t%d\t%.6g\n", strings.Repeat("\t", max(0, len(u.By)-1)), calls, in, out, cost)
		return w.Flush()
	})
}

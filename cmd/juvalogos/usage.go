package main

import (
	"context"
	"fmt"
	"net/url"
	"os"
	"strings"
	"text/tabwriter"
	"time"

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
	refused := f.Bool("limits", false, "show the limits instead, and who was refused since the service started")
	brought := f.Bool("brought", false,
		"add up what visitors had brought instead: -by day, desk, visitor, conversation or "+
			"kind")
	asJSON := f.Bool("json", false, "print JSON")
	return onService(f, args, 0, 0, "", func(c *client.Client, _ []string) error {
		if *refused {
			return printLimits(c, *asJSON)
		}
		query.Set("by", *by)
		if *brought {
			return printBrought(c, query, *asJSON)
		}
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

// printBrought adds up what visitors had brought, and what it took.
func printBrought(c *client.Client, query url.Values, asJSON bool) error {
	b, err := c.BroughtSums(context.Background(), query)
	if err != nil {
		return err
	}
	if asJSON {
		return printJSON(b)
	}
	if len(b.Rows) == 0 {
		fmt.Println("Nothing was brought in this time.")
		return nil
	}
	w := tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', 0)
	fmt.Fprintln(w, strings.ToUpper(strings.Join(append(b.By, "times", "works", "there already", "not brought", "MB",
		"seconds", "tokens embedded", "cost in "+currencyOf(c)), "\t")))
	for _, r := range b.Rows {
		fmt.Fprintf(w, "%s\t%d\t%d\t%d\t%d\t%.2f\t%.1f\t%d\t%.6g\n", strings.Join(r.Keys, "\t"), r.Errands, r.Works,
			r.Kept, r.Failed, float64(r.Bytes)/1e6, r.Seconds, r.Tokens, r.Cost)
	}
	return w.Flush()
}

// printLimits shows the table of limits, and who was refused.
func printLimits(c *client.Client, asJSON bool) error {
	l, err := c.Limits(context.Background())
	if err != nil {
		return err
	}
	if asJSON {
		return printJSON(l)
	}
	if len(l.Limits) == 0 {
		fmt.Println("This service has no limits.")
		return nil
	}
	w := tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', 0)
	fmt.Fprintln(w, "LIMIT\tFOR EACH\tMOST\tIN")
	for _, one := range l.Limits {
		fmt.Fprintf(w, "%s\t%s\t%d\t%s\n", one.Thing, one.Whose, one.Most, inTime(one.Seconds))
	}
	if err := w.Flush(); err != nil {
		return err
	}
	if len(l.Refusals) == 0 {
		fmt.Println("\nNobody was refused since the service started.")
		return nil
	}
	fmt.Fprintln(w, "\nREFUSED\tFOR EACH\tDESK\tTIMES\tOF THEM\tLAST")
	for _, r := range l.Refusals {
		fmt.Fprintf(w, "%s\t%s\t%s\t%d\t%d\t%s\n", r.Limit.Thing, r.Limit.Whose, r.Desk, r.Times, r.Parties,
			r.Last.Local().Format("2006-01-02 15:04"))
	}
	return w.Flush()
}

// inTime is a limit's time for people.
func inTime(seconds float64) string {
	if seconds == 0 {
		return "at once"
	}
	return (time.Duration(seconds) * time.Second).String()
}

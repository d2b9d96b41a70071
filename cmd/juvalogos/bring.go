package main

import (
	"context"
	"fmt"
	"os"
	"strings"
	"text/tabwriter"

	"juvalogos/internal/api"
	"juvalogos/internal/client"
	"juvalogos/internal/terminal"
)

// bring has things brought into the conversation of a question, and returns its id.
// What it is and how far it is goes to standard error.
func bring(c *client.Client, q client.Question, kind string, abouts []string) (conversation string, err error) {
	conversation = q.Conversation
	ctx, cancel := interruptible()
	defer cancel()
	for _, about := range abouts {
		e, err := c.Bring(ctx, q.Desk, conversation, api.Wish{About: about, Kind: api.WishKind(kind)})
		if err != nil {
			return "", err
		}
		conversation = e.Conversation
		said := ""
		e, err = c.Brought(ctx, q.Desk, e, func(e api.Errand) {
			if line := comingLine(e); line != said {
				said = line
				fmt.Fprintln(os.Stderr, terminal.Harmless(line))
			}
		})
		if err != nil {
			if ctx.Err() != nil {
				_ = c.StopErrand(context.WithoutCancel(ctx), q.Desk, e.ID)
			}
			return "", err
		}
		if err := notBrought(about, e); err != nil {
			return "", err
		}
		fmt.Fprint(os.Stderr, terminal.Harmless(broughtLines(e)))
	}
	return conversation, nil
}

// comingLine says how far an errand is.
func comingLine(e api.Errand) string {
	if e.Total < 2 {
		return "(Fetching and reading " + e.Wanted + " …)"
	}
	ready := 0
	for _, w := range e.Works {
		if w.State == "ready" {
			ready++
		}
	}
	return fmt.Sprintf("(%d of %d are there.)", ready, e.Total)
}

// notBrought says why nothing came of what was wanted.
func notBrought(about string, e api.Errand) error {
	switch {
	case e.State == "choose":
		var b strings.Builder
		fmt.Fprintf(&b, "%q can mean several things; give -about one of:", about)
		for _, m := range e.Meanings {
			about := strings.TrimLeft(strings.TrimPrefix(m.About, m.Title), " ,;:–-")
			fmt.Fprintf(&b, "\n  %s (%s)", m.Title, about)
		}
		return fmt.Errorf("%s", terminal.Harmless(b.String()))
	case e.State == "failed":
		return fmt.Errorf("%s was not brought: %s", about, e.Problem)
	case len(e.Works) == 1 && e.Works[0].State == "failed":
		return fmt.Errorf("%s cannot be read: %s", about, e.Works[0].Problem)
	}
	return nil
}

// mostListed is how many works are listed of an errand.
const mostListed = 8

// broughtLines tells what came.
func broughtLines(e api.Errand) string {
	var b strings.Builder
	if e.Nearest {
		fmt.Fprintf(&b, "(Nothing is called %q; this is the nearest.)\n", e.Wanted)
	}
	listed := 0
	for _, w := range e.Works {
		if w.State == "failed" {
			fmt.Fprintf(&b, "Not %s: %s.\n", w.Name, w.Problem)
			continue
		}
		if listed++; listed > mostListed {
			continue
		}
		facts := []string{fmt.Sprintf("%d words", w.Words)}
		if !w.Dated.IsZero() {
			facts = append(facts, "of "+w.Dated.Format("2 January 2006"))
		}
		if w.Address != "" {
			facts = append(facts, w.Address)
		}
		fmt.Fprintf(&b, "About %s (%s).\n", w.Name, strings.Join(facts, ", "))
	}
	if listed > mostListed {
		fmt.Fprintf(&b, "… and %d more.\n", listed-mostListed)
	}
	for _, f := range e.Failed {
		fmt.Fprintf(&b, "Not %s: %s.\n", f.Name, f.Problem)
	}
	if e.LeftOut > 0 {
		fmt.Fprintf(&b, "%d more were found; this desk brings no more at once.\n", e.LeftOut)
	}
	return b.String()
}

func deskWanted(args []string) error {
	f := newFlags("desk wanted [flags] SLUG",
		"Lists what visitors of a desk wanted to read, found and not found, the most wanted first.\n"+
			"With -put and -shelf one of them is put on a shelf.",
		"juvalogos desk wanted -days 7 reference\n"+
			"juvalogos desk wanted -put \"Heather honey\" -shelf handbook reference")
	days := f.Int("days", 30, "of the last so many days")
	put := f.String("put", "", "the `NAME` of one, as it is listed, to put on a shelf")
	shelf := f.String("shelf", "", "the shelf to put it on")
	asJSON := f.Bool("json", false, "print JSON")
	return onService(f, args, 1, 1, "the slug of a desk", func(c *client.Client, args []string) error {
		wanted, err := c.Wanted(context.Background(), args[0], *days)
		if err != nil {
			return err
		}
		if *put != "" {
			return putWanted(c, wanted, *put, *shelf)
		}
		if *asJSON {
			return printJSON(wanted)
		}
		if len(wanted) == 0 {
			fmt.Println("Nothing was wanted in this time.")
			return nil
		}
		w := tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', 0)
		fmt.Fprintln(w, "TIMES\tKIND\tNAME\tFOUND\tFETCHED\tMB\tLAST")
		for _, one := range wanted {
			found := "yes"
			if !one.Found {
				found = "no"
			}
			fmt.Fprintf(w, "%d\t%s\t%s\t%s\t%d\t%.2f\t%s\n", one.Times, one.Kind,
				terminal.Harmless(shortened(one.Name, 60)),
				found, one.Fetched, float64(one.Bytes)/1e6, one.Last.Format("2006-01-02"))
		}
		return w.Flush()
	})
}

// putWanted puts one of what was wanted on a shelf.
func putWanted(c *client.Client, wanted []api.Wanted, name, shelf string) error {
	if shelf == "" {
		return usageError("-shelf is missing: the shelf to put it on")
	}
	for _, w := range wanted {
		if w.Name != name {
			continue
		}
		var added []api.Added
		var err error
		switch w.Kind {
		case "topic":
			added, err = c.AddTopic(context.Background(), shelf, w.Source, w.Name)
		case "search":
			added, err = c.AddPapers(context.Background(), shelf, w.Source, w.Name, 10)
		case "address":
			added, err = c.AddAddress(context.Background(), shelf, w.Address)
		default:
			return fmt.Errorf("%s is on a shelf already", name)
		}
		if err != nil {
			return err
		}
		for _, a := range added {
			if a.Problem != "" {
				fmt.Printf("not %s: %s\n", terminal.Harmless(a.Name), a.Problem)
			} else {
				fmt.Printf("%s is on the shelf %s\n", terminal.Harmless(a.Name), shelf)
			}
		}
		return nil
	}
	return fmt.Errorf("nothing of the name %q was wanted; juvalogos desk wanted lists what was", name)
}

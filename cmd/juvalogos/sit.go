package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"text/tabwriter"
	"time"

	"juvalogos/core/deskfile"
	"juvalogos/core/quiz"
	"juvalogos/internal/api"
	"juvalogos/internal/client"
)

func quizSit(args []string) error {
	f := newFlags("quiz sit [flags] FILE|ID",
		"Has models sit a quiz: each question is asked with its options, every time in another order, and the\n"+
			"letter read from the reply. With -desks whole desks sit it as they are. With -desk the models of\n"+
			"-models sit it there, or the desk's own, with each of what -at says at hand: nothing, shelves (what\n"+
			"a search of the desk's shelves finds), text (the part that a question was made of), desk (as the\n"+
			"desk is). The run is on record and goes on without this command; what was asked before is not\n"+
			"asked again. Prints how many were right, where the truth lies at 95 %, what reading brought, and\n"+
			"the cost.",
		"juvalogos quiz sit -desks hive-helper,handbook -times 3 feeding.json\n"+
			"juvalogos quiz sit -desk handbook -models heather-2,alder-1 -at nothing,shelves,text 0198...")
	desks := f.String("desks", "", "desks that sit it as they are, with commas between")
	desk := f.String("desk", "", "the desk at which -models sit it, whose shelves are at hand")
	models := f.String("models", "", "models that sit it at -desk, with commas between; the desk's own if left out")
	at := f.String("at", "nothing", "what they have at hand, with commas between: nothing, shelves, text, desk")
	temperatures := f.String("temperatures", "", "temperatures to try, with commas between; the desk's own if left out")
	times := f.Int("times", 1, "how often each sits it, 1 to 20")
	anew := f.Bool("anew", false, "ask also what was asked before")
	asJSON := f.Bool("json", false, "print JSON, with every answer")
	return onService(f, args, 1, 1, "name a file or a quiz", func(c *client.Client, names []string) error {
		candidates, err := candidatesOf(*desks, *desk, *models, *at, *temperatures)
		if err != nil {
			return err
		}
		ctx, cancel := interruptible()
		defer cancel()
		n := api.NewRun{Candidates: candidates, Times: *times, Anew: *anew}
		if n.Quiz, err = quizOf(names[0]); os.IsNotExist(err) {
			n.Quiz, n.QuizID, err = quiz.Quiz{}, names[0], nil
		}
		if err != nil {
			return err
		}
		r, err := c.BeginRun(ctx, n)
		if err != nil {
			return err
		}
		if r, err = awaitRun(ctx, c, r.Run.ID); err != nil {
			return err
		}
		return printRun(c, r, *asJSON)
	})
}

func listed(text string) (all []string) {
	for one := range strings.SplitSeq(text, ",") {
		if one = strings.TrimSpace(one); one != "" {
			all = append(all, one)
		}
	}
	return all
}

// candidatesOf are the candidates that flags name.
func candidatesOf(desks, desk, models, at, temperatures string) (all []api.Candidate, err error) {
	for _, slug := range listed(desks) {
		all = append(all, api.Candidate{Desk: slug, AtHand: quiz.HasDesk})
	}
	if desk == "" {
		if len(all) == 0 || models != "" {
			return nil, usageError("-desks names desks that sit it, like hive-helper,handbook; or -desk one at which " +
				"-models sit it")
		}
		return all, nil
	}
	settings := []*deskfile.Sampling{nil}
	if temperatures != "" {
		settings = nil
	}
	for _, text := range listed(temperatures) {
		t, err := strconv.ParseFloat(text, 64)
		if err != nil || t < 0 || t > 2 {
			return nil, usageError("-temperatures are numbers from 0 to 2, like 0,0.7")
		}
		settings = append(settings, &deskfile.Sampling{Temperature: &t})
	}
	named := listed(models)
	if len(named) == 0 {
		named = []string{""}
	}
	for _, model := range named {
		for _, hand := range listed(at) {
			for _, sampling := range settings {
				all = append(all, api.Candidate{Desk: desk, Model: model, AtHand: quiz.AtHand(hand),
					Sampling: sampling})
			}
		}
	}
	return all, nil
}

// quizOf is the quiz in a file; the error is os.IsNotExist where there is none.
func quizOf(name string) (quiz.Quiz, error) {
	body, err := os.ReadFile(name)
	if err != nil {
		return quiz.Quiz{}, err
	}
	title := filepath.Base(name)
	switch quizFormat(name) {
	case "csv":
		return quiz.ReadCSV(title, body)
	case "qti":
		q, _, err := quiz.ReadQTI(title, body)
		return q, err
	}
	return quiz.ReadJSON(body)
}

// awaitRun waits until a run is over, and tells how far it is. Interrupted, the run goes on.
func awaitRun(ctx context.Context, c *client.Client, id string) (api.Run, error) {
	defer fmt.Fprintln(os.Stderr)
	for {
		r, err := c.Run(ctx, id)
		if ctx.Err() != nil {
			return r, fmt.Errorf("the run goes on; see it with juvalogos quiz sat %s", id)
		}
		if err != nil {
			return r, err
		}
		fmt.Fprintf(os.Stderr, "\r%d of %d answers ", r.Run.Answered, r.Run.Of)
		if r.Run.State != api.RunInShortStateRunning {
			return r, nil
		}
		select {
		case <-ctx.Done():
		case <-time.After(300 * time.Millisecond):
		}
	}
}

func quizSat(args []string) error {
	f := newFlags("quiz sat [flags] [RUN]",
		"Lists the runs in which models sat a quiz; with a RUN shows how it went, or with -stop has it ask no\n"+
			"more, with -resume goes on with it and asks again what failed, with -remove removes it with its\n"+
			"answers.",
		"juvalogos quiz sat\njuvalogos quiz sat 0198...\njuvalogos quiz sat -resume 0198...")
	stop := f.Bool("stop", false, "have it ask no more")
	resume := f.Bool("resume", false, "go on with it, and ask again what failed")
	remove := f.Bool("remove", false, "remove it with its answers and how they were made")
	asJSON := f.Bool("json", false, "print JSON, with every answer")
	return onService(f, args, 0, 1, "", func(c *client.Client, ids []string) error {
		ctx := context.Background()
		if len(ids) == 0 {
			return listRuns(ctx, c, *asJSON)
		}
		switch {
		case *stop:
			return c.StopRun(ctx, ids[0])
		case *remove:
			return c.RemoveRun(ctx, ids[0])
		case *resume:
			if err := c.ResumeRun(ctx, ids[0]); err != nil {
				return err
			}
			waiting, cancel := interruptible()
			defer cancel()
			r, err := awaitRun(waiting, c, ids[0])
			if err != nil {
				return err
			}
			return printRun(c, r, *asJSON)
		}
		r, err := c.Run(ctx, ids[0])
		if err != nil {
			return err
		}
		return printRun(c, r, *asJSON)
	})
}

func listRuns(ctx context.Context, c *client.Client, asJSON bool) error {
	all, err := c.Runs(ctx, "")
	if err != nil || asJSON {
		return orJSON(err, all)
	}
	if len(all) == 0 {
		fmt.Println("No model has sat a quiz yet: juvalogos quiz sit -desks SLUG,SLUG FILE.")
		return nil
	}
	w := tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', 0)
	fmt.Fprintln(w, "RUN\tQUIZ\tCANDIDATES\tTIMES\tANSWERS\tSTATE\tMADE")
	for _, r := range all {
		fmt.Fprintf(w, "%s\t%s\t%d\t%d\t%d of %d\t%s\t%s\n", r.ID, shortened(r.Title, 40), len(r.Candidates), r.Times,
			r.Answered, r.Of, r.State, r.MadeAt.Format(time.DateOnly))
	}
	return w.Flush()
}

func printRun(c *client.Client, r api.Run, asJSON bool) error {
	if asJSON {
		return printJSON(r)
	}
	fmt.Printf("Run %s of “%s”, %s, %d of %d answers\n\n", r.Run.ID, r.Run.Title, r.Run.State, r.Run.Answered, r.Run.Of)
	w := tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', 0)
	fmt.Fprintln(w, "\tCANDIDATE\tRIGHT\t\tAT 95 %\tBY TIME\tNOT TOLD\tFAILED\tKEPT\tCOST IN "+currencyOf(c))
	for i, t := range r.Tallies {
		fmt.Fprintf(w, "%c\t%s\t%d of %d\t%s\t%.0f–%.0f %%\t%s\t%d\t%d\t%d\t%.4g\n", letterOf(i),
			r.Run.Candidates[i].Title,
			t.Right, t.Answered, strings.Repeat("█", bar(t.Right, t.Answered)), 100*t.Known.From, 100*t.Known.To,
			byTime(t.ByTime), t.Untold, t.Failed, t.Kept, t.Cost)
	}
	_ = w.Flush() // standard output
	printGains(r)
	fmt.Println("\nWho knew what, of so many times:")
	w = tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', 0)
	fmt.Fprint(w, "\t")
	for i := range r.Run.Candidates {
		fmt.Fprintf(w, "\t%c", letterOf(i))
	}
	fmt.Fprintln(w)
	for i, q := range r.Quiz.Questions {
		fmt.Fprintf(w, "%d.\t%s", i+1, shortened(q.Text, 60))
		for _, t := range r.Tallies {
			fmt.Fprintf(w, "\t%d of %d", t.Knew[i], t.Asked[i])
		}
		fmt.Fprintln(w)
	}
	return w.Flush()
}

func letterOf(i int) rune { return rune('A' + i) }

// byTime is the mean, the least and the most over the times that a candidate sat.
func byTime(shares []float64) string {
	if len(shares) < 2 {
		return "–"
	}
	sum := 0.0
	for _, s := range shares {
		sum += s
	}
	return fmt.Sprintf("%.0f (%.0f–%.0f) %%", 100*sum/float64(len(shares)), 100*slices.Min(shares),
		100*slices.Max(shares))
}

func printGains(r api.Run) {
	said := false
	for i, t := range r.Tallies {
		if t.Beside < 0 {
			continue
		}
		if !said {
			fmt.Println("\nWhat reading brought, in points of a hundred:")
			said = true
		}
		fmt.Printf("%c beside %c: %+.0f, at 95 %% between %+.0f and %+.0f\n", letterOf(i), letterOf(t.Beside),
			100*t.Gained.Share, 100*t.Gained.From, 100*t.Gained.To)
	}
}

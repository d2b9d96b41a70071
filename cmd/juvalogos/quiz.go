package main

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"text/tabwriter"
	"time"

	"juvalogos/internal/api"
	"juvalogos/internal/client"
)

var quizCommands = []command{
	{"make", "have a desk make a quiz of its documents", quizMake},
	{"give", "give a quiz to people, from a file, or change one that was given", quizGive},
	{"show", "list quizzes, or show one, its file, or how it went", quizShow},
	{"take", "take a quiz here", quizTake},
	{"sit", "have models sit a quiz, side by side", quizSit},
	{"sat", "list the runs in which models sat, or show one", quizSat},
	{"withdraw", "have a quiz taken no more", quizWithdraw},
	{"restore", "have a quiz taken again", quizRestore},
}

func quizMake(args []string) error {
	f := newFlags("quiz make -desk SLUG [flags] SUBJECT",
		"Asks a desk whose recipe is quiz, or one that gives a quiz, and prints what it made: each question\n"+
			"with its options, the right one marked, and the words that it rests on.",
		"juvalogos quiz make -desk exam -number 8 \"The chapter on feeding\" -o feeding.json\n"+
			"juvalogos quiz make -desk exam -give -names \"The whole handbook\"\n"+
			"juvalogos quiz make -desk exam -about \"sun hive\" \"A quiz on it\"")
	desk := f.String("desk", "", "the desk that makes it")
	number := f.Int("number", 0, "how many questions; the desk's usual number if left out")
	inputs := map[string]string{}
	f.Func("input", "NAME=VALUE that the desk's recipe asks for; may be repeated", func(v string) error {
		name, value, ok := strings.Cut(v, "=")
		if !ok {
			return fmt.Errorf("write NAME=VALUE")
		}
		inputs[name] = value
		return nil
	})
	var abouts []string
	f.Func("about", "an `ADDRESS-OR-TOPIC` to bring and make it of, if the desk allows it; may be given several times",
		several(&abouts))
	out := f.String("o", "", "the file into which it is written as JSON, to be put right")
	give := f.Bool("give", false, "give it to people at once")
	names := f.Bool("names", false, "with -give: ask those who take it for their names")
	asJSON := f.Bool("json", false, "print JSON")
	return onService(f, args, 1, 1, "say what the quiz is on", func(c *client.Client, words []string) error {
		if *desk == "" {
			return usageError("-desk is missing: the slug of the desk that makes the quiz")
		}
		if *number > 0 {
			inputs["number"] = fmt.Sprint(*number)
		}
		ctx, cancel := interruptible()
		defer cancel()
		var said strings.Builder
		q := client.Question{Desk: *desk, Text: words[0], Inputs: inputs}
		var err error
		if q.Conversation, err = bring(c, q, "", abouts); err != nil {
			return err
		}
		o, err := c.Ask(ctx, q,
			client.Follower{Text: func(s string) { said.WriteString(s) }, Notice: tellNotices()})
		if err != nil {
			return err
		}
		made := client.Quiz(o)
		if made == nil {
			return noQuiz(o, *desk)
		}
		if *out != "" {
			text, err := json.MarshalIndent(made, "", "  ")
			if err == nil {
				err = os.WriteFile(*out, append(text, '\n'), 0o644)
			}
			if err != nil {
				return fmt.Errorf("write the quiz: %w", err)
			}
		}
		if *give {
			given, err := c.GiveQuiz(ctx, "", *made, *names)
			if err != nil {
				return err
			}
			return printGiven(c, given, *asJSON)
		}
		if *asJSON {
			return printJSON(made)
		}
		show("%s\n", said.String())
		fmt.Print(quizText(*made))
		return nil
	})
}

// noQuiz is why a desk's reply has no quiz.
func noQuiz(o api.Outcome, desk string) error {
	if err := explainOutcome(o); err != nil {
		return err
	}
	return fmt.Errorf("the reply of the desk %s has no quiz; its desk file has to say recipe: quiz", desk)
}

func printGiven(c *client.Client, g api.GivenQuiz, asJSON bool) error {
	if asJSON {
		return printJSON(g)
	}
	at := strings.TrimRight(c.Address, "/")
	fmt.Printf("Quiz      %s: %s, %d questions, edition %d\nTo take   %s\nResults   %s\n", g.ID, g.Quiz.Title,
		len(g.Quiz.Questions), g.Edition, onSite(at, g.Page), onSite(at, g.ResultsPage))
	if g.Withdrawn {
		fmt.Println("It is withdrawn: nobody can take it.")
	}
	return nil
}

// onSite is a path of a service, as an address: paths have the base path already.
func onSite(address, path string) string {
	scheme, rest, _ := strings.Cut(address, "://")
	host, _, _ := strings.Cut(rest, "/")
	return scheme + "://" + host + path
}

// quizFormat is the format of a file, by its name.
func quizFormat(file string) string {
	switch strings.ToLower(filepath.Ext(file)) {
	case ".csv":
		return "csv"
	case ".zip", ".xml":
		return "qti"
	}
	return "json"
}

func quizGive(args []string) error {
	f := newFlags("quiz give [flags] FILE",
		"Gives a quiz out of a file (.json, .csv, or .zip and .xml of QTI 3) to people, and prints the links:\n"+
			"one to take it, one to how it went. With -id it puts the questions into a quiz that was given\n"+
			"already; results of those before are kept apart.",
		"juvalogos quiz give -names feeding.json\njuvalogos quiz give -id 0198... feeding.csv")
	id := f.String("id", "", "a quiz that was given already, to change it")
	names := f.Bool("names", false, "ask those who take it for their names")
	title := f.String("title", "", "what it is called, where the file does not say")
	asJSON := f.Bool("json", false, "print JSON")
	return onService(f, args, 1, 1, "name a file", func(c *client.Client, files []string) error {
		body, err := os.ReadFile(files[0])
		if err != nil {
			return err
		}
		called := *title
		if called == "" {
			called = strings.TrimSuffix(filepath.Base(files[0]), filepath.Ext(files[0]))
		}
		read, err := c.ReadQuiz(context.Background(), quizFormat(files[0]), called, body)
		if err != nil {
			return err
		}
		for _, l := range read.Left {
			fmt.Fprintln(os.Stderr, "Left out: "+l)
		}
		given, err := c.GiveQuiz(context.Background(), *id, read.Quiz, *names)
		if err != nil {
			return err
		}
		return printGiven(c, given, *asJSON)
	})
}

func quizShow(args []string) error {
	f := newFlags("quiz show [flags] [ID]",
		"Lists the quizzes that were given; with an ID shows one with its right options, or with -results\n"+
			"how it went, or with -as its file: json, csv or qti (a package of QTI 3).",
		"juvalogos quiz show\njuvalogos quiz show -results 0198...\njuvalogos quiz show -as qti 0198... > feeding.zip")
	results := f.Bool("results", false, "show how it went")
	as := f.String("as", "", "write it to standard output as json, csv or qti")
	asJSON := f.Bool("json", false, "print JSON")
	return onService(f, args, 0, 1, "", func(c *client.Client, ids []string) error {
		ctx := context.Background()
		if len(ids) == 0 {
			all, err := c.Quizzes(ctx)
			if err != nil || *asJSON {
				return orJSON(err, all)
			}
			if len(all) == 0 {
				fmt.Println("No quiz was given yet: juvalogos quiz make -give, or juvalogos quiz give FILE.")
				return nil
			}
			w := tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', 0)
			fmt.Fprintln(w, "ID\tTITLE\tQUESTIONS\tTAKEN\tMADE")
			for _, q := range all {
				fmt.Fprintf(w, "%s\t%s\t%d\t%d\t%s\n", q.ID, shortened(q.Quiz.Title, 40), len(q.Quiz.Questions),
					q.Sittings,
					q.MadeAt.Format(time.DateOnly))
			}
			return w.Flush()
		}
		switch {
		case *as != "":
			text, err := c.QuizFile(ctx, ids[0], *as)
			if err == nil {
				_, err = os.Stdout.Write(text)
			}
			return err
		case *results:
			r, err := c.QuizResults(ctx, ids[0])
			if err != nil || *asJSON {
				return orJSON(err, r)
			}
			printResults(r)
			return nil
		}
		q, err := c.Quiz(ctx, ids[0])
		if err != nil || *asJSON {
			return orJSON(err, q)
		}
		if err := printGiven(c, q, false); err != nil {
			return err
		}
		fmt.Print(quizText(q.Quiz))
		return nil
	})
}

// orJSON prints a value, unless there was an error.
func orJSON(err error, v any) error {
	if err != nil {
		return err
	}
	return printJSON(v)
}

func printResults(r api.QuizResults) {
	fmt.Printf("%s: taken %d times\n", r.Title, len(r.Sittings))
	for i, q := range r.Questions {
		fmt.Printf("\n%d. %s\n   %d of %d knew it\n", i+1, q.Question, q.Knew, len(r.Sittings))
		for j, o := range q.Options {
			mark := " "
			if j == q.Right {
				mark = "*"
			}
			fmt.Printf("   %s %-3d %s %s\n", mark, o.Chosen, strings.Repeat("█", bar(o.Chosen, len(r.Sittings))),
				o.Text)
		}
	}
	w := tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', 0)
	fmt.Fprintln(w, "\nNAME\tTRY\tRIGHT\tENDED")
	for _, s := range r.Sittings {
		fmt.Fprintf(w, "%s\t%d\t%d of %d\t%s\n", orDash(s.Name), s.Try, s.Score, len(r.Questions),
			s.EndedAt.Local().Format("2006-01-02 15:04"))
	}
	_ = w.Flush() // standard output
}

func bar(n, of int) int {
	if of == 0 {
		return 0
	}
	return (20*n + of/2) / of
}

func orDash(s string) string {
	if s == "" {
		return "–"
	}
	return s
}

func quizTake(args []string) error {
	f := newFlags("quiz take [flags] LINK",
		"Takes a quiz in the terminal: each question with its options, answered by a letter; Enter leaves it\n"+
			"out. At the end it says what was right, and where that stands.",
		"juvalogos quiz take -name \"Ada\" http://127.0.0.1:7117/quiz/wkz...")
	name := f.String("name", "", "your name, where it is asked for")
	asJSON := f.Bool("json", false, "print JSON at the end")
	return onService(f, args, 1, 1, "give the link of the quiz", func(c *client.Client, links []string) error {
		ctx, cancel := interruptible()
		defer cancel()
		take := links[0][strings.LastIndexByte(strings.TrimRight(links[0], "/"), '/')+1:]
		s, err := c.BeginSitting(ctx, strings.TrimRight(take, "/"), *name)
		if err != nil {
			return err
		}
		in := bufio.NewScanner(os.Stdin)
		answers := make([]int, len(s.Questions))
		for i, q := range s.Questions {
			answers[i] = answerHere(in, i, q)
		}
		m, err := c.HandIn(ctx, s.ID, answers)
		if err != nil || *asJSON {
			return orJSON(err, m)
		}
		for i, q := range m.Questions {
			if q.Right == q.Chosen {
				continue
			}
			fmt.Printf("\n%d. %s\n   Right: %s\n", i+1, s.Questions[i].Question, s.Questions[i].Options[q.Right])
			if q.Quote != "" {
				fmt.Printf("   %s: “%s”\n", strings.TrimSuffix(q.Title+", "+q.Place, ", "), q.Quote)
			}
		}
		fmt.Printf("\n%d of %d are right.\n", m.Score, m.Of)
		return nil
	})
}

// answerHere asks one question; -1: it is left out.
func answerHere(in *bufio.Scanner, number int, q api.SittingQuestion) int {
	fmt.Printf("\n%d. %s\n", number+1, q.Question)
	for j, o := range q.Options {
		fmt.Printf("   %c) %s\n", 'a'+j, o)
	}
	for {
		fmt.Print("> ")
		if !in.Scan() {
			fmt.Println()
			return -1
		}
		said := strings.ToLower(strings.TrimSpace(in.Text()))
		if said == "" {
			return -1
		}
		if at := int(said[0]) - 'a'; len(said) == 1 && at >= 0 && at < len(q.Options) {
			return at
		}
		fmt.Printf("Write a letter from a to %c, or nothing to leave it out.\n", 'a'+len(q.Options)-1)
	}
}

func quizWithdraw(args []string) error {
	f := newFlags("quiz withdraw ID", "Has a quiz taken no more; its results stay.", "juvalogos quiz withdraw 0198...")
	return onService(f, args, 1, 1, "name a quiz", func(c *client.Client, ids []string) error {
		return c.WithdrawQuiz(context.Background(), ids[0])
	})
}

func quizRestore(args []string) error {
	f := newFlags("quiz restore ID", "Has a quiz taken again that was withdrawn.", "juvalogos quiz restore 0198...")
	return onService(f, args, 1, 1, "name a quiz", func(c *client.Client, ids []string) error {
		return c.RestoreQuiz(context.Background(), ids[0])
	})
}

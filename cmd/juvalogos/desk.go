package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"text/tabwriter"
	"time"

	"juvalogos/internal/desk"
)

var deskCommands = []command{
	{"check", "check desk files without publishing them", deskCheck},
	{"publish", "publish desk files", deskPublish},
	{"list", "list the published desks", deskList},
	{"show", "show a desk, its file and its revisions", deskShow},
}

func deskCheck(args []string) error {
	f := newFlags("desk check [flags] FILE...",
		"Checks desk files and says everything that is wrong with them, with line and column.\n"+
			"With -connections it needs no running service: models are looked up in that file.",
		"juvalogos desk check -connections connections.yaml hive-helper.yaml")
	connect := reach(f)
	connections := f.String("connections", "", "connection file to look up models in, instead of asking the service")
	if err := parse(f, args); err != nil {
		return err
	}
	checkFile, err := checker(*connections, func() (checkFunc, error) {
		c, err := connect()
		return func(name string, text []byte) error { return c.Check(context.Background(), name, text) }, err
	})
	if err != nil {
		return err
	}
	return eachFile(f.Args(), func(name string, text []byte) error {
		if err := checkFile(name, text); err != nil {
			return err
		}
		fmt.Printf("%s: good\n", name)
		return nil
	})
}

type checkFunc func(name string, text []byte) error

func checker(connections string, fromService func() (checkFunc, error)) (checkFunc, error) {
	if connections == "" {
		return fromService()
	}
	registry, err := openConnections(connections)
	if err != nil {
		return nil, err
	}
	return func(name string, text []byte) error {
		_, err := desk.CheckFile(name, text, registry)
		return err
	}, nil
}

// eachFile hands over every file; it goes on after one with mistakes.
func eachFile(names []string, do func(name string, text []byte) error) error {
	if len(names) == 0 {
		return usageError("name at least one desk file")
	}
	var failed []error
	for _, name := range names {
		text, err := os.ReadFile(name)
		if err == nil {
			err = do(name, text)
		}
		if err != nil {
			failed = append(failed, err)
		}
	}
	return errors.Join(failed...)
}

func deskPublish(args []string) error {
	f := newFlags("desk publish [flags] FILE...",
		"Checks desk files and publishes each as a new revision of its desk. A file that is\npublished already makes no new revision.",
		"juvalogos desk publish hive-helper.yaml")
	connect := reach(f)
	if err := parse(f, args); err != nil {
		return err
	}
	c, err := connect()
	if err != nil {
		return err
	}
	return eachFile(f.Args(), func(name string, text []byte) error {
		d, err := c.Publish(context.Background(), name, text)
		if err != nil {
			return err
		}
		fmt.Printf("%s: revision %d of %s, at %s/at/%s\n", name, d.Published.Number, d.Slug, c.Address, d.Slug)
		return nil
	})
}

func deskList(args []string) error {
	f := newFlags("desk list [flags]", "Lists the published desks.", "juvalogos desk list")
	connect := reach(f)
	asJSON := f.Bool("json", false, "print JSON")
	if err := parse(f, args); err != nil {
		return err
	}
	c, err := connect()
	if err != nil {
		return err
	}
	desks, err := c.Desks(context.Background())
	if err != nil {
		return err
	}
	if *asJSON {
		return printJSON(desks)
	}
	if len(desks) == 0 {
		fmt.Println("There are no desks yet. Write a desk file and publish it: juvalogos desk publish -h")
		return nil
	}
	w := tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', 0)
	fmt.Fprintln(w, "DESK\tTITLE\tMODEL\tREVISION\tQUESTIONS TODAY\tLAST ASKED")
	for _, d := range desks {
		last := "never"
		if d.LastAsked != nil {
			last = d.LastAsked.Local().Format(time.DateTime)
		}
		fmt.Fprintf(w, "%s\t%s\t%s\t%d\t%d\t%s\n", d.Slug, d.Title, d.Model, d.Published.Number, d.QuestionsToday, last)
	}
	return w.Flush()
}

func deskShow(args []string) error {
	f := newFlags("desk show [flags] SLUG", "Shows a desk: its file as published, and its revisions.", "juvalogos desk show hive-helper")
	connect := reach(f)
	asJSON := f.Bool("json", false, "print JSON")
	if err := parse(f, args); err != nil {
		return err
	}
	if f.NArg() != 1 {
		return usageError("name one desk by its slug")
	}
	c, err := connect()
	if err != nil {
		return err
	}
	d, err := c.Desk(context.Background(), f.Arg(0))
	if err != nil {
		return err
	}
	if *asJSON {
		return printJSON(d)
	}
	fmt.Printf("# %s, at %s/at/%s\n", d.Title, c.Address, d.Slug)
	for _, r := range d.Revisions {
		mark := ""
		if r.Number == d.Published.Number {
			mark = ", published"
		}
		fmt.Printf("# revision %d, %s, by %s%s\n", r.Number, r.MadeAt.Local().Format(time.DateTime), r.MadeBy, mark)
	}
	fmt.Printf("\n%s", d.File)
	return nil
}

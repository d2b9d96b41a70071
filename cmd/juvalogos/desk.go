package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"juvalogos/internal/api"
	"juvalogos/internal/client"
	"juvalogos/internal/desk"
)

var deskCommands = []command{
	{"check", "check desk files without publishing them", deskCheck},
	{"publish", "publish desk files", deskPublish},
	{"list", "list the desks", deskList},
	{"show", "show a desk, its file and its revisions", deskShow},
	{"revisions", "list a desk's revisions", deskRevisions},
	{"compare", "show what changed between two revisions", deskCompare},
	{"return", "go back to an earlier revision", deskReturn},
	{"standing", "show the replies that a desk keeps current, or look now", deskStanding},
	{"withdraw", "close a desk to visitors", deskWithdraw},
	{"duplicate", "make a draft of a desk at another address", deskDuplicate},
	{"export", "write a desk with all its revisions to one file", deskExport},
	{"wanted", "list what visitors wanted to read, and put it on a shelf", deskWanted},
	{"import", "bring back an exported desk", deskImport},
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
			text, err = desk.WithFiles(text,
				func(file string) ([]byte, error) { return os.ReadFile(filepath.Join(filepath.Dir(name), file)) })
		}
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
		"Checks desk files and publishes each as a new revision of its desk. A file that is\n"+
			"published already makes no new revision.",
		"juvalogos desk publish -note \"kinder to beginners\" hive-helper.yaml")
	note := f.String("note", "", "what is new, in a few words")
	return onService(f, args, 1, manyNames, "name at least one desk file",
		func(c *client.Client, names []string) error {
			return eachFile(names, func(name string, text []byte) error {
				d, err := c.Publish(context.Background(), name, text, *note)
				if err != nil {
					return err
				}
				fmt.Printf("%s: revision %d of %s, at %s/at/%s\n", name, d.Published, d.Slug, c.Address, d.Slug)
				return nil
			})
		})
}

func deskList(args []string) error {
	f := newFlags("desk list [flags]", "Lists the desks: what is published, and how they are used.",
		"juvalogos desk list")
	asJSON := f.Bool("json", false, "print JSON")
	return onService(f, args, 0, 0, "", func(c *client.Client, _ []string) error {
		desks, err := c.Desks(context.Background())
		if err != nil {
			return err
		}
		const none = "There are no desks yet. Write a desk file and publish it: juvalogos desk publish -h"
		return list(*asJSON, desks, none, "DESK, TITLE, MODEL, STATE, QUESTIONS TODAY, HELPED, LAST ASKED",
			func(d api.Desk) []any {
				helped := "-"
				if d.Judged > 0 {
					helped = fmt.Sprintf("%d of %d", d.Helped, d.Judged)
				}
				return []any{d.Slug, d.Title, d.Model, stateOf(d), d.QuestionsToday, helped, when(d.LastAsked)}
			})
	})
}

// stateOf tells what visitors find at a desk.
func stateOf(d api.Desk) string {
	switch {
	case d.Published > 0 && d.Draft != nil:
		return fmt.Sprintf("revision %d, draft", d.Published)
	case d.Published > 0:
		return fmt.Sprintf("revision %d", d.Published)
	case d.Newest > 0:
		return "withdrawn"
	}
	return "draft"
}

func deskShow(args []string) error {
	f := newFlags("desk show [flags] SLUG", "Shows a desk: its revisions, and its file as published.",
		"juvalogos desk show hive-helper")
	asJSON := f.Bool("json", false, "print JSON")
	return onDesk(f, args, 0, 0, func(c *client.Client, slug string, _ []string) error {
		d, err := c.Desk(context.Background(), slug)
		if err != nil {
			return err
		}
		if *asJSON {
			return printJSON(d)
		}
		fmt.Printf("# %s, at %s/at/%s\n", d.Title, c.Address, d.Slug)
		for _, r := range d.Revisions {
			fmt.Println("# " + lineOf(r, d.Published))
		}
		fmt.Printf("\n%s", d.File)
		return nil
	})
}

func lineOf(r api.Revision, published int) string {
	line := fmt.Sprintf("revision %d, %s, by %s", r.Number, r.MadeAt.Local().Format(time.DateTime), r.MadeBy)
	if r.Number == published {
		line += ", published"
	}
	if r.Note != "" {
		line += ": " + r.Note
	}
	return line
}

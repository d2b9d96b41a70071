package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"os"
	"strconv"

	"juvalogos/core/difference"
	"juvalogos/internal/client"
)

// onDesk makes a command that does something to one desk, named by its slug,
// with further arguments from least to most.
func onDesk(f *flag.FlagSet, args []string, least, most int,
	do func(c *client.Client, slug string, rest []string) error) error {
	const missing = "name one desk by its slug; -h explains what else is needed"
	return onService(f, args, 1+least, 1+most, missing,
		func(c *client.Client, names []string) error { return do(c, names[0], names[1:]) })
}

func numberOf(text string) (int, error) {
	n, err := strconv.Atoi(text)
	if err != nil || n < 1 {
		return 0, usageError(fmt.Sprintf("%q is not the number of a revision; \"juvalogos desk revisions\" lists them",
			text))
	}
	return n, nil
}

func deskRevisions(args []string) error {
	f := newFlags("desk revisions [flags] SLUG", "Lists a desk's revisions, the newest first.",
		"juvalogos desk revisions hive-helper")
	asJSON := f.Bool("json", false, "print JSON")
	return onDesk(f, args, 0, 0, func(c *client.Client, slug string, _ []string) error {
		d, err := c.Desk(context.Background(), slug)
		if err != nil {
			return err
		}
		if *asJSON {
			return printJSON(d.Revisions)
		}
		if len(d.Revisions) == 0 {
			fmt.Println("This desk has a draft and no revision yet. Publish it: juvalogos desk publish -h")
		}
		for _, r := range d.Revisions {
			fmt.Println(lineOf(r, d.Published))
		}
		return nil
	})
}

func deskCompare(args []string) error {
	f := newFlags("desk compare [flags] SLUG [OLD [NEW]]",
		"Shows what changed between two revisions of a desk. Left out, NEW is the newest and OLD the one before it.",
		"juvalogos desk compare hive-helper 3 5")
	return onDesk(f, args, 0, 2, func(c *client.Client, slug string, rest []string) error {
		d, err := c.Desk(context.Background(), slug)
		if err != nil {
			return err
		}
		older, newer := d.Newest-1, d.Newest
		for i, text := range rest {
			n, err := numberOf(text)
			if err != nil {
				return err
			}
			if i == 0 {
				older = n
			} else {
				newer = n
			}
		}
		if older < 1 {
			return errors.New("there is nothing to compare: this desk has fewer than two revisions")
		}
		a, err := c.Revision(context.Background(), slug, older)
		if err != nil {
			return err
		}
		b, err := c.Revision(context.Background(), slug, newer)
		if err != nil {
			return err
		}
		fmt.Print(difference.Text(a.File, b.File, fmt.Sprintf("revision %d", older), fmt.Sprintf("revision %d", newer)))
		return nil
	})
}

func deskReturn(args []string) error {
	f := newFlags("desk return [flags] SLUG REVISION", "Makes an earlier revision the published one. Nothing is "+
		"lost: the later ones stay.", "juvalogos desk return hive-helper 3")
	return onDesk(f, args, 1, 1, func(c *client.Client, slug string, rest []string) error {
		n, err := numberOf(rest[0])
		if err != nil {
			return err
		}
		if _, err := c.Return(context.Background(), slug, n); err != nil {
			return err
		}
		fmt.Printf("%s is at revision %d again\n", slug, n)
		return nil
	})
}

func deskWithdraw(args []string) error {
	f := newFlags("desk withdraw [flags] SLUG", "Closes a desk to visitors. Its revisions and conversations stay; "+
		"\"desk return\" opens it again.", "juvalogos desk withdraw hive-helper")
	return onDesk(f, args, 0, 0, func(c *client.Client, slug string, _ []string) error {
		d, err := c.Desk(context.Background(), slug)
		if err != nil {
			return err
		}
		if err := c.Withdraw(context.Background(), slug); err != nil {
			return err
		}
		fmt.Printf("%s is closed to visitors; open it again with: juvalogos desk return %s %d\n", slug, slug,
			d.Published)
		return nil
	})
}

func deskDuplicate(args []string) error {
	f := newFlags("desk duplicate [flags] SLUG NEW-SLUG", "Makes a draft of a desk at another address.",
		"juvalogos desk duplicate hive-helper hive-helper-2")
	return onDesk(f, args, 1, 1, func(c *client.Client, slug string, rest []string) error {
		if err := c.Duplicate(context.Background(), slug, rest[0]); err != nil {
			return err
		}
		fmt.Printf("%s is a draft now; see it in the console, at %s/console/desks/%s\n", rest[0], c.Address, rest[0])
		return nil
	})
}

func deskExport(args []string) error {
	f := newFlags("desk export [flags] SLUG", "Writes a desk with all its revisions and its draft as one file, to "+
		"standard output.", "juvalogos desk export hive-helper > hive-helper.desk.json")
	return onDesk(f, args, 0, 0, func(c *client.Client, slug string, _ []string) error {
		text, err := c.Export(context.Background(), slug)
		if err != nil {
			return err
		}
		_, err = os.Stdout.Write(text)
		return err
	})
}

func deskImport(args []string) error {
	f := newFlags("desk import [flags] FILE...", "Brings back desks that \"desk export\" wrote.",
		"juvalogos desk import -as hive-helper-2 hive-helper.desk.json")
	as := f.String("as", "", "another slug for the desk")
	return onService(f, args, 1, manyNames, "name at least one packed desk",
		func(c *client.Client, names []string) error {
			return eachFile(names, func(name string, text []byte) error {
				slug, problems, err := c.Import(context.Background(), text, *as)
				if err != nil {
					return err
				}
				if len(problems) > 0 {
					fmt.Printf("%s: %s is here, but not published:\n%v\n", name, slug, problems)
					return nil
				}
				fmt.Printf("%s: %s, at %s/at/%s\n", name, slug, c.Address, slug)
				return nil
			})
		})
}

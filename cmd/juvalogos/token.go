package main

import (
	"context"
	"fmt"
	"os"
	"text/tabwriter"
	"time"
)

var tokenCommands = []command{
	{"add", "make an API token and print it, once", tokenAdd},
	{"list", "list the tokens by name", tokenList},
	{"remove", "make a token worthless", tokenRemove},
}

func tokenAdd(args []string) error {
	f := newFlags("token add [flags] NAME",
		"Makes an API token for a program and prints it. It is shown this once; only its hash is kept.",
		"juvalogos token add newsletter-script")
	connect := reach(f)
	if err := parse(f, args); err != nil {
		return err
	}
	if f.NArg() != 1 {
		return usageError("give the token one name that tells what it is for")
	}
	c, err := connect()
	if err != nil {
		return err
	}
	t, err := c.AddToken(context.Background(), f.Arg(0))
	if err != nil {
		return err
	}
	fmt.Println(t.Secret)
	return nil
}

func tokenList(args []string) error {
	f := newFlags("token list [flags]", "Lists the tokens by name.", "juvalogos token list")
	connect := reach(f)
	asJSON := f.Bool("json", false, "print JSON")
	if err := parse(f, args); err != nil {
		return err
	}
	c, err := connect()
	if err != nil {
		return err
	}
	list, err := c.Tokens(context.Background())
	if err != nil {
		return err
	}
	if *asJSON {
		return printJSON(list)
	}
	w := tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', 0)
	fmt.Fprintln(w, "NAME\tMADE")
	for _, t := range list {
		fmt.Fprintf(w, "%s\t%s\n", t.Name, t.MadeAt.Local().Format(time.DateTime))
	}
	return w.Flush()
}

func tokenRemove(args []string) error {
	f := newFlags("token remove [flags] NAME", "Makes a token worthless, at once.", "juvalogos token remove newsletter-script")
	connect := reach(f)
	if err := parse(f, args); err != nil {
		return err
	}
	if f.NArg() != 1 {
		return usageError("name one token")
	}
	c, err := connect()
	if err != nil {
		return err
	}
	if err := c.RemoveToken(context.Background(), f.Arg(0)); err != nil {
		return err
	}
	fmt.Printf("removed %s\n", f.Arg(0))
	return nil
}

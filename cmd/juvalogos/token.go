package main

import (
	"context"
	"fmt"
	"os"
	"strings"
	"text/tabwriter"
	"time"

	"juvalogos/internal/client"
)

var tokenCommands = []command{
	{"add", "make an API token and print it, once", tokenAdd},
	{"list", "list the tokens by name", tokenList},
	{"remove", "make a token worthless", tokenRemove},
}

func tokenAdd(args []string) error {
	f := newFlags("token add [flags] NAME",
		"Makes an API token for a program and prints it. It is shown this once; only its hash is kept.\n"+
			"Scopes: ask (at desks), read (desks, models, conversations), publish (change desks), manage (tokens, connections).",
		"juvalogos token add -scopes ask -days 30 newsletter-script")
	connect := reach(f)
	scopes := f.String("scopes", "", "what the token is good for, with commas between; all if left out")
	days := f.Int("days", 0, "how many days it lasts; 0 for ever")
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
	t := client.Token{Name: f.Arg(0)}
	if *scopes != "" {
		t.Scopes = strings.Split(*scopes, ",")
	}
	if *days > 0 {
		t.ExpiresAt = new(time.Now().AddDate(0, 0, *days))
	}
	t, err = c.AddToken(context.Background(), t)
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
	fmt.Fprintln(w, "NAME\tGOOD FOR\tMADE\tLAST USED\tEXPIRES")
	day := func(t *time.Time) string {
		if t == nil {
			return "never"
		}
		return t.Local().Format(time.DateTime)
	}
	for _, t := range list {
		fmt.Fprintf(w, "%s\t%s\t%s\t%s\t%s\n", t.Name, strings.Join(t.Scopes, ","), t.MadeAt.Local().Format(time.DateTime), day(t.UsedAt), day(t.ExpiresAt))
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

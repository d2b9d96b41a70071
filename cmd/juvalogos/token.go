package main

import (
	"context"
	"fmt"
	"strings"
	"time"

	"juvalogos/internal/api"
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
			"Scopes: ask (at desks), read (desks, models, conversations), publish (change desks), manage (tokens, "+
			"connections).",
		"juvalogos token add -scopes ask -days 30 newsletter-script")
	scopes := f.String("scopes", "", "what the token is good for, with commas between; all if left out")
	days := f.Int("days", 0, "how many days it lasts; 0 for ever")
	return onService(f, args, 1, 1, "give the token one name that tells what it is for",
		func(c *client.Client, names []string) error {
			wanted := api.NewToken{Name: names[0]}
			if *scopes != "" {
				wanted.Scopes = strings.Split(*scopes, ",")
			}
			if *days > 0 {
				wanted.ExpiresAt = new(time.Now().AddDate(0, 0, *days))
			}
			t, err := c.AddToken(context.Background(), wanted)
			if err != nil {
				return err
			}
			fmt.Println(t.Secret)
			return nil
		})
}

func tokenList(args []string) error {
	f := newFlags("token list [flags]", "Lists the tokens by name.", "juvalogos token list")
	asJSON := f.Bool("json", false, "print JSON")
	return onService(f, args, 0, 0, "", func(c *client.Client, _ []string) error {
		tokens, err := c.Tokens(context.Background())
		if err != nil {
			return err
		}
		return list(*asJSON, tokens, "There are none.", "NAME, GOOD FOR, MADE, LAST USED, EXPIRES",
			func(t api.Token) []any {
				return []any{t.Name, strings.Join(t.Scopes, ","), when(&t.MadeAt), when(t.UsedAt), when(t.ExpiresAt)}
			})
	})
}

func tokenRemove(args []string) error {
	f := newFlags("token remove [flags] NAME", "Makes a token worthless, at once.",
		"juvalogos token remove newsletter-script")
	return onService(f, args, 1, 1, "name one token", func(c *client.Client, names []string) error {
		if err := c.RemoveToken(context.Background(), names[0]); err != nil {
			return err
		}
		fmt.Printf("removed %s\n", names[0])
		return nil
	})
}

package main

import (
	"fmt"
	"strings"
	"time"

	"juvalogos/internal/api"
	"juvalogos/internal/client"
)

func deskStanding(args []string) error {
	f := newFlags("desk standing [flags] SLUG",
		"Shows the replies that a desk keeps current (standing in its desk file): when each was made, what is\n"+
			"new in it, and why one could not be made. With -now it is looked now whether what they are made of\n"+
			"has changed, and they are made anew if so.",
		"juvalogos desk standing in-short\njuvalogos desk standing -now in-short")
	now := f.Bool("now", false, "look now, and make anew what has changed")
	asJSON := f.Bool("json", false, "print JSON")
	return onService(f, args, 1, 1, "name a desk", func(c *client.Client, slugs []string) error {
		ctx, cancel := interruptible()
		defer cancel()
		all, err := c.Standing(ctx, slugs[0], *now)
		if err != nil || *asJSON {
			return orJSON(err, all)
		}
		if len(all) == 0 {
			fmt.Printf("The desk %s keeps nothing current; write it under standing in its desk file.\n", slugs[0])
		}
		for _, s := range all {
			printStanding(c, s)
		}
		return nil
	})
}

func printStanding(c *client.Client, s api.Standing) {
	show("%s\n", s.Title)
	if s.MadeAt.IsZero() {
		fmt.Println("  It was never made.")
	} else {
		fmt.Printf("  Made %s, looked at %s: %s\n", s.MadeAt.Local().Format(time.DateTime),
			s.LookedAt.Local().Format(time.DateTime), onSite(c.Address, s.Page))
	}
	if s.Problem != "" {
		show("  %s\n", s.Problem)
	}
	for _, one := range []struct {
		what   string
		titles []string
	}{{"New", s.News.Came}, {"Changed", s.News.Changed}, {"Gone", s.News.Went}} {
		if len(one.titles) > 0 {
			show("  %s: %s\n", one.what, strings.Join(one.titles, "; "))
		}
	}
	for _, n := range s.News.Sections {
		show("  – %s: %s\n", strings.Trim(n.Title+", "+n.Place, ", "), n.Text)
	}
	if s.News.More > 0 {
		fmt.Printf("  – and %d more sections\n", s.News.More)
	}
}

package main

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"juvalogos/internal/api"
	"juvalogos/internal/client"
)

func shelfSet(args []string) error {
	f := newFlags("shelf set [flags] SHELF [NAME=VALUE...]",
		"Changes how a shelf is split and searched; without values it prints them. What is split\n"+
			"otherwise is read anew. embedding names a model of a connection whose vectors the search by\n"+
			"meaning goes by; see juvalogos shelf embed. docs/shelves.md tells what each setting does.",
		"juvalogos shelf set handbook tokens=200 overlap=70\n"+
			"juvalogos shelf set handbook embedding=shed/clover-embed\n"+
			"juvalogos shelf set handbook \"title=The members' handbook\"")
	asJSON := f.Bool("json", false, "print JSON")
	return onService(f, args, 1, manyNames, "name a shelf", func(c *client.Client, names []string) error {
		ctx := context.Background()
		known, err := c.ShelfSettings(ctx, names[0])
		if err != nil {
			return err
		}
		settings, err := byName(known)
		if err != nil {
			return err
		}
		change := map[string]any{}
		for _, word := range names[1:] {
			name, value, ok := strings.Cut(word, "=")
			if _, known := settings[name]; !ok || !known {
				return usageError(fmt.Sprintf("%q: write NAME=VALUE, where NAME is one of %s", word,
					strings.Join(slices.Sorted(maps.Keys(settings)), ", ")))
			}
			if _, isText := settings[name].(string); isText {
				change[name] = value
				continue
			}
			var v any
			if json.Unmarshal([]byte(value), &v) != nil {
				return usageError(fmt.Sprintf("%s: %q is not a value like %v", name, value, settings[name]))
			}
			change[name] = v
		}
		if len(change) > 0 {
			if known, err = c.SetShelf(ctx, names[0], change); err != nil {
				return err
			}
			if settings, err = byName(known); err != nil {
				return err
			}
		}
		if *asJSON {
			return printJSON(settings)
		}
		for _, name := range slices.Sorted(maps.Keys(settings)) {
			fmt.Printf("%-15s %v\n", name, settings[name])
		}
		least, err := c.ShelfLeast(ctx, names[0])
		if err == nil {
			fmt.Print("\n" + leastLines(least))
		}
		return err
	})
}

// leastLines tell what a threshold does.
func leastLines(b api.ShelfLeast) string {
	var s strings.Builder
	fmt.Fprintf(&s, "least: something found has to answer with %.0f %% likelihood for the documents to answer.\n",
		100*b.Least)
	own, refused, others, through := 0, 0, 0, 0
	for _, o := range b.Openers {
		switch {
		case o.Own:
			if own++; o.Answers < b.Least {
				refused++
			}
		default:
			if others++; o.Answers >= b.Least {
				through++
			}
		}
	}
	if own > 0 {
		fmt.Fprintf(&s, "It refuses %d of %d openers of desks that answer from this shelf.\n", refused, own)
	}
	if others > 0 {
		fmt.Fprintf(&s, "It lets through %d of %d openers of desks that answer from others.\n", through, others)
	}
	for _, m := range b.Measured {
		if m.Least >= b.Least-0.001 {
			fmt.Fprintf(&s, "Measured on manuals, %.0f %% refuses %.0f of 100 questions that they answer, and lets "+
				"through %.0f of 100 asked of others.\n", 100*m.Least, 100*m.Refused, 100*m.LetThrough)
			break
		}
	}
	return s.String()
}

// byName are the settings as they are named in commands.
func byName(s api.ShelfSettings) (named map[string]any, err error) {
	text, err := json.Marshal(s)
	if err == nil {
		err = json.Unmarshal(text, &named)
	}
	return named, err
}

func shelfEmbed(args []string) error {
	f := newFlags("shelf embed [flags] SHELF",
		"Tells how far the service is with the meanings of sentences, which it makes itself, and the\n"+
			"shelf's model with its passages, and what the rest costs. With -go it has the model embed\n"+
			"them. A model without a price embeds by itself.",
		"juvalogos shelf set handbook embedding=shed/clover-embed\njuvalogos shelf embed handbook\n"+
			"juvalogos shelf embed -go -wait handbook")
	agreed := f.Bool("go", false, "embed what is not embedded yet, at its price")
	wait := f.Bool("wait", false, "wait until it is done")
	asJSON := f.Bool("json", false, "print JSON")
	return onService(f, args, 1, 1, "name one shelf", func(c *client.Client, names []string) error {
		ctx, cancel := interruptible()
		defer cancel()
		if *agreed {
			if err := c.EmbedShelf(ctx, names[0]); err != nil {
				return err
			}
		}
		e, err := c.ShelfEmbedding(ctx, names[0])
		embeds := func() bool {
			return e.Model != "" && e.Embedded < e.Passages && e.Problem == "" && (*agreed || !e.Priced)
		}
		for err == nil && *wait && (embeds() || e.Sensed < e.ToSense) {
			select {
			case <-ctx.Done():
				return ctx.Err()
			case <-time.After(300 * time.Millisecond):
			}
			e, err = c.ShelfEmbedding(ctx, names[0])
		}
		if err != nil || *asJSON {
			return printed(*asJSON, e, err)
		}
		fmt.Print(embeddingLines(names[0], e))
		return nil
	})
}

func embeddingLines(shelf string, e api.ShelfEmbedding) string {
	sensed := ""
	if e.ToSense > 0 {
		sensed = fmt.Sprintf("The meanings of sentences are made of %d of %d documents.\n", e.Sensed, e.ToSense)
	}
	if e.Model == "" {
		return sensed + "The built-in vectors are used; no model is asked. Name one: juvalogos shelf set " + shelf +
			" embedding=CONNECTION/MODEL\n"
	}
	var b strings.Builder
	b.WriteString(sensed)
	fmt.Fprintf(&b, "%s has embedded %d of %d passages", e.Model, e.Embedded, e.Passages)
	if e.SpentTokens > 0 {
		fmt.Fprintf(&b, "; so far %d tokens, cost %.4g", e.SpentTokens, e.SpentCost)
	}
	b.WriteString(".\n")
	if e.Embedded < e.Passages {
		fmt.Fprintf(&b, "The rest takes about %d tokens, cost %.4g", e.Tokens, e.Cost)
		if e.Priced {
			fmt.Fprintf(&b, ". Nothing is embedded before you say so: juvalogos shelf embed -go %s", shelf)
		}
		b.WriteString("\n")
	}
	if e.Problem != "" {
		fmt.Fprintf(&b, "It stopped: %s\n", e.Problem)
	}
	return b.String()
}

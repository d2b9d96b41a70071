package main

import (
	"context"
	"flag"
	"fmt"
	"os"
	"strings"
	"time"

	"golang.org/x/term"

	"juvalogos/internal/api"
	"juvalogos/internal/client"
	"juvalogos/internal/terminal"
)

var conversationCommands = []command{
	{"list", "list the conversations at a desk, or search them", conversationList},
	{"show", "show a conversation, with what its model keeps of its beginning", conversationShow},
	{"export", "write a conversation as Markdown or JSON", conversationExport},
	{"remove", "remove a conversation, or bring it back", conversationRemove},
}

func conversationList(args []string) error {
	f := newFlags("conversation list [flags] SLUG",
		"Lists the conversations that visitors had at a desk, the newest first. Who they are nobody knows here.",
		"juvalogos conversation list -search \"oxalic\" hive-helper")
	search := f.String("search", "", "only those that have these words")
	limit := f.Int("limit", 20, "at most so many, up to 200")
	asJSON := f.Bool("json", false, "print JSON")
	return onService(f, args, 1, 1, "name one desk by its slug", func(c *client.Client, names []string) error {
		records, err := c.Records(context.Background(), names[0], *search, *limit)
		if err != nil {
			return err
		}
		return list(*asJSON, records, "There are none.", "CONVERSATION, LAST ASKED, QUESTIONS, TITLE",
			func(r api.Conversation) []any {
				return []any{r.ID, when(&r.AskedAt), r.Questions, r.Title}
			})
	})
}

// onConversation makes a command that does something to one conversation.
func onConversation(f *flag.FlagSet, args []string, do func(c *client.Client, id string) error) error {
	const missing = "name one conversation by its id; \"juvalogos conversation list\" prints them"
	return onService(f, args, 1, 1, missing, func(c *client.Client, names []string) error { return do(c, names[0]) })
}

func conversationShow(args []string) error {
	f := newFlags("conversation show [flags] ID", "Shows a conversation, and the summary that its model keeps of "+
		"what it no longer remembers word for word.", "juvalogos conversation show "+
		"01a1f9f2-5d0e-7c3a-9d64-0c5d7f1b2e3a")
	asJSON := f.Bool("json", false, "print JSON")
	return onConversation(f, args, func(c *client.Client, id string) error {
		r, err := c.Record(context.Background(), id)
		if err != nil {
			return err
		}
		if *asJSON {
			return printJSON(r)
		}
		show("%s\n%s, begun %s\n", r.Title, r.Desk, r.StartedAt.Local().Format(time.DateTime))
		if n := len(r.Summaries); n > 0 {
			m := r.Summaries[n-1]
			show("\nKept in short of the first %d questions (%d tokens, by %s):\n  %s\n", m.Turns, m.Tokens,
				m.Model, strings.ReplaceAll(m.Text, "\n", "\n  "))
		}
		for _, t := range r.Turns {
			show("\n%d. %s\n\n%s\n", t.Number, t.Question, t.Reply)
			if t.Outcome.Problem != nil {
				show("(%s %s)\n", t.Outcome.Problem.Detail, t.Outcome.Problem.ID)
			}
			show("(%s, %.1f s, %d tokens in, %d out)\n", t.Model, t.Outcome.Seconds, t.Outcome.Usage.PromptTokens,
				t.Outcome.Usage.ReplyTokens)
		}
		return nil
	})
}

func conversationExport(args []string) error {
	f := newFlags("conversation export [flags] ID", "Writes a conversation to standard output.",
		"juvalogos conversation export -as json 01a1f9f2-5d0e-7c3a-9d64-0c5d7f1b2e3a > conversation.json")
	as := f.String("as", "markdown", "markdown or json")
	return onConversation(f, args, func(c *client.Client, id string) error {
		text, err := c.ExportRecord(context.Background(), id, *as)
		if err != nil {
			return err
		}
		if term.IsTerminal(int(os.Stdout.Fd())) {
			text = []byte(terminal.Harmless(string(text)))
		}
		_, err = os.Stdout.Write(text)
		return err
	})
}

func conversationRemove(args []string) error {
	f := newFlags("conversation remove [flags] ID", "Removes a conversation. It is deleted for good after 30 days; "+
		"until then -undo brings it back.", "juvalogos conversation remove 01a1f9f2-5d0e-7c3a-9d64-0c5d7f1b2e3a")
	undo := f.Bool("undo", false, "bring it back")
	return onConversation(f, args, func(c *client.Client, id string) error {
		if *undo {
			if err := c.RestoreRecord(context.Background(), id); err != nil {
				return err
			}
			fmt.Println("it is back")
			return nil
		}
		if err := c.RemoveRecord(context.Background(), id); err != nil {
			return err
		}
		fmt.Printf("removed; bring it back within 30 days with: juvalogos conversation remove -undo %s\n", id)
		return nil
	})
}

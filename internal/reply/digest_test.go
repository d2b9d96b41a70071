package reply_test

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"juvalogos/core/deskfile"

	"juvalogos/internal/api"
	"juvalogos/internal/client"
	"juvalogos/internal/record"
	"juvalogos/internal/reply"
	"juvalogos/internal/store/storetest"
	"juvalogos/internal/testbed"
)

const inShort = `slug: in-short
title: In Short
purpose: Puts long texts in short.
model: thyme-mini
recipe: digest
shelves: [book]
attachments: true
`

// book is a document of so many chapters; one of them may say something else.
func book(chapters, changed int) string {
	var b strings.Builder
	for i := range chapters {
		number := i
		if i == changed {
			number = i + 900
		}
		fmt.Fprintf(&b, "# Chapter %d\n\n", i+1)
		for j := range 24 {
			fmt.Fprintf(&b,
				"Hive %d of row %d stands at the hedge of the old orchard, and is looked after on day %d. ",
				number+100, j, j+1)
		}
		b.WriteString("\n\n")
	}
	return b.String()
}

// A digest that was stopped, by the visitor or with its service, goes on where it was: no
// section is paid for twice, and of a changed document only what has changed. What rests on a
// visitor's own documents is theirs, and goes with the conversation.
func TestNoSectionIsPaidForTwice(t *testing.T) {
	database := storetest.URL(t)
	b := testbed.New(t, testbed.Options{Database: database})
	if _, err := b.Client.MakeShelf(t.Context(), "book", ""); err != nil {
		t.Fatal(err)
	}
	const chapters = 16
	put := func(b *testbed.Bed, text string) {
		t.Helper()
		if _, err := b.Client.AddDocument(t.Context(), "book", "book.md", strings.NewReader(text)); err != nil {
			t.Fatal(err)
		}
		testbed.Until(t, "the book is read", func() bool {
			all, err := b.Client.ShelfDocuments(t.Context(), "book")
			return err == nil && len(all) == 1 && all[0].State == "ready"
		})
	}
	put(b, book(chapters, -1))
	if _, err := b.Client.Publish(t.Context(), "d.yaml", []byte(inShort), ""); err != nil {
		t.Fatal(err)
	}
	conn, err := pgx.Connect(t.Context(), database)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(context.WithoutCancel(t.Context()))
	kept := func(where string) (n int) {
		t.Helper()
		if err := conn.QueryRow(t.Context(), "select count(*) from kept_output where "+where).Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n
	}
	ask := func(b *testbed.Bed, conversation, question string) (api.Outcome, string) {
		t.Helper()
		var begun api.Begin
		o, err := b.Client.Ask(t.Context(), client.Question{Desk: "in-short", Conversation: conversation,
			Text: question},
			client.Follower{Begin: func(g api.Begin) { begun = g }})
		if err != nil || o.State != "done" {
			t.Fatalf("%v, %s, %+v", err, o.State, o.Problem)
		}
		return o, begun.Conversation
	}
	// Stopped after some sections.
	b.Model.Set(testbed.Slow)
	begun, ended := make(chan api.Begin, 1), make(chan struct{})
	go func() {
		defer close(ended)
		_, _ = b.Client.Ask(context.WithoutCancel(t.Context()), client.Question{Desk: "in-short", Text: "the book"},
			client.Follower{Begin: func(g api.Begin) { begun <- g }})
	}()
	turn := (<-begun).Turn
	testbed.Until(t, "some sections are kept", func() bool { return kept("true") >= 2 })
	if err := b.Client.Stop(t.Context(), turn); err != nil {
		t.Fatal(err)
	}
	b.Model.Set(testbed.Fast)
	<-ended // what it was at is kept
	before := kept("true")
	// Another service on the same database goes on.
	two := b.Another(t, nil)
	asked := b.Model.Requests()
	r, err := two.Replies.Ask(t.Context(), reply.Question{Slug: "in-short", Channel: "page", Visitor: testbed.Alice,
		Text: "the book"})
	if err != nil {
		t.Fatal(err)
	}
	if v := testbed.Settled(t, r); v.End.State != record.Done {
		t.Fatalf("%+v", v.End)
	}
	sections := kept("true")
	if got := b.Model.Requests() - asked; sections < 8 || got > sections-before+5 || got < sections-before+1 {
		t.Errorf("of %d sections %d were kept; the model was asked %d times more", sections, before, got)
	}
	// The same again costs nothing, at the first service neither.
	asked = b.Model.Requests()
	o, _ := ask(b, "", "the book")
	if margin := client.Sources(o); margin == nil || !margin.Supported {
		t.Error("the digest rests on nothing")
	}
	if got := b.Model.Requests() - asked; got != 0 {
		t.Errorf("the same again: the model was asked %d times", got)
	}
	// Of a changed document only what has changed is read again.
	put(b, book(chapters, 5))
	asked = b.Model.Requests()
	ask(b, "", "the book")
	if got := b.Model.Requests() - asked; got < 2 || got > 6 {
		t.Errorf("one chapter was changed: the model was asked %d times", got)
	}
	// Beforehand it is told, and no model asked for it.
	asked = b.Model.Requests()
	tell := func(question string) reply.Forecast {
		t.Helper()
		f, err := b.Replies.Forecast(t.Context(), reply.Question{Slug: "in-short", Visitor: testbed.Alice,
			Text: question})
		if err != nil {
			t.Fatal(err)
		}
		return f
	}
	if f := tell("the book"); f.Sections != sections && f.Kept != f.Sections || f.Calls != 0 || f.Cost != 0 {
		t.Errorf("what is kept would cost: %+v", f)
	}
	put(b, book(chapters, 9))
	if f := tell("the book"); f.Kept >= f.Sections || f.Kept < f.Sections-3 || f.Calls < 2 || f.Calls > 6 ||
		f.PromptTokens < 200 || f.MostCost < f.Cost || f.Seconds <= 0 {
		t.Errorf("one chapter was changed: %+v", f)
	}
	if got := b.Model.Requests() - asked; got != 0 {
		t.Errorf("to tell it, the model was asked %d times", got)
	}
	// What is a visitor's own is kept for their conversation.
	id, _, err := b.Client.Attach(t.Context(), "in-short", "", "own.md", strings.NewReader(strings.ReplaceAll(book(10,
		3), "Hive", "Nest")))
	if err != nil {
		t.Fatal(err)
	}
	const own = "conversation <> '00000000-0000-0000-0000-000000000000'"
	_, conversation := ask(b, id, "this")
	if conversation != id || kept(own) < 5 {
		t.Errorf("%d outputs are the conversation's", kept(own))
	}
	if err := b.Client.RemoveRecord(t.Context(), conversation); err != nil {
		t.Fatal(err)
	}
	b.Later(32 * 24 * time.Hour) // until then it can be brought back
	b.Conversations.Purge(t.Context())
	if n := kept(own); n != 0 {
		t.Errorf("%d outputs are left of a conversation that is no more", n)
	}
}

// Written again, a digest is put together anew of the sections as they are kept.
func TestADigestIsWrittenAgain(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	if _, err := b.Client.MakeShelf(t.Context(), "book", ""); err != nil {
		t.Fatal(err)
	}
	if _, err := b.Client.AddDocument(t.Context(), "book", "book.md", strings.NewReader(book(6, -1))); err != nil {
		t.Fatal(err)
	}
	testbed.Until(t, "it is read", func() bool {
		all, err := b.Client.ShelfDocuments(t.Context(), "book")
		return err == nil && len(all) == 1 && all[0].State == "ready"
	})
	if _, err := b.Client.Publish(t.Context(), "in-short.yaml", []byte(inShort), ""); err != nil {
		t.Fatal(err)
	}
	ask := func(do func() (*reply.Reply, error)) (turn uuid.UUID, asked int) {
		t.Helper()
		before := b.Model.Requests()
		r, err := do()
		if err != nil {
			t.Fatal(err)
		}
		if v := testbed.Settled(t, r); v.End.State != record.Done {
			t.Fatalf("%+v", v.End)
		}
		return r.Turn, b.Model.Requests() - before
	}
	question := reply.Question{Slug: "in-short", Visitor: testbed.Alice, Channel: "page", Text: "the book"}
	first := func() (*reply.Reply, error) { return b.Replies.Ask(t.Context(), question) }
	turn, whole := ask(first)
	if _, again := ask(first); again != 0 {
		t.Errorf("the same asked anew asks the model %d times", again)
	}
	_, again := ask(func() (*reply.Reply, error) {
		return b.Replies.Again(t.Context(), testbed.Alice, turn, deskfile.Choice{}, false)
	})
	if again == 0 || again > whole-6 {
		t.Errorf("%d questions for all of it, %d when it is written again", whole, again)
	}
}

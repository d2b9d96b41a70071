package store_test

import (
	"fmt"
	"testing"
	"time"

	"juvalogos/internal/record"
	"juvalogos/internal/store/storetest"
)

// A long conversation is recalled by its newest turns, and by its summary
// wherever that leads up to.
func TestALongConversationIsRecalled(t *testing.T) {
	c := &tree{t: t, s: storetest.Open(t)}
	c.desk = publish(t, c.s, "x")
	var turns []record.NewTurn
	for i := range 12 {
		turns = append(turns, c.ask(fmt.Sprint("question ", i+1), nil))
	}
	past := func(limit int) record.Past {
		t.Helper()
		p, place, err := c.s.Replies.Past(ctx, c.id, c.desk.DeskID, record.Visitor{1}, nil, limit)
		if err != nil || place.Number != 13 || *place.Parent != turns[11].ID {
			t.Fatalf("%+v, %v", place, err)
		}
		for i, turn := range p.Turns {
			if want := fmt.Sprint("question ", 12-len(p.Turns)+i+1); turn.Question != want {
				t.Fatalf("turn %d is %q, want %q", i, turn.Question, want)
			}
		}
		return p
	}
	if p := past(4); len(p.Turns) != 4 || p.Summary != nil {
		t.Fatalf("%+v", p)
	}
	if p := past(50); len(p.Turns) != 12 || p.Summary != nil {
		t.Fatalf("%d turns, %+v", len(p.Turns), p.Summary)
	}
	// Up to a turn among those recalled, right before them, and long before.
	for _, upto := range []int{10, 8, 3} {
		m := record.Summary{Upto: turns[upto-1].ID, Conversation: c.id, Turns: upto, Text: "in short", Tokens: 2,
			Vocabulary: "estimate", Model: "m", MadeAt: time.Now()}
		if err := c.s.Replies.KeepSummary(ctx, m); err != nil {
			t.Fatal(err)
		}
		if p := past(4); len(p.Turns) != 4 || p.Summary == nil || p.Summary.Turns != 10 {
			t.Errorf("summary of %d turns beside others: %+v", upto, p.Summary)
		}
	}
	far := &tree{t: t, s: c.s, desk: c.desk}
	var first record.NewTurn
	for i := range 9 {
		n := far.ask(fmt.Sprint("question ", i+1), nil)
		if i == 1 {
			first = n
		}
	}
	if err := c.s.Replies.KeepSummary(ctx,
		record.Summary{Upto: first.ID, Conversation: far.id, Turns: 2, Text: "long ago", Tokens: 2,
			Vocabulary: "estimate", Model: "m", MadeAt: time.Now()}); err != nil {
		t.Fatal(err)
	}
	p, _, err := c.s.Replies.Past(ctx, far.id, c.desk.DeskID, record.Visitor{1}, nil, 3)
	if err != nil || len(p.Turns) != 3 || p.Summary == nil || p.Summary.Text != "long ago" {
		t.Errorf("%+v, %v", p, err)
	}
	// A branch from before the end has its own past.
	branch := turns[5].ID
	p, place, err := c.s.Replies.Past(ctx, c.id, c.desk.DeskID, record.Visitor{1}, &branch, 3)
	if err != nil || place.Number != 6 || len(p.Turns) != 3 || p.Turns[2].Question != "question 5" {
		t.Errorf("%+v, %+v, %v", p, place, err)
	}
}

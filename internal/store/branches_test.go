package store_test

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"juvalogos/core/words"
	"juvalogos/internal/record"
	"juvalogos/internal/store"
	"juvalogos/internal/store/storetest"
)

// tree is a conversation that grows in a test.
type tree struct {
	t    *testing.T
	s    *store.Store
	desk record.Revision
	id   uuid.UUID
}

// ask asks at the end, or in the place of a turn, and has it answered.
func (c *tree) ask(text string, instead *uuid.UUID) record.NewTurn {
	c.t.Helper()
	n := question(c.desk, 1, text)
	if c.id == uuid.Nil {
		c.id = n.Conversation
	} else {
		_, place, err := c.s.Replies.Past(ctx, c.id, c.desk.DeskID, record.Visitor{1}, instead, 9)
		if err != nil {
			c.t.Fatal(err)
		}
		n.Conversation, n.Place = c.id, place
	}
	if err := c.s.Replies.Ask(ctx, n); err != nil {
		c.t.Fatal(err)
	}
	if err := c.s.Replies.Keep(ctx, []record.Progress{end(n, "reply to "+text)}); err != nil {
		c.t.Fatal(err)
	}
	return n
}

// path checks which questions are shown, each with how many branches begin at
// its place.
func (c *tree) path(want string) {
	c.t.Helper()
	_, turns, err := c.s.Conversations.Conversation(ctx, c.id, record.Visitor{1})
	if err != nil {
		c.t.Fatal(err)
	}
	var got []string
	for _, turn := range turns {
		got = append(got, fmt.Sprint(turn.Question, len(turn.Siblings)))
	}
	if strings.Join(got, " ") != want {
		c.t.Errorf("the path is %v, want %s", got, want)
	}
}

func newTree(t *testing.T) *tree {
	s := storetest.Open(t)
	return &tree{t: t, s: s, desk: publish(t, s, "x")}
}

func TestEditingBranchesAndLosesNothing(t *testing.T) {
	c := newTree(t)
	a, b := c.ask("a", nil), c.ask("b", nil)
	c.ask("c", nil)
	c.path("a1 b1 c1")
	x := c.ask("x", &b.ID)
	c.path("a1 x2")
	if past, place, err := c.s.Replies.Past(ctx, c.id, c.desk.DeskID, record.Visitor{1}, nil, 9); err != nil ||
		len(past.Turns) != 2 || past.Turns[1].Question != "x" || place.Number != 3 {
		t.Errorf("what is remembered on the branch: %+v, %+v, %v", past, place, err)
	}
	c.ask("y", nil)
	if err := c.s.Conversations.Show(ctx, b.ID, record.Visitor{1}); err != nil {
		t.Fatal(err)
	}
	c.path("a1 b2 c1")
	if err := c.s.Conversations.Show(ctx, x.ID, record.Visitor{1}); err != nil {
		t.Fatal(err)
	}
	c.path("a1 x2 y1")
	c.ask("z", &a.ID) // the very first question
	c.path("z2")
	if err := c.s.Conversations.Show(ctx, a.ID, record.Visitor{2}); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("a stranger may lead the way: %v", err)
	}
	if _, _, err := c.s.Replies.Past(ctx, c.id, c.desk.DeskID, record.Visitor{1}, new(uuid.New()), 9); !errors.Is(err,
		record.ErrNotFound) {
		t.Errorf("in the place of a turn that is not there: %v", err)
	}
}

func TestTakingBackCanBeTakenBack(t *testing.T) {
	c := newTree(t)
	a, b := c.ask("a", nil), c.ask("b", nil)
	if _, _, err := c.s.Conversations.TakeBack(ctx, a.ID, record.Visitor{1}, time.Now()); !errors.Is(err,
		record.ErrNotFound) {
		t.Errorf("took back a turn in the middle: %v", err)
	}
	if q, left, err := c.s.Conversations.TakeBack(ctx, b.ID, record.Visitor{1}, time.Now()); err != nil || q != "b" ||
		left != 1 {
		t.Errorf("took back %q, %d left, %v", q, left, err)
	}
	c.path("a1")
	d := c.ask("d", nil)
	c.path("a1 d1") // what was taken back is no branch
	if err := c.s.Conversations.Show(ctx, b.ID, record.Visitor{1}); err != nil {
		t.Fatal(err)
	}
	c.path("a1 b2")
	for _, n := range []record.NewTurn{b} {
		if _, _, err := c.s.Conversations.TakeBack(ctx, n.ID, record.Visitor{1}, time.Now()); err != nil {
			t.Fatal(err)
		}
	}
	if err := c.s.Conversations.Show(ctx, d.ID, record.Visitor{1}); err != nil {
		t.Fatal(err)
	}
	for _, n := range []record.NewTurn{d, a} { // with the last turn the conversation goes
		if _, _, err := c.s.Conversations.TakeBack(ctx, n.ID, record.Visitor{1}, time.Now()); err != nil {
			t.Fatal(err)
		}
	}
	if list, err := c.s.Conversations.Conversations(ctx, "d", record.Visitor{1}, record.Page{Limit: 9}); err != nil ||
		len(list) != 0 {
		t.Errorf("an empty conversation is listed: %+v, %v", list, err)
	}
	if err := c.s.Conversations.Show(ctx, a.ID, record.Visitor{1}); err != nil {
		t.Fatal(err)
	}
	c.path("a1")
	if _, err := c.s.Conversations.Purge(ctx, time.Now().Add(time.Hour)); err != nil {
		t.Fatal(err)
	}
	if err := c.s.Conversations.Show(ctx, d.ID, record.Visitor{1}); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("brought back after the purge: %v", err)
	}
	c.path("a1")
}

func TestASummaryHoldsForItsPathOnly(t *testing.T) {
	c := newTree(t)
	a, b := c.ask("a", nil), c.ask("b", nil)
	last := c.ask("c", nil)
	keep := func(n record.NewTurn, text string) {
		t.Helper()
		m := record.Summary{Upto: n.ID, Conversation: c.id, Turns: n.Place.Number, Text: text, Tokens: 3,
			Vocabulary: "estimate", Model: "c/m", MadeAt: time.Now()}
		if err := c.s.Replies.KeepSummary(ctx, m); err != nil {
			t.Fatal(err)
		}
	}
	summary := func(want string) {
		t.Helper()
		past, _, err := c.s.Replies.Past(ctx, c.id, c.desk.DeskID, record.Visitor{1}, nil, 9)
		got := ""
		if past.Summary != nil {
			got = past.Summary.Text
		}
		if err != nil || got != want {
			t.Errorf("the summary is %q, %v, want %q", got, err, want)
		}
	}
	keep(a, "of a")
	keep(b, "of a and b")
	summary("of a and b")
	if _, _, err := c.s.Conversations.TakeBack(ctx, last.ID, record.Visitor{1}, time.Now()); err != nil {
		t.Fatal(err)
	}
	c.ask("x", &b.ID)
	summary("of a") // b is not on this path
	if err := c.s.Conversations.Show(ctx, b.ID, record.Visitor{1}); err != nil {
		t.Fatal(err)
	}
	summary("of a and b")
	if err := c.s.Conversations.Choose(ctx, b.ID, record.Visitor{1}, 1); err != nil { // another reply may count
		t.Fatal(err)
	}
	summary("of a")
	if _, _, summaries, err := c.s.Conversations.DeskConversation(ctx, c.id); err != nil || len(summaries) != 1 ||
		summaries[0].Text != "of a" {
		t.Errorf("for makers: %+v, %v", summaries, err)
	}
}

func TestConversationsAreFound(t *testing.T) {
	c := newTree(t)
	c.ask("How do I light a smoker?", nil)
	c.ask("And with wet wood?", nil)
	swarm := newTreeIn(c)
	swarm.ask("Zügig: fängt man einen Schwarm?", nil)
	foreign := question(c.desk, 2, "smoker of a stranger")
	if err := c.s.Replies.Ask(ctx, foreign); err != nil {
		t.Fatal(err)
	}
	for _, want := range []int{3, 0} {
		turns, err := c.s.Conversations.Unindexed(ctx, 100)
		if err != nil || len(turns) != want {
			t.Fatalf("%d turns are not findable, %v, want %d", len(turns), err, want)
		}
		if err := c.s.Conversations.IndexWords(ctx, turns); err != nil {
			t.Fatal(err)
		}
	}
	if err := c.s.Conversations.Rename(ctx, swarm.id, record.Visitor{1}, "Of June"); err != nil {
		t.Fatal(err)
	}
	for query, want := range map[string]string{
		"smok":              "smoker", // the beginning of a word
		"WOOD wet":          "wood",
		"light wood":        "", // not in the same turn
		"reply to":          "reply",
		"fängt":             "fängt",
		"june":              "", // a title has no excerpt
		"nothing of this":   "",
		`' & | ! :* \ ""`:   "",
		"smoker & !wet":     "",
		"wet'); drop table": "",
	} {
		list, err := c.s.Conversations.Conversations(ctx, "d", record.Visitor{1}, record.Page{Search: query, Limit: 9})
		if err != nil {
			t.Errorf("%q: %v", query, err)
			continue
		}
		if query == "june" {
			if len(list) != 1 || list[0].Title != "Of June" {
				t.Errorf("by title: %+v", list)
			}
			continue
		}
		if (want == "") != (len(list) == 0) {
			t.Errorf("%q found %+v", query, list)
			continue
		}
		if want != "" && !slices.Contains(list[0].Found, words.Piece{Text: want, Hit: true}) {
			t.Errorf("%q: the excerpt is %+v", query, list[0].Found)
		}
	}
	if list, err := c.s.Conversations.DeskConversations(ctx, "d",
		record.Page{Search: "smoker", Limit: 9}); err != nil || len(list) != 1 {
		t.Errorf("for makers, the stranger's not before its reply: %+v, %v", list, err)
	}
	first, err := c.s.Conversations.Conversations(ctx, "d", record.Visitor{1}, record.Page{Limit: 1})
	if err != nil || len(first) != 1 {
		t.Fatal(first, err)
	}
	if rest, err := c.s.Conversations.Conversations(ctx, "d", record.Visitor{1},
		record.Page{Limit: 9, Before: &first[0].AskedAt}); err != nil || len(rest) != 1 || rest[0].ID == first[0].ID {
		t.Errorf("the next page: %+v, %v", rest, err)
	}
}

func newTreeIn(c *tree) *tree { return &tree{t: c.t, s: c.s, desk: c.desk} }

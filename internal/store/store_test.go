package store_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"juvalogos/internal/record"
	"juvalogos/internal/store"
	"juvalogos/internal/store/storetest"
)

var ctx = context.Background()

// question returns a new question at desk d of visitor v.
func question(d record.Revision, v byte, text string) record.NewTurn {
	return record.NewTurn{
		ID: uuid.Must(uuid.NewV7()), Conversation: uuid.Must(uuid.NewV7()), Place: record.Place{Number: 1, New: true},
		DeskID: d.DeskID, Revision: d.Number,
		Visitor: record.Visitor{v}, Channel: "page", Title: text, Key: uuid.NewString(), Question: text,
		QuestionTokens: 3,
		Vocabulary:     "estimate", Model: "c/m", Instance: 7, AskedAt: time.Now(),
	}
}

// after is the place of a question that follows n.
func after(n record.NewTurn) record.Place {
	return record.Place{Number: n.Place.Number + 1, Parent: &n.ID, Leaf: &n.ID}
}

func publish(t testing.TB, s *store.Store, file string) record.Revision {
	t.Helper()
	r, _, err := s.Desks.Publish(ctx, "d", file, "", "me")
	if err != nil {
		t.Fatal(err)
	}
	return r
}

func end(n record.NewTurn, reply string) record.Progress {
	return record.Progress{Turn: n.ID, Number: 1, Text: reply, State: record.Done, Finish: "stop", MemoryTokens: 5,
		EndedAt: new(time.Now())}
}

func TestRevisionsAreNumberedAndStay(t *testing.T) {
	url := storetest.URL(t)
	s, err := store.Open(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	for i, c := range []struct {
		file   string
		number int
		fresh  bool
	}{{"one", 1, true}, {"one", 1, false}, {"two", 2, true}, {"one", 3, true}} {
		r, fresh, err := s.Desks.Publish(ctx, "d", c.file, "a note", "me")
		if err != nil || r.Number != c.number || fresh != c.fresh || r.File != c.file {
			t.Errorf("publishing %d: %+v, %v, %v", i, r, fresh, err)
		}
	}
	if all, err := s.Desks.Revisions(ctx, "d"); err != nil || len(all) != 3 || all[0].Number != 3 {
		t.Errorf("revisions: %+v, %v", all, err)
	}
	if _, err := s.Desks.Published(ctx, "e"); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("no such desk: %v", err)
	}
	conn, err := pgx.Connect(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	if _, err := conn.Exec(ctx, `update revision set file = 'changed'
		where number = 1`); err == nil || !strings.Contains(err.Error(), "cannot be changed") {
		t.Errorf("a revision was changed: %v", err)
	}
}

func TestPublishingAtTheSameTimeLosesNothing(t *testing.T) {
	s := storetest.Open(t)
	var all sync.WaitGroup
	for i := range 8 {
		all.Go(func() {
			if _, _, err := s.Desks.Publish(ctx, "d", fmt.Sprint(i), "", "me"); err != nil {
				t.Error(err)
			}
		})
	}
	all.Wait()
	if revisions, err := s.Desks.Revisions(ctx, "d"); err != nil || len(revisions) != 8 {
		t.Errorf("%d revisions, %v", len(revisions), err)
	}
}

func TestAConversationIsRemembered(t *testing.T) {
	s := storetest.Open(t)
	d := publish(t, s, "x")
	first := question(d, 1, "first")
	if err := s.Replies.Ask(ctx, first); err != nil {
		t.Fatal(err)
	}
	conversation := first.Conversation
	for i := 2; i <= 5; i++ {
		if err := s.Replies.Keep(ctx, []record.Progress{end(first, fmt.Sprint("reply ", i-1))}); err != nil {
			t.Fatal(err)
		}
		n := question(d, 1, fmt.Sprint("question ", i))
		past, place, err := s.Replies.Past(ctx, conversation, d.DeskID, record.Visitor{1}, nil, 3)
		if err != nil || place.Number != i || *place.Parent != first.ID || len(past.Turns) != min(i-1, 3) {
			t.Fatalf("turn %d: %+v, %v, %v", i, place, past, err)
		}
		n.Conversation, n.Place = conversation, place
		if err := s.Replies.Ask(ctx, n); err != nil {
			t.Fatal(err)
		}
		if last := past.Turns[len(past.Turns)-1]; last.Reply != fmt.Sprint("reply ", i-1) || last.ReplyTokens != 5 ||
			last.QuestionTokens != 3 || last.Vocabulary != "estimate" {
			t.Errorf("turn %d remembers %+v", i, last)
		}
		first = n
	}
	if list, err := s.Conversations.Conversations(ctx, "d", record.Visitor{1}, record.Page{Limit: 10}); err != nil ||
		len(list) != 1 || list[0].Turns != 5 || list[0].Title != "first" {
		t.Errorf("list: %+v, %v", list, err)
	}
	c, turns, err := s.Conversations.Conversation(ctx, conversation, record.Visitor{1})
	if err != nil || c.Slug != "d" || len(turns) != 5 || turns[0].Attempt.Reply != "reply 1" ||
		turns[4].Attempt.State != record.Running {
		t.Errorf("conversation: %+v, %+v, %v", c, turns, err)
	}
}

func TestFailedRepliesAreNotRemembered(t *testing.T) {
	s := storetest.Open(t)
	d := publish(t, s, "x")
	first := question(d, 1, "first")
	if err := s.Replies.Ask(ctx, first); err != nil {
		t.Fatal(err)
	}
	failed := end(first, "half a rep")
	failed.State, failed.Problem = record.Failed, "cut-off"
	if err := s.Replies.Keep(ctx, []record.Progress{failed}); err != nil {
		t.Fatal(err)
	}
	n := question(d, 1, "second")
	past, place, err := s.Replies.Past(ctx, first.Conversation, d.DeskID, record.Visitor{1}, nil, 10)
	if err != nil || len(past.Turns) != 0 {
		t.Errorf("remembered %v, %v", past, err)
	}
	n.Conversation, n.Place = first.Conversation, place
	if err := s.Replies.Ask(ctx, n); err != nil {
		t.Fatal(err)
	}
	if err := s.Replies.Keep(ctx, []record.Progress{end(n, "x")}); err != nil {
		t.Fatal(err)
	}
	// Made again, and well, it counts.
	turn, err := s.Conversations.Turn(ctx, first.ID, record.Visitor{1})
	if err != nil {
		t.Fatal(err)
	}
	number, given, _, past, err := s.Replies.AskAgain(ctx, turn, again)
	if err != nil || number != 2 || given != nil || len(past.Turns) != 0 {
		t.Fatalf("again: %d, %s, %v, %v", number, given, past, err)
	}
	good := end(first, "a whole reply")
	good.Number = 2
	if err := s.Replies.Keep(ctx, []record.Progress{good}); err != nil {
		t.Fatal(err)
	}
	turn, err = s.Conversations.Turn(ctx, n.ID, record.Visitor{1})
	if err != nil {
		t.Fatal(err)
	}
	if _, _, _, past, err := s.Replies.AskAgain(ctx, turn, again); err != nil || len(past.Turns) != 1 ||
		past.Turns[0].Reply != "a whole reply" {
		t.Errorf("remembered %v, %v", past, err)
	}
}

func TestTheSameKeyIsTheSameTurn(t *testing.T) {
	s := storetest.Open(t)
	d := publish(t, s, "x")
	n := question(d, 1, "once")
	if err := s.Replies.Ask(ctx, n); err != nil {
		t.Fatal(err)
	}
	again := question(d, 1, "once")
	again.Key = n.Key
	if err := s.Replies.Ask(ctx, again); !errors.Is(err, record.ErrDuplicate) {
		t.Errorf("got %v", err)
	}
	if turn, err := s.Conversations.TurnByKey(ctx, n.Key, record.Visitor{1}); err != nil || turn.ID != n.ID {
		t.Errorf("by key: %+v, %v", turn, err)
	}
	if list, err := s.Conversations.Conversations(ctx, "d", record.Visitor{1}, record.Page{Limit: 10}); err != nil ||
		len(list) != 1 {
		t.Errorf("a refused question left a conversation: %+v, %v", list, err)
	}
	if err := s.Replies.Keep(ctx, []record.Progress{end(n, "x")}); err != nil {
		t.Fatal(err)
	}
	for i, want := range []error{nil, record.ErrNotFound} { // another question of the conversation came first
		late := question(d, 1, "late")
		late.Conversation, late.Place = n.Conversation, after(n)
		if err := s.Replies.Ask(ctx, late); !errors.Is(err, want) {
			t.Errorf("question %d of the same number: %v", i, err)
		}
	}
	other := question(d, 2, "once")
	other.Key = n.Key
	if err := s.Replies.Ask(ctx, other); err != nil {
		t.Errorf("another visitor's key: %v", err)
	}
}

func TestNobodySeesAnothersConversation(t *testing.T) {
	s := storetest.Open(t)
	d := publish(t, s, "x")
	n := question(d, 1, "mine")
	if err := s.Replies.Ask(ctx, n); err != nil {
		t.Fatal(err)
	}
	if _, _, err := s.Conversations.Conversation(ctx, n.Conversation, record.Visitor{2}); !errors.Is(err,
		record.ErrNotFound) {
		t.Errorf("conversation: %v", err)
	}
	if _, err := s.Conversations.Turn(ctx, n.ID, record.Visitor{2}); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("turn: %v", err)
	}
	intruder := question(d, 2, "yours?")
	intruder.Conversation, intruder.Place = n.Conversation, after(n)
	if err := s.Replies.Ask(ctx, intruder); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("asking in it: %v", err)
	}
	if _, _, err := s.Replies.Past(ctx, n.Conversation, d.DeskID, record.Visitor{2}, nil, 10); !errors.Is(err,
		record.ErrNotFound) {
		t.Errorf("its past: %v", err)
	}
}

func TestKeepAddsAndReplaces(t *testing.T) {
	s := storetest.Open(t)
	d := publish(t, s, "x")
	n := question(d, 1, "q")
	if err := s.Replies.Ask(ctx, n); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		text  string
		whole bool
		want  string
	}{{"Once ", false, "Once "}, {"upon", false, "Once upon"}, {"Once upon a", true, "Once upon a"},
		{"Once upon a", true, "Once upon a"}, {" time 🐝", false, "Once upon a time 🐝"}} {
		if err := s.Replies.Keep(ctx, []record.Progress{{Turn: n.ID, Number: 1, Text: c.text, Whole: c.whole,
			State: record.Running}}); err != nil {
			t.Fatal(err)
		}
		if turn, err := s.Conversations.Turn(ctx, n.ID, record.Visitor{1}); err != nil || turn.Attempt.Reply != c.want {
			t.Errorf("after %q: %q, %v", c.text, turn.Attempt.Reply, err)
		}
	}
}

func TestDeadInstancesLeaveInterruptedReplies(t *testing.T) {
	s := storetest.Open(t)
	d := publish(t, s, "x")
	dead, alive, own := question(d, 1, "a"), question(d, 1, "b"), question(d, 1, "c")
	dead.Instance, alive.Instance, own.Instance = 100, 200, 300
	for _, n := range []record.NewTurn{dead, alive, own} {
		if err := s.Replies.Ask(ctx, n); err != nil {
			t.Fatal(err)
		}
	}
	other, err := s.Replies.Register(ctx, 200)
	if err != nil {
		t.Fatal(err)
	}
	sweep := func(want int) {
		t.Helper()
		gone, err := s.Replies.Dead(ctx, 300)
		if err != nil {
			t.Fatal(err)
		}
		marked := 0
		for _, i := range gone {
			n, err := s.Replies.InterruptAll(ctx, i)
			if err != nil {
				t.Fatal(err)
			}
			marked += n
		}
		if marked != want {
			t.Errorf("marked %d of %v, want %d", marked, gone, want)
		}
	}
	sweep(1)
	for _, c := range []struct {
		n     record.NewTurn
		state record.State
	}{{dead, record.Interrupted}, {alive, record.Running}, {own, record.Running}} {
		if turn, err := s.Conversations.Turn(ctx, c.n.ID, record.Visitor{1}); err != nil ||
			turn.Attempt.State != c.state {
			t.Errorf("%s is %s, %v", c.n.Question, turn.Attempt.State, err)
		}
	}
	other.Close(ctx)
	time.Sleep(50 * time.Millisecond) // the server notices the closed connection
	sweep(1)
}

func TestTheChosenAttemptCounts(t *testing.T) {
	s := storetest.Open(t)
	d := publish(t, s, "x")
	n := question(d, 1, "q")
	if err := s.Replies.Ask(ctx, n); err != nil {
		t.Fatal(err)
	}
	if err := s.Replies.Keep(ctx, []record.Progress{end(n, "first")}); err != nil {
		t.Fatal(err)
	}
	turn := func() record.Turn {
		t.Helper()
		turn, err := s.Conversations.Turn(ctx, n.ID, record.Visitor{1})
		if err != nil {
			t.Fatal(err)
		}
		return turn
	}
	counts := func(attempt int, reply string) {
		t.Helper()
		past, _, err := s.Replies.Past(ctx, n.Conversation, d.DeskID, record.Visitor{1}, nil, 9)
		if got := turn(); err != nil || got.Attempt.Number != attempt || len(past.Turns) != 1 ||
			past.Turns[0].Reply != reply {
			t.Errorf("attempt %d counts, remembered is %+v, %v", got.Attempt.Number, past, err)
		}
	}
	again := func(number int, reply string) {
		t.Helper()
		if got, _, _, _, err := s.Replies.AskAgain(ctx, turn(), again); err != nil || got != number {
			t.Fatalf("attempt %d, %v", got, err)
		}
		p := end(n, reply)
		p.Number = number
		if err := s.Replies.Keep(ctx, []record.Progress{p}); err != nil {
			t.Fatal(err)
		}
	}
	again(2, "second")
	counts(2, "second")
	if err := s.Conversations.Choose(ctx, n.ID, record.Visitor{1}, 1); err != nil {
		t.Fatal(err)
	}
	counts(1, "first")
	again(3, "third") // a new one counts at once
	counts(3, "third")
	if all, err := s.Conversations.Attempts(ctx, n.ID, record.Visitor{1}); err != nil || len(all) != 3 ||
		all[1].Reply != "second" || turn().Attempts != 3 {
		t.Errorf("attempts %+v, %v", all, err)
	}
	for _, bad := range []error{s.Conversations.Choose(ctx, n.ID, record.Visitor{1}, 4),
		s.Conversations.Choose(ctx, n.ID, record.Visitor{2}, 1)} {
		if !errors.Is(bad, record.ErrNotFound) {
			t.Errorf("chosen: %v", bad)
		}
	}
}

func TestConversationsAreRenamedRemovedAndRestored(t *testing.T) {
	s := storetest.Open(t)
	d := publish(t, s, "x")
	n := question(d, 1, "q")
	if err := s.Replies.Ask(ctx, n); err != nil {
		t.Fatal(err)
	}
	title := func() string {
		t.Helper()
		list, err := s.Conversations.Conversations(ctx, "d", record.Visitor{1}, record.Page{Limit: 9})
		if err != nil || len(list) == 0 {
			return ""
		}
		return list[0].Title
	}
	for _, c := range []struct {
		do   func(record.Visitor) error
		want string
	}{
		{func(v record.Visitor) error { return s.Conversations.Rename(ctx, n.Conversation, v, "better") }, "better"},
		{func(v record.Visitor) error { return s.Conversations.Remove(ctx, n.Conversation, v, time.Now()) }, ""},
		{func(v record.Visitor) error { return s.Conversations.Restore(ctx, n.Conversation, v) }, "better"},
		{func(v record.Visitor) error { return s.Conversations.Remove(ctx, n.Conversation, v, time.Now()) }, ""},
	} {
		if err := c.do(record.Visitor{2}); !errors.Is(err, record.ErrNotFound) {
			t.Errorf("a stranger may: %v", err)
		}
		if err := c.do(record.Visitor{1}); err != nil || title() != c.want {
			t.Errorf("%q, %v, want %q", title(), err, c.want)
		}
	}
	if _, _, err := s.Replies.Past(ctx, n.Conversation, d.DeskID, record.Visitor{1}, nil, 9); !errors.Is(err,
		record.ErrNotFound) {
		t.Errorf("asking in a removed conversation: %v", err)
	}
	if n, err := s.Conversations.Purge(ctx, time.Now().Add(-time.Hour)); n != 0 || err != nil {
		t.Errorf("purged %d too early, %v", n, err)
	}
	if n, err := s.Conversations.Purge(ctx, time.Now().Add(time.Hour)); n != 1 || err != nil {
		t.Errorf("purged %d, %v", n, err)
	}
	if err := s.Conversations.Restore(ctx, n.Conversation, record.Visitor{1}); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("restored after the purge: %v", err)
	}
}

var again = record.Again{Revision: 1, Model: "c/m", Recipe: "converse", Instance: 7, At: time.Now(), Remember: 10}

// One reply at a time is written in a conversation, whichever instance is asked; what an
// instance does not make itself it can interrupt, and another one can ask it to stop.
func TestOneReplyAtATime(t *testing.T) {
	s := storetest.Open(t)
	d := publish(t, s, "x")
	first := question(d, 1, "a")
	first.Instance = 7
	if err := s.Replies.Ask(ctx, first); err != nil {
		t.Fatal(err)
	}
	second := question(d, 1, "b")
	second.Conversation, second.Place = first.Conversation, after(first)
	if err := s.Replies.Ask(ctx, second); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("asked while a reply is written: %v", err)
	}
	turn, err := s.Conversations.Turn(ctx, first.ID, record.Visitor{1})
	if err != nil {
		t.Fatal(err)
	}
	if _, _, _, _, err := s.Replies.AskAgain(ctx, turn, record.Again{Revision: 1, Instance: 8,
		At: time.Now()}); !errors.Is(
		err, record.ErrNotFound) {
		t.Errorf("made again while a reply is written: %v", err)
	}
	if err := s.Replies.AskToStop(ctx, first.ID); err != nil {
		t.Fatal(err)
	}
	all, err := s.Replies.Unfinished(ctx, 7)
	if err != nil || len(all) != 1 || all[0] != (record.Unfinished{Turn: first.ID, Number: 1, Stopping: true}) {
		t.Fatalf("%+v %v", all, err)
	}
	for i, want := range []bool{false, true, false} {
		instance := []int32{8, 7, 7}[i]
		if is, err := s.Replies.Interrupt(ctx, first.ID, 1, instance); err != nil || is != want {
			t.Errorf("%d: %v %v", i, is, err)
		}
	}
	if err := s.Replies.Ask(ctx, second); err != nil {
		t.Errorf("asked once it is over: %v", err)
	}
	if number, _, _, _, err := s.Replies.AskAgain(ctx, turn, record.Again{Revision: 1, Instance: 8,
		At: time.Now()}); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("made again, %d, beside the next question's reply: %v", number, err)
	}
}

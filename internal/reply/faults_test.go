package reply_test

import (
	"context"
	"errors"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"juvalogos/core/deskfile"
	"juvalogos/internal/fault"
	"juvalogos/internal/record"
	"juvalogos/internal/reply"
	"juvalogos/internal/store/storetest"
	"juvalogos/internal/testbed"
)

func codeOf(err error) fault.Code {
	var p *fault.Problem
	if errors.As(err, &p) {
		return p.Code
	}
	return ""
}

// The database takes a question and its answer is lost: the question is answered.
func TestTheAnswerOfTheDatabaseIsLost(t *testing.T) {
	proxy := storetest.Behind(t, storetest.URL(t))
	b := testbed.New(t, testbed.Options{Database: proxy.URL})
	if v := testbed.Settled(t, testbed.Ask(t, b, reply.Question{Text: "Are you there?"})); v.End.State != record.Done {
		t.Fatalf("%+v", v.End)
	}
	for _, words := range []string{"When do bees swarm?"} { // that go along with the statement
		proxy.Lose(words)
		r, err := b.Replies.Ask(t.Context(), reply.Question{Slug: "helper", Channel: "page", Visitor: testbed.Alice,
			Text: "When do bees swarm?", Key: "one"})
		if err != nil || proxy.Lost() != 1 {
			t.Fatalf("%v; %d answers were lost", err, proxy.Lost())
		}
		if v := testbed.Settled(t, r); v.End.State != record.Done {
			t.Errorf("%+v", v.End)
		}
		again, err := b.Replies.Ask(t.Context(), reply.Question{Slug: "helper", Channel: "page", Visitor: testbed.Alice,
			Text: "When do bees swarm?", Key: "one"})
		if err != nil || again.Turn != r.Turn {
			t.Errorf("asked again: %v, %v", again, err)
		}
	}
}

// A database that hangs: the visitor is told within seconds, and once it goes on the
// conversation can be asked again, and nothing is being written for ever.
func TestTheDatabaseHangs(t *testing.T) {
	proxy := storetest.Behind(t, storetest.URL(t))
	b := testbed.New(t, testbed.Options{Database: proxy.URL})
	first := testbed.Ask(t, b, reply.Question{Text: "Are you there?"})
	testbed.Settled(t, first)
	q := reply.Question{Slug: "helper", Channel: "page", Visitor: testbed.Alice, Text: "And now?",
		Conversation: first.Conversation, Key: "hangs"}
	time.AfterFunc(20*time.Second, proxy.GoOn)
	proxy.Hang()
	began := time.Now()
	_, err := b.Replies.Ask(t.Context(), q)
	if took := time.Since(began); codeOf(err) != fault.NoRecords || took > 15*time.Second {
		t.Errorf("after %v: %v", took, err)
	}
	proxy.GoOn()
	testbed.Until(t, "it can be asked again", func() bool {
		r, err := b.Replies.Ask(t.Context(), q)
		if err != nil {
			return false
		}
		state := testbed.Settled(t, r).End.State
		return state == record.Done || state == record.Interrupted
	})
	left, err := pgx.Connect(t.Context(), proxy.URL)
	if err != nil {
		t.Fatal(err)
	}
	defer left.Close(context.Background())
	testbed.Until(t, "nothing is being written", func() bool {
		n := 1
		return left.QueryRow(t.Context(), `select count(*) from attempt where state = 'running'`).Scan(&n) == nil && n == 0
	})
}

// What is on record as made by an instance that does not make it is interrupted within
// seconds, and does not keep its conversation from being asked.
func TestWhatNobodyMakesIsInterrupted(t *testing.T) {
	database := storetest.URL(t)
	b := testbed.New(t, testbed.Options{Database: database})
	first := testbed.Ask(t, b, reply.Question{Text: "Are you there?"})
	testbed.Settled(t, first)
	db, err := pgx.Connect(t.Context(), database)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close(context.Background())
	if _, err := db.Exec(t.Context(), `update attempt set state = 'running' where turn = $1`, first.Turn); err != nil {
		t.Fatal(err)
	}
	r, err := b.Replies.Ask(t.Context(), reply.Question{Slug: "helper", Channel: "page", Visitor: testbed.Alice,
		Text: "And now?", Conversation: first.Conversation})
	if err != nil {
		t.Fatal(err)
	}
	testbed.Settled(t, r)
	if v, err := b.Store.Conversations.Turn(t.Context(), first.Turn, testbed.Alice); err != nil ||
		v.Attempt.State != record.Interrupted {
		t.Errorf("%+v %v", v.Attempt.State, err)
	}
}

// Two instances on one database: while one writes, the other lets nothing else be asked or
// made again in the conversation, follows what is written, and stops it.
func TestTwoInstancesAreOne(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	two := b.Another(t, nil)
	first := testbed.Ask(t, b, reply.Question{Text: "Are you there?"})
	testbed.Settled(t, first)
	b.Model.Set(testbed.Lasting)
	slow := testbed.Ask(t, b, reply.Question{Text: "Tell me a long story.", Conversation: first.Conversation})
	if _, err := two.Replies.Ask(t.Context(), reply.Question{Slug: "helper", Channel: "page", Visitor: testbed.Alice,
		Text: "And now?", Conversation: first.Conversation}); codeOf(err) != fault.StillWriting {
		t.Errorf("asked at the other one: %v", err)
	}
	for _, turn := range []uuid.UUID{first.Turn, slow.Turn} {
		if _, err := two.Replies.Again(t.Context(), testbed.Alice, turn, deskfile.Choice{}, false); codeOf(err) !=
			fault.StillWriting {
			t.Errorf("made again at the other one: %v", err)
		}
	}
	watched, err := two.Replies.Watch(t.Context(), testbed.Alice, slow.Turn)
	if err != nil {
		t.Fatal(err)
	}
	if err := two.Replies.Stop(t.Context(), testbed.Alice, slow.Turn); err != nil {
		t.Fatal(err)
	}
	for name, r := range map[string]*reply.Reply{"here": slow, "there": watched} {
		if v := testbed.Settled(t, r); v.End.State != record.Stopped {
			t.Errorf("%s it is %+v", name, v.End)
		}
	}
	b.Model.Set(testbed.Fast)
	r, err := two.Replies.Again(t.Context(), testbed.Alice, slow.Turn, deskfile.Choice{}, false)
	if err != nil {
		t.Fatal(err)
	}
	if v := testbed.Settled(t, r); v.End.State != record.Done {
		t.Errorf("made again once it was stopped: %+v", v.End)
	}
}

// The database cuts all connections: who follows a reply at another instance is not told
// that it was interrupted, since it goes on.
func TestTheDatabaseCutsConnections(t *testing.T) {
	database := storetest.URL(t)
	b := testbed.New(t, testbed.Options{Database: database})
	two := b.Another(t, nil)
	b.Model.Set(testbed.Lasting)
	slow := testbed.Ask(t, b, reply.Question{Text: "Tell me a long story."})
	db, err := pgx.Connect(t.Context(), database)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close(context.Background())
	if _, err := db.Exec(t.Context(), `select pg_terminate_backend(pid) from pg_stat_activity
		where datname = current_database() and pid <> pg_backend_pid()`); err != nil {
		t.Fatal(err)
	}
	var watched *reply.Reply
	testbed.Until(t, "it can be followed", func() bool {
		watched, err = two.Replies.Watch(t.Context(), testbed.Alice, slow.Turn)
		return err == nil
	})
	for began := time.Now(); time.Since(began) < 3*time.Second; time.Sleep(100 * time.Millisecond) {
		_ = two.Replies.Sweep(t.Context())
		if v := watched.Since(0, nil); v.Settled {
			t.Fatalf("it is told: %+v", v.End)
		}
	}
	b.Model.Set(testbed.Fast)
	if err := b.Replies.Stop(t.Context(), testbed.Alice, slow.Turn); err != nil {
		t.Fatal(err)
	}
	if v := testbed.Settled(t, watched); v.End.State != record.Stopped {
		t.Errorf("%+v", v.End)
	}
}

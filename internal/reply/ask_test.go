package reply_test

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

	"juvalogos/core/deskfile"
	"juvalogos/core/prompt"
	"juvalogos/internal/fault"
	"juvalogos/internal/record"
	"juvalogos/internal/reply"
	"juvalogos/internal/store/storetest"
	"juvalogos/internal/testbed"
	"juvalogos/standin/modelserver"
)

func TestMain(m *testing.M) { testbed.Main(m) }

var ctx = context.Background()

func TestAReplyIsMadeAndKept(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	r := testbed.Ask(t, b, reply.Question{Text: "  How do I light a smoker?\x00 "})
	v := testbed.Settled(t, r)
	if v.End.State != record.Done || v.End.Finish != "stop" || v.End.ReplyTokens == 0 || v.End.PromptTokens == 0 {
		t.Errorf("ended %+v", v.End)
	}
	turn, err := b.Store.Conversations.Turn(ctx, r.Turn, testbed.Alice)
	if err != nil || turn.Attempt.Reply != string(v.Text) || turn.Attempt.Reply == "" ||
		turn.Attempt.State != record.Done || turn.Attempt.FirstAt == nil {
		t.Errorf("on record: %+v, %v", turn, err)
	}
	if turn.Question != "How do I light a smoker?\uFFFD" || turn.Attempt.Model != "shed/thyme-mini" ||
		turn.Attempt.Revision != 1 {
		t.Errorf("on record: %+v", turn)
	}
}

func TestTheConversationIsRemembered(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	first := testbed.Ask(t, b, reply.Question{Text: "My name is Ottoline."})
	testbed.Settled(t, first)
	second := testbed.Ask(t, b, reply.Question{Text: "What is my name?", Conversation: first.Conversation})
	if v := testbed.Settled(t, second); !strings.Contains(string(v.Text), "Ottoline") || second.TurnNumber != 2 {
		t.Errorf("turn %d: %q", second.TurnNumber, v.Text)
	}
	elsewhere := testbed.Ask(t, b, reply.Question{Text: "What is my name?"})
	if v := testbed.Settled(t, elsewhere); strings.Contains(string(v.Text), "Ottoline") {
		t.Errorf("another conversation knows: %q", v.Text)
	}
}

// A desk that moves to a model of another vocabulary counts what it remembers
// anew: to the token.
func TestMemoryIsCountedInTheModelsVocabulary(t *testing.T) {
	counter, err := prompt.NewCounter("cl100k_base")
	if err != nil {
		t.Fatal(err)
	}
	const fact = "Remember that the gate code is 4711-kX9qvZ7wJpL2mNcR8tYb."
	for _, missing := range []int{0, 1} {
		b := testbed.New(t, testbed.Options{})
		first := testbed.Ask(t, b, reply.Question{Text: fact}) // at a model whose vocabulary is not known
		said := testbed.Settled(t, first).Text
		room := prompt.Exchange{Question: prompt.Measure(counter, fact),
			Reply: prompt.Measure(counter, string(said))}.Cost() - missing
		file := strings.NewReplacer("model: thyme-mini", "model: heather-2", "tokens: 2000",
			fmt.Sprint("tokens: ", room)).Replace(testbed.Desk)
		if _, _, err := b.Desks.Publish(ctx, "d.yaml", []byte(file), "", "me"); err != nil {
			t.Fatal(err)
		}
		second := testbed.Ask(t, b, reply.Question{Text: "What did I ask you to remember?",
			Conversation: first.Conversation})
		if got := string(testbed.Settled(t, second).Text); strings.Contains(got, "4711") != (missing == 0) {
			t.Errorf("with %d tokens too few: %q", missing, got)
		}
	}
}

func TestQuestionsThatAreRefused(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	for _, c := range []struct {
		q    reply.Question
		want fault.Code
	}{
		{reply.Question{Slug: "helper", Text: " \n "}, fault.Empty},
		{reply.Question{Slug: "nowhere", Text: "x"}, fault.NoDesk},
		{reply.Question{Slug: "helper", Text: "x", Conversation: uuid.New()}, fault.NoConversation},
		{reply.Question{Slug: "helper", Text: strings.Repeat("hive ", 4000)}, fault.QuestionLong},
		{reply.Question{Slug: "helper", Text: strings.Repeat("x", reply.LongestQuestion+1)}, fault.QuestionLong},
	} {
		c.q.Channel = "page"
		if _, err := b.Replies.Ask(ctx, c.q); testbed.Code(err) != c.want {
			t.Errorf("%.20q: got %v, want %s", c.q.Text, err, c.want)
		}
	}
	_, err := b.Replies.Ask(ctx, reply.Question{Slug: "helper", Channel: "page", Text: strings.Repeat("hive ", 4000)})
	var p *fault.Problem
	if !errors.As(err, &p) || !strings.Contains(p.Sentence.String(), "please shorten it to about") {
		t.Errorf("got %v", err)
	}
	if list, err := b.Store.Conversations.Conversations(ctx, "helper", record.Visitor{},
		record.Page{Limit: 10}); err != nil || len(list) != 0 {
		t.Errorf("refused questions left %v, %v", list, err)
	}
}

func TestAskingTwiceWithOneKeyIsOneTurn(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	b.Model.Set(testbed.Slow)
	var all sync.WaitGroup
	turns := make([]uuid.UUID, 8)
	for i := range turns {
		all.Go(func() {
			turns[i] = testbed.Ask(t, b, reply.Question{Text: "How do I light a smoker?", Key: "pressed-twice"}).Turn
		})
	}
	all.Wait()
	for _, turn := range turns {
		if turn != turns[0] {
			t.Fatalf("turns %v", turns)
		}
	}
	if list, err := b.Store.Conversations.Conversations(ctx, "helper", testbed.Alice,
		record.Page{Limit: 10}); err != nil || len(list) != 1 {
		t.Errorf("%d conversations, %v", len(list), err)
	}
	if n := b.Model.Requests(); n > 1 {
		t.Errorf("the model was asked %d times", n)
	}
}

func TestOneReplyAtATimeInAConversation(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	b.Model.Set(testbed.Slow)
	r := testbed.Ask(t, b, reply.Question{Text: "one", Key: "a"})
	if _, err := b.Replies.Ask(ctx, reply.Question{Slug: "helper", Channel: "page", Visitor: testbed.Alice, Text: "two",
		Conversation: r.Conversation}); testbed.Code(err) != fault.StillWriting {
		t.Errorf("got %v", err)
	}
	if err := b.Replies.Stop(ctx, testbed.Alice, r.Turn); err != nil {
		t.Fatal(err)
	}
	testbed.Settled(t, r)
	b.Model.Set(testbed.Fast)
	testbed.Settled(t, testbed.Ask(t, b, reply.Question{Text: "two", Conversation: r.Conversation}))
}

func TestStop(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	b.Model.Set(testbed.Slow)
	r := testbed.Ask(t, b, reply.Question{Text: "How do I light a smoker?"})
	testbed.Until(t, "some text", func() bool { return len(r.Since(0, nil).Text) > 20 })
	if err := b.Replies.Stop(ctx, record.Visitor{2}, r.Turn); testbed.Code(err) != fault.NoTurn {
		t.Errorf("a stranger stops it: %v", err)
	}
	if err := b.Replies.Stop(ctx, testbed.Alice, r.Turn); err != nil {
		t.Fatal(err)
	}
	v := testbed.Settled(t, r)
	turn, err := b.Store.Conversations.Turn(ctx, r.Turn, testbed.Alice)
	if err != nil || turn.Attempt.State != record.Stopped || turn.Attempt.Reply != string(v.Text) || len(v.Text) < 20 ||
		v.End.ReplyTokens >= 200 {
		t.Errorf("on record: %+v, %v", turn, err)
	}
	if err := b.Replies.Stop(ctx, testbed.Alice, r.Turn); err != nil {
		t.Errorf("stopping what is over: %v", err)
	}
}

func TestFaultsOfTheModel(t *testing.T) {
	for _, c := range []struct {
		fault        string
		times, after int
		state        record.State
		problem      fault.Code
		text         bool
		notices      bool
	}{
		{"busy", 2, 0, record.Done, "", true, true},
		{"broken", 3, 0, record.Done, "", true, true},
		{"broken", 0, 0, record.Failed, "server-failed", false, true},
		{"busy", 0, 0, record.Failed, "busy", false, true},
		{"unauthorized", 0, 0, record.Failed, "key-refused", false, false},
		{"too-long", 0, 0, record.Failed, "too-long", false, false},
		{"cut", 1, 0, record.Done, "", true, true}, // before the first token it may be asked again
		{"cut", 1, 8, record.Failed, "cut-off", true, false},
		{"malformed", 1, 8, record.Failed, "garbled", true, false},
		{"silent", 0, 0, record.Failed, "silent", false, false},
	} {
		t.Run(c.fault, func(t *testing.T) {
			b := testbed.New(t, testbed.Options{Patience: 400 * time.Millisecond})
			b.Model.Set(testbed.With(modelserver.Control{FirstMS: new(0.0), Rate: new(0.0), Tokens: 40}, c.fault,
				c.times, c.after))
			r := testbed.Ask(t, b, reply.Question{Text: "How do I light a smoker?"})
			v := testbed.Settled(t, r)
			if v.End.State != c.state || v.End.Problem != c.problem || (len(v.Text) > 0) != c.text ||
				(v.NoticeSeq > 0) != c.notices {
				t.Fatalf("ended %+v with %q after %d notices", v.End, v.Text, v.NoticeSeq)
			}
			// What the visitor can put right alone has no id, all else one that the log knows.
			if known := v.End.ProblemID != "" && strings.Contains(b.Log.String(), v.End.ProblemID); c.state ==
				record.Failed && known == (c.problem == "too-long") {
				t.Errorf("%s has the id %q, and the log knows it: %v", c.problem, v.End.ProblemID, known)
			}
			if strings.Contains(b.Log.String(), testbed.ModelKey) {
				t.Error("the key is in the log")
			}
			// It can be made again, as another attempt at the same turn.
			b.Model.Set(testbed.Fast)
			again, err := b.Replies.Again(ctx, testbed.Alice, r.Turn, deskfile.Choice{}, false)
			if err != nil {
				t.Fatal(err)
			}
			if v := testbed.Settled(t, again); v.End.State != record.Done || again.Attempt != 2 ||
				again.Turn != r.Turn {
				t.Errorf("again: attempt %d, %+v", again.Attempt, v.End)
			}
		})
	}
}

func TestWatchingFromElsewhere(t *testing.T) {
	url := storetest.URL(t)
	one := testbed.New(t, testbed.Options{Database: url})
	two := one.Another(t, nil)
	one.Model.Set(testbed.Slow)
	r := testbed.Ask(t, one, reply.Question{Text: "How do I light a smoker?"})
	other, err := two.Replies.Watch(ctx, testbed.Alice, r.Turn)
	if err != nil {
		t.Fatal(err)
	}
	here, there := testbed.Settled(t, r), testbed.Settled(t, other)
	if there.End.State != record.Done || string(here.Text) != string(there.Text) {
		t.Errorf("one instance has %q, the other %q, %+v", here.Text, there.Text, there.End)
	}
}

func TestRepliesMayFinishWhenTheServiceStops(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	b.Model.Set(modelserver.Control{FirstMS: new(0.0), Rate: new(200.0), Tokens: 60})
	r := testbed.Ask(t, b, reply.Question{Text: "How do I light a smoker?"})
	limit, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	b.Replies.Close(limit)
	if v := r.Since(0, nil); !v.Settled || v.End.State != record.Done {
		t.Errorf("ended %+v", v.End)
	}
	if _, err := b.Replies.Ask(ctx, reply.Question{Slug: "helper", Channel: "page",
		Text: "x"}); testbed.Code(err) != fault.Closing {
		t.Errorf("a question to a closed service: %v", err)
	}
}

func TestRepliesAreInterruptedWhenTheTimeIsUp(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	b.Model.Set(testbed.Slow)
	r := testbed.Ask(t, b, reply.Question{Text: "How do I light a smoker?"})
	testbed.Until(t, "some text", func() bool { return len(r.Since(0, nil).Text) > 20 })
	limit, cancel := context.WithTimeout(ctx, 50*time.Millisecond)
	defer cancel()
	b.Replies.Close(limit)
	v := r.Since(0, nil)
	turn, err := b.Store.Conversations.Turn(ctx, r.Turn, testbed.Alice)
	if err != nil || !v.Settled || turn.Attempt.State != record.Interrupted || turn.Attempt.Reply != string(v.Text) {
		t.Errorf("on record: %+v, %v", turn, err)
	}
}

func TestCheckHoldsADeskAgainstItsModel(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	for _, c := range []struct{ from, to, want string }{
		{"model: thyme-mini", "model: tyme-mini",
			`d.yaml:4:8: model: unknown model "tyme-mini"; did you mean "thyme-mini"?`},
		{"model: thyme-mini", "model: clover-embed", "does not chat"},
		{"max_tokens: 900", "max_tokens: 4090", "leave no room for a question in the 4096 tokens"},
	} {
		if _, err := b.Desks.Check("d.yaml", []byte(strings.Replace(testbed.Desk, c.from, c.to, 1))); err == nil ||
			!strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: got %v", c.to, err)
		}
	}
}

func TestTheDatabaseAway(t *testing.T) {
	url := storetest.URL(t)
	b := testbed.New(t, testbed.Options{Database: url})
	testbed.Settled(t, testbed.Ask(t, b, reply.Question{Text: "hello"}))
	// Nobody may connect, and who is connected is thrown out.
	name := url[strings.Index(url, "dbname=")+7 : strings.Index(url, " sslmode")]
	admin, err := pgx.Connect(ctx, strings.Replace(url, "dbname="+name, "dbname=postgres", 1))
	if err != nil {
		t.Fatal(err)
	}
	defer admin.Close(ctx)
	sql := func(statement string) {
		t.Helper()
		if _, err := admin.Exec(ctx, statement); err != nil {
			t.Fatal(err)
		}
	}
	b.Model.Set(modelserver.Control{FirstMS: new(0.0), Rate: new(40.0), Tokens: 80})
	r := testbed.Ask(t, b, reply.Question{Text: "How do I light a smoker?"})
	sql(`alter database ` + name + ` allow_connections false`)
	sql(`select pg_terminate_backend(pid) from pg_stat_activity where datname = '` + name + `'`)
	testbed.Until(t, "a notice that it is not saved",
		func() bool { return r.Since(0, nil).Notice.Kind == "unsaved" })
	if _, err := b.Replies.Ask(ctx, reply.Question{Slug: "helper", Channel: "page", Visitor: testbed.Alice,
		Text: "and now?"}); testbed.Code(err) != fault.NoRecords {
		t.Errorf("asking without a database: %v", err)
	}
	sql(`alter database ` + name + ` allow_connections true`)
	v := testbed.Settled(t, r)
	turn, err := b.Store.Conversations.Turn(ctx, r.Turn, testbed.Alice)
	if err != nil || v.End.State != record.Done || turn.Attempt.Reply != string(v.Text) {
		t.Errorf("on record: %+v, %v", turn, err)
	}
}

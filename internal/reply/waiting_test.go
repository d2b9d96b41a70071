package reply_test

import (
	"errors"
	"strings"
	"testing"
	"time"

	"juvalogos/core/deskfile"
	"juvalogos/internal/fault"
	"juvalogos/internal/models"
	"juvalogos/internal/record"
	"juvalogos/internal/reply"
	"juvalogos/internal/testbed"
)

// heard collects a reply's notices until it ends.
func heard(t *testing.T, r *reply.Reply) (notices []reply.Notice) {
	t.Helper()
	l := r.Listen()
	defer l.Close()
	seen := 0
	timeout := time.After(30 * time.Second)
	for {
		v := r.Since(0, nil)
		if v.NoticeSeq > seen {
			seen = v.NoticeSeq
			notices = append(notices, v.Notice)
		}
		if v.Settled {
			return notices
		}
		select {
		case <-l.Wake:
		case <-timeout:
			t.Fatal("the reply does not end")
		}
	}
}

func TestWhoWaitsInLineIsToldThePlace(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	file, _ := b.Desks.Models.Connections()
	file[0].AtOnce = 1
	b.Desks.Models.Replace(models.File{Connections: file})
	b.Model.Set(testbed.Slow)
	first := testbed.Ask(t, b, reply.Question{Text: "first"})
	testbed.Until(t, "the first is written", func() bool { return len(first.Since(0, nil).Text) > 0 })
	second := testbed.Ask(t, b, reply.Question{Text: "second"})
	testbed.Until(t, "the second is next",
		func() bool { n := second.Since(0, nil).Notice; return n.Kind == "in-line" && n.Place == 1 })
	third := testbed.Ask(t, b, reply.Question{Text: "third"})
	testbed.Until(t, "the third is after it",
		func() bool { return third.Since(0, nil).Notice.Place == 2 })
	if err := b.Replies.Stop(ctx, testbed.Alice, second.Turn); err != nil { // whoever leaves the line makes room
		t.Fatal(err)
	}
	testbed.Until(t, "the third moves up",
		func() bool { return third.Since(0, nil).Notice.Place == 1 })
	if v := testbed.Settled(t, second); v.End.State != record.Stopped || len(v.Text) > 0 {
		t.Errorf("who left the line: %+v", v.End)
	}
	if err := b.Replies.Stop(ctx, testbed.Alice, first.Turn); err != nil {
		t.Fatal(err)
	}
	testbed.Until(t, "the third is written",
		func() bool { v := third.Since(0, nil); return len(v.Text) > 0 && v.Notice.Kind == "writing" })
	b.Model.Set(testbed.Fast)
	file[0].AtOnce = 0
	b.Desks.Models.Replace(models.File{Connections: file}) // no line any more
	testbed.Settled(t, testbed.Ask(t, b, reply.Question{Text: "fourth"}))
}

// What waits in line while nobody waits for it any more is dropped where the desk
// says so, and answered all the same where it does not.
func TestWhatNobodyWaitsForIsDropped(t *testing.T) {
	b := testbed.New(t, testbed.Options{Gone: 200 * time.Millisecond})
	file, _ := b.Desks.Models.Connections()
	file[0].AtOnce = 1
	b.Desks.Models.Replace(models.File{Connections: file})
	if _, err := b.Client.Publish(ctx, "dropping.yaml", []byte(strings.NewReplacer("slug: helper",
		"slug: dropping\nunattended: drop").Replace(testbed.Desk)), ""); err != nil {
		t.Fatal(err)
	}
	b.Model.Set(testbed.Slow)
	first := testbed.Ask(t, b, reply.Question{Text: "first"})
	defer first.Listen().Close()
	ask := func(slug, text string) *reply.Reply {
		r, err := b.Replies.Ask(ctx, reply.Question{Slug: slug, Channel: "page", Visitor: testbed.Alice, Text: text})
		if err != nil {
			t.Fatal(err)
		}
		return r
	}
	dropped, unlistened, answered := ask("dropping", "dropped"), ask("dropping", "never followed"),
		ask("helper", "all the same")
	dropped.Listen().Close()
	answered.Listen().Close()
	testbed.Until(t, "it is dropped", dropped.Settled)
	if v := dropped.Since(0, nil); v.End.State != record.Stopped || v.End.Problem != fault.Left || len(v.Text) > 0 {
		t.Errorf("left: %+v", v.End)
	}
	if notices := unlistened.Since(0, nil); notices.Settled {
		t.Errorf("what nobody ever followed is dropped: %+v", notices.End)
	}
	b.Model.Set(testbed.Fast)
	if err := b.Replies.Stop(ctx, testbed.Alice, first.Turn); err != nil {
		t.Fatal(err)
	}
	if v := testbed.Settled(t, answered); v.End.State != record.Done {
		t.Errorf("at a desk that answers all the same: %+v", v.End)
	}
}

func TestAModelThatIsWakingUpIsWaitedFor(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	b.Model.Set(testbed.With(testbed.Fast, "waking", 6, 0)) // more than a busy server is asked again
	r := testbed.Ask(t, b, reply.Question{Text: "How do I light a smoker?"})
	notices := heard(t, r)
	if v := r.Since(0, nil); v.End.State != record.Done || len(notices) == 0 || notices[0].Kind != "waking" {
		t.Errorf("ended %+v after %+v", v.End, notices)
	}
	b.Model.Set(testbed.With(testbed.Fast, "waking", 0, 0))
	v := testbed.Settled(t, testbed.Ask(t, b, reply.Question{Text: "How do I light a smoker?"}))
	if v.End.Problem != "waking" || !strings.Contains(fault.Sentence(v.End.Problem).String(), "starting up") {
		t.Errorf("ended %+v", v.End)
	}
}

func TestABusyModelSaysHowLong(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	c := testbed.With(testbed.Fast, "busy", 0, 0)
	c.RetryAfter = 42 // longer than is waited
	b.Model.Set(c)
	v := testbed.Settled(t, testbed.Ask(t, b, reply.Question{Text: "How do I light a smoker?"}))
	if v.End.Problem != "busy" || v.End.RetryAfter != 42*time.Second {
		t.Errorf("ended %+v", v.End)
	}
}

func TestVisitorsChooseWhatTheDeskOffers(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	choices := "choices: {models: [{model: heather-2, title: Thorough}], length: true}\nmodel:"
	testbed.Republish(t, b, "model:", choices)
	r := testbed.Ask(t, b, reply.Question{Text: "How do I light a smoker?",
		Choice: deskfile.Choice{Model: "heather-2"}})
	long := testbed.Settled(t, r)
	if r.Model != "shed/heather-2" {
		t.Errorf("asked %s", r.Model)
	}
	short := testbed.Settled(t, testbed.Ask(t, b,
		reply.Question{Text: "How do I light a smoker?",
			Choice: deskfile.Choice{Model: "heather-2", Length: deskfile.Short}}))
	if len(short.Text) >= len(long.Text) {
		t.Errorf("short:\n%s\nlong:\n%s", short.Text, long.Text)
	}
	_, err := b.Replies.Ask(ctx, reply.Question{Slug: "helper", Visitor: testbed.Alice, Channel: "page", Text: "x",
		Choice: deskfile.Choice{Language: "Deutsch"}})
	if testbed.Code(err) != fault.NotOffered {
		t.Errorf("what is not offered: %v", err)
	}
	again, err := b.Replies.Again(ctx, testbed.Alice, r.Turn, deskfile.Choice{}, false)
	if err != nil || again.Model != "shed/thyme-mini" {
		t.Errorf("made again by %+v, %v", again, err)
	}
	testbed.Settled(t, again)
}

func TestAnEditedQuestionIsAskedInThePlaceOfTheOld(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	first := testbed.Ask(t, b, reply.Question{Text: "My name is Ada."})
	testbed.Settled(t, first)
	c := first.Conversation
	said(t, b, &c, "How do I light a smoker?")
	edited := testbed.Ask(t, b, reply.Question{Conversation: c, Instead: first.Turn, Text: "What is my name?"})
	if v := testbed.Settled(t, edited); strings.Contains(string(v.Text), "Ada") || edited.TurnNumber != 1 {
		t.Errorf("turn %d remembers what it replaces: %s", edited.TurnNumber, v.Text)
	}
	_, turns, err := b.Conversations.Conversation(ctx, testbed.Alice, c)
	if err != nil || len(turns) != 1 || len(turns[0].Siblings) != 2 {
		t.Errorf("the path: %+v, %v", turns, err)
	}
	stranger := reply.Question{Slug: "helper", Visitor: record.Visitor{9}, Channel: "page", Conversation: c,
		Instead: first.Turn, Text: "x"}
	if _, err := b.Replies.Ask(ctx, stranger); testbed.Code(err) != fault.NoConversation {
		t.Errorf("a stranger edits: %v", err)
	}
}

func TestTwoQuestionsAtOnceInTwoInstances(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	var p *fault.Problem
	r := testbed.Ask(t, b, reply.Question{Text: "first"})
	testbed.Settled(t, r)
	if err := b.Store.Replies.Ask(ctx, record.NewTurn{ // as another instance would
		ID: r.Conversation, Conversation: r.Conversation, Place: record.Place{Number: 2, Parent: &r.Turn}, DeskID: 1,
		Visitor: testbed.Alice,
		Key:     "k", Question: "q", Vocabulary: "estimate", AskedAt: time.Now(),
	}); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("a question that does not know the end of the path: %v", err)
	}
	_, err := b.Replies.Ask(ctx, reply.Question{Slug: "helper", Visitor: testbed.Alice, Channel: "page",
		Conversation: r.Conversation, Instead: r.Conversation, Text: "x"})
	if !errors.As(err, &p) || p.Code != fault.NoConversation {
		t.Errorf("in the place of a turn that is not there: %v", err)
	}
}

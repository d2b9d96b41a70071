package reply_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"juvalogos/internal/models"
	"juvalogos/internal/record"
	"juvalogos/internal/reply"
	"juvalogos/internal/testbed"
)

// said asks in a conversation and returns the reply's text; a zero
// conversation begins one, which is filled in.
func said(t *testing.T, b *testbed.Bed, conversation *uuid.UUID, text string) string {
	t.Helper()
	r := testbed.Ask(t, b, reply.Question{Conversation: *conversation, Text: text})
	v := testbed.Settled(t, r)
	*conversation = r.Conversation
	testbed.Until(t, "the conversation is free", func() bool { return b.Replies.Running() == 0 })
	return string(v.Text)
}

// summaries are what makers see of what is kept in short.
func summaries(t *testing.T, b *testbed.Bed, conversation uuid.UUID) []record.Summary {
	t.Helper()
	_, _, list, err := b.Conversations.DeskConversation(ctx, conversation)
	if err != nil {
		t.Fatal(err)
	}
	return list
}

const smallMemory = "memory: {turns: 6, tokens: 1500}"

func TestAFactToldSixtyTurnsAgoIsKnown(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	testbed.Republish(t, b, "memory: {turns: 10, tokens: 2000}", smallMemory)
	var c uuid.UUID
	said(t, b, &c, "My name is Perpetua. I keep twelve hives at Larch Hollow.")
	for i := range 60 {
		said(t, b, &c, fmt.Sprintf("Question %d: how much syrup for the winter?", i))
		b.Replies.AwaitFolds() // the next question does not wait for it, the test does
	}
	list := summaries(t, b, c)
	if len(list) < 5 || list[len(list)-1].Turns < 50 || !strings.Contains(list[len(list)-1].Text, "Perpetua") {
		t.Fatalf("summaries: %+v", list)
	}
	if reply := said(t, b, &c, "What is my name?"); !strings.Contains(reply, "Perpetua") {
		t.Errorf("it says %q", reply)
	}
	if reply := said(t, b, &c, "How many hives do I have?"); !strings.Contains(reply, "twelve hives") {
		t.Errorf("it says %q", reply)
	}
}

func TestWithoutASummaryItIsForgotten(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	testbed.Republish(t, b, "memory: {turns: 10, tokens: 2000}", "memory: {turns: 6, tokens: 1500, summary: 0}")
	var c uuid.UUID
	said(t, b, &c, "My name is Perpetua.")
	for range 8 {
		said(t, b, &c, "How much syrup for the winter?")
	}
	if reply := said(t, b, &c, "What is my name?"); strings.Contains(reply, "Perpetua") {
		t.Errorf("it says %q", reply)
	}
	if list := summaries(t, b, c); len(list) != 0 {
		t.Errorf("summaries: %+v", list)
	}
}

func TestTheSummaryIsRemadeOnAnotherPath(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	testbed.Republish(t, b, "memory: {turns: 10, tokens: 2000}", "memory: {turns: 4, tokens: 1500}")
	var c uuid.UUID
	said(t, b, &c, "My name is Perpetua.")
	for range 6 {
		said(t, b, &c, "How much syrup for the winter?")
		b.Replies.AwaitFolds()
	}
	_, turns, err := b.Conversations.Conversation(ctx, testbed.Alice, c)
	if err != nil || len(summaries(t, b, c)) == 0 {
		t.Fatalf("no summary, %v", err)
	}
	r := testbed.Ask(t, b, reply.Question{Conversation: c, Instead: turns[0].ID, Text: "My name is Barnaby."})
	testbed.Settled(t, r)
	testbed.Until(t, "the conversation is free", func() bool { return b.Replies.Running() == 0 })
	if list := summaries(t, b, c); len(list) != 0 {
		t.Fatalf("the summary of another path is used: %+v", list)
	}
	for range 6 {
		said(t, b, &c, "How much syrup for the winter?")
		b.Replies.AwaitFolds()
	}
	list := summaries(t, b, c)
	if len(list) == 0 || !strings.Contains(list[len(list)-1].Text, "Barnaby") ||
		strings.Contains(list[len(list)-1].Text, "Perpetua") {
		t.Errorf("remade: %+v", list)
	}
	if reply := said(t, b, &c, "What is my name?"); !strings.Contains(reply, "Barnaby") {
		t.Errorf("it says %q", reply)
	}
	if err := b.Conversations.Show(ctx, testbed.Alice, turns[0].ID); err != nil {
		t.Fatal(err)
	}
	if reply := said(t, b, &c, "What is my name?"); !strings.Contains(reply, "Perpetua") {
		t.Errorf("back on the first path it says %q", reply)
	}
}

// A model that cannot sum up costs nobody a reply.
func TestAFailedSummaryIsTriedAgain(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	testbed.Republish(t, b, "memory: {turns: 10, tokens: 2000}", "memory: {turns: 4, tokens: 1500}")
	var c uuid.UUID
	said(t, b, &c, "My name is Perpetua.")
	said(t, b, &c, "How much syrup for the winter?")
	r := testbed.Ask(t, b, reply.Question{Conversation: c, Text: "How much syrup for the winter?"})
	// the reply has been asked for, its summary not yet, or it has failed too
	b.Model.Set(testbed.With(testbed.Fast, "too-long", 0, 0))
	testbed.Settled(t, r)
	testbed.Until(t, "the conversation is free", func() bool { return b.Replies.Running() == 0 })
	b.Replies.AwaitFolds()
	b.Model.Set(testbed.Fast)
	for range 3 {
		said(t, b, &c, "How much syrup for the winter?")
		b.Replies.AwaitFolds()
	}
	if list := summaries(t, b, c); len(list) == 0 || !strings.Contains(list[0].Text, "Perpetua") {
		t.Errorf("summaries: %+v", list)
	}
}

// Whatever a model makes of a summary: what is kept is short, whole, and no thinking,
// and most of what was told is in it forty turns later. Of one that is not kept the makers can
// read why.
func TestSummariesOfModelsWithHabits(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	facts := []string{"Perpetua", "twelve hives", "4711"}
	for _, model := range []string{"sage-aloud", "bramble-wordy", "nettle-loose"} {
		kept := models.Connection{Name: model, Address: b.ModelURL + "/v1", Patience: 5 * time.Second,
			Models: []models.Model{{Name: model, Context: 8192}}}
		if err := b.Connections.KeepConnection(ctx, kept, testbed.ModelKey, "me"); err != nil {
			t.Fatal(err)
		}
		file := "slug: " + model + "\ntitle: T\npurpose: P\nmodel: " + model + "\nsampling: {temperature: 0, " +
			"max_tokens: 500}\n" +
			"memory: {turns: 6, tokens: 1500, summary: 200}\n"
		if _, err := b.Client.Publish(ctx, model+".yaml", []byte(file), ""); err != nil {
			t.Fatal(err)
		}
		var c uuid.UUID
		ask := func(text string) {
			r := testbed.Ask(t, b, reply.Question{Slug: model, Conversation: c, Text: text})
			v := testbed.Settled(t, r)
			c = r.Conversation
			testbed.Until(t, "the conversation is free",
				func() bool { return b.Replies.Running() == 0 })
			if strings.Contains(string(v.Text), "Let me see") {
				t.Errorf("%s thinks in its reply: %q", model, v.Text)
			}
			b.Replies.AwaitFolds()
		}
		ask("My name is Perpetua. I keep twelve hives at Larch Hollow. Please remember that the gate code is 4711.")
		for i := range 40 {
			ask(fmt.Sprintf("Question %d: how much syrup for the winter?", i))
		}
		list := summaries(t, b, c)
		if len(list) == 0 {
			t.Errorf("%s: nothing is kept: %s", model, lastLines(b.Log.String()))
			continue
		}
		last := list[len(list)-1]
		known := 0
		for _, fact := range facts {
			if strings.Contains(last.Text, fact) {
				known++
			}
		}
		t.Logf("%s: %d of %d facts in %d tokens of at most 200, %d summaries kept", model, known, len(facts),
			last.Tokens,
			len(list))
		if known < 2 || last.Tokens > 240 || strings.Contains(last.Text, "Let me see") || last.Turns < 30 {
			t.Errorf("%s: %+v", model, last)
		}
	}
}

// lastLines are those of a log that tell of summaries.
func lastLines(log string) string {
	var told []string
	for line := range strings.Lines(log) {
		if strings.Contains(line, "summed up") {
			told = append(told, line)
		}
	}
	return strings.Join(told[max(0, len(told)-2):], "")
}

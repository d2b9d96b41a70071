package shelf_test

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"juvalogos/internal/api"
	"juvalogos/internal/client"
	"juvalogos/internal/inside"
	"juvalogos/internal/record"
	"juvalogos/internal/shelf"
	"juvalogos/internal/testbed"
)

const minutes = "# Minutes of the autumn meeting\n\nAgneta Lindqvist was elected treasurer with 41 votes.\n\n" +
	"The next meeting is on 3 March in the reading room.\n"

const reader = `slug: reader
title: The Reader
purpose: Answers from what you attach.
model: thyme-mini
brief: You are Sprig.
attachments: true
sampling: {temperature: 0}
`

func publish(t *testing.T, b *testbed.Bed, file string) {
	t.Helper()
	if _, err := b.Client.Publish(t.Context(), "desk.yaml", []byte(file), ""); err != nil {
		t.Fatal(err)
	}
}

func question(t *testing.T, b *testbed.Bed, desk, conversation, text string) (api.Begin, api.Outcome, string) {
	t.Helper()
	var begin api.Begin
	var reply strings.Builder
	outcome, err := b.Client.Ask(t.Context(), client.Question{Desk: desk, Conversation: conversation, Text: text},
		client.Follower{
			Begin: func(b api.Begin) { begin = b }, Text: func(s string) { reply.WriteString(s) },
		})
	if err != nil || outcome.State != "done" {
		t.Fatalf("%s: %+v, %v", text, outcome, err)
	}
	if outcome.Reply != nil {
		return begin, outcome, *outcome.Reply
	}
	return begin, outcome, reply.String()
}

func TestWhatIsAttachedIsAnsweredFromSeenByNobodyElseAndGoesWithTheConversation(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	publish(t, b, reader)

	// Before anything is attached the desk converses, and speaks of no documents.
	_, outcome, reply := question(t, b, "reader", "", "How do I light a smoker?")
	if s := client.Sources(outcome); s != nil && (len(s.Sentences) > 0 || len(s.Passages) > 0) ||
		strings.Contains(reply, "documents") {
		t.Errorf("with nothing attached: %q, %+v", reply, client.Sources(outcome))
	}

	// Attached before the first question, answered from at once: the question
	// waits until the document is read.
	conversation, added, err := b.Client.Attach(t.Context(), "reader", "", "minutes.md", strings.NewReader(minutes))
	if err != nil || len(added) != 1 || added[0].Problem != "" || conversation == "" {
		t.Fatalf("%+v, %q, %v", added, conversation, err)
	}
	begin, outcome, reply := question(t, b, "reader", conversation, "Who was elected treasurer?")
	if begin.Conversation != conversation || !strings.Contains(reply, "Agneta Lindqvist") {
		t.Errorf("in %s (asked in %s): %q", begin.Conversation, conversation, reply)
	}
	sources := client.Sources(outcome)
	if sources == nil || !sources.Supported || sources.Passages[0].Title != "Minutes of the autumn meeting" {
		t.Fatalf("sources: %+v", sources)
	}
	if _, _, reply := question(t, b, "reader", conversation, "When is the next meeting?"); !strings.Contains(reply,
		"3 March") {
		t.Errorf("later in the conversation: %q", reply)
	}

	// Nor does the trace tell makers what the document says.
	trace, err := b.Inside.Inside(t.Context(), uuid.MustParse(begin.Turn), 1)
	if err != nil || len(trace.Spans) == 0 {
		t.Fatalf("%+v, %v", trace, err)
	}
	if text := fmt.Sprintf("%+v", trace.Spans); strings.Contains(text, "Agneta") ||
		!strings.Contains(text, "held back") {
		t.Errorf("the trace: %s", text)
	}
	if _, err := b.Inside.Rerun(t.Context(), uuid.MustParse(begin.Turn), inside.Edits{Step: "answer"},
		"me"); err == nil || !strings.Contains(err.Error(), "only the visitor may see") {
		t.Errorf("run again: %v", err)
	}

	// Another conversation knows nothing of it.
	if _, _, reply := question(t, b, "reader", "", "Who was elected treasurer?"); strings.Contains(reply, "Agneta") {
		t.Errorf("another conversation: %q", reply)
	}

	// Nobody else can list, add, open or ask; makers do not see the shelf.
	slug := sources.Passages[0].Shelf
	open := fmt.Sprintf("/api/at/reader/shelves/%s/documents/%d/text", slug, added[0].Document)
	status := func(method, path, token string) int {
		t.Helper()
		r, err := http.NewRequest(method, b.Address+path, nil)
		if err != nil {
			t.Fatal(err)
		}
		if token != "" {
			r.Header.Set("Authorization", "Bearer "+token)
		}
		response, err := http.DefaultClient.Do(r)
		if err != nil {
			t.Fatal(err)
		}
		response.Body.Close()
		return response.StatusCode
	}
	if got := status("GET", open, testbed.Token); got != http.StatusOK {
		t.Errorf("its owner cannot open it: %d", got)
	}
	if got := status("GET", open, ""); got != http.StatusNotFound {
		t.Errorf("a stranger opens it: %d", got)
	}
	for _, rest := range []string{"", "/documents", fmt.Sprintf("/documents/%d/original", added[0].Document), "/map"} {
		if got := status("GET", "/api/shelves/"+slug+rest, testbed.Token); got != http.StatusNotFound {
			t.Errorf("a maker sees %s: %d", rest, got)
		}
	}
	if all, err := b.Client.Shelves(t.Context()); err != nil || len(all) != 0 {
		t.Errorf("shelves: %+v, %v", all, err)
	}
	stranger := &client.Client{Address: b.Address}
	if all, err := stranger.Attached(t.Context(), "reader", conversation); err != nil || len(all) != 0 {
		t.Errorf("a stranger lists %+v, %v", all, err)
	}
	if _, _, err := stranger.Attach(t.Context(), "reader", conversation, "x.md", strings.NewReader("x")); err == nil {
		t.Error("a stranger adds to it")
	}
	if _, err := stranger.Ask(t.Context(), client.Question{Desk: "reader", Conversation: conversation, Text: "Who?"},
		client.Follower{}); err == nil {
		t.Error("a stranger asks in it")
	}
	if _, err := b.Shelves.Make(t.Context(), slug, "", "x"); err == nil {
		t.Error("a shelf of such a name can be made")
	}

	// A bad file says so beside good ones; what is taken back is not answered from.
	_, bad, err := b.Client.Attach(t.Context(), "reader", conversation, "broken.pdf",
		strings.NewReader("%PDF-1.7 nothing"))
	if err != nil || len(bad) != 1 {
		t.Fatalf("%+v, %v", bad, err)
	}
	testbed.Until(t, "the broken file is given up", func() bool {
		all, err := b.Client.Attached(t.Context(), "reader", conversation)
		return err == nil && len(all) == 2 && all[0].Name == "broken.pdf" && all[0].State == "failed" &&
			all[0].Problem != ""
	})
	if err := b.Client.Detach(t.Context(), "reader", conversation, added[0].Document); err != nil {
		t.Fatal(err)
	}
	if _, _, reply := question(t, b, "reader", conversation,
		"How many votes did the treasurer get?"); strings.Contains(reply, "41") && !strings.Contains(reply, "said") {
		t.Errorf("after it was taken back: %q", reply)
	}

	// It goes for good with the conversation.
	if err := b.Client.RemoveRecord(t.Context(), conversation); err != nil {
		t.Fatal(err)
	}
	if all, err := b.Client.Attached(t.Context(), "reader", conversation); err != nil || len(all) != 0 {
		t.Errorf("of a removed conversation: %+v, %v", all, err)
	}
	if _, err := b.Store.Conversations.Purge(context.Background(), time.Now().Add(time.Hour)); err != nil {
		t.Fatal(err)
	}
	if _, err := b.Store.Shelves.Shelf(t.Context(), slug); err != record.ErrNotFound {
		t.Errorf("its shelf is still there: %v", err)
	}
	if d, err := b.Store.Shelves.Document(t.Context(), added[0].Document); err != record.ErrNotFound {
		t.Errorf("the document is still there: %+v, %v", d, err)
	}

	// A desk that does not allow it takes nothing.
	if _, _, err := b.Client.Attach(t.Context(), "helper", "", "minutes.md", strings.NewReader(minutes)); err == nil ||
		!strings.Contains(err.Error(), "No documents can be attached") {
		t.Errorf("at another desk: %v", err)
	}
}

// A search within documents looks into those whose title or name has the words,
// and into all if none has.
func TestSearchWithinDocumentsByName(t *testing.T) {
	b := made(t)
	add(t, b, "extractor.md", extractor)
	add(t, b, "press.md", "# The press\n\nMembers may borrow the press for a week.\n")
	read(t, b)
	for within, want := range map[string][]string{"press": {"press.md"}, "THE ext": {"extractor.md"},
		"": {"extractor.md", "press.md"}, "zeppelin": {"extractor.md", "press.md"}} {
		r, err := b.Shelves.Search(t.Context(), []string{"handbook"},
			shelf.Query{Text: "How long may members borrow it?", Within: within, Limit: 5})
		var names []string
		for _, f := range r.Found {
			names = append(names, f.Document.Name)
		}
		slices.Sort(names)
		if err != nil || !slices.Equal(names, want) || r.Elsewhere != (within == "zeppelin") {
			t.Errorf("within %q: %v, %+v, %v", within, names, r.Elsewhere, err)
		}
	}
}

func TestAConversationTakesTenDocuments(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	publish(t, b, reader)
	conversation := ""
	for i := range 11 {
		id, added, err := b.Client.Attach(t.Context(), "reader", conversation, fmt.Sprintf("%d.txt", i),
			strings.NewReader(fmt.Sprintf("Number %d.", i)))
		if err != nil || len(added) != 1 || (added[0].Problem != "") != (i == 10) {
			t.Errorf("%d: %+v, %v", i, added, err)
		}
		conversation = id
	}
}

package errand_test

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"juvalogos/internal/api"
	"juvalogos/internal/client"
	"juvalogos/internal/testbed"
	"juvalogos/standin/referencesite"
)

func TestMain(m *testing.M) { testbed.Main(m) }

// site starts a reference site, and a service whose desk "reading" may read from it.
func site(t *testing.T, more string) (*referencesite.Site, string, *testbed.Bed) {
	t.Helper()
	s := referencesite.New("/reference")
	server := httptest.NewServer(s)
	t.Cleanup(server.Close)
	b := testbed.New(t, testbed.Options{Visit: []string{strings.TrimPrefix(server.URL, "http://")}})
	at := server.URL + "/reference"
	publish(t, b, fmt.Sprintf(`slug: reading
title: The Reading Desk
purpose: Talks about what you bring.
model: thyme-mini
sampling: {temperature: 0}
bring:
  addresses: true
  sources:
    - {kind: encyclopedia, title: The encyclopedia, address: %[1]s/w/api.php}
    - {kind: papers, title: The papers, address: %[1]s/}
%[2]s`, at, more))
	return s, at, b
}

func publish(t *testing.T, b *testbed.Bed, file string) {
	t.Helper()
	if _, err := b.Client.Publish(t.Context(), "desk.yaml", []byte(file), ""); err != nil {
		t.Fatal(err)
	}
}

// bring has something brought, and waits for it.
func bring(t *testing.T, c *client.Client, desk, conversation string, w api.Wish) api.Errand {
	t.Helper()
	e, err := c.Bring(t.Context(), desk, conversation, w)
	if err != nil {
		t.Fatalf("%+v: %v", w, err)
	}
	e, err = c.Brought(t.Context(), desk, e, nil)
	if err != nil {
		t.Fatalf("%+v: %v", w, err)
	}
	return e
}

// visitor is another visitor than the bed's own client.
func visitor(t *testing.T, b *testbed.Bed, name string) *client.Client {
	t.Helper()
	made, err := b.Client.AddToken(t.Context(), api.NewToken{Name: name, Scopes: []string{"ask"}})
	if err != nil {
		t.Fatal(err)
	}
	return &client.Client{Address: b.Address, Token: made.Secret}
}

// status is how a client's call of an address is answered.
func status(t *testing.T, c *client.Client, address string) int {
	t.Helper()
	r, err := http.NewRequestWithContext(t.Context(), "GET", address, nil)
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("Authorization", "Bearer "+c.Token)
	answer, err := http.DefaultClient.Do(r)
	if err != nil {
		t.Fatal(err)
	}
	answer.Body.Close()
	return answer.StatusCode
}

func ask(t *testing.T, c *client.Client, desk, conversation, text string) (api.Begin, api.Outcome, string) {
	t.Helper()
	var begin api.Begin
	var reply strings.Builder
	outcome, err := c.Ask(t.Context(), client.Question{Desk: desk, Conversation: conversation, Text: text},
		client.Follower{Begin: func(b api.Begin) { begin = b }, Text: func(s string) { reply.WriteString(s) }})
	if err != nil || outcome.State != "done" {
		t.Fatalf("%s: %+v, %v", text, outcome, err)
	}
	if outcome.Reply != nil {
		return begin, outcome, *outcome.Reply
	}
	return begin, outcome, reply.String()
}

// A topic by another name is found under its own, shown, asked about and cited; who
// comes later waits for nothing.
func TestATopic(t *testing.T) {
	s, at, b := site(t, "")
	e := bring(t, b.Client, "reading", "", api.Wish{About: "ling honey"})
	if e.State != "ready" || e.Kind != "topic" || len(e.Works) != 1 || e.Brought != 1 || e.Kept != 0 || e.Nearest {
		t.Fatalf("got %+v\n%s", e, b.Log)
	}
	w := e.Works[0]
	if w.Name != "Heather honey" || w.Kind != "article" || w.Address != at+"/wiki/Heather_honey" || w.State != "ready" ||
		w.Dated.Format(time.DateOnly) != "2026-09-14" || w.Words < 80 || len(w.Headings) == 0 ||
		!strings.Contains(w.Beginning, "heather") || e.Source != "The encyclopedia" {
		t.Errorf("it is shown as %+v from %q", w, e.Source)
	}
	_, outcome, reply := ask(t, b.Client, "reading", e.Conversation, "How much water may heather honey hold?")
	sources := client.Sources(outcome)
	if !strings.Contains(reply, "23") || sources == nil || len(sources.Passages) == 0 ||
		sources.Passages[0].Title != "Heather honey" || !sources.Supported {
		t.Errorf("%q rests on %+v", reply, sources)
	}
	// The visitor opens it at the place; another one, who has not brought it, does not.
	p := sources.Passages[0]
	text := fmt.Sprintf("%s/api/at/reading/shelves/%s/documents/%d/text", b.Address, p.Shelf, p.Document)
	if status := status(t, b.Client, text); status != 200 {
		t.Errorf("the source answers %d", status)
	}
	other := visitor(t, b, "other")
	if status := status(t, other, text); status != 404 {
		t.Errorf("to somebody else the source answers %d", status)
	}
	// Under other names it is not fetched again, nor for somebody else.
	before := s.Asked("")
	for _, name := range []string{"Ling  Honey", "ling honey"} {
		if e := bring(t, other, "reading", "", api.Wish{About: name}); e.State != "ready" || e.Kept != 1 ||
			e.Works[0].Name != "Heather honey" || e.Works[0].State != "ready" {
			t.Errorf("%s: %+v", name, e)
		}
	}
	if n := s.Asked(""); n != before {
		t.Errorf("%d more calls of the site for what is there", n-before)
	}
	if e := bring(t, other, "reading", "", api.Wish{About: "Heather honey"}); e.Kept != 1 || s.Asked("") != before+1 {
		t.Errorf("by its own name: %d more calls, %+v", s.Asked("")-before, e)
	}
	// What one has brought is listed to no other.
	if all, err := other.Errands(t.Context(), "reading", e.Conversation); err != nil || len(all) != 0 {
		t.Errorf("another visitor sees %+v, %v", all, err)
	}
	if _, err := other.Errand(t.Context(), "reading", e.ID); err == nil {
		t.Error("another visitor sees the errand")
	}
}

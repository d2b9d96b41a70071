package web_test

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/goccy/go-yaml"

	"juvalogos/internal/api"
	"juvalogos/internal/client"
	"juvalogos/internal/sse"
	"juvalogos/internal/testbed"
	"juvalogos/standin/modelserver"
)

func TestMain(m *testing.M) { testbed.Main(m) }

var ctx = context.Background()

// visitor is a browser: it has cookies and no token.
func visitor(t *testing.T) *http.Client {
	t.Helper()
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	return &http.Client{Jar: jar}
}

// call makes a request; headers come in pairs.
func call(t *testing.T, c *http.Client, method, url, body string, headers ...string) (*http.Response, string) {
	t.Helper()
	request, err := http.NewRequest(method, url, strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	if body != "" {
		request.Header.Set("Content-Type", "application/json")
	}
	for i := 0; i < len(headers); i += 2 {
		request.Header.Set(headers[i], headers[i+1])
	}
	response, err := c.Do(request)
	if err != nil {
		t.Fatal(err)
	}
	defer response.Body.Close()
	text, err := io.ReadAll(response.Body)
	if err != nil {
		t.Fatal(err)
	}
	return response, string(text)
}

// events parses a whole event stream into "name id data" lines.
func events(t *testing.T, stream string) (names []string, text string, lastID string) {
	t.Helper()
	r := sse.NewReader(strings.NewReader(stream))
	for {
		e, err := r.Next()
		if err == io.EOF {
			return names, text, lastID
		}
		if err != nil {
			t.Fatal(err)
		}
		names = append(names, string(e.Name))
		if len(e.ID) > 0 {
			lastID = string(e.ID)
		}
		if string(e.Name) == "text" {
			var piece struct{ Text string }
			if err := json.Unmarshal(e.Data, &piece); err != nil {
				t.Fatal(err)
			}
			text += piece.Text
		}
	}
}

func TestAVisitorAsksAndComesBack(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	alice, bob := visitor(t), visitor(t)
	response, stream := call(t, alice, "POST", b.Address+"/api/at/helper/questions",
		`{"question":"How do I light a smoker?"}`)
	names, text, _ := events(t, stream)
	if response.StatusCode != 200 || names[0] != "begin" || names[len(names)-1] != "end" || text == "" {
		t.Fatalf("%d: %s", response.StatusCode, stream)
	}
	cookie := response.Header.Get("Set-Cookie")
	if !strings.Contains(cookie, "HttpOnly") || !strings.Contains(cookie, "SameSite=Lax") {
		t.Errorf("cookie %q", cookie)
	}
	var list struct{ Conversations []api.Turn }
	_, body := call(t, alice, "GET", b.Address+"/api/at/helper/conversations", "")
	if err := json.Unmarshal([]byte(body), &list); err != nil || len(list.Conversations) != 1 {
		t.Fatalf("%s, %v", body, err)
	}
	id := list.Conversations[0].ID
	if _, body := call(t, alice, "GET", b.Address+"/api/conversations/"+id, ""); !strings.Contains(body,
		`"state":"done"`) {
		t.Errorf("conversation: %s", body)
	}
	if response, _ := call(t, bob, "GET", b.Address+"/api/conversations/"+id, ""); response.StatusCode != 404 {
		t.Errorf("a stranger gets %d", response.StatusCode)
	}
	if _, body := call(t, bob, "GET", b.Address+"/api/at/helper/conversations", ""); !strings.Contains(body, `[]`) {
		t.Errorf("a stranger's list: %s", body)
	}
}

func TestAReaderThatLostTheStreamMissesNothing(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	b.Model.Set(modelserver.Control{FirstMS: new(0.0), Rate: new(100.0), Tokens: 150})
	alice := visitor(t)
	request, err := http.NewRequest("POST", b.Address+"/api/at/helper/questions",
		strings.NewReader(`{"question":"How do I light a smoker?"}`))
	if err != nil {
		t.Fatal(err)
	}
	response, err := alice.Do(request)
	if err != nil {
		t.Fatal(err)
	}
	var first strings.Builder
	var turn, last string
	r := sse.NewReader(response.Body)
	for first.Len() < 80 {
		e, err := r.Next()
		if err != nil {
			t.Fatal(err)
		}
		last = string(e.ID)
		var data struct{ Turn, Text string }
		if err := json.Unmarshal(e.Data, &data); err != nil {
			t.Fatal(err)
		}
		turn += data.Turn
		first.WriteString(data.Text)
	}
	response.Body.Close() // the connection is lost
	_, rest := call(t, alice, "GET", b.Address+"/api/turns/"+turn+"/events", "", "Last-Event-ID", last)
	_, second, end := events(t, rest)
	_, whole := call(t, alice, "GET", b.Address+"/api/turns/"+turn+"/events", "")
	_, all, _ := events(t, whole)
	if first.String()+second != all || len(all) < 300 {
		t.Errorf("before and after: %q + %q, whole: %q", first.String(), second, all)
	}
	// After the end there is only the end.
	if _, after := call(t, alice, "GET", b.Address+"/api/turns/"+turn+"/events", "", "Last-Event-ID",
		end); strings.Contains(after, "event: text") || !strings.Contains(after, "event: end") {
		t.Errorf("after the end: %s", after)
	}
	// An id that means nothing gets everything.
	for _, id := range []string{"nonsense", "1-99999", "7-3", "1--5", "1-"} {
		_, again := call(t, alice, "GET", b.Address+"/api/turns/"+turn+"/events", "", "Last-Event-ID", id)
		if _, text, _ := events(t, again); text != all {
			t.Errorf("after %q: %q", id, text)
		}
	}
}

// The model says its next word only when the reader has seen the last one: if
// anything on the way held a word back, neither would go on.
func TestATokenIsSeenAsSoonAsTheModelSaysIt(t *testing.T) {
	const words = 20
	seen := make(chan string, words)
	model := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/event-stream")
		for i := range words {
			fmt.Fprintf(w, "data: {\"choices\":[{\"delta\":{\"content\":\"word%d \"}}]}\n\n", i)
			w.(http.Flusher).Flush()
			select {
			case <-seen:
			case <-time.After(20 * time.Second):
				return // cut off
			}
		}
		fmt.Fprint(w, "data: [DONE]\n\n")
	}))
	defer model.Close()
	b := testbed.New(t, testbed.Options{Patience: time.Minute})
	b.ServeModelsFrom(model.URL)
	if _, err := b.Client.Publish(ctx, "helper.yaml", []byte(testbed.Desk+"# read anew\n"), ""); err != nil {
		t.Fatal(err)
	}
	outcome, err := b.Client.Ask(ctx, client.Question{Desk: "helper", Text: "hello"},
		client.Follower{Text: func(s string) { seen <- s }})
	if err != nil || outcome.State != "done" {
		t.Errorf("%+v, %v", outcome, err)
	}
}

func TestKeepingConversations(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	alice, bob := visitor(t), visitor(t)
	var turn api.Turn
	_, body := call(t, alice, "POST", b.Address+"/api/at/helper/questions", `{"question":"How do I light a smoker?"}`,
		"Accept", "application/json")
	if err := json.Unmarshal([]byte(body), &turn); err != nil {
		t.Fatal(err)
	}
	conversation, turnPath := "/api/conversations/"+turn.Conversation, "/api/turns/"+turn.ID
	call(t, alice, "POST", b.Address+turnPath+"/attempts", "", "Accept", "application/json")
	for _, c := range []struct {
		who                *http.Client
		method, path, body string
		status             int
		holds              string
	}{
		{alice, "GET", turnPath + "/attempts", "", 200, `"number":2`},
		{bob, "GET", turnPath + "/attempts", "", 404, ""},
		{alice, "POST", turnPath + "/choose", `{"attempt":1}`, 200, `"attempt":1,"attempts":2`},
		{alice, "POST", turnPath + "/choose", `{"attempt":7}`, 404, ""},
		{bob, "POST", turnPath + "/choose", `{"attempt":1}`, 404, ""},
		{bob, "PATCH", conversation, `{"title":"mine now"}`, 404, ""},
		{alice, "PATCH", conversation, `{"title":" Of   smoke "}`, 204, ""},
		{alice, "PATCH", conversation, `{"title":" "}`, 422, "up to 120 characters"},
		{alice, "PATCH", conversation, `{"title":"` + strings.Repeat("x", 121) + `"}`, 422, "up to 120 characters"},
		{alice, "GET", conversation + "/export", "", 200, "# Of smoke\n\n*The Helper, "},
		{alice, "GET", conversation + "/export?as=markdown", "", 200, "## 1. How do I light a smoker?\n\nLight it"},
		{alice, "GET", conversation + "/export?as=json", "", 200, `"title":"Of smoke"`},
		{alice, "GET", conversation + "/export?as=pdf", "", 422, "markdown, json or zip"},
		{bob, "GET", conversation + "/export", "", 404, ""},
		{bob, "POST", conversation + "/share", "", 404, ""},
		{bob, "GET", "/api/shared/guess", "", 404, "not-shared"},
		{bob, "DELETE", conversation, "", 404, ""},
		{alice, "DELETE", conversation, "", 204, ""},
		{alice, "GET", conversation, "", 404, ""},
		{alice, "GET", "/api/at/helper/conversations", "", 200, `[]`},
		{bob, "POST", conversation + "/restore", "", 404, ""},
		{alice, "POST", conversation + "/restore", "", 204, ""},
		{alice, "GET", conversation, "", 200, "Of smoke"},
	} {
		response, body := call(t, c.who, c.method, b.Address+c.path, c.body)
		if response.StatusCode != c.status || !strings.Contains(body, c.holds) {
			t.Errorf("%s %s %s: %d %s", c.method, c.path, c.body, response.StatusCode, body)
		}
	}
}

func TestTakingBack(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	alice, bob := visitor(t), visitor(t)
	ask := func(body string) (turn api.Turn) {
		t.Helper()
		_, text := call(t, alice, "POST", b.Address+"/api/at/helper/questions", body, "Accept", "application/json")
		if err := json.Unmarshal([]byte(text), &turn); err != nil {
			t.Fatal(err)
		}
		return turn
	}
	first := ask(`{"question":"My name is Ottoline."}`)
	second := ask(`{"question":"My name is Edith.","conversation":"` + first.Conversation + `"}`)
	for _, c := range []struct {
		who    *http.Client
		turn   api.Turn
		status int
		holds  string
	}{
		{bob, second, 404, ""}, {alice, first, 404, "no-such-turn"}, // not theirs, not the last
		{alice, second, 200, `"left":1,"question":"My name is Edith."`}, {alice, second, 404, ""},
	} {
		if response, body := call(t, c.who, "DELETE", b.Address+"/api/turns/"+c.turn.ID,
			""); response.StatusCode != c.status || !strings.Contains(body, c.holds) {
			t.Errorf("taking back %q: %d %s", c.turn.Question, response.StatusCode, body)
		}
	}
	if third := ask(`{"question":"What is my name?","conversation":"` + first.Conversation + `"}`); third.Number != 2 ||
		!strings.Contains(third.Reply, "Ottoline") {
		t.Errorf("what was taken back is remembered: %+v", third)
	} else {
		call(t, alice, "DELETE", b.Address+"/api/turns/"+third.ID, "")
	}
	if _, body := call(t, alice, "DELETE", b.Address+"/api/turns/"+first.ID, ""); !strings.Contains(body, `"left":0`) {
		t.Errorf("the only turn: %s", body)
	}
	if _, body := call(t, alice, "GET", b.Address+"/api/at/helper/conversations", ""); !strings.Contains(body, "[]") {
		t.Errorf("the conversation is still there: %s", body)
	}
}

func TestSharingByALinkThatCanBeWithdrawn(t *testing.T) {
	b := testbed.New(t, testbed.Options{BasePath: "/ask"})
	alice, bob := visitor(t), visitor(t)
	var turn api.Turn
	_, body := call(t, alice, "POST", b.Address+"/api/at/helper/questions", `{"question":"How do I light a smoker?"}`,
		"Accept", "application/json")
	if err := json.Unmarshal([]byte(body), &turn); err != nil {
		t.Fatal(err)
	}
	share := func() string {
		t.Helper()
		var s struct{ Page string }
		_, body := call(t, alice, "POST", b.Address+"/api/conversations/"+turn.Conversation+"/share", "")
		if err := json.Unmarshal([]byte(body), &s); err != nil || !strings.HasPrefix(s.Page, "/ask/shared/") ||
			len(s.Page) < 36 {
			t.Fatalf("%s, %v", body, err)
		}
		return strings.TrimPrefix(s.Page, "/ask")
	}
	link := share()
	if again := share(); again != link {
		t.Errorf("shared twice it has two links: %s and %s", link, again)
	}
	if response, body := call(t, bob, "GET", b.Address+"/api"+link, ""); response.StatusCode != 200 ||
		!strings.Contains(body, "Light it at the bottom") {
		t.Errorf("%d %s", response.StatusCode, body)
	}
	if response, page := call(t, bob, "GET", b.Address+link, ""); response.StatusCode != 200 ||
		response.Header.Get("X-Robots-Tag") != "noindex" || !strings.Contains(page, `"slug":"helper"`) {
		t.Errorf("%d %s", response.StatusCode, page)
	}
	// Reading is all that the link allows.
	if response, _ := call(t, bob, "POST", b.Address+"/api/turns/"+turn.ID+"/attempts",
		""); response.StatusCode != 404 {
		t.Errorf("a reader may make it again: %d", response.StatusCode)
	}
	if response, _ := call(t, alice, "DELETE", b.Address+"/api/conversations/"+turn.Conversation+"/share",
		""); response.StatusCode != 204 {
		t.Errorf("withdrawn: %d", response.StatusCode)
	}
	for _, path := range []string{"/api" + link, link} {
		if response, body := call(t, bob, "GET", b.Address+path, ""); response.StatusCode != 404 ||
			!strings.Contains(body, "not any more") {
			t.Errorf("%s after it was withdrawn: %d %s", path, response.StatusCode, body)
		}
	}
	if next := share(); next == link {
		t.Error("a withdrawn link is given again")
	}
}

// Removing a conversation stops what is being written in it.
func TestRemovingStopsTheModel(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	b.Model.Set(testbed.Slow)
	outcome, err := b.Client.Ask(ctx, client.Question{Desk: "helper", Text: "x"},
		client.Follower{Begin: func(begun api.Begin) {
			request, _ := http.NewRequest("DELETE", b.Address+"/api/conversations/"+begun.Conversation, nil)
			request.Header.Set("Authorization", "Bearer "+testbed.Token)
			if _, err := http.DefaultClient.Do(request); err != nil {
				t.Error(err)
			}
		}})
	if err != nil || outcome.State != "stopped" {
		t.Errorf("%+v, %v", outcome, err)
	}
}

func TestAskingForJSON(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	response, body := call(t, visitor(t), "POST", b.Address+"/api/at/helper/questions", `{"question":"hello"}`,
		"Accept", "application/json")
	var turn api.Turn
	if err := json.Unmarshal([]byte(body), &turn); err != nil || response.StatusCode != 200 ||
		turn.Outcome.State != "done" || turn.Reply == "" {
		t.Errorf("%d %s, %v", response.StatusCode, body, err)
	}
}

func TestProblemsAreProblemDetails(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	for _, c := range []struct {
		method, path, body string
		status             int
		code               string
	}{
		{"POST", "/api/at/nowhere/questions", `{"question":"x"}`, 404, "no-such-desk"},
		{"POST", "/api/at/helper/questions", `{"question":" "}`, 422, "empty-question"},
		{"POST", "/api/at/helper/questions", `{"question":`, 422, "invalid"},
		{"POST", "/api/at/helper/questions", `{"question":"x","conversation":"y"}`, 404, "no-such-conversation"},
		{"POST", "/api/at/helper/questions", `{"question":"` + strings.Repeat("hive ", 4000) + `"}`, 413,
			"question-too-long"},
		{"GET", "/api/turns/not-an-id", "", 404, "no-such-turn"},
		{"GET", "/api/conversations/0", "", 404, "no-such-conversation"},
		{"GET", "/api/nothing", "", 404, "no-such-address"},
		{"PUT", "/api/desks", "", 405, "no-such-address"},
		{"GET", "/api/desks", "", 401, "token-needed"},
		{"POST", "/api/tokens", `{"name":"x"}`, 401, "token-needed"},
	} {
		response, body := call(t, visitor(t), c.method, b.Address+c.path, c.body)
		var p struct {
			Type, Title, Detail, Code string
			Status                    int
		}
		err := json.Unmarshal([]byte(body), &p)
		if err != nil || response.StatusCode != c.status || p.Status != c.status || p.Code != c.code || p.Title == "" ||
			p.Type == "" || len(p.Detail) < 15 ||
			response.Header.Get("Content-Type") != "application/problem+json" {
			t.Errorf("%s %s: %d %s %s, %v", c.method, c.path, response.StatusCode, response.Header.Get("Content-Type"),
				body, err)
		}
	}
}

// A body that is too large is refused by its announced length, before all of it
// is sent.
func TestALargeBodyIsRefused(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	conn, err := net.Dial("tcp", strings.TrimPrefix(b.Address, "http://"))
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close()
	fmt.Fprintf(conn, "POST /api/at/helper/questions HTTP/1.1\r\nHost: x\r\nContent-Length: %d\r\n\r\n", 50<<20)
	go func() {
		piece := bytes.Repeat([]byte("x"), 1<<20)
		for range 5 { // of 50
			if _, err := conn.Write(piece); err != nil {
				return
			}
		}
	}()
	response, err := http.ReadResponse(bufio.NewReader(conn), nil)
	if err != nil {
		t.Fatal(err)
	}
	text, _ := io.ReadAll(response.Body)
	if response.StatusCode != 413 || !strings.Contains(string(text), `"code":"too-large"`) {
		t.Errorf("%d %s", response.StatusCode, text)
	}
}

func TestAnotherSiteCannotActInAVisitorsName(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	ask := func(headers ...string) int {
		response, _ := call(t, visitor(t), "POST", b.Address+"/api/at/helper/questions", `{"question":"hello"}`,
			headers...)
		return response.StatusCode
	}
	if got := ask("Sec-Fetch-Site", "cross-site"); got != 403 {
		t.Errorf("another site gets %d", got)
	}
	if got := ask("Sec-Fetch-Site", "same-origin"); got != 200 {
		t.Errorf("the own page gets %d", got)
	}
}

func TestThePageIsFilledIn(t *testing.T) {
	b := testbed.New(t, testbed.Options{BasePath: "/ask"})
	tricky := strings.Replace(testbed.Desk, "title: The Helper", `title: "</script><b>Helper & Co"`, 1)
	if _, err := b.Client.Publish(ctx, "helper.yaml", []byte(tricky), ""); err != nil {
		t.Fatal(err)
	}
	response, page := call(t, visitor(t), "GET", b.Address+"/at/helper", "")
	for _, want := range []string{`<base href="/ask/">`, `<title>&lt;/script&gt;&lt;b&gt;Helper &amp; Co</title>`,
		`"base":"/ask"`, `\u003c/script\u003e`} {
		if !strings.Contains(page, want) {
			t.Errorf("the page lacks %s: %s", want, page)
		}
	}
	if policy := response.Header.Get("Content-Security-Policy"); !strings.Contains(policy, "default-src 'none'") ||
		!strings.Contains(policy, "script-src 'self'") {
		t.Errorf("policy %q", policy)
	}
	if response, page := call(t, visitor(t), "GET", b.Address+"/at/nowhere", ""); response.StatusCode != 404 ||
		!strings.Contains(page, "There is no desk at this address") {
		t.Errorf("no such desk: %d %s", response.StatusCode, page)
	}
	if response, _ := call(t, visitor(t), "GET", strings.TrimSuffix(b.Address, "/ask")+"/at/helper",
		""); response.StatusCode != 404 {
		t.Errorf("outside the base path: %d", response.StatusCode)
	}
	if response, _ := call(t, visitor(t), "GET", b.Address+"/assets/../index.html", ""); response.StatusCode != 404 {
		t.Errorf("outside the assets: %d", response.StatusCode)
	}
}

func TestMakers(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	if _, err := b.Client.Publish(ctx, "d.yaml", []byte(strings.Replace(testbed.Desk, "title", "titel", 1)),
		""); err == nil || !strings.Contains(err.Error(), `d.yaml:2:1: unknown key "titel"; did you mean "title"?`) {
		t.Errorf("a mistake: %v", err)
	}
	d, err := b.Client.Publish(ctx, "d.yaml", []byte(strings.Replace(testbed.Desk, "The Helper", "Better", 1)), "")
	if err != nil || d.Published != 2 || d.ChangedBy != "test" {
		t.Errorf("published %+v, %v", d, err)
	}
	d, err = b.Client.Desk(ctx, "helper")
	if err != nil || len(d.Revisions) != 2 || !strings.Contains(d.File, "Better") {
		t.Errorf("shown %+v, %v", d, err)
	}
	if desks, err := b.Client.Desks(ctx); err != nil || len(desks) != 1 || desks[0].Title != "Better" {
		t.Errorf("listed %+v, %v", desks, err)
	}
	if list, err := b.Client.Models(ctx); err != nil || len(list) != 7 || list[0].Connection != "shed" {
		t.Errorf("models %+v, %v", list, err)
	}
	if probes, err := b.Client.Probe(ctx, ""); err != nil || len(probes) != 7 ||
		slices.ContainsFunc(probes, func(p api.Probe) bool { return !p.Works }) ||
		probes[4].Reply != "a picture (image/png)" {
		t.Errorf("probes %+v, %v", probes, err)
	}
	if _, err := b.Client.Probe(ctx, "thyme-mimi"); err == nil ||
		!strings.Contains(err.Error(), `did you mean "thyme-mini"?`) {
		t.Errorf("a wrong name: %v", err)
	}
}

func TestTokens(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	made, err := b.Client.AddToken(ctx, api.NewToken{Name: "script"})
	if err != nil || !strings.HasPrefix(made.Secret, "jvl_") {
		t.Fatalf("%+v, %v", made, err)
	}
	other := &client.Client{Address: b.Address, Token: made.Secret}
	if _, err := other.Desks(ctx); err != nil {
		t.Error(err)
	}
	list, err := b.Client.Tokens(ctx)
	if err != nil || len(list) != 2 || list[0].Secret != "" {
		t.Errorf("%+v, %v", list, err)
	}
	for _, bad := range []string{"script", "", "a/b", strings.Repeat("x", 61)} {
		if _, err := b.Client.AddToken(ctx, api.NewToken{Name: bad}); err == nil {
			t.Errorf("took the name %q", bad)
		}
	}
	if err := b.Client.RemoveToken(ctx, "script"); err != nil {
		t.Fatal(err)
	}
	if _, err := other.Desks(ctx); err == nil || !strings.Contains(err.Error(), "not known") {
		t.Errorf("a removed token: %v", err)
	}
	if err := b.Client.RemoveToken(ctx, "script"); err == nil {
		t.Error("removed it twice")
	}
}

// Nothing that leaves the service holds a key or a token.
func TestSecretsNeverLeave(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	b.Model.Set(testbed.With(testbed.Fast, "unauthorized", 0, 0)) // its error repeats the key
	var said []string
	for _, path := range []string{"/api/models", "/api/desks", "/api/desks/helper", "/api/tokens", "/api/openapi.yaml",
		"/at/helper", "/healthz", "/readyz"} {
		_, body := call(t, visitor(t), "GET", b.Address+path, "", "Authorization", "Bearer "+testbed.Token)
		said = append(said, body)
	}
	for _, path := range []string{"/api/models/probe", "/api/at/helper/questions", "/v1/chat/completions"} {
		_, body := call(t, visitor(t), "POST", b.Address+path,
			`{"question":"x","model":"helper","messages":[{"role":"user","content":"x"}]}`, "Authorization", "Bearer "+
				testbed.Token)
		said = append(said, body)
	}
	_, body := call(t, visitor(t), "GET", b.Address+"/api/traces", "", "Authorization", "Bearer "+testbed.Token)
	id := regexp.MustCompile(`"id":"([0-9a-f-]{36})"`).FindStringSubmatch(body)
	if id == nil || !strings.Contains(body, "key-refused") {
		t.Fatalf("no trace in %s", body)
	}
	for _, path := range []string{"?whole=yes", "?format=otlp", "/events"} {
		_, inside := call(t, visitor(t), "GET", b.Address+"/api/traces/"+id[1]+path, "", "Authorization", "Bearer "+
			testbed.Token)
		said = append(said, body, inside)
	}
	_, body = call(t, visitor(t), "GET", b.Address+"/api/desks", "", "Authorization", "Bearer wrong-"+testbed.Token)
	for _, text := range append(said, body, b.Log.String()) {
		if strings.Contains(text, testbed.ModelKey) || strings.Contains(text, testbed.Token) {
			t.Errorf("a secret shows in %s", text)
		}
	}
	if !strings.Contains(b.Log.String(), "key-refused") {
		t.Error("the test did not reach the model")
	}
}

func TestHealth(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	for _, path := range []string{"/healthz", "/readyz"} {
		if response, body := call(t, visitor(t), "GET", b.Address+path, ""); response.StatusCode != 200 {
			t.Errorf("%s: %d %s", path, response.StatusCode, body)
		}
	}
}

// What the API answers has the keys that its description gives it, and no
// others.
func TestAnswersAreAsDescribed(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	_, text := call(t, visitor(t), "GET", b.Address+"/api/openapi.yaml", "")
	var d struct {
		Components struct {
			Schemas map[string]map[string]any
		}
	}
	if err := yaml.Unmarshal([]byte(text), &d); err != nil {
		t.Fatal(err)
	}
	var turn, list map[string]any
	token := []string{"Authorization", "Bearer " + testbed.Token, "Accept", "application/json"}
	get := func(method, path, body string, into *map[string]any) {
		t.Helper()
		_, text := call(t, visitor(t), method, b.Address+path, body, token...)
		if err := json.Unmarshal([]byte(text), into); err != nil {
			t.Fatalf("%s: %v: %s", path, err, text)
		}
	}
	get("POST", "/api/at/helper/questions", `{"question":"hello"}`, &turn)
	matches(t, d.Components.Schemas, "Turn", turn)
	for _, c := range []struct{ path, key, schema string }{
		{"/api/at/helper/conversations", "conversations", "Conversation"}, {"/api/desks", "desks", "Desk"},
		{"/api/models", "models", "Model"}, {"/api/tokens", "tokens", "Token"},
		{"/api/connections", "connections", "Connection"},
		{"/api/desks/helper/conversations", "conversations", "Conversation"},
	} {
		list = nil
		get("GET", c.path, "", &list)
		matches(t, d.Components.Schemas, c.schema, list[c.key].([]any)[0])
	}
	_, _ = call(t, visitor(t), "POST", b.Address+"/api/turns/"+fmt.Sprint(turn["id"])+"/verdict",
		`{"attempt": 1, "helped": false, "reason": "wrong", "remark": "no"}`, token...)
	for _, c := range []struct{ path, key, schema string }{
		{"/api/traces", "traces", "Trace"}, {"/api/verdicts", "verdicts", "Verdict"},
		{"/api/verdicts/causes", "causes", "CauseCount"},
		{"/api/recipes", "recipes", "Recipe"}, {"/api/recipes", "kinds", "StepKind"},
	} {
		list = nil
		get("GET", c.path, "", &list)
		matches(t, d.Components.Schemas, c.schema, list[c.key].([]any)[0])
	}
	var rerun map[string]any
	get("POST", "/api/traces/"+fmt.Sprint(turn["id"])+"/runs",
		`{"step": "answer", "brief": "x", "set": {"answer": {"max_tokens": 5}}}`, &rerun)
	matches(t, d.Components.Schemas, "Inside", rerun)
	for path, schema := range map[string]string{
		"/api/traces/" + fmt.Sprint(turn["id"]): "Inside", "/api/usage?by=day,desk": "Usage",
		"/api/settings/traces": "Keeping", "/api/recipes/contrast": "Recipe", "/api/desks/helper/recipe": "Recipe",
	} {
		list = nil
		get("GET", path, "", &list)
		matches(t, d.Components.Schemas, schema, list)
	}
	for path, schema := range map[string]string{"/api/at/helper": "Face", "/api/desks/helper": "Desk",
		"/api/nothing": "Problem", "/healthz": "Health", "/api/desks/helper/draft": "Draft",
		"/api/desks/helper/revisions/1": "Revision",
		"/api/desks/helper/export":      "PackedDesk", "/api/milestones": "Milestones", "/api/records/" +
			fmt.Sprint(turn["conversation"]): "Conversation", "/api/conversations/" +
			fmt.Sprint(turn["conversation"]): "Conversation"} {
		list = nil
		get("GET", path, "", &list)
		matches(t, d.Components.Schemas, schema, list)
	}
	list = nil
	get("POST", "/v1/chat/completions", `{"model":"helper","messages":[{"role":"user","content":"hello"}]}`, &list)
	matches(t, d.Components.Schemas, "Completion", list)
}

// whole is a schema with what it is made of by allOf put together.
func whole(schemas map[string]map[string]any, schema map[string]any) map[string]any {
	parts, _ := schema["allOf"].([]any)
	if parts == nil {
		return schema
	}
	properties, required := map[string]any{}, []any{}
	for _, part := range parts {
		inner := part.(map[string]any)
		if ref, ok := inner["$ref"].(string); ok {
			inner = schemas[strings.TrimPrefix(ref, "#/components/schemas/")]
		}
		inner = whole(schemas, inner)
		maps.Copy(properties, inner["properties"].(map[string]any))
		names, _ := inner["required"].([]any)
		required = append(required, names...)
	}
	return map[string]any{"type": "object", "properties": properties, "required": required}
}

// matches holds a value against a schema of the description: types, required
// keys, no unknown ones.
func matches(t *testing.T, schemas map[string]map[string]any, name string, value any) {
	t.Helper()
	var check func(path string, schema map[string]any, value any)
	check = func(path string, schema map[string]any, value any) {
		if ref, ok := schema["$ref"].(string); ok {
			schema = schemas[strings.TrimPrefix(ref, "#/components/schemas/")]
		}
		schema = whole(schemas, schema)
		switch v := value.(type) {
		case map[string]any:
			properties, _ := schema["properties"].(map[string]any)
			for key, inner := range v {
				property, ok := properties[key].(map[string]any)
				if !ok {
					if schema["additionalProperties"] == nil {
						t.Errorf("%s.%s is not described", path, key)
					}
					continue
				}
				check(path+"."+key, property, inner)
			}
			required, _ := schema["required"].([]any)
			for _, key := range required {
				if _, ok := v[key.(string)]; !ok {
					t.Errorf("%s.%s is missing", path, key)
				}
			}
		case []any:
			items, ok := schema["items"].(map[string]any)
			if !ok {
				t.Errorf("%s is a list; described is %v", path, schema["type"])
				return
			}
			for _, inner := range v {
				check(path+"[]", items, inner)
			}
		default:
			want := map[string]string{"string": "string", "bool": "boolean"}[fmt.Sprintf("%T", v)]
			if kinds, several := schema["type"].([]any); several && (v == nil || slices.Contains(kinds, any(want))) {
				return
			}
			if kind := schema["type"]; want != "" && kind != want || want == "" && kind != "number" &&
				kind != "integer" {
				t.Errorf("%s is %T; described is %v", path, v, kind)
			}
		}
	}
	check(name, schemas[name], value)
}

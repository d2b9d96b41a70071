package web_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"juvalogos/internal/api"
	"juvalogos/internal/client"
	"juvalogos/internal/testbed"
)

const password = "smoke rises slowly"

// signedIn makes the owner's account and returns a browser with its session,
// and what its changes need.
func signedIn(t *testing.T, b *testbed.Bed) (browser *http.Client, csrf string) {
	t.Helper()
	if err := b.Store.Accounts.SetFirstLink(ctx, "first-link", time.Now()); err != nil {
		t.Fatal(err)
	}
	browser = visitor(t)
	response, body := call(t, browser, "POST", b.Address+"/api/account", `{"name":"Ada","password":"`+password+
		`","link":"first-link"}`)
	var s struct{ Name, CSRF string }
	if err := json.Unmarshal([]byte(body), &s); err != nil || response.StatusCode != 201 || s.Name != "Ada" ||
		s.CSRF == "" {
		t.Fatalf("%d %s", response.StatusCode, body)
	}
	if cookie := response.Header.Get("Set-Cookie"); !strings.Contains(cookie, "HttpOnly") ||
		!strings.Contains(cookie, "SameSite=Lax") {
		t.Errorf("the session's cookie: %s", cookie)
	}
	return browser, s.CSRF
}

func TestTheOwnersAccount(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	ada, csrf := signedIn(t, b)
	for _, c := range []struct {
		body   string
		status int
	}{
		{`{"name":"Eve","password":"` + password + `","link":"first-link"}`, 403}, // it works once
		{`{"name":"Eve","password":"` + password + `","link":"guess"}`, 403},
		{`{"name":"Eve","password":"short","link":"first-link"}`, 422},
		{`{"name":" ","password":"` + password + `","link":"first-link"}`, 422},
	} {
		if response, body := call(t, visitor(t), "POST", b.Address+"/api/account",
			c.body); response.StatusCode != c.status {
			t.Errorf("%s: %d %s", c.body, response.StatusCode, body)
		}
	}
	other := visitor(t)
	if response, body := call(t, other, "POST", b.Address+"/api/session",
		`{"name":"Ada","password":"wrong"}`); response.StatusCode != 401 {
		t.Errorf("a wrong password: %d %s", response.StatusCode, body)
	}
	if response, _ := call(t, other, "GET", b.Address+"/api/session", ""); response.StatusCode != 401 {
		t.Errorf("without a session: %d", response.StatusCode)
	}
	if response, body := call(t, other, "POST", b.Address+"/api/session", `{"name":"Ada","password":"`+password+
		`"}`); response.StatusCode != 200 || strings.Contains(body, csrf) {
		t.Errorf("another browser: %d %s", response.StatusCode, body)
	}
	// Ada sees both browsers, signs the other one out, and changes her password.
	_, body := call(t, ada, "GET", b.Address+"/api/sessions", "")
	var list struct {
		Sessions []struct {
			ID   int
			Here bool
		}
	}
	if err := json.Unmarshal([]byte(body), &list); err != nil || len(list.Sessions) != 2 {
		t.Fatalf("%s, %v", body, err)
	}
	for _, s := range list.Sessions {
		if !s.Here {
			if response, body := call(t, ada, "DELETE", fmt.Sprint(b.Address, "/api/sessions/", s.ID), "",
				"X-CSRF-Token", csrf); response.StatusCode != 204 {
				t.Errorf("signing out: %d %s", response.StatusCode, body)
			}
		}
	}
	if response, _ := call(t, other, "GET", b.Address+"/api/desks", ""); response.StatusCode != 401 {
		t.Errorf("signed out, and still in: %d", response.StatusCode)
	}
	for _, c := range []struct {
		old    string
		status int
	}{{"wrong", 401}, {password, 204}} {
		if response, body := call(t, ada, "POST", b.Address+"/api/account/password", `{"old":"`+c.old+
			`","new":"another smoke"}`, "X-CSRF-Token", csrf); response.StatusCode != c.status {
			t.Errorf("another password: %d %s", response.StatusCode, body)
		}
	}
	if response, _ := call(t, visitor(t), "POST", b.Address+"/api/session", `{"name":"Ada","password":"`+password+
		`"}`); response.StatusCode != 401 {
		t.Errorf("the old password: %d", response.StatusCode)
	}
	if response, _ := call(t, ada, "DELETE", b.Address+"/api/session", "", "X-CSRF-Token",
		csrf); response.StatusCode != 204 {
		t.Errorf("signing oneself out: %d", response.StatusCode)
	}
	if response, _ := call(t, ada, "GET", b.Address+"/api/desks", ""); response.StatusCode != 401 {
		t.Errorf("after signing out: %d", response.StatusCode)
	}
	if text := b.Log.String(); strings.Contains(text, password) || strings.Contains(text, "first-link") ||
		strings.Contains(text, csrf) {
		t.Error("a secret is in the log")
	}
}

func TestChangesNeedOurOwnPage(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	ada, csrf := signedIn(t, b)
	for _, c := range []struct {
		headers []string
		status  int
	}{
		{nil, 403}, {[]string{"X-CSRF-Token", "guess"}, 403},
		{[]string{"X-CSRF-Token", csrf, "Sec-Fetch-Site", "cross-site"}, 403},
		{[]string{"X-CSRF-Token", csrf, "Sec-Fetch-Site", "same-origin"}, 200},
	} {
		if response, body := call(t, ada, "POST", b.Address+"/api/desks/helper/withdraw", "",
			c.headers...); response.StatusCode != c.status {
			t.Errorf("%v: %d %s", c.headers, response.StatusCode, body)
		}
	}
}

func TestGuessingPasswordsIsSlow(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	signedIn(t, b)
	tries := 0
	for ; tries < 30; tries++ {
		response, body := call(t, visitor(t), "POST", b.Address+"/api/session", `{"name":"Ada","password":"guess"}`)
		if response.StatusCode == 429 {
			if response.Header.Get("Retry-After") == "" || !strings.Contains(body, "Try again in") {
				t.Errorf("%v %s", response.Header, body)
			}
			break
		}
	}
	if tries < 5 || tries > 12 {
		t.Errorf("%d guesses were let through", tries)
	}
	if response, _ := call(t, visitor(t), "POST", b.Address+"/api/session", `{"name":"Ada","password":"`+password+
		`"}`); response.StatusCode != 429 {
		t.Errorf("the right one after so many wrong ones: %d", response.StatusCode)
	}
}

func TestTokensAreGoodForTheirScopesOnly(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	with := func(scopes ...string) *client.Client {
		t.Helper()
		made, err := b.Client.AddToken(ctx, api.NewToken{Name: strings.Join(scopes, "+"), Scopes: scopes})
		if err != nil {
			t.Fatal(err)
		}
		return &client.Client{Address: b.Address, Token: made.Secret}
	}
	asking, reading, publishing, managing := with("ask"), with("read"), with("publish"), with("manage")
	ask := func(c *client.Client) error {
		_, err := c.Ask(ctx, client.Question{Desk: "helper", Text: "hello"}, client.Follower{})
		return err
	}
	read := func(c *client.Client) error { _, err := c.Desks(ctx); return err }
	publish := func(c *client.Client) error {
		_, err := c.Publish(ctx, "d", []byte(testbed.Desk+"# "+c.Token), "")
		return err
	}
	manage := func(c *client.Client) error { _, err := c.Tokens(ctx); return err }
	for who, c := range map[string]*client.Client{"ask": asking, "read": reading, "publish": publishing,
		"manage": managing} {
		for what, do := range map[string]func(*client.Client) error{"ask": ask, "read": read, "publish": publish,
			"manage": manage} {
			err := do(c)
			if who == what && err != nil && what != "publish" || who != what &&
				(err == nil || !strings.Contains(err.Error(), "lacks the scope "+what)) {
				t.Errorf("a token for %s does %s: %v", who, what, err)
			}
		}
	}
	if d, err := b.Client.Desk(ctx, "helper"); err != nil || d.Published != 2 || d.ChangedBy != "publish" {
		t.Errorf("published %+v, %v", d, err)
	}
	for _, bad := range []api.NewToken{{Name: "x", Scopes: []string{"everything"}},
		{Name: "x", Scopes: []string{"ask"}, ExpiresAt: new(time.Now().Add(-time.Hour))}} {
		if _, err := b.Client.AddToken(ctx, bad); err == nil {
			t.Errorf("took %+v", bad)
		}
	}
	if list, err := b.Client.Tokens(ctx); err != nil || len(list) != 5 || list[0].UsedAt == nil {
		t.Errorf("%+v, %v", list, err)
	}
}

func TestTheCommandLineSignsIn(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	signedIn(t, b)
	stranger := &client.Client{Address: b.Address}
	if _, err := stranger.Login(ctx, "Ada", "wrong", "laptop"); err == nil {
		t.Error("signed in with a wrong password")
	}
	for range 2 { // signing in again replaces the token
		token, err := stranger.Login(ctx, "Ada", password, "laptop")
		if err != nil || token.ExpiresAt == nil || token.Name != "laptop, Ada" {
			t.Fatalf("%+v, %v", token, err)
		}
		if _, err := (&client.Client{Address: b.Address, Token: token.Secret}).Desks(ctx); err != nil {
			t.Error(err)
		}
	}
}

func TestDraftsAreForMakers(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	ada, csrf := signedIn(t, b)
	draft := strings.Replace(testbed.Desk, "The Helper", "The Better Helper", 1)
	if response, body := call(t, ada, "PUT", b.Address+"/api/desks/helper/draft", draft, "X-CSRF-Token",
		csrf); response.StatusCode != 200 || body != `{"problems":[]}` {
		t.Fatalf("%d %s", response.StatusCode, body)
	}
	for _, c := range []struct {
		who    *http.Client
		path   string
		status int
		holds  string
	}{
		{ada, "/api/at/~helper", 200, "The Better Helper"},
		{ada, "/at/~helper", 200, "The Better Helper"},
		{ada, "/at/helper", 200, "The Helper"},
		{ada, "/api/desks/helper/draft", 200, "The Better Helper"},
		{visitor(t), "/api/at/~helper", 404, "no-such-desk"},
		{visitor(t), "/at/~helper", 404, "no-such-desk"},
		{visitor(t), "/api/desks/helper/draft", 401, ""},
	} {
		if response, body := call(t, c.who, "GET", b.Address+c.path, ""); response.StatusCode != c.status ||
			!strings.Contains(body, c.holds) {
			t.Errorf("%s: %d %s", c.path, response.StatusCode, body)
		}
	}
	if response, body := call(t, ada, "POST", b.Address+"/api/at/~helper/questions", `{"question":"hello"}`, "Accept",
		"application/json"); response.StatusCode != 200 {
		t.Errorf("trying it: %d %s", response.StatusCode, body)
	}
	if response, _ := call(t, visitor(t), "POST", b.Address+"/api/at/~helper/questions",
		`{"question":"hello"}`); response.StatusCode != 404 {
		t.Errorf("a visitor tries it: %d", response.StatusCode)
	}
	if _, body := call(t, ada, "GET", b.Address+"/api/desks/helper/conversations", ""); body != `{"conversations":[]}` {
		t.Errorf("trying is listed: %s", body)
	}
}

func TestMakersReadConversations(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	if _, err := b.Client.Ask(ctx, client.Question{Desk: "helper", Text: "How do I light a smoker?"},
		client.Follower{}); err != nil {
		t.Fatal(err)
	}
	list, err := b.Client.Records(ctx, "helper", "", 0)
	if err != nil || len(list) != 1 {
		t.Fatalf("%+v, %v", list, err)
	}
	testbed.Until(t, "it is found by a word of the reply", func() bool {
		found, err := b.Client.Records(ctx, "helper", "light", 5)
		return err == nil && len(found) == 1
	})
	r, err := b.Client.Record(ctx, list[0].ID)
	if err != nil || len(r.Turns) != 1 || r.Turns[0].Reply == "" {
		t.Errorf("%+v, %v", r, err)
	}
	if text, err := b.Client.ExportRecord(ctx, r.ID, "markdown"); err != nil ||
		!strings.Contains(string(text), "## 1. How do I light a smoker?") {
		t.Errorf("%s, %v", text, err)
	}
	if err := b.Client.RemoveRecord(ctx, r.ID); err != nil {
		t.Fatal(err)
	}
	if _, err := b.Client.Record(ctx, r.ID); err == nil {
		t.Error("a removed conversation is there")
	}
	if err := b.Client.RestoreRecord(ctx, r.ID); err != nil {
		t.Error(err)
	}
	if _, err := b.Client.Record(ctx, "nonsense"); err == nil ||
		!strings.Contains(err.Error(), "no such conversation") {
		t.Errorf("an id that is none: %v", err)
	}
	if _, err := b.Client.Records(ctx, "nothing", "", 0); err == nil {
		t.Error("of a desk that is not there")
	}
}

func TestTypedKeysAreNeverShown(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	token := []string{"Authorization", "Bearer " + testbed.Token}
	body := `{"name":"barn","address":"` + b.ModelURL + `/v1","patience":5,"at_once":2,"key":"` + testbed.ModelKey +
		`","models":[{"name":"dock-leaf","context":2048}]}`
	if response, text := call(t, visitor(t), "PUT", b.Address+"/api/connections/barn", body,
		token...); response.StatusCode != 204 {
		t.Fatalf("%d %s", response.StatusCode, text)
	}
	said := b.Log.String()
	for method, path := range map[string]string{"GET": "/api/connections",
		"POST": "/api/models/probe?model=dock-leaf"} {
		response, text := call(t, visitor(t), method, b.Address+path, "", token...)
		if response.StatusCode != 200 {
			t.Errorf("%s: %d %s", path, response.StatusCode, text)
		}
		said += text
	}
	if strings.Contains(said, testbed.ModelKey) || !strings.Contains(said, `"keyed":true`) ||
		!strings.Contains(said, `"works":true`) {
		t.Errorf("the answers and the log say %s", said)
	}
	for _, c := range []struct{ path, body string }{
		{"/api/connections/barn", `{"name":"other"}`},
		{"/api/connections/barn", `{"name":"barn","address":"x","models":[{"name":"m","context":2048}]}`},
		{"/api/connections/barn", `{"name":"barn"`},
	} {
		if response, text := call(t, visitor(t), "PUT", b.Address+c.path, c.body,
			token...); response.StatusCode != 422 {
			t.Errorf("%s: %d %s", c.body, response.StatusCode, text)
		}
	}
}

// A race of wrong passwords: no more are looked at than one after the other would
// be, all others are told when to try again, and once they may the owner still
// gets in.
func TestARaceOfWrongPasswords(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	signedIn(t, b)
	var refused, told atomic.Int64
	var all sync.WaitGroup
	for range 100 {
		all.Go(func() {
			response, err := http.Post(b.Address+"/api/session", "application/json",
				strings.NewReader(`{"name":"Ada","password":"not the one it is"}`))
			if err != nil {
				t.Error(err)
				return
			}
			response.Body.Close()
			switch {
			case response.StatusCode == 401:
				refused.Add(1)
			case response.StatusCode == 429 && response.Header.Get("Retry-After") != "":
				told.Add(1)
			default:
				t.Errorf("answered %d", response.StatusCode)
			}
		})
	}
	all.Wait()
	if refused.Load() > 8 || refused.Load() == 0 || refused.Load()+told.Load() != 100 {
		t.Errorf("%d were looked at, %d told to wait", refused.Load(), told.Load())
	}
}

// Another password ends the tokens of the account's command lines, if it is to; the
// log has it, and every change of what somebody may do.
func TestAnotherPasswordEndsCommandLines(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	ada, csrf := signedIn(t, b)
	login := func(secret, program string) string {
		_, body := call(t, &http.Client{}, "POST", b.Address+"/api/login",
			fmt.Sprintf(`{"name":"Ada","password":%q,"token":%q}`, secret, program))
		var made struct{ Secret string }
		if err := json.Unmarshal([]byte(body), &made); err != nil || made.Secret == "" {
			t.Fatal(body)
		}
		return made.Secret
	}
	works := func(token string) bool {
		r, _ := call(t, &http.Client{}, "GET", b.Address+"/api/desks", "", "Authorization", "Bearer "+token)
		return r.StatusCode == 200
	}
	first := login(password, "laptop")
	r, text := call(t, ada, "POST", b.Address+"/api/tokens", `{"name":"script","scopes":["read"]}`, "X-CSRF-Token",
		csrf)
	if r.StatusCode != 201 {
		t.Fatal(text)
	}
	var script struct{ Secret string }
	_ = json.Unmarshal([]byte(text), &script)
	change := func(old, fresh string, tokens bool) {
		if r, text := call(t, ada, "POST", b.Address+"/api/account/password",
			fmt.Sprintf(`{"old":%q,"new":%q,"tokens":%v}`,
				old, fresh, tokens), "X-CSRF-Token", csrf); r.StatusCode != 204 {
			t.Fatalf("%d %s", r.StatusCode, text)
		}
	}
	change(password, "bees fly at dawn", false)
	if !works(first) {
		t.Error("a command line was signed out that was not to be")
	}
	change("bees fly at dawn", "the meadow is in flower", true)
	if works(first) || !works(script.Secret) || !works(testbed.Token) {
		t.Errorf("command line %v, script %v, another's %v", works(first), works(script.Secret), works(testbed.Token))
	}
	if second := login("the meadow is in flower", "laptop"); !works(second) {
		t.Error("it cannot sign in again")
	}
	call(t, ada, "DELETE", b.Address+"/api/tokens/script", "", "X-CSRF-Token", csrf)
	for _, line := range []string{`"token added" token=script scopes=[read]`, `by=Ada`, `"token removed" token=script`,
		`"password changed; other browsers are signed out" name=Ada address=127.0.0.1 command_lines_too=true`,
		`"signed in" name=Ada`} {
		if !strings.Contains(b.Log.String(), line) {
			t.Errorf("the log lacks %s", line)
		}
	}
	if strings.Contains(b.Log.String(), script.Secret) || strings.Contains(b.Log.String(), password) {
		t.Error("the log has a secret")
	}
}

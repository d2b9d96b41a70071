package web_test

import (
	"encoding/json"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/goccy/go-yaml"

	"juvalogos/core/picture/picturetest"
	"juvalogos/internal/account"
	"juvalogos/internal/record"
	"juvalogos/internal/testbed"
)

// access is what the description of the API says of who may make a call.
type access struct {
	method, path string
	Security     []map[string][]string
	Owner        string `yaml:"x-owner"`
}

// wants is what a call wants of a token, of a session and of a visitor; ok is false
// where it does not take them.
func (a access) wants(scheme string) (scopes []string, ok bool) {
	for _, s := range a.Security {
		if scopes, ok = s[scheme]; ok {
			return scopes, true
		}
	}
	return nil, false
}

// table is the table of routes, scopes and owners: the description of the API.
func table(t *testing.T) (all []access) {
	t.Helper()
	text, err := os.ReadFile("openapi.yaml")
	if err != nil {
		t.Fatal(err)
	}
	var d struct {
		Paths map[string]map[string]yaml.RawMessage
	}
	if err := yaml.Unmarshal(text, &d); err != nil {
		t.Fatal(err)
	}
	for path, methods := range d.Paths {
		for method, raw := range methods {
			if method == "parameters" {
				continue
			}
			a := access{method: strings.ToUpper(method), path: path}
			if err := yaml.Unmarshal(raw, &a); err != nil {
				t.Fatalf("%s %s: %v", method, path, err)
			}
			if a.Security == nil {
				t.Errorf("%s %s does not say who may call it", a.method, path)
			}
			all = append(all, a)
		}
	}
	slices.SortFunc(all, func(a, b access) int { return strings.Compare(a.path+a.method, b.path+b.method) })
	if len(all) < 90 {
		t.Fatalf("%d calls", len(all))
	}
	return all
}

// address fills a path with what is there, or with what is not.
func (a access) address(base string, fill map[string]string) string {
	path := a.path
	for name, value := range fill {
		path = strings.ReplaceAll(path, "{"+name+"}", value)
	}
	return base + path
}

// nothing names what is not there, so that a call that is let through changes
// nothing.
var nothing = map[string]string{"slug": "no-desk", "id": "00000000-0000-7000-8000-000000000000", "shelf": "no-shelf",
	"page": "1.png", "name": "nothing", "share": "nothing", "number": "1",
	"turn":    "00000000-0000-7000-8000-000000000000",
	"attempt": "1"}

// refused is the code of a problem that says that somebody may not do this; "" of
// all other answers.
func refused(response *http.Response, body string) string {
	var p struct{ Code string }
	_ = json.Unmarshal([]byte(body), &p)
	if response.StatusCode == 401 || response.StatusCode == 403 {
		return p.Code + "!"
	}
	return ""
}

// TestTheWalkOverRoutesAndScopes calls everything with every set of scopes, with a
// session and with nothing, and holds the answers against the table.
func TestTheWalkOverRoutesAndScopes(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	ada, csrf := signedIn(t, b)
	var sets [][]string
	for bits := range 1 << len(account.AllScopes()) {
		var set []string
		for i, scope := range account.AllScopes() {
			if bits&(1<<i) != 0 {
				set = append(set, scope)
			}
		}
		if len(set) == 0 {
			continue
		}
		sets = append(sets, set)
		if _, err := b.Store.Accounts.AddToken(ctx, record.Token{Name: strings.Join(set, "-"), Scopes: set},
			"jvl_"+strings.Join(set, "-")); err != nil {
			t.Fatal(err)
		}
	}
	for _, a := range table(t) {
		name := a.method + " " + a.path
		address := a.address(b.Address, nothing)
		body := ""
		if a.method != "GET" {
			body = "{"
		}
		tokenScopes, byToken := a.wants("token")
		_, bySession := a.wants("session")
		_, byVisitor := a.wants("visitor")
		open := len(a.Security) == 0

		response, text := call(t, visitor(t), a.method, address, body)
		signIn := a.path == "/api/session" || a.path == "/api/login" || a.path == "/api/account"
		if got := refused(response, text); (got != "") == (open || byVisitor) && !(open && signIn) {
			t.Errorf("%s with nothing: %d %s", name, response.StatusCode, text)
		}
		for _, set := range sets {
			response, text := call(t, &http.Client{}, a.method, address, body, "Authorization",
				"Bearer jvl_"+strings.Join(set, "-"))
			may := open || byToken && !slices.ContainsFunc(tokenScopes,
				func(s string) bool { return !slices.Contains(set, s) })
			if got := refused(response, text); (got == "") != may && !(open && signIn) {
				t.Errorf("%s with %v, which wants %v: %d %s", name, set, tokenScopes, response.StatusCode, text)
			}
		}
		if name == "DELETE /api/session" {
			continue
		}
		if bySession {
			response, text := call(t, ada, a.method, address, body, "X-CSRF-Token", csrf)
			if got := refused(response, text); got != "" && got != "wrong-password!" {
				t.Errorf("%s signed in: %d %s", name, response.StatusCode, text)
			}
			if response, _ := call(t, ada, a.method, address, body); a.method != "GET" && response.StatusCode != 403 {
				t.Errorf("%s signed in, from another page: %d", name, response.StatusCode)
			}
		}
	}
}

// TestTheWalkOverOwners calls everything that belongs to a visitor, with what
// belongs to one, as another, as a program and as a maker who is signed in.
func TestTheWalkOverOwners(t *testing.T) {
	b := testbed.New(t, testbed.Options{Visit: []string{"nowhere.invalid"}})
	if _, err := b.Client.Publish(ctx, "reader.yaml", []byte("slug: reader\ntitle: Reader\npurpose: Reads.\n"+
		"model: orchid-eye\npictures: {take: true}\nsound: {take: true, model: burdock-ear}\nattachments: true\n"+
		"bring: {addresses: true}\n"), ""); err != nil {
		t.Fatal(err)
	}
	alice := visitor(t)
	var form strings.Builder
	w := multipart.NewWriter(&form)
	part, _ := w.CreateFormFile("file", "minutes.md")
	_, _ = io.WriteString(part, "# Minutes\n\nThe extractor is lent for three days.")
	w.Close()
	_, text := call(t, alice, "POST", b.Address+"/api/at/reader/attachments", form.String(), "Content-Type",
		w.FormDataContentType())
	var attached struct {
		Conversation string
		Added        []struct{ Document int64 }
	}
	if err := json.Unmarshal([]byte(text), &attached); err != nil || len(attached.Added) != 1 {
		t.Fatalf("%s, %v", text, err)
	}
	_, text = call(t, alice, "POST", b.Address+"/api/at/reader/questions", fmt.Sprintf(
		`{"question":"How long is the extractor lent?","conversation":%q}`, attached.Conversation), "Accept",
		"application/json")
	var turn struct{ ID, Turn string }
	if err := json.Unmarshal([]byte(text), &turn); err != nil || turn.ID+turn.Turn == "" {
		t.Fatalf("%s, %v", text, err)
	}
	_, text = call(t, alice, "POST", b.Address+"/api/at/reader/errands?conversation="+attached.Conversation,
		`{"kind":"address","about":"http://nowhere.invalid/minutes"}`)
	var errand struct{ ID string }
	if err := json.Unmarshal([]byte(text), &errand); err != nil || errand.ID == "" {
		t.Fatalf("%s, %v", text, err)
	}
	picture := give(t, alice, b.Address+"/api/at/reader/pictures", attached.Conversation, "a.png",
		picturetest.PNG(picturetest.Flag(4, 4))).Pictures[0].ID
	recording := recorded(t, alice, b.Address, "reader", attached.Conversation)
	fill := func(a access) map[string]string {
		ids := map[string]string{"slug": "reader", "shelf": "attached-" + attached.Conversation, "page": "1.png"}
		switch {
		case strings.Contains(a.path, "/turns/"):
			ids["id"] = turn.ID + turn.Turn
		case strings.Contains(a.path, "/documents/"), strings.Contains(a.path, "/attachments/"):
			ids["id"] = fmt.Sprint(attached.Added[0].Document)
		case strings.HasPrefix(a.path, "/api/pictures/"), strings.HasSuffix(a.path, "/sent"):
			ids["id"] = picture
		case strings.Contains(a.path, "/recordings/"):
			ids["id"], ids["sentence"] = recording, "0"
		case strings.Contains(a.path, "/errands/"):
			ids["id"] = errand.ID
		default:
			ids["id"] = attached.Conversation
		}
		return ids
	}
	ada, csrf := signedIn(t, b)
	calls := 0
	for _, a := range table(t) {
		if a.Owner != "visitor" {
			continue
		}
		calls++
		query := ""
		if strings.Contains(a.path, "/attachments/") {
			query = "?conversation=" + attached.Conversation
		}
		address := a.address(b.Address, fill(a)) + query
		body := ""
		if a.method != "GET" && a.method != "DELETE" {
			body = `{"title":"mine now","attempt":1,"lane":0,"helped":true,"alt":"mine now"}`
		}
		for who, do := range map[string]func() (*http.Response, string){
			"another visitor": func() (*http.Response, string) { return call(t, visitor(t), a.method, address, body) },
			"a program": func() (*http.Response, string) {
				return call(t, &http.Client{}, a.method, address, body, "Authorization", "Bearer "+testbed.Token)
			},
			"a maker": func() (*http.Response, string) {
				return call(t, ada, a.method, address, body, "X-CSRF-Token", csrf)
			},
		} {
			if response, text := do(); response.StatusCode != 404 || strings.Contains(text, "three days") {
				t.Errorf("%s %s as %s: %d %s", a.method, a.path, who, response.StatusCode, text)
			}
		}
	}
	if calls < 24 {
		t.Errorf("only %d calls belong to visitors", calls)
	}
	// Makers' own routes lead to nobody's attachments either.
	for _, path := range []string{"", "/documents", "/settings", "/map"} {
		response,
			text := call(t, &http.Client{}, "GET", b.Address+"/api/shelves/attached-"+attached.Conversation+path, "",
			"Authorization", "Bearer "+testbed.Token)
		if response.StatusCode != 404 {
			t.Errorf("%s: %d %s", path, response.StatusCode, text)
		}
	}
	// It is all still there, as it was.
	if r, text := call(t, alice, "GET", b.Address+"/api/at/reader/pictures?conversation="+attached.Conversation,
		""); r.StatusCode != 200 || !strings.Contains(text, picture) || strings.Contains(text, "mine now") {
		t.Errorf("the picture afterwards: %d %s", r.StatusCode, text)
	}
	if response, text := call(t, alice, "GET", b.Address+"/api/at/reader/errands?conversation="+attached.Conversation,
		""); response.StatusCode != 200 || !strings.Contains(text, errand.ID) {
		t.Errorf("the errand afterwards: %d %s", response.StatusCode, text)
	}
	response, text := call(t, alice, "GET", b.Address+"/api/conversations/"+attached.Conversation, "")
	if response.StatusCode != 200 || strings.Contains(text, "mine now") {
		t.Errorf("afterwards: %d %s", response.StatusCode, text)
	}
	if response, _ := call(t, alice, "GET", fmt.Sprintf("%s/api/at/reader/shelves/attached-%s/documents/%d/original",
		b.Address, attached.Conversation, attached.Added[0].Document), ""); response.StatusCode != 200 {
		t.Errorf("its own original: %d", response.StatusCode)
	}
}

// A document that was taken off one shelf is not put back through another's route.
func TestWhatWasRemovedComesBackOnlyWhereItWas(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	token := "Bearer " + testbed.Token
	do := func(method, path, body string, more ...string) (*http.Response, string) {
		return call(t, &http.Client{}, method, b.Address+path, body, append(more, "Authorization", token)...)
	}
	do("POST", "/api/shelves", `{"shelf":"one"}`)
	do("POST", "/api/shelves", `{"shelf":"two"}`)
	var form strings.Builder
	w := multipart.NewWriter(&form)
	part, _ := w.CreateFormFile("file", "minutes.md")
	_, _ = io.WriteString(part, "# Minutes\n\nThe extractor is lent for three days.")
	w.Close()
	_, text := do("POST", "/api/shelves/one/documents", form.String(), "Content-Type", w.FormDataContentType())
	var added struct{ Added []struct{ Document int64 } }
	if err := json.Unmarshal([]byte(text), &added); err != nil || len(added.Added) != 1 {
		t.Fatal(text)
	}
	document := fmt.Sprintf("/documents/%d", added.Added[0].Document)
	if r, text := do("DELETE", "/api/shelves/two"+document, ""); r.StatusCode != 404 {
		t.Errorf("removed by another shelf's route: %d %s", r.StatusCode, text)
	}
	if r, text := do("DELETE", "/api/shelves/one"+document, ""); r.StatusCode != 204 {
		t.Fatalf("%d %s", r.StatusCode, text)
	}
	if r, text := do("POST", "/api/shelves/two"+document+"/restore", ""); r.StatusCode != 404 {
		t.Errorf("put back by another shelf's route: %d %s", r.StatusCode, text)
	}
	if r, text := do("POST", "/api/shelves/one"+document+"/restore", ""); r.StatusCode != 204 {
		t.Errorf("put back: %d %s", r.StatusCode, text)
	}
}

// Drafts are for makers; a program that may only ask learns nothing of them.
func TestDraftsAreForProgramsThatMayRead(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	for _, scope := range []string{account.Ask, account.Read} {
		if _, err := b.Store.Accounts.AddToken(ctx, record.Token{Name: scope, Scopes: []string{scope}},
			"jvl_"+scope); err != nil {
			t.Fatal(err)
		}
	}
	for _, path := range []string{"/api/at/~helper", "/api/at/~helper/shelves/x/documents/1/text"} {
		r, text := call(t, &http.Client{}, "GET", b.Address+path, "", "Authorization", "Bearer jvl_ask")
		if r.StatusCode != 404 || !strings.Contains(text, "no-such-desk") {
			t.Errorf("%s: %d %s", path, r.StatusCode, text)
		}
	}
	for token, status := range map[string]int{"jvl_ask": 404, "jvl_read": 403, testbed.Token: 200} {
		r, text := call(t, &http.Client{Timeout: 20 * time.Second}, "POST", b.Address+"/api/at/~helper/questions",
			`{"question":"How do I light a smoker?"}`, "Authorization", "Bearer "+token, "Accept", "application/json")
		if r.StatusCode != status {
			t.Errorf("asking a draft with %s: %d %s", token, r.StatusCode, text)
		}
	}
	if r, text := call(t, &http.Client{}, "GET", b.Address+"/api/at/~helper", "", "Authorization",
		"Bearer jvl_read"); r.StatusCode != 200 {
		t.Errorf("reading a draft: %d %s", r.StatusCode, text)
	}
}

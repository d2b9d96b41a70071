package protocol

import (
	"encoding/json"
	"encoding/pem"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"juvalogos/core/prompt"
	"juvalogos/internal/models"
)

// Lists of models come in many shapes; of what is none it is said what came, without
// the words of our own library.
func TestListsOfModels(t *testing.T) {
	long := `{"data":[{"id":"oak","about":"` + strings.Repeat("x", 5<<20) + `"}]}`
	for body, want := range map[string][]string{
		`{"object":"list","data":[{"id":"oak"},{"id":"elm"}]}`: {"oak", "elm"},
		`{"models":[{"name":"oak"}]}`:                          {"oak"},
		`{"models":[{"model":"oak"}]}`:                         {"oak"},
		`["oak","elm"]`:                                        {"oak", "elm"},
		`[{"id":"oak"}]`:                                       {"oak"},
		`{"data":["oak"]}`:                                     {"oak"},
		`{"models":{"oak":{"size":3}}}`:                        {"oak"},
		`{"result":{"data":[{"id":"oak"}]}}`:                   {"oak"},
		"\xEF\xBB\xBF" + `{"data":[{"id":"oak"}]}`:             {"oak"},
		`{"data":[]}`:                                          {},
		`{"data":null}`:                                        {},
		long:                                                   {"oak"},
		`{"hello":"world"}`:                                    nil,
		`{"data":[{"size":3}]}`:                                nil,
		`7`:                                                    nil,
		`<html><title>Welcome</title></html>`:                  nil,
		`{"data":[{"id":`:                                      nil,
	} {
		server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter,
			_ *http.Request) {
			fmt.Fprint(w, body)
		}))
		names, err := client(server.URL, time.Second).Names(t.Context())
		server.Close()
		var failure *models.Error
		if !slices.Equal(names, want) || (want == nil) != (err != nil) ||
			err != nil && (!errors.As(err, &failure) || failure.Kind != models.Garbled) {
			t.Errorf("%.60q: %q, %v", body, names, err)
		}
		if err != nil && (strings.Contains(err.Error(), "json:") || strings.Contains(err.Error(), "map[")) {
			t.Errorf("%.60q: %v", body, err)
		}
	}
}

// A server with a certificate of its own is trusted by the file that has it, and
// reached through the proxy that is named.
func TestCertificatesAndProxies(t *testing.T) {
	answer := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		text, _ := json.Marshal(r.Header.Get("X-Team"))
		fmt.Fprintf(w, `{"choices":[{"message":{"content":%s},"finish_reason":"stop"}]}`, text)
	})
	server := httptest.NewTLSServer(answer)
	defer server.Close()
	ask := func(c models.Connection) (string, error) {
		c.Name, c.Patience, c.Headers = "c", 2*time.Second, map[string]string{"X-Team": "bees"}
		made, err := NewChatCompletions(c, models.NewSecret(key))
		if err != nil {
			return "", err
		}
		said := ""
		_, err = made.Generate(t.Context(), models.Request{Model: "m",
			Messages: []prompt.Message{{Role: prompt.User, Text: "x"}}},
			models.Sink{Text: func(b []byte) { said += string(b) }})
		return said, err
	}
	var failure *models.Error
	if _, err := ask(models.Connection{Address: server.URL}); !errors.As(err, &failure) ||
		failure.Kind != models.Untrusted || failure.MayPass() ||
		!strings.Contains(failure.Advice(), "ca in the connection") {
		t.Errorf("a certificate that nobody trusts: %v", err)
	}
	file := filepath.Join(t.TempDir(), "ca.pem")
	if err := os.WriteFile(file, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: server.Certificate().Raw}),
		0o600); err != nil {
		t.Fatal(err)
	}
	if said, err := ask(models.Connection{Address: server.URL, CA: file}); err != nil || said != "bees" {
		t.Errorf("with its certificate: %q, %v", said, err)
	}
	for _, bad := range []string{"/nowhere.pem", os.Args[0]} {
		if _, err := ask(models.Connection{Address: server.URL, CA: bad}); err == nil ||
			!strings.Contains(err.Error(), "certificate") {
			t.Errorf("%s: %v", bad, err)
		}
	}
	through := 0
	proxy := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		through++
		if r.URL.Host != "models.invalid" {
			t.Errorf("the proxy was asked for %s", r.URL)
		}
		answer(w, r)
	}))
	defer proxy.Close()
	if said, err := ask(models.Connection{Address: "http://models.invalid/v1", Proxy: proxy.URL}); err != nil ||
		said != "bees" || through != 1 {
		t.Errorf("through a proxy: %q, %d times, %v", said, through, err)
	}
}

// What a server says of its pace is understood in the ways that it is said.
func TestPaceOfHeaders(t *testing.T) {
	h := http.Header{}
	for name, value := range map[string]string{"X-Ratelimit-Limit-Requests": "60",
		"X-Ratelimit-Remaining-Requests": "0",
		"X-Ratelimit-Reset-Requests":     "1m2.5s", "X-Ratelimit-Limit-Tokens": "90000",
		"X-Ratelimit-Remaining-Tokens": "12"} {
		h.Set(name, value)
	}
	p, said := paceOf(h)
	if !said || p.Requests != 60 || p.RequestsLeft != 0 || p.RequestsAgain != 62500*time.Millisecond ||
		p.Tokens != 90000 ||
		p.TokensLeft != 12 {
		t.Errorf("%+v, %v", p, said)
	}
	if p, said := paceOf(http.Header{"Ratelimit-Remaining": {"0"}, "Ratelimit-Reset": {"7"}}); !said ||
		p.RequestsAgain != 7*time.Second {
		t.Errorf("%+v, %v", p, said)
	}
	if _, said := paceOf(http.Header{"Content-Type": {"text/plain"}}); said {
		t.Error("said nothing")
	}
}

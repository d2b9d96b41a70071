package client_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"juvalogos/internal/client"
)

// stage is a server that plays the service.
func stage(t testing.TB, h http.HandlerFunc) *client.Client {
	s := httptest.NewServer(h)
	t.Cleanup(s.Close)
	return &client.Client{Address: s.URL, Token: "secret", HTTP: s.Client()}
}

// What the service says of a mistake arrives with its code.
func TestProblems(t *testing.T) {
	c := stage(t, func(w http.ResponseWriter, r *http.Request) {
		if got := r.Header.Get("Authorization"); got != "Bearer secret" {
			t.Errorf("shown %q", got)
		}
		w.Header().Set("Content-Type", "application/problem+json")
		w.WriteHeader(http.StatusNotFound)
		fmt.Fprint(w, `{"detail": "There is no desk here.", "code": "not-found", "id": "r-7"}`)
	})
	_, err := c.Desk(t.Context(), "nowhere")
	var p *client.Problem
	if !errors.As(err, &p) || p.Status != 404 || p.Code != "not-found" || p.Error() != "There is no desk here. (r-7)" {
		t.Errorf("got %#v", err)
	}
}

// An address where something else answers, or nothing, is told from both.
func TestOtherAddresses(t *testing.T) {
	c := stage(t, func(w http.ResponseWriter, _ *http.Request) {
		http.Error(w, "<h1>Gone</h1>", http.StatusBadGateway)
	})
	_, err := c.Desks(t.Context())
	if err == nil || !strings.Contains(err.Error(), "not what a Juvalogos says") {
		t.Errorf("got %v", err)
	}
	c = &client.Client{Address: "http://127.0.0.1:1"}
	_, err = c.Desks(t.Context())
	var gone *client.Unreachable
	if !errors.As(err, &gone) || !strings.Contains(err.Error(), "juvalogos start") {
		t.Errorf("got %v", err)
	}
	ctx, cancel := context.WithCancelCause(t.Context())
	cancel(errors.New("no more"))
	if _, err = c.Desks(ctx); err == nil || err.Error() != "no more" {
		t.Errorf("got %v", err)
	}
}

// Names in addresses arrive as they were written.
func TestPathsAreEscaped(t *testing.T) {
	var got string
	c := stage(t, func(w http.ResponseWriter, r *http.Request) {
		got = r.URL.EscapedPath()
		fmt.Fprint(w, `{}`)
	})
	if _, err := c.Desk(t.Context(), "a/b?c"); err != nil || !strings.HasSuffix(got, "a%2Fb%3Fc") {
		t.Errorf("%q, %v", got, err)
	}
}

// A stream that breaks off is taken up after its last event, and every piece of
// text is told once.
func TestBrokenStreamsAreTakenUp(t *testing.T) {
	asked := 0
	c := stage(t, func(w http.ResponseWriter, r *http.Request) {
		asked++
		w.Header().Set("Content-Type", "text/event-stream")
		if r.Method == http.MethodPost {
			body, _ := io.ReadAll(r.Body)
			if !strings.Contains(string(body), `"key":"k"`) {
				t.Errorf("asked with %s", body)
			}
			fmt.Fprint(w, "event: begin\ndata: {\"turn\":\"t1\",\"conversation\":\"c1\"}\n\n"+
				"id: 1-5\nevent: text\ndata: {\"text\":\"Bees \"}\n\nid: 1-9\neve")
			return // cut within an event
		}
		if last := r.Header.Get("Last-Event-ID"); last != "1-5" || r.URL.Path != "/api/turns/t1/events" {
			t.Errorf("taken up at %s after %q", r.URL.Path, last)
		}
		fmt.Fprint(w, "id: 1-9\nevent: text\ndata: {\"text\":\"swarm.\"}\n\n"+
			"event: end\ndata: {\"state\":\"done\",\"turn\":\"t1\"}\n\n")
	})
	var said strings.Builder
	outcome, err := c.Ask(t.Context(), client.Question{Desk: "d", Text: "?", Key: "k"},
		client.Follower{Text: func(s string) { said.WriteString(s) }})
	if err != nil || said.String() != "Bees swarm." || outcome.State != "done" || asked != 2 {
		t.Errorf("%q, %+v, %v, asked %d times", said.String(), outcome, err, asked)
	}
}

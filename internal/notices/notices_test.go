package notices

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"
)

// heard is a channel that keeps what it is sent, and takes nothing while it is deaf.
type heard struct {
	deaf bool
	all  []string
}

func (h *heard) Name() string { return "heard" }
func (h *heard) Send(_ context.Context, n Notice) error {
	if h.deaf {
		return errors.New("deaf")
	}
	h.all = append(h.all, n.Kind+" "+n.Key)
	return nil
}

func quiet() *slog.Logger { return slog.New(slog.DiscardHandler) }

// Each trouble is told once, and that it is over; what lasts for one look is not; a channel
// that takes nothing is told later; another start says nothing twice.
func TestOnceUntilItIsOver(t *testing.T) {
	var found []Trouble
	h := &heard{}
	options := Options{Checks: []Check{func(context.Context) []Trouble { return found }}, Channels: []Channel{h},
		File: filepath.Join(t.TempDir(), "notices.json"), Log: quiet()}
	w := New(options)
	look := func(want string, now int, troubles ...string) {
		t.Helper()
		found = nil
		for _, key := range troubles {
			found = append(found, Trouble{Key: key, What: "The " + key + " is ill."})
		}
		h.all = nil
		w.Look(t.Context())
		if got := strings.Join(h.all, ", "); got != want || len(w.Now()) != now {
			t.Errorf("with %v: told %q, not %q; %d now, not %d", troubles, got, want, len(w.Now()), now)
		}
	}
	look("", 0, "disk")
	look("", 0)
	look("", 0)
	look("", 0, "disk")
	look("trouble disk", 1, "disk")
	look("", 1, "disk")
	look("", 1, "disk", "model a")
	look("trouble model a", 2, "disk", "model a")
	w = New(options) // a start
	look("", 2, "disk", "model a")
	look("", 2, "model a")
	h.deaf = true
	look("", 1, "model a")
	h.deaf = false
	look("over disk", 1, "model a")
	look("", 1, "model a")
	look("", 1, "model a", "disk")
	look("trouble disk", 2, "model a", "disk")
	look("", 2)
	look("over disk, over model a", 0)
	look("", 0)
}

func TestWebhook(t *testing.T) {
	n := Notice{Kind: Begun, Key: "disk", What: "It is full.", Service: "shed", At: time.Unix(1000, 0)}
	status := 204
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		var got Notice
		if err := json.Unmarshal(body, &got); err != nil || got.What != n.What || got.Service != "shed" {
			t.Errorf("%s %v", body, err)
		}
		if at := r.Header.Get("Notice-Time"); at != "1000" || r.Header.Get("Notice-Signature") != Sign("secret", at,
			body) ||
			Sign("other", at, body) == Sign("secret", at, body) {
			t.Errorf("%v", r.Header)
		}
		w.WriteHeader(status)
	}))
	defer server.Close()
	hook := &Webhook{Address: server.URL, Secret: "secret", Client: server.Client()}
	if err := hook.Send(t.Context(), n); err != nil {
		t.Error(err)
	}
	gone := &Webhook{Address: "http://127.0.0.1:1/a-secret", Client: server.Client()}
	if err := gone.Send(t.Context(), n); err == nil || strings.Contains(err.Error(), "a-secret") {
		t.Errorf("%v", err)
	}
	status = 500
	if err := hook.Send(t.Context(), n); err == nil {
		t.Error("500 counts as taken")
	}
}

// mailServer takes mail without TLS, and keeps it.
func mailServer(t *testing.T) (address string, mails func() []string) {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close() })
	var mu sync.Mutex
	var all []string
	go func() {
		for {
			conn, err := l.Accept()
			if err != nil {
				return
			}
			say := func(line string) { _, _ = io.WriteString(conn, line+"\r\n") }
			say("220 ready")
			in, said := bufio.NewScanner(conn), ""
			for in.Scan() {
				line := in.Text()
				switch {
				case strings.HasPrefix(line, "EHLO"):
					say("250-here\r\n250 AUTH PLAIN")
				case line == "DATA":
					say("354 go on")
					for in.Scan() && in.Text() != "." {
						said += in.Text() + "\n"
					}
					mu.Lock()
					all = append(all, said)
					mu.Unlock()
					say("250 kept")
				case line == "QUIT":
					say("221 bye")
				case strings.HasPrefix(line, "AUTH"):
					said += line + "\n"
					say("235 it is you")
				default:
					said += line + "\n"
					say("250 well")
				}
			}
			conn.Close()
		}
	}()
	return l.Addr().String(), func() []string { mu.Lock(); defer mu.Unlock(); return all }
}

func TestMail(t *testing.T) {
	server, mails := mailServer(t)
	m, err := ReadMail("smtp://keeper@"+server+"/?to=owner@example.net&from=Shed+%3Cshed@example.net%3E", "secret")
	if err != nil {
		t.Fatal(err)
	}
	n := Notice{Kind: Over, Key: "disk", What: "The disk\r\nBcc: x@example.net fills – soon.", Service: "shed",
		Since: time.Unix(0, 0), At: time.Unix(60, 0)}
	if err := m.Send(t.Context(), n); err != nil {
		t.Fatal(err)
	}
	all := strings.Join(mails(), "")
	for _, want := range []string{"AUTH PLAIN", "MAIL FROM:<shed@example.net>", "RCPT TO:<owner@example.net>",
		"Subject: ",
		"This is over: ", "The service: shed"} {
		if !strings.Contains(all, want) {
			t.Errorf("without %q:\n%s", want, all)
		}
	}
	if head, _, _ := strings.Cut(all, "\n\n"); strings.Contains(head, "\nBcc:") {
		t.Errorf("a header slips in:\n%s", head)
	}
	m.Insecure = false
	if err := m.Send(t.Context(), n); err == nil || !strings.Contains(err.Error(), "TLS") {
		t.Errorf("a password goes without TLS: %v", err)
	}
	for _, bad := range []string{"mail.example.net", "http://x", "smtp://mail.example.net", "smtp://",
		"smtp://x/?to=nobody"} {
		if _, err := ReadMail(bad, ""); err == nil {
			t.Errorf("%q is taken", bad)
		}
	}
}

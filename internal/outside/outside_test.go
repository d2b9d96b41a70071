package outside

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"juvalogos/internal/vault"
)

func folderOf(t *testing.T, programs map[string]string) *Programs {
	t.Helper()
	folder := t.TempDir()
	for _, at := range []string{folder, filepath.Dir(folder)} { // programs run as another user
		if err := os.Chmod(at, 0o777); err != nil {
			t.Fatal(err)
		}
	}
	for name, text := range programs {
		if err := os.WriteFile(filepath.Join(folder, name), []byte("#!/bin/sh\n"+text+"\n"), 0o755); err != nil {
			t.Fatal(err)
		}
	}
	p, err := NewPrograms(folder)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

func TestPrograms(t *testing.T) {
	t.Setenv("MODEL_KEY", "very-secret")
	p := folderOf(t, map[string]string{
		"upper": "tr a-z A-Z", "show": `echo "$1 $MODEL_KEY"`, "fail": "echo went wrong >&2; exit 3", "flood": "yes",
		"data": "exit 0",
	})
	if err := os.Chmod(filepath.Join(p.folder, "data"), 0o644); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct{ name, in, out, err string }{
		{"upper", "bees", "BEES", ""},
		{"show", "", "$(id); x \n", ""}, // arguments are no shell's; our own secrets are not handed on
		{"fail", "", "", "the program fail failed (exit status 3): went wrong"},
		{"flood", "", "", "wrote more than"},
		{"data", "", "", "there is no program data"},
		{"../upper", "", "", "is not the name of a program"},
		{"nothing", "", "", "there is no program nothing"},
	} {
		ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second)
		if c.name == "flood" {
			cancel()
			ctx, cancel = context.WithTimeoutCause(t.Context(), 2*time.Second, errors.New("wrote more than it should"))
		}
		out, err := p.Run(ctx, c.name, []string{"$(id); x"}, []byte(c.in))
		cancel()
		if string(out) != c.out && c.err == "" || c.err == "" && err != nil || c.err != "" &&
			(err == nil || !strings.Contains(err.Error(), c.err)) {
			t.Errorf("%s: %q, %v", c.name, out, err)
		}
	}
	if _, err := NewPrograms(filepath.Join(p.folder, "nowhere")); err == nil {
		t.Error("a folder that is not there is taken")
	}
}

// Programs are not us where we are root, and have nothing of our environment; a
// folder that only we can enter is refused at the start.
func TestProgramsAreNobody(t *testing.T) {
	if os.Geteuid() != 0 {
		t.Log("not root: programs run as we do")
		return
	}
	t.Setenv("SECRET_KEY", "c0ffee")
	p := folderOf(t, map[string]string{"who": "id -u; env"})
	out, err := p.Run(t.Context(), "who", nil, nil)
	if err != nil || !strings.HasPrefix(string(out), "65534\n") || strings.Contains(string(out), "c0ffee") {
		t.Errorf("%s, %v", out, err)
	}
	closed := filepath.Join(t.TempDir(), "closed")
	if err := os.Mkdir(closed, 0o700); err != nil {
		t.Fatal(err)
	}
	if _, err := NewPrograms(closed); err == nil || !strings.Contains(err.Error(), "chmod o+x") {
		t.Errorf("a closed folder: %v", err)
	}
}

func TestAProgramIsKilledWithItsChildren(t *testing.T) {
	p := folderOf(t, map[string]string{"family": `sh -c 'echo $$ > child; sleep 60' & wait`})
	ctx, cancel := context.WithCancelCause(t.Context())
	why := errors.New("stopped by the visitor")
	child := filepath.Join(p.folder, "child")
	go func() {
		for {
			if text, err := os.ReadFile(child); err == nil && len(text) > 1 {
				cancel(why)
				return
			}
			time.Sleep(5 * time.Millisecond)
		}
	}()
	if _, err := p.Run(ctx, "family", nil, nil); !errors.Is(err, why) {
		t.Errorf("got %v", err)
	}
	text, err := os.ReadFile(child)
	if err != nil {
		t.Fatal(err)
	}
	for began := time.Now(); ; time.Sleep(10 * time.Millisecond) {
		state, err := os.ReadFile("/proc/" + strings.TrimSpace(string(text)) + "/stat")
		if err != nil || strings.Contains(string(state), ") Z ") {
			return // gone, or only waiting to be noticed
		}
		if time.Since(began) > time.Minute {
			t.Fatal("the child of a stopped program lives on")
		}
	}
}

// A key that was meant for one address does not go along when it leads to another.
func TestKeysDoNotGoAlong(t *testing.T) {
	t.Setenv("HIVE_KEY", "very-secret")
	var got []string
	other := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		got = append(got, r.Header.Get("X-Key")+r.Header.Get("Authorization"))
	}))
	defer other.Close()
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		http.Redirect(w, r, other.URL, http.StatusTemporaryRedirect)
	}))
	defer server.Close()
	host := func(address string) string { return strings.TrimPrefix(address, "http://") }
	w := NewWeb([]string{host(server.URL), host(other.URL)}, vault.References{Variables: []string{"HIVE_"}})
	_, _, err := w.Call(t.Context(), "POST", server.URL, map[string]string{"X-Key": "env:HIVE_KEY",
		"Authorization": "env:HIVE_KEY"}, []byte("{}"))
	if err != nil || len(got) != 1 || got[0] != "" {
		t.Errorf("%q, %v", got, err)
	}
}

func TestWebCallsOnlyWhomItMay(t *testing.T) {
	t.Setenv("HIVE_KEY", "very-secret")
	other := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter,
		_ *http.Request) {
		fmt.Fprint(w, "inside")
	}))
	defer other.Close()
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/away" {
			http.Redirect(w, r, other.URL, http.StatusFound)
			return
		}
		fmt.Fprint(w, r.Method, r.Header.Get("X-Key"))
	}))
	defer server.Close()
	w := NewWeb([]string{strings.TrimPrefix(server.URL, "http://")},
		vault.References{Variables: []string{"HIVE_", "NOT_"}})
	status, answer, err := w.Call(t.Context(), "GET", server.URL+"/x", map[string]string{"X-Key": "env:HIVE_KEY"}, nil)
	if err != nil || status != 200 || string(answer) != "GET(secret)" {
		t.Errorf("%d %q %v", status, answer, err)
	}
	for address, want := range map[string]string{
		server.URL + "/away":      "may not be called",
		other.URL:                 "may not be called",
		"http://user:pw@x.org":    "a name and a password in it",
		"file:///etc/passwd":      "http:// or https://",
		"http://169.254.169.254/": "may not be called",
	} {
		if _, _, err := w.Call(t.Context(), "GET", address, nil, nil); err == nil ||
			!strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", address, err)
		}
	}
	for _, variable := range []string{"env:PATH", "env:JUVALOGOS_MASTER", "env:"} {
		if status, _, err := w.Call(t.Context(), "GET", server.URL, map[string]string{"X": variable},
			nil); err == nil ||
			status != 0 || !strings.Contains(err.Error(), "-key-variables") {
			t.Errorf("%s is sent: %v", variable, err)
		}
	}
	if _, _, err := w.Call(t.Context(), "GET", server.URL, map[string]string{"X": "env:NOT_SET"}, nil); err == nil ||
		!strings.Contains(err.Error(), "NOT_SET is not set") {
		t.Errorf("got %v", err)
	}
}

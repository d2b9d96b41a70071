package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"juvalogos/core/evidence"
	"juvalogos/internal/api"
	"juvalogos/internal/client"
)

// output runs a command line and returns what it printed.
func output(t *testing.T, args ...string) (out, complaint string, err error) {
	t.Helper()
	read := func(into **os.File) func() string {
		before := *into
		r, w, pipeErr := os.Pipe()
		if pipeErr != nil {
			t.Fatal(pipeErr)
		}
		*into = w
		text := make(chan string)
		go func() {
			all, _ := io.ReadAll(r)
			text <- string(all)
		}()
		return func() string {
			*into = before
			_ = w.Close()
			return <-text
		}
	}
	outDone, complaintDone := read(&os.Stdout), read(&os.Stderr)
	err = dispatch("juvalogos", commands, args)
	return outDone(), complaintDone(), err
}

// groups are the commands that have commands of their own.
var groups = map[string][]command{
	"desk": deskCommands, "conversation": conversationCommands, "recipe": recipeCommands, "shelf": shelfCommands,
	"trace": traceCommands, "model": modelCommands, "connection": connectionCommands, "token": tokenCommands,
	"quiz": quizCommands,
}

// Every command explains itself with an example that begins as it is called.
func TestEveryCommandExplainsItself(t *testing.T) {
	var lines [][]string
	for _, c := range commands {
		if members, is := groups[c.name]; is {
			for _, m := range members {
				lines = append(lines, []string{c.name, m.name})
			}
		} else if c.name != "version" {
			lines = append(lines, []string{c.name})
		}
	}
	if len(lines) < 40 {
		t.Fatalf("only %d commands", len(lines))
	}
	for _, words := range lines {
		out, _, err := output(t, append(slices.Clone(words), "-h")...)
		name := "juvalogos " + strings.Join(words, " ")
		if !errors.Is(err, flag.ErrHelp) || exitCode(err) != exitOK {
			t.Errorf("%s -h: %v", name, err)
		}
		_, example, found := strings.Cut(out, "Example:\n")
		if !strings.HasPrefix(out, "Usage: "+name) || !found || !strings.Contains(example, name) {
			t.Errorf("%s -h says\n%s", name, out)
		}
	}
}

// What is mistyped is put right, and told from what failed.
func TestMistakes(t *testing.T) {
	for _, c := range []struct {
		args []string
		want string
	}{
		{[]string{"dsek"}, `did you mean "desk"?`},
		{[]string{"desk", "publsh"}, `did you mean "publish"?`},
		{[]string{"ask", "-lod"}, "-h explains the flags"},
	} {
		_, _, err := output(t, c.args...)
		if err == nil || !strings.Contains(err.Error(), c.want) || exitCode(err) != exitUsage {
			t.Errorf("%v: %v, exit %d", c.args, err, exitCode(err))
		}
	}
	_, complaint, err := output(t)
	if exitCode(err) != exitUsage || !strings.Contains(complaint, "shelf") {
		t.Errorf("without a word: %v, %s", err, complaint)
	}
}

func TestExitCodes(t *testing.T) {
	for _, c := range []struct {
		err  error
		want int
	}{
		{nil, exitOK}, {usageError("?"), exitUsage}, {errors.New("no"), exitFailed}, {noReply{}, exitNoReply},
		{fmt.Errorf("wrapped: %w", &client.Unreachable{Address: "a", Err: io.EOF}), exitUnreachable},
		{context.Canceled, exitInterrupted},
		{&client.Problem{Status: 401}, exitNoToken}, {&client.Problem{Status: 403}, exitNoToken},
		{&client.Problem{Status: 404}, exitNotFound}, {&client.Problem{Status: 503}, exitFailed},
	} {
		if got := exitCode(c.err); got != c.want {
			t.Errorf("%v exits with %d", c.err, got)
		}
	}
}

// A command talks to the service that it is told of, and prints what comes.
func TestCommandsAskTheService(t *testing.T) {
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Header.Get("Authorization") != "Bearer owner-token" {
			w.WriteHeader(http.StatusUnauthorized)
			fmt.Fprint(w, `{"detail": "This needs a token.", "code": "no-token"}`)
			return
		}
		fmt.Fprint(w, `{"desks": [{"slug": "hive-helper", "title": "Hive helper", "model": "shed/heather-2"}]}`)
	}))
	defer s.Close()
	t.Setenv("JUVALOGOS_CONFIG", "")
	t.Setenv("HOME", t.TempDir())
	t.Setenv("JUVALOGOS_ADDRESS", s.URL)
	t.Setenv("JUVALOGOS_TOKEN", "owner-token")
	out, _, err := output(t, "desk", "list")
	if err != nil || !strings.Contains(out, "hive-helper") || !strings.Contains(out, "shed/heather-2") {
		t.Errorf("%v\n%s", err, out)
	}
	t.Setenv("JUVALOGOS_TOKEN", "wrong")
	if _, _, err = output(t, "desk", "list"); exitCode(err) != exitNoToken {
		t.Errorf("%v exits with %d", err, exitCode(err))
	}
}

// A recipe file is checked without a service.
func TestFilesAreCheckedAlone(t *testing.T) {
	file := filepath.Join(t.TempDir(), "own.recipe.yaml")
	text := "recipe: own\nabout: Says it.\nsteps:\n  - {name: a, do: generat, from: {}}\nreply: a.text\n"
	if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
	_, _, err := output(t, "recipe", "check", file)
	if err == nil || !strings.Contains(err.Error(), `did you mean "generate"?`) || exitCode(err) != exitFailed {
		t.Errorf("%v exits with %d", err, exitCode(err))
	}
}

func TestSourceLines(t *testing.T) {
	s := &evidence.Sources{
		Supported: true,
		Passages:  []evidence.Passage{{Number: 2, Title: "Handbook"}},
		Sentences: []evidence.Sentence{{Notes: []evidence.Note{
			{Passage: 2, Quote: "18 kilograms", Section: "Stores", Place: "page 3"},
			{Passage: 2, Quote: "18 kilograms", Section: "Stores", Place: "page 3"},
		}}},
	}
	if got := sourceLines(s); got != "\n[2] Handbook, Stores, page 3: “18 kilograms”\n" {
		t.Errorf("got %q", got)
	}
	if got := sourceLines(&evidence.Sources{}); !strings.Contains(got, "do not say this") {
		t.Errorf("got %q", got)
	}
}

func TestNotices(t *testing.T) {
	for want, n := range map[string]api.Notice{
		"(The model is busy; asking again in 3 s.)":                {Kind: "retrying", Why: "busy", Seconds: 3},
		"(Waiting in line: place 2, about 40 s to go.)":            {Kind: "in-line", Place: 2, Seconds: 40},
		"(Looking into the documents …)":                           {Kind: "step", Says: "Looking into the documents"},
		"(The model is waking up; that can take a minute or two.)": {Kind: "waking"},
	} {
		if got := noticeLine(n); got != want {
			t.Errorf("got %q", got)
		}
	}
}

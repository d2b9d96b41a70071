package e2e

import (
	"encoding/json"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/creack/pty"

	"juvalogos/internal/api"
	"juvalogos/internal/testbed"
)

func TestTheCommandLine(t *testing.T) {
	t.Parallel()
	p := startProcess(t)
	folder := openFolder(t)
	write := func(name, text string) string {
		path := filepath.Join(folder, name)
		if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
		return path
	}
	good := write("good.yaml", strings.Replace(testbed.Desk, "The Helper", "A Better Helper", 1))
	bad := write("bad.yaml", strings.Replace(testbed.Desk, "purpose", "porpose", 1))
	connections := filepath.Join(p.data, "connections.yaml")
	for _, c := range []struct {
		args      string
		in        string
		out, errs string // what must be in them
		code      int
	}{
		{"ask -desk helper How do I light a smoker?", "", "Light it at the bottom", "", 0},
		{"ask -desk helper", "How do I light a smoker?\n", "Light it at the bottom", "", 0},
		{"ask -desk helper -json hello", "", `"state": "done"`, "", 0},
		{"ask -desk helpr x", "", "", "There is no desk at this address", 4},
		{"ask -desk helper", "", "", "Please write a question first", 1},
		{"ask x", "", "", "-desk is missing", 2},
		{"ask -desk helper -address http://127.0.0.1:1 x", "", "", "no Juvalogos answers at http://127.0.0.1:1", 3},
		{"desk list -token wrong", "", "", "not known here", 5},
		{"desk check " + good, "", "good.yaml: good", "", 0},
		{"desk check " + bad, "", "", `bad.yaml:3:1: unknown key "porpose"; did you mean "purpose"?`, 1},
		{"desk check -connections " + connections + " " + good + " " + bad, "", "good.yaml: good", "did you mean", 1},
		{"desk check", "", "", "name at least one desk file", 2},
		{"desk publish " + good, "", "revision 2 of helper, at " + p.address + "/at/helper", "", 0},
		{"desk publish " + good, "", "revision 2 of helper", "", 0},
		{"desk publish /nowhere.yaml", "", "", "no such file", 1},
		{"desk list", "", "A Better Helper", "", 0},
		{"desk list -json", "", `"slug": "helper"`, "", 0},
		{"desk show helper", "", "# revision 2, ", "", 0},
		{"desk show nothing", "", "", `There is no desk "nothing"`, 4},
		{"model list", "", "thyme-mini", "", 0},
		{"model list -connections " + connections, "", "estimated", "", 0},
		{"model probe -connections " + connections, "", "works", "", 0},
		{"model probe thyme-mimi", "", "", `did you mean "thyme-mini"?`, 4},
		{"token add robot", "", "jvl_", "", 0},
		{"token add robot", "", "", "already", 1},
		{"token list", "", "robot", "", 0},
		{"token remove robot", "", "removed robot", "", 0},
		{"token remove robot", "", "", "There is no token", 4},
		{"version", "", "juvalogos", "", 0},
		{"asc", "", "", `did you mean "ask"?`, 2},
		{"", "", "", "Usage: juvalogos COMMAND", 2},
	} {
		var args []string
		if c.args != "" {
			args = strings.Split(c.args, " ")
		}
		out, errs, code := p.juvalogos(c.in, args...)
		if code != c.code || !strings.Contains(out, c.out) || !strings.Contains(errs, c.errs) || c.errs == "" &&
			errs != "" {
			t.Errorf("juvalogos %s: exit code %d\n%s\n%s", c.args, code, out, errs)
		}
	}
}

// Every command explains itself with an example.
func TestHelp(t *testing.T) {
	t.Parallel()
	p := &process{t: t, data: t.TempDir()}
	for _, args := range []string{"start", "ask", "desk check", "desk publish", "desk list", "desk show", "model list",
		"model probe", "token add", "token list", "token remove"} {
		out, errs, code := p.juvalogos("", append(strings.Split(args, " "), "-h")...)
		if code != 0 || errs != "" || !strings.Contains(out, "Example:\n  juvalogos "+args) &&
			!strings.Contains(out, "| juvalogos "+args) {
			t.Errorf("juvalogos %s -h: exit code %d\n%s\n%s", args, code, out, errs)
		}
	}
	for _, args := range []string{"-h", "desk -h", "model -h", "token -h"} {
		if out, _, code := p.juvalogos("", strings.Split(args, " ")...); code != 0 ||
			!strings.Contains(out, "Usage: juvalogos") {
			t.Errorf("juvalogos %s: exit code %d\n%s", args, code, out)
		}
	}
}

func TestAskTellsWhenTheReplyIsNotWhole(t *testing.T) {
	t.Parallel()
	p := startProcess(t)
	p.model.Set(testbed.With(testbed.Fast, "unauthorized", 0, 0))
	_, errs, code := p.juvalogos("", "ask", "-desk", "helper", "hello")
	if code != 6 || !strings.Contains(errs, "not set up correctly") || strings.Contains(errs, testbed.ModelKey) {
		t.Errorf("exit code %d: %s", code, errs)
	}
	if _, errs, code := p.juvalogos("", "model", "probe"); code != 6 || strings.Contains(errs, testbed.ModelKey) {
		t.Errorf("probe: exit code %d: %s", code, errs)
	}
}

// Who has no token can attach something and ask about it: all of a command is one visitor.
func TestAStrangerAttaches(t *testing.T) {
	t.Parallel()
	p := startProcess(t)
	file := filepath.Join(t.TempDir(), "reader.yaml")
	if err := os.WriteFile(file, []byte("slug: reader\ntitle: Reader\npurpose: Reads.\nmodel: thyme-mini\n"+
		"attachments: true\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, errs, code := p.juvalogos("", "desk", "publish", file); code != 0 {
		t.Fatal(errs)
	}
	note := filepath.Join(t.TempDir(), "note.txt")
	if err := os.WriteFile(note, []byte("The smoker is lit with dry wood."), 0o600); err != nil {
		t.Fatal(err)
	}
	nothing := filepath.Join(t.TempDir(), "client.yaml")
	if err := os.WriteFile(nothing, []byte("address: "+p.address+"\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	out, errs, code := p.juvalogos("", "ask", "-config", nothing, "-desk", "reader", "-attach", note,
		"With what is the smoker lit?")
	if code != 0 || strings.TrimSpace(out) == "" {
		t.Errorf("exit code %d: %s%s", code, out, errs)
	}
}

func TestAskIsInterrupted(t *testing.T) {
	t.Parallel()
	p := startProcess(t)
	p.model.Set(testbed.Lasting)
	cmd := exec.Command(filepath.Join(programs, "juvalogos"), "ask", "-desk", "helper", "-config", p.config(),
		"How do I light a smoker?")
	out := &testbed.Log{}
	cmd.Stdout = out
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	testbed.Until(t, "some text", func() bool { return len(out.String()) > 20 })
	if err := cmd.Process.Signal(os.Interrupt); err != nil {
		t.Fatal(err)
	}
	_ = cmd.Wait()
	if code := cmd.ProcessState.ExitCode(); code != 130 {
		t.Errorf("exit code %d", code)
	}
	testbed.Until(t, "the reply is stopped",
		func() bool { return p.newest(t).Outcome.State == "stopped" })
}

// newest is the newest turn of the command line's conversations.
func (p *process) newest(t *testing.T) api.Turn {
	t.Helper()
	conversations, err := p.client.Conversations(ctx, "helper")
	if err != nil || len(conversations) == 0 {
		t.Fatalf("%+v, %v", conversations, err)
	}
	c, err := p.client.Conversation(ctx, conversations[0].ID)
	if err != nil || len(c.Turns) == 0 {
		t.Fatalf("%+v, %v", c, err)
	}
	return c.Turns[len(c.Turns)-1]
}

// On a terminal it converses: Ctrl-C stops a reply, Ctrl-D leaves.
func TestConversingOnATerminal(t *testing.T) {
	t.Parallel()
	p := startProcess(t)
	cmd := exec.Command(filepath.Join(programs, "juvalogos"), "ask", "-desk", "helper", "-config", p.config())
	terminal, err := pty.StartWithSize(cmd, &pty.Winsize{Rows: 40, Cols: 100})
	if err != nil {
		t.Fatal(err)
	}
	defer terminal.Close()
	screen := &testbed.Log{}
	go func() { _, _ = io.Copy(screen, terminal) }()
	shows := func(text string) {
		t.Helper()
		testbed.Until(t, "the terminal shows "+text+"\n"+screen.String(),
			func() bool { return strings.Contains(screen.String(), text) })
	}
	type_ := func(keys string) {
		t.Helper()
		if _, err := terminal.WriteString(keys); err != nil {
			t.Fatal(err)
		}
	}
	shows("Ctrl-D leaves")
	shows("> ")
	type_("My name is Ottoline.\r")
	shows("Good to meet you, Ottoline")
	type_("What is my name?\r")
	shows("Your name is Ottoline")
	p.model.Set(testbed.Lasting)
	time.Sleep(200 * time.Millisecond)
	type_("How do I light a smoker?\r")
	shows("Light it at")
	type_("\x03")
	shows("(Stopped.)")
	time.Sleep(200 * time.Millisecond)
	type_("\x04")
	ended := make(chan error, 1)
	go func() { ended <- cmd.Wait() }()
	select {
	case err := <-ended:
		if err != nil {
			t.Errorf("it left with %v", err)
		}
	case <-time.After(5 * time.Second):
		t.Errorf("it does not leave: %s", screen)
		_ = cmd.Process.Kill()
	}
	if got := p.newest(t); got.Outcome.State != "stopped" || got.Number != 3 {
		t.Errorf("on record: %+v", got)
	}
}

func TestAskForJSONIsOneObject(t *testing.T) {
	t.Parallel()
	p := startProcess(t)
	out, _, code := p.juvalogos("", "ask", "-desk", "helper", "-json", "hello")
	var turn api.Turn
	if err := json.Unmarshal([]byte(out), &turn); err != nil || code != 0 || turn.Reply == "" ||
		turn.Outcome.State != "done" {
		t.Errorf("exit code %d, %v: %s", code, err, out)
	}
	// The conversation can be gone on with.
	if out, _, code := p.juvalogos("", "ask", "-desk", "helper", "-json", "-conversation", turn.Conversation,
		"hello"); code != 0 || !strings.Contains(out, `"number": 2`) {
		t.Errorf("exit code %d: %s", code, out)
	}
}

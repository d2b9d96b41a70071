package e2e

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"juvalogos/internal/client"
	"juvalogos/internal/testbed"
)

// demo is a running demo.
type demo struct {
	t    *testing.T
	cmd  *exec.Cmd
	out  *testbed.Log
	data string
}

func startDemo(t *testing.T, data, listen, standin string) *demo {
	t.Helper()
	d := &demo{t: t, cmd: exec.Command(filepath.Join(programs, "juvalogos-demo"), "-data", data, "-listen", listen,
		"-standin", standin), out: &testbed.Log{}, data: data}
	d.cmd.Stdout, d.cmd.Stderr = d.out, d.out
	if err := d.cmd.Start(); err != nil {
		t.Fatal(err)
	}
	return d
}

func (d *demo) ready() *client.Client {
	d.t.Helper()
	testbed.Until(d.t, "the demo is ready",
		func() bool { return strings.Contains(d.out.String(), "Ctrl-C stops everything") })
	c, err := client.Load("", "", filepath.Join(d.data, "client.yaml"), func(string) string { return "" })
	if err != nil {
		d.t.Fatal(err)
	}
	return c
}

func (d *demo) interrupt() {
	d.t.Helper()
	_ = d.cmd.Process.Signal(os.Interrupt)
	ended := make(chan struct{})
	go func() { _ = d.cmd.Wait(); close(ended) }()
	select {
	case <-ended:
	case <-time.After(30 * time.Second):
		d.t.Fatalf("the demo does not stop: %s", d.out)
	}
}

func TestTheDemo(t *testing.T) {
	t.Parallel()
	data, listen, standin := openFolder(t), freePort(t), freePort(t)
	d := startDemo(t, data, listen, standin)
	c := d.ready()
	var reply string
	outcome, err := c.Ask(ctx, client.Question{Desk: "short-answers", Text: "Wasps at the door. What now?"},
		client.Follower{Text: func(s string) { reply += s }})
	if err != nil || outcome.State != "done" || reply == "" {
		t.Errorf("%q, %+v, %v", reply, outcome, err)
	}
	if desks, err := c.Desks(ctx); err != nil || len(desks) != 24 {
		t.Errorf("%+v, %v", desks, err)
	}
	// The handbook is read, PDFs and all, and answered from.
	testbed.Until(t, "the sample documents are read", func() bool {
		s, err := c.Shelf(ctx, "handbook")
		if err != nil {
			t.Fatal(err)
		}
		return s.Documents == 16 && s.Waiting == 0 && s.Failed == 0
	})
	// So is what the simulated reference site has.
	testbed.Until(t, "articles, papers and a talk are fetched and read", func() bool {
		s, err := c.Shelf(ctx, "reference")
		if err != nil {
			t.Fatal(err)
		}
		return s.Documents == 11 && s.Waiting == 0 && s.Failed == 0
	})
	outcome, err = c.Ask(ctx, client.Question{Desk: "handbook", Text: "Where do I hang traps for wasps?"},
		client.Follower{})
	if s := client.Sources(outcome); err != nil || s == nil || !s.Supported ||
		s.Passages[0].Title != "Wasps and hornets" || s.Passages[0].Place != "page 1" {
		t.Errorf("%+v, %v", s, err)
	}
	reply = ""
	outcome, err = c.Ask(ctx, client.Question{Desk: "very-words", Text: "Who is the bee inspector?"},
		client.Follower{Text: func(s string) { reply += s }})
	if err != nil || !strings.HasPrefix(reply, "**Ms. Adair**") || client.Sources(outcome) == nil ||
		len(client.Sources(outcome).Passages) == 0 {
		t.Errorf("%q, %+v, %v", reply, outcome, err)
	}

	// What somebody makes of a sample desk stays.
	if shown, err := c.Desk(ctx, "short-answers"); err != nil {
		t.Error(err)
	} else if _, err := c.Publish(ctx, "x", []byte(shown.File+"# changed\n"), ""); err != nil {
		t.Error(err)
	}

	// A second demo on the same ports says what to do.
	other := startDemo(t, openFolder(t), listen, freePort(t))
	_ = other.cmd.Wait()
	if code := other.cmd.ProcessState.ExitCode(); code != 1 ||
		!strings.Contains(other.out.String(), "another program uses "+listen+"; stop it, or choose another port") {
		t.Errorf("exit code %d: %s", code, other.out)
	}

	postmaster := (&process{data: data}).postmaster()
	d.interrupt()
	if syscall.Kill(postmaster, 0) == nil {
		t.Error("the database runs on")
	}
	for _, address := range []string{listen, standin} {
		if (&client.Client{Address: "http://" + address}).Stop(ctx, "x") == nil {
			t.Errorf("something answers at %s", address)
		}
	}

	// The data is there at the next start, and no desk was published over.
	d = startDemo(t, data, listen, standin)
	c = d.ready()
	defer d.interrupt()
	if list, err := c.Conversations(ctx, "short-answers"); err != nil || len(list) != 1 {
		t.Errorf("%+v, %v", list, err)
	}
	if shown, err := c.Desk(ctx, "short-answers"); err != nil || len(shown.Revisions) != 2 ||
		!strings.HasSuffix(shown.File, "# changed\n") {
		t.Errorf("%+v, %v", shown, err)
	}
}

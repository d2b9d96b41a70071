package e2e

import (
	"fmt"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"juvalogos/console"
	"juvalogos/internal/browser"
	"juvalogos/internal/models"
	"juvalogos/internal/testbed"
	"juvalogos/standin/scripted"
)

// programFolder holds programs where any user may run them.
func programFolder(t *testing.T, programs map[string]string) string {
	t.Helper()
	folder, err := os.MkdirTemp("", "juvalogos-e2e-programs-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(folder) })
	if err := os.Chmod(folder, 0o755); err != nil {
		t.Fatal(err)
	}
	for name, text := range programs {
		if err := os.WriteFile(filepath.Join(folder, name), []byte(text), 0o755); err != nil {
			t.Fatal(err)
		}
	}
	return folder
}

// slowly is a program that needs a moment to wake, and another to answer.
const slowly = `#!/usr/bin/env python3
import json, sys, time
time.sleep(1.5)
def say(**m): print(json.dumps(m), flush=True)
say(type="hello", version=1)
for line in sys.stdin:
    m = json.loads(line)
    say(type="thought", id=m["id"], text="First the wood, **then** the match.")
    say(type="progress", id=m["id"], done=0.4, says="looking for wood")
    time.sleep(1.5)
    say(type="text", id=m["id"], text="Light it with dry wood.")
    say(type="done", id=m["id"])
`

// From a curl line that works to a connection: taken over, tried in place, the reply
// found in the answer, kept, and a desk answers with it.
func TestACurlLineBecomesAConnection(t *testing.T) {
	t.Parallel()
	endpoints := httptest.NewServer(&scripted.Endpoints{})
	defer endpoints.Close()
	for _, w := range []browser.Window{browser.Desk, browser.Phone} {
		b := newBed(t)
		p := openConsole(t, w, b, "connections")
		p.click("Add a connection")
		p.press("Any HTTP address")
		p.fill("A curl line", "curl "+endpoints.URL+"/generate -H 'X-Api-Key: moss-and-honey' "+
			`-d '{"prompt": "Hello", "max_tokens": 20}'`)
		p.click("Take it over")
		p.until("the line is taken over", `[...document.querySelectorAll("textarea")].some(
			(t) => t.value.includes("{{json .prompt}}") && t.value.includes("{{.max_tokens}}"))`)
		p.accessible("a connection to any address")
		p.fill("Name", "kiln")
		p.click("Try it")
		p.shows("[role=status]", "Which of these is the reply?")
		p.click("/results/0/text")
		p.until("it is tried again", `/“Light it with dry wood/.test(document.querySelector("[role=dialog] [role=status]")?.textContent)`)
		p.press("The request and its answer, as they went over the wire")
		p.shows("figure", "X-Api-Key: (secret)")
		p.accessible("what was tried")
		p.click("Save")
		p.shows("#connection-kiln", "kiln")
		if page := run[string](p, "document.documentElement.outerHTML"); strings.Contains(page, "moss-and-honey") {
			t.Error("the key is on the page")
		}
		probes, err := b.Client.Probe(ctx, "kiln/kiln")
		if err != nil || !probes[0].Works || probes[0].Reply != scripted.Reply {
			t.Errorf("kept: %+v, %v", probes, err)
		}
	}
}

// A server that does not take the request as it is: one click writes down how it wants
// to be asked.
func TestWhatAProbeFindsIsWrittenWithOneClick(t *testing.T) {
	t.Parallel()
	manners := httptest.NewServer(&scripted.Server{})
	defer manners.Close()
	b := newBed(t)
	c := models.Connection{Name: "hall", Address: manners.URL + "/no-stream-options/v1", Patience: 2 * time.Second,
		Models: []models.Model{{Name: "m", Context: 4096}}}
	if err := b.Connections.KeepConnection(ctx, c, "", "me"); err != nil {
		t.Fatal(err)
	}
	p := openConsole(t, browser.Desk, b, "connections")
	p.shows("#connection-hall", "hall")
	run[any](p, `document.querySelector("[aria-labelledby=connection-hall] li button").click()`)
	p.shows("pre", "leave_out: [stream_options]")
	p.accessible("what a probe found")
	p.click("Write it down")
	p.shows("[aria-labelledby=connection-hall] code", "stream_options")
	_, stored := b.Connections.Models.Connections()
	if m := stored[0].Models[0].Manners; m == nil || len(m.LeaveOut) != 1 {
		t.Errorf("kept: %+v", m)
	}
}

// A program behind a desk: the page says that it wakes and how far it is, what it
// thinks aloud is folded beside the reply, on a desk and on a phone, and the makers see
// what it needs of the machine.
func TestAProgramAnswersOnAPage(t *testing.T) {
	t.Parallel()
	folder := programFolder(t, map[string]string{"slowly.py": slowly})
	for _, w := range []browser.Window{browser.Desk, browser.Phone} {
		b := testbed.New(t, testbed.Options{Programs: folder, Console: console.Files()})
		p := openConsole(t, w, b, "connections")
		p.click("Add a connection")
		p.press("A program")
		p.fill("Program", filepath.Join(folder, "slowly.py"))
		p.fill("Patience, in seconds", "20")
		p.accessible("a program, to be connected")
		p.click("Try it")
		p.shows("[role=dialog] [role=status]", "It thinks aloud")
		p.click("Save")
		p.shows("#connection-slowly", "slowly")
		publish(t, b, "slug: slow\ntitle: Slow\npurpose: Waits.\nmodel: slowly\n")
		p.visit("/at/slow")
		p.ask("How do I light it?")
		p.shows("article", "starting up after a rest")
		p.shows("article summary", "Thinking aloud")
		p.shows("article", "At work: looking for wood, 40 % done")
		p.accessible("while a program is at work")
		p.shows("article", "Light it with dry wood.")
		p.shows("article summary", "How it thought about it")
		p.until("the thinking is folded", `!document.querySelector("article details").open`)
		p.press("How it thought about it")
		p.shows("article details strong", "then")
		p.accessible("thinking, unfolded")
		p.visit("/at/slow") // it is on record
		p.until("the conversation is there", `document.querySelectorAll("article, nav a, aside a").length > 0`)
		p.visit("/console/connections")
		p.shows("[aria-labelledby=connection-slowly]", "MB of memory")
	}
}

// What makers would rather not have read is hidden.
func TestThinkingCanBeHidden(t *testing.T) {
	t.Parallel()
	manners := httptest.NewServer(&scripted.Server{})
	defer manners.Close()
	b := newBed(t)
	c := models.Connection{Name: "hall", Address: manners.URL + "/thinks-apart/v1", Patience: 2 * time.Second,
		Models: []models.Model{{Name: "m", Context: 4096}}}
	if err := b.Connections.KeepConnection(ctx, c, "", "me"); err != nil {
		t.Fatal(err)
	}
	publish(t, b, "slug: quiet\ntitle: Quiet\npurpose: Thinks to itself.\nmodel: hall/m\nthinking: hide\n")
	p := openTab(t, browser.Desk, b.Address)
	p.visit("/at/quiet")
	p.ask("How do I light it?")
	p.shows("article", scripted.Reply)
	p.settled()
	if page := run[string](p, "document.body.textContent"); strings.Contains(page, scripted.Thought) {
		t.Error("the thinking is on the page")
	}
}

// A program goes with the service, however that goes.
func TestProgramsGoWithTheService(t *testing.T) {
	t.Parallel()
	folder := programFolder(t, map[string]string{"deaf.py": strings.Replace(slowly, "import json",
		"import os, signal, json", 1) + "time.sleep(600)\n"})
	deaf := filepath.Join(folder, "deaf.py")
	p := startProcess(t, "-programs", folder)
	cli(t, p, []cliLine{{args: "connection add -program " + deaf + " -warm -untried", out: "deaf is in use"},
		{args: "model probe deaf", out: "works"}})
	running := func() bool { return isRunning(t, deaf) }
	if !running() {
		t.Fatal("it does not run")
	}
	p.kill()
	testbed.Until(t, "the program is gone", func() bool { return !running() })
}

// isRunning reports whether a process has a text in its command line.
func isRunning(t *testing.T, text string) bool {
	t.Helper()
	files, err := filepath.Glob("/proc/[0-9]*/cmdline")
	if err != nil {
		t.Fatal(err)
	}
	for _, file := range files {
		if line, err := os.ReadFile(file); err == nil && strings.Contains(string(line), text) {
			return true
		}
	}
	return false
}

// Two connections may have a model of the same name; desks name it with the connection.
func TestTwoModelsOfOneName(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	for _, name := range []string{"hall", "barn"} {
		if err := b.Connections.KeepConnection(ctx, models.Connection{Name: name, Address: b.ModelURL + "/v1",
			Models: []models.Model{{Name: "dock-leaf", Context: 2048}}}, testbed.ModelKey, "me"); err != nil {
			t.Fatal(err)
		}
	}
	p := openConsole(t, browser.Desk, b, "desks/helper/edit")
	p.until("the form offers both", `["hall/dock-leaf", "barn/dock-leaf", "thyme-mini"].every((name) =>
		[...document.querySelectorAll("option")].some((o) => o.value === name))`)
	p.visit("/console/new")
	p.until("a new desk may have either", `["hall/dock-leaf", "barn/dock-leaf"].every((name) =>
		[...document.querySelectorAll("option")].some((o) => o.value === name))`)
}

func publish(t *testing.T, b *testbed.Bed, file string) {
	t.Helper()
	if _, err := b.Client.Publish(ctx, "desk.yaml", []byte(file), ""); err != nil {
		t.Fatal(err)
	}
}

// press clicks the label or the summary that begins with a text.
func (p *page) press(text string) {
	p.t.Helper()
	p.until("there is "+text, fmt.Sprintf(`(() => {
		const found = [...document.querySelectorAll("label, summary")].find(
			(e) => e.offsetParent && e.innerText.trim().startsWith(%q));
		found?.click();
		return !!found;
	})()`, text))
}

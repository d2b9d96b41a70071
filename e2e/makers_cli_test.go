package e2e

import (
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"juvalogos/internal/browser"
	"juvalogos/internal/testbed"
	"juvalogos/standin/scripted"
)

// cli runs command lines one after another; $1 in them is what the group of
// find caught in the output of the line before.
func cli(t *testing.T, p *process, lines []cliLine) {
	t.Helper()
	caught := ""
	for _, c := range lines {
		out, errs, code := p.juvalogos(c.in, strings.Split(strings.ReplaceAll(c.args, "$1", caught), " ")...)
		if code != c.code || !strings.Contains(out, c.out) || !strings.Contains(errs, c.errs) || c.errs == "" &&
			errs != "" {
			t.Errorf("juvalogos %s: exit code %d\n%s\n%s", c.args, code, out, errs)
		}
		if c.find != "" {
			found := regexp.MustCompile(c.find).FindStringSubmatch(out)
			if found == nil {
				t.Fatalf("juvalogos %s: %q is not in\n%s", c.args, c.find, out)
			}
			caught = found[1]
		}
	}
}

type cliLine struct {
	args, in  string
	out, errs string // what must be in them
	code      int
	find      string
}

func TestDesksOnTheCommandLine(t *testing.T) {
	t.Parallel()
	p := startProcess(t)
	folder := openFolder(t)
	second, packed := filepath.Join(folder, "second.yaml"), filepath.Join(folder, "packed.json")
	if err := os.WriteFile(second, []byte(strings.Replace(testbed.Desk, "The Helper", "Second", 1)),
		0o644); err != nil {
		t.Fatal(err)
	}
	cli(t, p, []cliLine{
		{args: "desk compare helper", errs: "fewer than two revisions", code: 1},
		{args: "desk publish -note another-name " + second, out: "revision 2 of helper"},
		{args: "desk revisions helper", out: "published: another-name"},
		{args: "desk compare helper", out: "-title: The Helper\n+title: Second\n"},
		{args: "desk compare helper 2 1", out: "-title: Second\n+title: The Helper\n"},
		{args: "desk compare helper one", errs: "not the number of a revision", code: 2},
		{args: "desk return helper 1", out: "helper is at revision 1 again"},
		{args: "desk return helper 9", errs: "has no revision 9", code: 4},
		{args: "desk withdraw helper", out: "open it again with: juvalogos desk return helper 1"},
		{args: "desk withdraw helper", errs: "no published desk", code: 4},
		{args: "desk list", out: "withdrawn"},
		{args: "ask -desk helper hello", errs: "no desk at this address", code: 4},
		{args: "desk return helper 2", out: "helper is at revision 2 again"},
		{args: "desk duplicate helper twin", out: "twin is a draft now"},
		{args: "desk duplicate helper twin", errs: "already", code: 1},
		{args: "desk list", out: "draft"},
		{args: "desk revisions twin", out: "no revision yet"},
	})
	out, _, code := p.juvalogos("", "desk", "export", "helper")
	if code != 0 || os.WriteFile(packed, []byte(out), 0o644) != nil {
		t.Fatalf("export: %d %s", code, out)
	}
	cli(t, p, []cliLine{
		{args: "desk import " + packed, errs: "There is a desk \"helper\" already", code: 1},
		{args: "desk import -as moved " + packed, out: "moved, at "},
		{args: "desk revisions moved", out: "revision 1, "},
		{args: "desk import " + second, errs: "not a packed desk", code: 1},
		{args: "ask -desk moved hello", out: "Hello"},
	})
}

func TestConversationsOnTheCommandLine(t *testing.T) {
	t.Parallel()
	p := startProcess(t)
	cli(t, p, []cliLine{
		{args: "conversation list helper", out: "There are none."},
		{args: "ask -desk helper How do I light a smoker?", out: "Light it"},
		{args: "conversation list helper", out: "How do I light a smoker?", find: `(?m)^([0-9a-f-]{36}) `},
		{args: "conversation show $1", out: "1. How do I light a smoker?"},
		{args: "conversation show nonsense", errs: "no such conversation", code: 4},
	})
	cli(t, p, []cliLine{
		{args: "conversation list -json helper", out: `"questions": 1`, find: `"id": "([0-9a-f-]{36})"`},
		{args: "conversation export -as json $1", out: `"question":"How do I light a smoker?"`,
			find: `"id":"([0-9a-f-]{36})"`},
		{args: "conversation export $1", out: "## 1. How do I light a smoker?"},
		{args: "conversation remove $1", out: "bring it back within 30 days", find: `-undo ([0-9a-f-]{36})`},
		{args: "conversation list helper", out: "There are none.", find: `(There)`},
	})
	out, _, _ := p.juvalogos("", "conversation", "list", "helper")
	if !strings.Contains(out, "none") {
		t.Errorf("removed: %s", out)
	}
}

func TestSigningInOnTheCommandLine(t *testing.T) {
	t.Parallel()
	p := startProcess(t)
	link := regexp.MustCompile(`/console/welcome#(\w+)`).FindStringSubmatch(p.out.String())
	if link == nil {
		t.Fatalf("no link is printed: %s", p.out)
	}
	tab := openTab(t, browser.Desk, p.address)
	tab.visit("/console/welcome#" + link[1])
	tab.accessible("making the account")
	tab.fill("Name", "Ada")
	tab.fill("Password", ownersPassword)
	tab.click("Make the account")
	tab.shows("h1", "Desks")
	config := filepath.Join(openFolder(t), "client.yaml")
	cli(t, p, []cliLine{
		{args: "login -address " + p.address + " -name Ada -config " + config, in: "wrong\n",
			errs: "do not go together", code: 5},
		{args: "login -address " + p.address + " -config " + config, in: "Ada\n" + ownersPassword + "\n",
			out: "Signed in to " + p.address, errs: "Name:"},
		{args: "desk list -config " + config, out: "The Helper"},
		{args: "token list", out: ", Ada"},
	})
	if info, err := os.Stat(config); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("the config file: %v, %v", info, err)
	}
	p.kill()
	p.start()
	if strings.Contains(p.out.String(), "/console/welcome#") {
		t.Error("a link is printed though there is an account")
	}
}

func TestConnectionsOnTheCommandLine(t *testing.T) {
	t.Parallel()
	p := startProcess(t)
	connections, err := p.client.Connections(ctx)
	if err != nil {
		t.Fatal(err)
	}
	server := connections[0].Address
	cli(t, p, []cliLine{
		{args: "connection list", out: "env:E2E_KEY"},
		{args: "connection add -server " + server + " -model dock-leaf:2048 -key-from - barn", in: testbed.ModelKey +
			"\n", out: "barn is in use"},
		{args: "connection list", out: "kept encrypted"},
		{args: "model probe dock-leaf", out: "works"},
		{args: "connection add -server nowhere -model m:2048 barn", errs: "must look like http://", code: 1},
		{args: "connection add -server " + server + " -model m barn", errs: "write it like our-model:8192", code: 2},
		{args: "connection add barn", errs: "-server", code: 2},
		{args: "connection add -server " + server + " -model m:2048 shed", errs: "change it there", code: 1},
		{args: "connection remove barn", out: "removed barn"},
		{args: "connection remove barn", errs: "no connection \"barn\"", code: 4},
	})
}

// The README's second way in: a function in a file becomes a page with two commands. A
// curl line becomes a connection with one.
func TestProgramsAndCurlLinesOnTheCommandLine(t *testing.T) {
	t.Parallel()
	text, err := os.ReadFile("../examples/programs/answer.py")
	if err != nil {
		t.Fatal(err)
	}
	folder := programFolder(t, map[string]string{"answer.py": string(text),
		"broken.sh": "#!/bin/sh\necho no luck >&2\nexit 1\n"})
	endpoints := httptest.NewServer(&scripted.Endpoints{})
	defer endpoints.Close()
	line := filepath.Join(folder, "line.txt")
	if err := os.WriteFile(line, []byte("curl "+endpoints.URL+`/generate -H 'X-Api-Key: moss' -d '{"prompt":"Hi"}'`),
		0o644); err != nil {
		t.Fatal(err)
	}
	here, err := os.Getwd()
	if err != nil {
		t.Fatal(err)
	}
	relative, err := filepath.Rel(here, folder) // as people write it
	if err != nil {
		t.Fatal(err)
	}
	p := startProcess(t, "-programs", relative)
	cli(t, p, []cliLine{
		{args: "connection add -program " + folder + "/answer.py", out: "answer is in use"},
		{args: "desk publish ../examples/programs/answer.desk.yaml", out: "/at/answer"},
		{args: "ask -desk answer How many words are these", out: "You wrote 5 words"},
		{args: "ask How many -desk answer words -json", out: "How it thought about it"},
		{args: "ask -desk answer -- -json is a word", out: "You wrote 4 words"},
		{args: "connection show answer", out: "MB at most"},
		{args: "connection show nobody", errs: "no connection \"nobody\"", code: 4},
		{args: "connection add -program " + folder + "/broken.sh", errs: "no luck", code: 1},
		{args: "connection add -program /bin/true", errs: "not in the folder", code: 1},
		{args: "connection add -curl " + line + " kiln", out: "the reply is taken from /results/0/text"},
		{args: "model probe kiln/kiln -show", out: "X-Api-Key: (secret)"},
		{args: "model probe nope", errs: "unknown model", code: 4},
	})
}

// What a probe finds is written into a connection file by the command.
func TestProbesWriteIntoTheFile(t *testing.T) {
	t.Parallel()
	manners := httptest.NewServer(&scripted.Server{})
	defer manners.Close()
	file := filepath.Join(t.TempDir(), "connections.yaml")
	if err := os.WriteFile(file, []byte("connections:\n  - name: hall # ours\n    address: "+manners.URL+
		"/max-completion-tokens/v1\n    models:\n      - name: m\n        context: 4096\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	p := startProcess(t)
	cli(t, p, []cliLine{
		{args: "model probe -connections " + file, out: "Nothing is written"},
		{args: "model probe -connections " + file + " -write", out: "written: hall/m"},
		{args: "model probe -connections " + file + " m", out: "works\n"},
	})
	text, err := os.ReadFile(file)
	if err != nil || !strings.Contains(string(text), "max_completion_tokens") ||
		!strings.Contains(string(text), "# ours") {
		t.Errorf("%s, %v", text, err)
	}
}

func TestStartWatchesAFolder(t *testing.T) {
	t.Parallel()
	folder := openFolder(t)
	write := func(text string) {
		t.Helper()
		if err := os.WriteFile(filepath.Join(folder, "garden.yaml"), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	garden := strings.Replace(testbed.Desk, "slug: helper", "slug: garden", 1)
	write(garden)
	p := startProcess(t, "-desks", folder)
	said := func(text string) {
		t.Helper()
		testbed.Until(t, "the terminal says "+text,
			func() bool { return strings.Contains(p.out.String(), text) })
	}
	said("garden.yaml: revision 1 of garden")
	write(strings.Replace(garden, "The Helper", "The Gardener", 1))
	said("garden.yaml: revision 2 of garden")
	write(strings.Replace(garden, "purpose", "porpose", 1))
	said("garden.yaml has mistakes; the last good revision stays:\n  garden.yaml:3:1: unknown key")
	cli(t, p, []cliLine{{args: "desk list", out: "The Gardener"}})
	out, _, code := p.juvalogos("", "start", "-data", openFolder(t), "-listen", freePort(t), "-desks",
		"/nowhere/at/all")
	if code != 1 {
		t.Errorf("a folder that is not there: exit code %d, %s", code, out)
	}
}

package web_test

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"net/http/httptest"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"juvalogos/internal/api"
	"juvalogos/internal/client"
	"juvalogos/internal/models"
	"juvalogos/internal/testbed"
	"juvalogos/standin/scripted"
)

var write = flag.Bool("write", false, "write the table in docs/connections.md anew")

// expected is what becomes of a question to a server of some manner: how it ends, and
// what makers can do. A server that works at once is not here.
var expected = map[string]struct {
	problem string // the code that the visitor's problem has; "": none
	text    string // that the visitor reads; "": the usual reply
	finish  string
	found   string // what a probe finds, as JSON; "": nothing
}{
	"no-stream-options":     {"unsupported", "", "", `{"leave_out":["stream_options"]}`},
	"max-completion-tokens": {"unsupported", "", "", `{"rename":{"max_tokens":"max_completion_tokens"}}`},
	"no-system":             {"unsupported", "", "", `{"brief":"user"}`},
	"developer":             {"unsupported", "", "", `{"brief":"developer"}`},
	"one-temperature":       {"unsupported", "", "", `{"leave_out":["temperature"]}`},
	"strict":                {"unsupported", "", "", `{"leave_out":["stream_options","top_p","seed"]}`},
	"no-stream":             {"unsupported", "", "", `{"leave_out":["stream","stream_options"]}`},
	"wordless":              {"refused", "", "", `{"leave_out":["seed"]}`},
	"falls-over":            {"server-failed", "", "", `{"leave_out":["stop"]}`},

	"too-long-by-code": {problem: "too-long"}, "too-long-by-words": {problem: "too-long"},
	"declined": {problem: "declined"}, "bad-key": {problem: "key-refused"}, "no-access": {problem: "no-access"},
	"no-credit": {problem: "no-credit"}, "daily-quota": {problem: "over-quota"}, "busy": {problem: "busy"},
	"listed-but-404": {problem: "unknown-model"}, "other-models": {problem: "unknown-model"},
	"out-of-memory": {problem: "no-memory"}, "loading": {problem: "waking"}, "broken": {problem: "server-failed"},
	"error-in-stream": {problem: "no-memory", text: "Light "}, "error-event": {problem: "server-failed"},
	"error-object": {problem: "too-long"}, "wrong-address": {problem: "garbled"},
	"another-protocol": {problem: "garbled"},

	"thinks-first": {text: scripted.Thought + "</think>\n\n" + scripted.Reply, found: `{"thinks_first":true}`},
	"only-thinks":  {problem: "said-nothing"},

	"breaks-off": {problem: "cut-off", text: "Light "},
	"filtered":   {text: "Light it with", finish: "content_filter"},
	"held-back":  {problem: "declined"}, "only-tools": {problem: "said-nothing"}, "empty": {problem: "said-nothing"},
	"refuses": {text: "I would rather not say."}, "halves": {text: "Bee 🐝 and wäx ☃"},
	"elsewhere": {problem: "garbled"},
	"long-line": {problem: "garbled"}, "silent": {problem: "silent"},
}

// thinkers think aloud.
var thinkers = map[string]bool{"think-marks": true, "thinks-apart": true, "thinks-in-parts": true, "only-thinks": true}

// A server of every manner is asked by a visitor, probed, asked as the probe found it
// wants to be, and asked again. The table in docs/connections.md is made of it.
func TestServersOfEveryManner(t *testing.T) {
	script := &scripted.Server{}
	server := httptest.NewServer(script)
	defer server.Close()
	b := testbed.New(t, testbed.Options{})
	var table strings.Builder
	table.WriteString("| the server | what the visitor reads | what probe says | what the maker can do |\n" +
		"|---|---|---|---|\n")
	for _, m := range scripted.Manners {
		name := m.Name
		mine := expected[name]
		publishAt(t, b, name, server.URL+"/"+name+"/v1")
		before := script.Asked(name)
		got := askOnce(t, b, name)
		calls := script.Asked(name) - before
		want := mine.text
		if want == "" && mine.problem == "" {
			want = scripted.Reply
		}
		if got.problem != mine.problem || got.text != want || mine.finish != "" && got.finish != mine.finish {
			t.Errorf("%s: problem %q, text %q, finish %q", name, got.problem, got.text, got.finish)
		}
		if got.thought != "" != thinkers[name] || got.thought != "" && got.thought != scripted.Thought {
			t.Errorf("%s: thought %q", name, got.thought)
		}
		again := mine.problem == "busy" || mine.problem == "waking" || mine.problem == "server-failed"
		if calls > 1 && !again {
			t.Errorf("%s: asked %d times", name, calls)
		}
		probes, err := b.Client.Probe(t.Context(), name+"/m")
		if err != nil {
			t.Fatal(err)
		}
		p := probes[0]
		can := makerCan(t, b, name, p, mine.found)
		fmt.Fprintf(&table, "| %s | %s | %s | %s |\n", m.About, got.reads(), probeSays(p), can)
	}
	heldTo(t, "../../docs/connections.md", "TestServersOfEveryManner", table.String())
}

// publishAt publishes a desk whose model is at an address.
func publishAt(t *testing.T, b *testbed.Bed, name, address string) {
	t.Helper()
	c := models.Connection{Name: name, Address: address, Patience: 400 * time.Millisecond,
		Models: []models.Model{{Name: "m", Context: 4096}}}
	if err := b.Connections.KeepConnection(t.Context(), c, "", "me"); err != nil {
		t.Fatal(err)
	}
	file := fmt.Sprintf("slug: %s\ntitle: T\npurpose: P\nmodel: %s/m\nbrief: Be brief.\nsampling: {temperature: 0.3, "+
		"top_p: 0.9, seed: 4, stop: [STOP]}\n", name, name)
	if _, err := b.Client.Publish(t.Context(), name+".yaml", []byte(file), ""); err != nil {
		t.Fatal(err)
	}
}

// answered is what a visitor gets.
type answered struct {
	text, thought, problem, detail, finish string
	notices                                []string
}

func askOnce(t *testing.T, b *testbed.Bed, desk string) (a answered) {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second)
	defer cancel()
	o, err := b.Client.Ask(ctx, client.Question{Desk: desk, Text: "How do I light a smoker?"}, client.Follower{
		Text:   func(s string) { a.text += s },
		Notice: func(n api.Notice) { a.notices = append(a.notices, string(n.Kind)+" "+string(n.Why)) },
	})
	if err != nil {
		t.Fatalf("%s: %v", desk, err)
	}
	a.finish = o.Finish
	for _, p := range o.Parts {
		if p.Type == "thinking" {
			a.thought, _ = p.Value.(string)
		}
	}
	if o.Problem != nil {
		a.problem, a.detail = o.Problem.Code, o.Problem.Detail
	}
	return a
}

// reads is what the visitor reads, for the table.
func (a answered) reads() string {
	said := ""
	if a.text != "" {
		said = "“" + strings.ReplaceAll(strings.TrimSpace(a.text), "\n", " ") + "”"
	}
	if a.thought != "" {
		said += ", its thinking folded beside it"
	}
	if a.finish == models.Filtered && a.text != "" {
		said += ", and that rules ended it early"
	}
	if a.detail != "" {
		said = strings.TrimPrefix(said+"; "+a.detail, "; ")
	}
	return cell(strings.TrimPrefix(said, ", "))
}

func probeSays(p api.Probe) string {
	switch {
	case p.Works && p.Found != nil:
		return cell(p.Advice)
	case p.Works && p.Thinks:
		return "works, and thinks aloud"
	case p.Works:
		return "works"
	}
	return cell(p.Advice)
}

// makerCan has the maker do what the probe says, and the visitor ask again.
func makerCan(t *testing.T, b *testbed.Bed, name string, p api.Probe, want string) string {
	t.Helper()
	if p.Found == nil {
		if want != "" {
			t.Errorf("%s: the probe found nothing: %+v", name, p.Trials)
		}
		if p.Works {
			return "nothing"
		}
		return "as it says"
	}
	found, err := json.Marshal(p.Found)
	if err != nil || string(found) != want {
		t.Errorf("%s: the probe found %s, %v; want %s", name, found, err, want)
	}
	if err := b.Client.KeepManners(t.Context(), name, api.MannersOf{Model: "m", Manners: *p.Found}); err != nil {
		t.Fatal(err)
	}
	if again := askOnce(t, b, name); again.text != scripted.Reply || again.problem != "" {
		t.Errorf("%s, asked as it wants to be: %+v", name, again)
	}
	return "write `" + strings.TrimSpace(p.Lines) + "`; then it answers"
}

// cell is a text that may stand in a table.
func cell(text string) string {
	text = strings.NewReplacer("|", "\\|", "\n", " ", "<", "&lt;").Replace(text)
	if runes := []rune(text); len(runes) > 230 {
		text = string(runes[:230]) + " …"
	}
	return text
}

// Whatever a server's list of models is like, "Ask the server" has the names in it, or
// says what came.
func TestListsOfEveryShape(t *testing.T) {
	server := httptest.NewServer(&scripted.Server{})
	defer server.Close()
	b := testbed.New(t, testbed.Options{})
	var table strings.Builder
	table.WriteString("| the list | what asking the server shows |\n|---|---|\n")
	for _, m := range scripted.Lists {
		names, err := b.Connections.Look(t.Context(), models.Connection{Name: "look",
			Address: server.URL + "/" + m.Name +
				"/v1"}, "")
		slices.Sort(names)
		shows := strings.Join(names, ", ")
		switch {
		case err != nil:
			shows = strings.TrimPrefix(err.Error(), "invalid: ")
		case len(names) == 0:
			shows = "that it lists none"
		case shows != "elm, oak":
			t.Errorf("%s: %s", m.Name, shows)
		}
		if wrong := m.Name == "list-other" || m.Name == "list-page" || m.Name == "list-none"; wrong != (err != nil) ||
			strings.Contains(shows, "json:") || strings.Contains(shows, "map[") {
			t.Errorf("%s: %s", m.Name, shows)
		}
		fmt.Fprintf(&table, "| %s | %s |\n", m.About, cell(shows))
	}
	heldTo(t, "../../docs/connections.md", "TestListsOfEveryShape", table.String())
}

// heldTo compares what stands between the marks of a document with what was found, or
// writes it there.
func heldTo(t *testing.T, path, test, found string) {
	t.Helper()
	begins, endsAt := "<!-- made by "+test+" -->\n", "<!-- end -->\n"
	text, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	head, rest, ok := strings.Cut(string(text), begins)
	old, tail, also := strings.Cut(rest, endsAt)
	if !ok || !also {
		t.Fatalf("%s has no place for the table", path)
	}
	if *write {
		if err := os.WriteFile(path, []byte(head+begins+found+endsAt+tail), 0o644); err != nil {
			t.Fatal(err)
		}
	} else if old != found {
		t.Errorf("the table in %s is not so any more; go test ./internal/web -run %s -write writes it; the first "+
			"line that differs: %s", path, test, firstOther(old, found))
	}
}

func firstOther(old, found string) string {
	was := strings.Split(old, "\n")
	for i, line := range strings.Split(found, "\n") {
		if i >= len(was) || was[i] != line {
			return line
		}
	}
	return "there is more in it"
}

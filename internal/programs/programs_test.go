package programs

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"
)

// script puts a program into a folder that anybody may enter.
func script(t *testing.T, text string) string {
	t.Helper()
	folder, err := os.MkdirTemp("", "programs-test-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(folder) })
	path := filepath.Join(folder, "program")
	// A process that another test starts meanwhile would hold the file open, and it
	// could not be run: "text file busy".
	syscall.ForkLock.RLock()
	err = errors.Join(os.Chmod(folder, 0o755), os.WriteFile(path, []byte(text), 0o755))
	syscall.ForkLock.RUnlock()
	if err != nil {
		t.Fatal(err)
	}
	return path
}

// lines is a program in Python that has said hello; what follows handles m, one
// message.
const lines = `#!/usr/bin/env python3
import sys, json, os, time, subprocess
def say(**m): print(json.dumps(m), flush=True)
say(type="hello", version=1, at_once=%d)
for line in sys.stdin:
    m = json.loads(line)
    i = m["id"]
`

func open(t *testing.T, p Program, text string) *Pool {
	t.Helper()
	p.Run = []string{script(t, text)}
	pool := New(p)
	t.Cleanup(func() { _ = pool.Close(); pool.Settled() })
	return pool
}

func question(text string) Ask {
	return Ask{Model: "m", Messages: []Message{{"user", text}}, Settings: Settings{MaxTokens: 9, Seed: new(4)}}
}

// said asks and returns what was said.
func said(ctx context.Context, p *Pool, text string) (string, Done, error) {
	var b strings.Builder
	done, err := p.Ask(ctx, question(text), Heard{Text: func(piece []byte) { b.Write(piece) }})
	return b.String(), done, err
}

func TestAProgramAnswers(t *testing.T) {
	p := open(t, Program{}, fmt.Sprintf(lines, 1)+`
    say(type="thought", id=i, text="hm")
    say(type="progress", id=i, done=0.5, says="half")
    for w in m["messages"][-1]["text"].split(): say(type="text", id=i, text=w + " ")
    with open(os.path.join(os.environ["JUVALOGOS_FOLDER"], "a.txt"), "w") as f: f.write("made")
    say(type="file", id=i, path="a.txt", kind="text/plain")
    say(type="file", id=i, data="aGV5", kind="image/png")
    say(type="done", id=i, finish="stop", prompt_tokens=m["settings"]["max_tokens"], reply_tokens=m["settings"]["seed"])
`)
	var heard []string
	var woken int
	add := func(kind string) func([]byte) { return func(b []byte) { heard = append(heard, kind+string(b)) } }
	done, err := p.Ask(t.Context(), question("one two"), Heard{Text: add("said "), Thought: add("thought "),
		Progress: func(d float64, says string) { heard = append(heard, fmt.Sprint(d, says)) },
		File:     func(f File) { heard = append(heard, f.Kind+" "+string(f.Body)) },
		Waking:   func(time.Duration) { woken++ }})
	if err != nil || done.Finish != "stop" || done.PromptTokens != 9 || done.ReplyTokens != 4 || woken != 0 {
		t.Errorf("%+v, woken %d times, %v", done, woken, err)
	}
	want := "thought hm|0.5half|said one |said two |text/plain made|image/png hey"
	if got := strings.Join(heard, "|"); got != want {
		t.Errorf("heard %q, want %q", got, want)
	}
	s := p.State()
	if s.State != "ready" || s.Running != 1 || s.Asked != 1 || s.Starts != 1 || s.Woke <= 0 || s.CPU <= 0 {
		t.Errorf("state %+v", s)
	}
}

// Whatever a program does, it is answered with what it did, nothing of it is left
// running, and the next question finds a new one.
func TestBadPrograms(t *testing.T) {
	hello := `echo '{"type":"hello","version":1}'`
	for name, c := range map[string]struct {
		program Program
		text    string
		why     Why
		says    string
	}{
		"is not there to be run": {Program{}, "#!/nowhere\n", NotStarted, "not found"},
		"ends at once": {Program{}, "#!/bin/sh\necho oh dear >&2\nexit 3\n", NotStarted,
			"status 3; its last words: oh dear"},
		"never says hello": {Program{Wake: 300 * time.Millisecond}, "#!/bin/sh\nexec sleep 60\n", Late,
			"within 300ms"},
		"prints before hello": {Program{}, "#!/bin/sh\necho Loading\nexec sleep 60\n", Lied, "Loading"},
		"speaks another version": {Program{}, "#!/bin/sh\necho '{\"type\":\"hello\",\"version\":7}'\nexec sleep 60\n",
			Lied, "version 7"},
		"prints in the middle": {Program{}, "#!/bin/sh\n" + hello + "\nread a\necho debug: here\nexec sleep 60\n",
			Lied, "debug: here"},
		"knows other messages": {Program{},
			"#!/bin/sh\n" + hello + "\nread a\necho '{\"type\":\"song\",\"id\":\"1\"}'\nexec sleep 60\n", Lied, "song"},
		"dies in the middle": {Program{},
			"#!/bin/sh\n" + hello + "\nread a\necho '{\"type\":\"text\",\"id\":\"1\",\"text\":\"a\"}'\nkill -9 $$\n",
			Died, "killed"},
		"says what went wrong": {Program{},
			"#!/bin/sh\n" + hello + "\nread a\necho " +
				"'{\"type\":\"error\",\"id\":\"1\",\"kind\":\"too-long\",\"message\":\"no room\"}'\nexec sleep 60\n",
			Said, "no room"},
		"reaches for our files": {Program{},
			"#!/bin/sh\n" + hello + "\nread a\necho " +
				"'{\"type\":\"file\",\"id\":\"1\",\"path\":\"../../etc/passwd\"}'\nexec sleep 60\n", Lied,
			"not in the folder"},
		"takes too much memory": {Program{Memory: 80 << 20},
			fmt.Sprintf(lines, 1) + "    x = bytearray(300 << 20)\n    time.sleep(60)\n", TooBig, "80 MB"},
		"never ends a line": {Program{}, "#!/bin/sh\n" + hello + "\nread a\nexec cat /dev/zero\n", Lied,
			"a line of more than"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			p := open(t, c.program, c.text)
			_, _, err := said(t.Context(), p, "hello")
			var failed *Failed
			if !errors.As(err, &failed) || failed.Why != c.why ||
				!strings.Contains(strings.ToLower(failed.Detail), strings.ToLower(c.says)) {
				t.Fatalf("%v; want %s and %q", err, c.why, c.says)
			}
			before := p.State().Starts
			ctx, cancel := context.WithTimeout(t.Context(), time.Second) // some answer to the first question again
			defer cancel()
			if _, _, err = said(ctx, p, "hello"); err == nil {
				t.Error("the second time it answered")
			}
			if s := p.State(); c.why != Said && s.Starts != before+1 {
				t.Errorf("it was not started again: %+v", s)
			}
		})
	}
}

// What a program leaves running goes with it, also as another user.
func TestNothingIsLeftBehind(t *testing.T) {
	p := open(t, Program{}, fmt.Sprintf(lines, 1)+`
    c = subprocess.Popen(["sleep", "600"])
    say(type="text", id=i, text=str(c.pid))
    say(type="done", id=i)
`)
	text, _, err := said(t.Context(), p, "go")
	var child int
	if _, failed := fmt.Sscan(text, &child); err != nil || failed != nil {
		t.Fatalf("%q, %v", text, err)
	}
	_ = p.Close()
	p.Settled()
	for range 100 {
		if errors.Is(syscall.Kill(child, 0), syscall.ESRCH) || zombie(child) {
			return
		}
		time.Sleep(20 * time.Millisecond)
	}
	t.Errorf("its child %d is still there", child)
}

// zombie reports whether a process has ended and only its parent does not know.
func zombie(pid int) bool {
	text, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	return err != nil || strings.Contains(string(text), ") Z ")
}

func TestNothingOfOursIsInItsEnvironment(t *testing.T) {
	t.Setenv("SECRET_OF_THE_HOUSE", "silver")
	p := open(t, Program{Environment: map[string]string{"COLOUR": "moss"}, Files: 64}, fmt.Sprintf(lines, 1)+`
    import resource
    say(type="text", id=i, text=" ".join([os.environ.get("SECRET_OF_THE_HOUSE", "-"), os.environ["COLOUR"],
        str(os.getuid()), str(resource.getrlimit(resource.RLIMIT_NOFILE)[0])]))
    say(type="done", id=i)
`)
	uid := os.Getuid()
	if uid == 0 {
		uid = 65534
	}
	if text, _, err := said(t.Context(), p, "go"); err != nil || text != fmt.Sprintf("- moss %d 64", uid) {
		t.Errorf("%q, %v", text, err)
	}
}

func TestCancelling(t *testing.T) {
	// The first heeds it, the second does not listen.
	for _, heeds := range []bool{true, false} {
		text := fmt.Sprintf(lines, 1) + `
    if m["type"] == "cancel": say(type="done", id=i, finish="cancelled")
    elif m["messages"][-1]["text"] == "wait":
        say(type="text", id=i, text="a")
        HEED
    else:
        say(type="text", id=i, text="b"); say(type="done", id=i)
`
		replace := "time.sleep(600)"
		if heeds {
			replace = "pass"
		}
		p := open(t, Program{}, strings.Replace(text, "HEED", replace, 1))
		ctx, cancel := context.WithCancelCause(t.Context())
		left := errors.New("left")
		_, err := p.Ask(ctx, question("wait"), Heard{Text: func([]byte) { cancel(left) }})
		if !errors.Is(err, left) {
			t.Errorf("cancelled: %v", err)
		}
		if text, _, err := said(t.Context(), p, "now"); err != nil || text != "b" {
			t.Errorf("afterwards: %q, %v", text, err)
		}
		want := 2
		if heeds {
			want = 1
		}
		if s := p.State(); s.Starts != want {
			t.Errorf("heeds %v: %d starts", heeds, s.Starts)
		}
	}
}

// A program that is taken out of use ends the reply that it is at, and takes no more.
func TestClosingLetsRepliesEnd(t *testing.T) {
	p := open(t, Program{}, fmt.Sprintf(lines, 1)+`
    say(type="text", id=i, text="a"); time.sleep(0.5); say(type="text", id=i, text="b"); say(type="done", id=i)
`)
	var closing sync.Once
	text := ""
	_, err := p.Ask(t.Context(), question("x"), Heard{Text: func(b []byte) {
		text += string(b)
		closing.Do(func() { _ = p.Close() })
	}})
	if err != nil || text != "ab" {
		t.Errorf("%q, %v", text, err)
	}
	var failed *Failed
	if _, _, err := said(t.Context(), p, "x"); !errors.As(err, &failed) || failed.Why != Closed {
		t.Errorf("afterwards: %v", err)
	}
	p.Settled()
	if s := p.State(); s.Running != 0 {
		t.Errorf("%+v", s)
	}
}

func TestManyAtOnceAreSharedOut(t *testing.T) {
	p := open(t, Program{Copies: 3}, fmt.Sprintf(lines, 4)+`
    say(type="text", id=i, text=m["messages"][-1]["text"]); say(type="done", id=i)
`)
	var all sync.WaitGroup
	for i := range 200 {
		all.Go(func() {
			want := fmt.Sprint("question ", i)
			if text, _, err := said(t.Context(), p, want); err != nil || text != want {
				t.Errorf("%q, %v", text, err)
			}
		})
	}
	all.Wait()
	if s := p.State(); s.Asked != 200 || s.Starts > 3 {
		t.Errorf("%+v", s)
	}
}

// Who asks hears of waking that takes a while, and how long it took lately.
func TestWakingIsTold(t *testing.T) {
	p := open(t, Program{Each: true}, strings.Replace(fmt.Sprintf(lines, 1), "say(type=\"hello\"", "time.sleep(1); say(type=\"hello\"", 1)+`
    say(type="text", id=i, text="a"); say(type="done", id=i)
`)
	for i := range 2 {
		var told []time.Duration
		if _, err := p.Ask(t.Context(), question("x"), Heard{Waking: func(d time.Duration) {
			told = append(told,
				d)
		}}); err != nil ||
			len(told) != 1 || i > 0 && told[0] < time.Second {
			t.Errorf("time %d: told %v, %v", i+1, told, err)
		}
	}
}

func TestItSleepsAndIsStartedForEach(t *testing.T) {
	answer := `
    say(type="text", id=i, text=str(os.getpid())); say(type="done", id=i)
`
	p := open(t, Program{Idle: 100 * time.Millisecond}, fmt.Sprintf(lines, 1)+answer)
	if _, _, err := said(t.Context(), p, "x"); err != nil {
		t.Fatal(err)
	}
	for p.State().Running > 0 {
		time.Sleep(10 * time.Millisecond)
	}
	if s := p.State(); s.State != "asleep" || s.Last != "" {
		t.Errorf("%+v", s)
	}
	if _, _, err := said(t.Context(), p, "x"); err != nil || p.State().Starts != 2 {
		t.Errorf("woken: %+v, %v", p.State(), err)
	}
	each := open(t, Program{Each: true}, fmt.Sprintf(lines, 9)+answer)
	one, _, err := said(t.Context(), each, "x")
	two, _, failed := said(t.Context(), each, "x")
	if err != nil || failed != nil || one == two {
		t.Errorf("for each: %q, %q, %v, %v", one, two, err, failed)
	}
	warm := open(t, Program{Warm: true, Idle: time.Millisecond}, fmt.Sprintf(lines, 1)+answer)
	warm.Start()
	for warm.State().State != "ready" {
		time.Sleep(10 * time.Millisecond)
	}
}

func TestPlainPrograms(t *testing.T) {
	p := open(t, Program{Plain: true}, "#!/bin/sh\nread q\nprintf '%s' \"$q, $JUVALOGOS_SEED, \"\nsleep 0.1\n"+
		"printf '\\303'; sleep 0.1; printf '\\244'\ncat $JUVALOGOS_FILES\n")
	a := question("how")
	a.Files = []File{{Kind: "text/plain", Body: []byte(" file")}}
	var pieces []string
	_, err := p.Ask(t.Context(), a, Heard{Text: func(b []byte) { pieces = append(pieces, string(b)) }})
	if got := strings.Join(pieces, ""); err != nil || got != "how, 4, ä file" || len(pieces) < 2 {
		t.Errorf("%q, %v", pieces, err)
	}
	bad := open(t, Program{Plain: true}, "#!/bin/sh\necho no such model >&2\nexit 2\n")
	if _, _, err := said(t.Context(), bad, "x"); err == nil || !strings.Contains(err.Error(), "no such model") {
		t.Errorf("failed: %v", err)
	}
	hangs := open(t, Program{Plain: true}, "#!/bin/sh\nsleep 600 &\nsleep 600\n")
	ctx, cancel := context.WithTimeout(t.Context(), 200*time.Millisecond)
	defer cancel()
	if _, _, err := said(ctx, hangs, "x"); !errors.Is(err, context.DeadlineExceeded) {
		t.Errorf("hangs: %v", err)
	}
	makes := open(t, Program{Plain: true, Makes: true}, "#!/bin/sh\nprintf 'GIF89a...'\n")
	var file File
	if _, err := makes.Ask(t.Context(), question("x"), Heard{File: func(f File) { file = f }}); err != nil ||
		file.Kind != "image/gif" {
		t.Errorf("made %+v, %v", file, err)
	}
}

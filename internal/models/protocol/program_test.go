package protocol

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"image"
	"image/png"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"juvalogos/core/deskfile"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/internal/models"
)

// examples puts the example programs where any user may run them.
func examples(t *testing.T) string {
	t.Helper()
	folder, err := os.MkdirTemp("", "examples-test-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(folder) })
	if err := os.Chmod(folder, 0o755); err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{"answer.py", "answer.sh"} {
		text, err := os.ReadFile("../../../examples/programs/" + name)
		if err == nil {
			err = os.WriteFile(filepath.Join(folder, name), text, 0o755)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if said, err := exec.Command("go", "build", "-o", filepath.Join(folder, "answer-go"),
		"juvalogos/examples/programs/answer-go").CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, said)
	}
	return folder
}

func programClient(t *testing.T, p models.Program) models.Client {
	t.Helper()
	c, err := newProgram(models.Connection{Name: "p", Program: &p, Patience: 10 * time.Second}, models.Secret{})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		_ = c.(io.Closer).Close()
		c.(*program).Settled()
	})
	return c
}

// pictureAndSound are a picture of 3 by 2 pixels and half a second of silence.
func pictureAndSound(t *testing.T) (picture, sound recipe.Media) {
	t.Helper()
	var b bytes.Buffer
	if err := png.Encode(&b, image.NewRGBA(image.Rect(0, 0, 3, 2))); err != nil {
		t.Fatal(err)
	}
	const rate, samples = 8000, 4000
	wav := []byte("RIFF")
	wav = binary.LittleEndian.AppendUint32(wav, 36+samples)
	wav = append(wav, "WAVEfmt "...)
	for _, v := range []any{uint32(16), uint16(1), uint16(1), uint32(rate), uint32(rate), uint16(1), uint16(8)} {
		wav, _ = binary.Append(wav, binary.LittleEndian, v)
	}
	wav = binary.LittleEndian.AppendUint32(append(wav, "data"...), samples)
	return recipe.Media{Kind: "image/png", Body: b.Bytes()},
		recipe.Media{Kind: "audio/wav", Body: append(wav, make([]byte, samples)...)}
}

// The examples are what their files say: texts that stream, pictures and sound in,
// pictures out.
func TestTheExamplePrograms(t *testing.T) {
	folder := examples(t)
	picture, sound := pictureAndSound(t)
	for name, p := range map[string]models.Program{
		"answer.py": {}, "answer-go": {}, "answer.sh": {Speaks: "plain"},
	} {
		t.Run(name, func(t *testing.T) {
			p.Run = []string{filepath.Join(folder, name)}
			c := programClient(t, p)
			var said, thought string
			var file recipe.Media
			pieces := 0
			ask := func(question string, files ...recipe.Media) (models.Result, error) {
				said, thought, pieces, file = "", "", 0, recipe.Media{}
				return c.Generate(t.Context(), models.Request{Model: "m", Files: files,
					Messages: []prompt.Message{{Role: prompt.System, Text: "Be brief."},
						{Role: prompt.User, Text: question}},
					Sampling: deskfile.Sampling{MaxTokens: 50, Seed: new(3)}},
					models.Sink{Text: func(b []byte) { said += string(b); pieces++ },
						Thought: func(b []byte) { thought += string(b) }, File: func(f recipe.Media) { file = f }})
			}
			result, err := ask("How do I light it?")
			if err != nil || !strings.Contains(said, "You wrote 5 words") || result.Finish != "stop" {
				t.Errorf("%q, %+v, %v", said, result, err)
			}
			if p.Speaks == "plain" {
				if !strings.Contains(said, "The seed is 3.") {
					t.Errorf("the wishes: %q", said)
				}
				if _, err := ask("What is this?", picture); err != nil || !strings.Contains(said, "A file of") {
					t.Errorf("a file: %q, %v", said, err)
				}
				return
			}
			if thought == "" || pieces < 3 {
				t.Errorf("thought %q, %d pieces", thought, pieces)
			}
			if _, err := ask("What is this?", picture); err != nil ||
				!strings.Contains(said, "3 pixels wide and 2 high") {
				t.Errorf("a picture: %q, %v", said, err)
			}
			if _, err := ask("draw stripes"); err != nil || file.Kind != "image/png" {
				t.Errorf("drawn: %+v, %v", file.Kind, err)
			} else if _, err := png.Decode(bytes.NewReader(file.Body)); err != nil {
				t.Errorf("drawn: %v", err)
			}
			if _, err := ask("How long?", sound); err != nil || !strings.Contains(said, "0.5 seconds") {
				t.Errorf("a sound: %q, %v", said, err)
			}
		})
	}
}

// A program that does not heed what was wished is held to it.
func TestWishesAreKept(t *testing.T) {
	folder := examples(t)
	path := filepath.Join(folder, "endless.sh")
	if err := os.WriteFile(path, []byte("#!/bin/sh\nwhile true; do printf 'honey and wax STOP '; done\n"),
		0o755); err != nil {
		t.Fatal(err)
	}
	flood := filepath.Join(folder, "flood.py")
	if err := os.WriteFile(flood, []byte("#!/usr/bin/env python3\nimport sys\n"+
		"print('{\"type\":\"hello\",\"version\":1}', flush=True)\nsys.stdin.readline()\n"+
		"while True: print('{\"type\":\"text\",\"id\":\"1\",\"text\":\"honey and wax STOP \"}')\n"),
		0o755); err != nil {
		t.Fatal(err)
	}
	lines := programClient(t, models.Program{Run: []string{flood}})
	halves := filepath.Join(folder, "halves.py")
	if err := os.WriteFile(halves, []byte("#!/usr/bin/env python3\nimport sys\n"+
		"print('{\"type\":\"hello\",\"version\":1}', flush=True)\nsys.stdin.readline()\n"+
		"for h in ('d83d', 'dc1d'): print('{\"type\":\"text\",\"id\":\"1\",\"text\":\"\\\\u' + h + '\"}')\n"+
		"print('{\"type\":\"done\",\"id\":\"1\"}', flush=True)\n"), 0o755); err != nil {
		t.Fatal(err)
	}
	bee := ""
	if _, err := programClient(t, models.Program{Run: []string{halves}}).Generate(t.Context(),
		models.Request{Model: "m",
			Messages: []prompt.Message{{Role: prompt.User, Text: "go"}}},
		models.Sink{Text: func(b []byte) { bee += string(b) }}); err != nil || bee != "🐝" {
		t.Errorf("two halves: %q, %v", bee, err)
	}
	var all strings.Builder
	if result, err := lines.Generate(t.Context(), models.Request{Model: "m", Sampling: deskfile.Sampling{MaxTokens: 40},
		Messages: []prompt.Message{{Role: prompt.User, Text: "go"}}},
		models.Sink{Text: func(b []byte) { all.Write(b) }}); err != nil || result.Finish != "length" ||
		all.Len() > 5000 {
		t.Errorf("a flood: %d bytes, %+v, %v", all.Len(), result, err)
	}
	c := programClient(t, models.Program{Run: []string{path}, Speaks: "plain"})
	for _, w := range []struct {
		sampling deskfile.Sampling
		finish   string
		most     int
		want     string
	}{
		{deskfile.Sampling{Stop: []string{"STOP"}, MaxTokens: 100}, "stop", 14, "honey and wax "},
		{deskfile.Sampling{MaxTokens: 40}, "length", 5000, "honey"},
	} {
		var said strings.Builder
		result, err := c.Generate(t.Context(), models.Request{Model: "m", Sampling: w.sampling,
			Messages: []prompt.Message{{Role: prompt.User, Text: "go"}}},
			models.Sink{Text: func(b []byte) { said.Write(b) }})
		if err != nil || result.Finish != w.finish || said.Len() > w.most || !strings.HasPrefix(said.String(), w.want) {
			t.Errorf("%+v: %d bytes, %+v, %v", w.sampling, said.Len(), result, err)
		}
	}
}

// What a program does wrong is told apart, and nobody waits for one that hangs.
func TestProgramsThatFail(t *testing.T) {
	folder := examples(t)
	const stay = "\nexec sleep 600\n"
	hello := "#!/bin/sh\necho '{\"type\":\"hello\",\"version\":1}'\nread a\n"
	for name, c := range map[string]struct {
		text  string
		kind  models.ErrorKind
		again bool
		says  string
	}{
		"gone":  {"", models.NotRunning, false, "not to be had"},
		"dies":  {hello + "echo boom >&2\nexit 4\n", models.CutOff, true, "boom"},
		"hangs": {hello + "exec sleep 600\n", models.Silent, false, "silent for"},
		"lies":  {hello + "echo hello\nexec sleep 600\n", models.Garbled, false, "hello"},
		"full": {hello + `echo '{"type":"error","id":"1","kind":"no-memory","message":"full"}'` + stay, models.NoMemory,
			false, "full"},
		"empty": {hello + `echo '{"type":"done","id":"1"}'` + stay, models.SaidNothing, false, "without a word"},
		"waking": {hello + `echo '{"type":"error","id":"1","kind":"waking","message":"soon"}'` + stay, models.Waking,
			true, "soon"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			path := filepath.Join(folder, name)
			if c.text != "" {
				// No process that another test starts meanwhile holds it open.
				syscall.ForkLock.RLock()
				err := os.WriteFile(path, []byte(c.text), 0o755)
				syscall.ForkLock.RUnlock()
				if err != nil {
					t.Fatal(err)
				}
			}
			made := programClient(t, models.Program{Run: []string{path}})
			made.(*program).connection.Patience = time.Second
			_, err := made.Generate(context.Background(), models.Request{Model: "m",
				Messages: []prompt.Message{{Role: prompt.User, Text: "go"}}}, models.Sink{})
			var failure *models.Error
			if !errors.As(err, &failure) || failure.Kind != c.kind || failure.MayPass() != c.again ||
				!strings.Contains(failure.Advice(), c.says) {
				t.Errorf("%v", err)
			}
		})
	}
}

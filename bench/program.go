package main

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"time"

	"juvalogos/core/prompt"
	"juvalogos/examples/programs/talk"
	"juvalogos/internal/models"
	"juvalogos/internal/models/protocol"
)

// answering is the argument with which this program is one that answers.
const answering = "answering"

// answerShort is a program that answers with a few words at once.
func answerShort() {
	talk.Serve(1, func(_ *talk.Ask, to *talk.Reply) error {
		to.Text("Light it with dry wood.")
		return nil
	})
}

// program measures what our client of local programs adds to the pipe it talks
// through: the same program is asked the same short questions by hand.
func program(_ *setup, z sizes, t *report) error {
	self, clean, err := laidOut()
	if err != nil {
		return err
	}
	defer clean()
	times := 5 * z.questions
	byHand, err := overAPipe(self, times)
	if err != nil {
		return err
	}
	ours, err := byClient(self, times)
	if err != nil {
		return err
	}
	t.begin(fmt.Sprintf("What our client of local programs adds to the pipe: %d short questions, one after the other, "+
		"records left out; medians", times), "", "a question", "aim, at most")
	t.row("by hand over a pipe", milliseconds(byHand), "")
	t.row("by our client", milliseconds(ours), "")
	t.row("added", milliseconds(ours-byHand), "0.3 ms")
	return nil
}

func milliseconds(d time.Duration) string { return fmt.Sprintf("%.3f ms", d.Seconds()*1000) }

// laidOut puts this program where any user may run it: programs run as another.
func laidOut() (path string, clean func(), err error) {
	self, err := os.Executable()
	if err != nil {
		return "", nil, err
	}
	folder, err := os.MkdirTemp("", "juvalogos-bench-")
	if err != nil {
		return "", nil, err
	}
	body, err := os.ReadFile(self)
	path = filepath.Join(folder, "bench")
	if err == nil {
		err = os.WriteFile(path, body, 0o755)
	}
	if err == nil {
		err = os.Chmod(folder, 0o755)
	}
	return path, func() { os.RemoveAll(folder) }, err
}

// overAPipe is the median time of a question that is written to the program's input,
// until its answer has been read.
func overAPipe(self string, times int) (time.Duration, error) {
	cmd := exec.Command(self, answering)
	in, err := cmd.StdinPipe()
	if err != nil {
		return 0, err
	}
	out, err := cmd.StdoutPipe()
	if err != nil {
		return 0, err
	}
	if err := cmd.Start(); err != nil {
		return 0, err
	}
	defer func() { in.Close(); _ = cmd.Wait() }()
	lines := bufio.NewReader(out)
	if _, err := lines.ReadBytes('\n'); err != nil { // hello
		return 0, err
	}
	ask, err := json.Marshal(map[string]any{"type": "ask", "id": "1", "model": "m",
		"messages": []any{map[string]any{"role": "user", "text": "How do I light a smoker?"}}})
	if err != nil {
		return 0, err
	}
	ask = append(ask, '\n')
	took := make([]float64, times)
	for i := range took {
		began := time.Now()
		if _, err := in.Write(ask); err != nil {
			return 0, err
		}
		for range 2 { // the text, and that it is done
			if _, err := lines.ReadBytes('\n'); err != nil {
				return 0, err
			}
		}
		took[i] = float64(time.Since(began))
	}
	return time.Duration(quantile(took, 0.5)), nil
}

func byClient(self string, times int) (time.Duration, error) {
	c, err := protocol.All()[models.ProgramWay](models.Connection{Name: "bench", Patience: time.Minute,
		Program: &models.Program{Run: []string{self, answering}}}, models.Secret{})
	if err != nil {
		return 0, err
	}
	defer c.(io.Closer).Close()
	request := models.Request{Model: "m", Messages: []prompt.Message{{Role: prompt.User,
		Text: "How do I light a smoker?"}}}
	took := make([]float64, times)
	for i := range took {
		began := time.Now()
		if _, err := c.Generate(context.Background(), request, models.Sink{Text: func([]byte) {}}); err != nil {
			return 0, err
		}
		took[i] = float64(time.Since(began))
	}
	return time.Duration(quantile(took, 0.5)), nil
}

package programs

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"
	"unicode/utf8"

	"juvalogos/internal/confined"
)

// plain runs a program for one question: it reads the question from its standard
// input, and what it writes is the reply.
func (p *Pool) plain(ctx context.Context, a Ask, heard Heard) (Done, error) {
	if a.Texts != nil {
		return Done{}, &Failed{Why: Said, Detail: "a plain program makes no vectors"}
	}
	p.mu.Lock()
	p.asked++
	p.starts++
	p.mu.Unlock()
	folder, err := ownFolder()
	if err != nil {
		return Done{}, &Failed{Why: NotStarted, Detail: err.Error()}
	}
	defer os.RemoveAll(folder)
	extra, err := a.laidOut(folder)
	if err != nil {
		return Done{}, &Failed{Why: NotStarted, Detail: err.Error()}
	}
	cmd, err := p.program.command(folder, extra...)
	if err != nil {
		return Done{}, &Failed{Why: NotStarted, Detail: err.Error()}
	}
	words := &lastWords{}
	out := &plainOut{heard: heard, makes: p.program.Makes}
	cmd.Stderr, cmd.Stdout, cmd.Stdin, cmd.WaitDelay = words, out, strings.NewReader(a.question()), time.Second
	began := time.Now()
	if err := cmd.Start(); err != nil {
		return Done{}, &Failed{Why: NotStarted, Detail: fmt.Sprintf("%s cannot be started: %v", p.program.Run[0],
			plainly(err))}
	}
	kill := func() { _ = syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL) }
	tooBig, peak := false, int64(0)
	bound := confined.NewBound(cmd, confined.Limits{Memory: p.program.Memory, Files: p.program.Files},
		func(held int64) { peak = max(peak, held) }, func() { tooBig = true })
	stop := context.AfterFunc(ctx, kill)
	err = cmd.Wait()
	stop()
	kill() // what it left behind
	tooBig = bound.Release() || tooBig
	p.mu.Lock()
	defer p.mu.Unlock()
	p.woke, p.peak = time.Since(began), max(p.peak, peak)
	p.spent += cmd.ProcessState.UserTime() + cmd.ProcessState.SystemTime()
	if text := words.text(); text != "" {
		p.complaint = text
	}
	switch {
	case ctx.Err() != nil:
		return Done{}, context.Cause(ctx)
	case tooBig:
		failed := p.program.tooBig()
		p.ended = failed.Detail
		return Done{}, failed
	case err != nil && !errors.Is(err, os.ErrProcessDone):
		p.ended = ending(err)
		if text := words.text(); text != "" {
			p.ended += "; its last words: " + text
		}
		return Done{}, &Failed{Why: Died, Detail: p.ended}
	}
	out.close()
	return Done{Finish: "stop"}, nil
}

// question is what was asked last.
func (a *Ask) question() string {
	for i := len(a.Messages) - 1; i >= 0; i-- {
		if a.Messages[i].Role == "user" {
			return a.Messages[i].Text
		}
	}
	return ""
}

// laidOut puts what a plain program may want to know into its folder, and returns
// the variables that say where.
func (a *Ask) laidOut(folder string) ([]string, error) {
	whole, err := json.Marshal(askMessage{Type: "ask", ID: "1", Model: a.Model, Messages: a.Messages,
		Settings: &a.Settings})
	if err != nil {
		return nil, err
	}
	path := filepath.Join(folder, "ask.json")
	if err := os.WriteFile(path, whole, 0o644); err != nil {
		return nil, err
	}
	env := []string{"JUVALOGOS_MODEL=" + a.Model, "JUVALOGOS_ASK=" + path}
	var names []string
	for i, f := range a.Files {
		name := filepath.Join(folder, fmt.Sprintf("file-%d%s", i+1, endingOf(f.Kind)))
		if err := os.WriteFile(name, f.Body, 0o644); err != nil {
			return nil, err
		}
		names = append(names, name)
	}
	s := a.Settings
	env = append(env, "JUVALOGOS_FILES="+strings.Join(names, "\n"), "JUVALOGOS_STOP="+strings.Join(s.Stop, "\n"),
		"JUVALOGOS_EFFORT="+s.Effort)
	if s.MaxTokens > 0 {
		env = append(env, "JUVALOGOS_MAX_TOKENS="+strconv.Itoa(s.MaxTokens))
	}
	if s.Temperature != nil {
		env = append(env, fmt.Sprintf("JUVALOGOS_TEMPERATURE=%g", *s.Temperature))
	}
	if s.TopP != nil {
		env = append(env, fmt.Sprintf("JUVALOGOS_TOP_P=%g", *s.TopP))
	}
	for name, n := range map[string]int{"NUMBER": s.Number, "WIDTH": s.Width, "HEIGHT": s.Height} {
		if n > 0 {
			env = append(env, "JUVALOGOS_"+name+"="+strconv.Itoa(n))
		}
	}
	for name, text := range map[string]string{"LANGUAGE": s.Language, "VOICE": s.Voice} {
		if text != "" {
			env = append(env, "JUVALOGOS_"+name+"="+text)
		}
	}
	if s.Translate {
		env = append(env, "JUVALOGOS_TRANSLATE=true")
	}
	if s.Speed > 0 {
		env = append(env, fmt.Sprintf("JUVALOGOS_SPEED=%g", s.Speed))
	}
	if s.Seed != nil {
		env = append(env, "JUVALOGOS_SEED="+strconv.Itoa(*s.Seed))
	}
	return env, nil
}

// endingOf is the usual ending of a media type's files.
func endingOf(kind string) string {
	_, sub, ok := strings.Cut(kind, "/")
	if !ok || strings.ContainsAny(sub, "/.;+ ") {
		return ""
	}
	return "." + strings.TrimPrefix(sub, "x-")
}

// plainOut hands over what a plain program writes.
type plainOut struct {
	heard Heard
	makes bool
	rest  []byte // of a file, or of a character
}

var errTooMuch = errors.New("it wrote more than it may")

func (o *plainOut) Write(p []byte) (int, error) {
	if o.heard.Alive != nil {
		o.heard.Alive()
	}
	o.rest = append(o.rest, p...)
	if o.makes {
		if len(o.rest) > longestFile {
			return 0, errTooMuch
		}
		return len(p), nil
	}
	n := len(o.rest)
	for i := 1; i < utf8.UTFMax && i <= n; i++ {
		if utf8.RuneStart(o.rest[n-i]) {
			if !utf8.FullRune(o.rest[n-i:]) {
				n -= i
			}
			break
		}
	}
	hand(o.heard.Text, []byte(strings.ToValidUTF8(string(o.rest[:n]), "\uFFFD")))
	o.rest = append(o.rest[:0], o.rest[n:]...)
	return len(p), nil
}

func (o *plainOut) close() {
	if o.makes && o.heard.File != nil && len(o.rest) > 0 {
		o.heard.File(File{Kind: http.DetectContentType(o.rest), Body: o.rest})
	} else if len(o.rest) > 0 {
		hand(o.heard.Text, []byte("\uFFFD"))
	}
}

var _ io.Writer = (*plainOut)(nil)

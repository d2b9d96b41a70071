package programs

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/valyala/fastjson"

	"juvalogos/core/jsontext"
	"juvalogos/internal/confined"
)

// process is one running program.
type process struct {
	cmd    *exec.Cmd
	in     io.WriteCloser
	out    io.ReadCloser
	folder string // its own, for what it makes
	bound  *confined.Bound
	words  *lastWords
	began  time.Time

	writing sync.Mutex // one message at a time

	mu     sync.Mutex
	jobs   map[string]*job
	atOnce int
	ready  bool
	leaves bool    // it takes no more questions
	once   bool    // it takes one
	freed  func()  // is called when a question is done with
	gone   *Failed // why it has ended, or is about to
	ended  chan struct{}
	peak   int64
}

// job is one question that a process is at.
type job struct {
	mu     sync.Mutex // held while something is handed over
	heard  Heard
	done   Done
	failed *Failed
	over   chan struct{}
}

// longestLine is how long a message of a program may be.
const longestLine = longestFile*4/3 + 1<<20

// lastLines is how much of a program's standard error is kept.
const lastLines = 4 << 10

// command is a program as it is started.
func (p *Program) command(folder string, extra ...string) (*exec.Cmd, error) {
	path := p.Run[0]
	if strings.ContainsRune(path, '/') {
		whole, err := filepath.Abs(path)
		if err != nil {
			return nil, err
		}
		path = whole
	}
	if _, err := exec.LookPath(path); err != nil {
		return nil, err
	}
	cmd := confined.Limited(p.Files, path, p.Run[1:]...)
	if filepath.IsAbs(path) {
		cmd.Dir = filepath.Dir(path)
	}
	cmd.Env = []string{"PATH=/usr/local/bin:/usr/bin:/bin", "LANG=C.UTF-8", "PYTHONUNBUFFERED=1", "HOME=" + folder,
		"TMPDIR=" + folder, "JUVALOGOS_FOLDER=" + folder}
	for name, value := range p.Environment {
		cmd.Env = append(cmd.Env, name+"="+value)
	}
	cmd.Env = append(cmd.Env, extra...)
	// It goes when we do, however we go.
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGKILL}
	confined.AsNobody(cmd)
	return cmd, nil
}

// ownFolder makes a folder that a program may write into.
func ownFolder() (string, error) {
	folder, err := os.MkdirTemp("", "juvalogos-program-")
	if err != nil {
		return "", err
	}
	return folder, os.Chmod(folder, 0o777|os.ModeSticky)
}

// start starts a process that speaks JSON Lines.
func (p *Program) start() (*process, *Failed) {
	fail := func(err error) *Failed {
		return &Failed{Why: NotStarted, Detail: fmt.Sprintf("%s cannot be started: %v", p.Run[0], plainly(err))}
	}
	folder, err := ownFolder()
	if err != nil {
		return nil, fail(err)
	}
	cmd, err := p.command(folder)
	if err != nil {
		return nil, fail(err)
	}
	x := &process{cmd: cmd, folder: folder, words: &lastWords{}, jobs: map[string]*job{}, ended: make(chan struct{}),
		began: time.Now()}
	cmd.Stderr = x.words
	cmd.WaitDelay = time.Second
	if x.in, err = cmd.StdinPipe(); err == nil {
		// A pipe of our own: the command is waited for before it has been read to
		// its end, if it left something behind that holds it open.
		var write *os.File
		var read *os.File
		if read, write, err = os.Pipe(); err == nil {
			x.out, cmd.Stdout = read, write
			err = cmd.Start()
			write.Close()
		}
	}
	if err != nil {
		_ = os.RemoveAll(folder)
		return nil, fail(err)
	}
	x.bound = confined.NewBound(cmd, confined.Limits{Memory: p.Memory, Files: p.Files}, x.seen, func() {
		x.end(p.tooBig())
	})
	return x, nil
}

func (p *Program) tooBig() *Failed {
	return &Failed{Why: TooBig, Detail: fmt.Sprintf("it took more than the %d MB of memory that it may", p.Memory>>20)}
}

// plainly strips the paths and verbs that os wraps round errors.
func plainly(err error) error {
	var path *os.PathError
	var program *exec.Error
	switch {
	case errors.As(err, &path):
		return path.Err
	case errors.As(err, &program):
		return program.Err
	}
	return err
}

func (x *process) seen(memory int64) {
	x.mu.Lock()
	defer x.mu.Unlock()
	x.peak = max(x.peak, memory)
}

// run reads what the process says until it ends. greeted is called once it has said
// hello, and over when it has ended.
func (x *process) run(p *Program, greeted func(*process), over func(*process)) {
	err := x.read(greeted)
	x.end(nil)
	waited := x.cmd.Wait()
	full := x.bound.Release()
	x.mu.Lock()
	if x.gone == nil {
		x.gone = &Failed{Why: Died, Detail: ending(waited)}
		if !x.ready {
			x.gone.Why = NotStarted
		}
		if err != nil {
			x.gone.Why, x.gone.Detail = Lied, err.Error()
		}
		if full {
			x.gone = p.tooBig()
		}
	}
	if last := x.words.text(); last != "" && !strings.Contains(x.gone.Detail, "; its last words: ") {
		x.gone.Detail += "; its last words: " + last
	}
	for id, j := range x.jobs {
		j.failed = x.gone
		close(j.over)
		delete(x.jobs, id)
	}
	x.mu.Unlock()
	_ = x.out.Close()
	_ = os.RemoveAll(x.folder)
	close(x.ended)
	over(x)
}

// ending says how a program ended.
func ending(err error) string {
	var exit *exec.ExitError
	switch {
	case err == nil:
		return "it ended by itself"
	case errors.As(err, &exit) && exit.ExitCode() >= 0:
		return fmt.Sprintf("it ended with the status %d", exit.ExitCode())
	case errors.As(err, &exit):
		return "it was ended by the signal " + strings.TrimPrefix(exit.String(), "signal: ")
	}
	return err.Error()
}

// read reads messages; the error is that the program lies about the protocol.
func (x *process) read(greeted func(*process)) error {
	lines := bufio.NewReaderSize(x.out, 32<<10)
	var parser fastjson.Parser
	var long []byte
	for {
		line, err := lines.ReadSlice('\n')
		if err == bufio.ErrBufferFull {
			if long = append(long, line...); len(long) > longestLine {
				return fmt.Errorf("it wrote a line of more than %d MB", longestLine>>20)
			}
			continue
		}
		if err != nil {
			return nil // it has ended
		}
		if len(long) > 0 {
			line = append(long, line...)
			long = nil
		}
		if line = bytes.TrimSpace(line); len(line) == 0 {
			continue
		}
		if err := x.take(line, &parser, greeted); err != nil {
			return err
		}
	}
}

// take takes one message.
func (x *process) take(line []byte, parser *fastjson.Parser, greeted func(*process)) error {
	if !x.ready { // only this goroutine sets it
		h, err := readHello(line)
		if err != nil {
			return err
		}
		x.mu.Lock()
		x.ready, x.atOnce = true, h.AtOnce
		x.mu.Unlock()
		greeted(x)
		return nil
	}
	v, err := parser.ParseBytes(jsontext.Halves(line))
	if err != nil || v.Type() != fastjson.TypeObject {
		return fmt.Errorf("it wrote a line that is no message: %s; its standard output is for messages alone, "+
			"other words "+
			"belong on standard error", shown(line))
	}
	id := string(v.GetStringBytes("id"))
	x.mu.Lock()
	j := x.jobs[id]
	x.mu.Unlock()
	if j == nil {
		return nil // of a question that nobody waits for any more
	}
	last, err := j.hear(v, x.folder)
	if err != nil {
		return err
	}
	if last {
		x.mu.Lock()
		if x.jobs[id] == j {
			delete(x.jobs, id)
			close(j.over)
		}
		x.mu.Unlock()
		x.freed()
	}
	return nil
}

// say sends a message.
func (x *process) say(message []byte) error {
	x.writing.Lock()
	defer x.writing.Unlock()
	_, err := x.in.Write(message)
	return err
}

// end kills the process with everything that it started; nil for why: it has ended
// by itself or is not needed.
func (x *process) end(why *Failed) {
	x.mu.Lock()
	if x.gone == nil {
		x.gone = why
	}
	x.leaves = true
	x.mu.Unlock()
	_ = syscall.Kill(-x.cmd.Process.Pid, syscall.SIGKILL)
}

// farewell is how long a program has to end by itself once its input is closed.
const farewell = 2 * time.Second

// longFarewell is how long one has to heed that a reply is not wanted any more while
// it is at others.
const longFarewell = 10 * time.Second

// leave asks the process to end by closing its input.
func (x *process) leave() {
	x.mu.Lock()
	x.leaves = true
	if x.gone == nil {
		x.gone = &Failed{Why: Closed, Detail: "it was stopped"}
	}
	x.mu.Unlock()
	_ = x.in.Close()
	select {
	case <-x.ended:
	case <-time.After(farewell):
		x.end(nil)
	}
}

// lastWords keeps the end of what is written to it.
type lastWords struct {
	mu   sync.Mutex
	last []byte
}

func (l *lastWords) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if len(p) > lastLines {
		l.last = append(l.last[:0], p[len(p)-lastLines:]...)
		return len(p), nil
	}
	if over := len(l.last) + len(p) - lastLines; over > 0 {
		l.last = append(l.last[:0], l.last[over:]...)
	}
	l.last = append(l.last, p...)
	return len(p), nil
}

func (l *lastWords) text() string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return strings.TrimSpace(strings.ToValidUTF8(string(l.last), "\uFFFD"))
}

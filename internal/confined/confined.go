// Package confined runs our own program again for work on bytes from strangers:
// as another user where we are root, without our environment, and killed when it
// takes more memory, time or files than it may. What it reads cannot harm the
// service, only end its own process.
//
//	pool := confined.NewPool("read", confined.Limits{Memory: 1 << 30, Files: 64})
//	defer pool.Close()
//	err := pool.Do(ctx, request, body, nil, func(answer []byte) error { return json.Unmarshal(answer, &a) })
//
// The program calls Child before all else; it does not return in a confined
// process.
package confined

import (
	"bufio"
	"cmp"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"sync"
	"time"

	"golang.org/x/sys/unix"
)

// Limits bound a confined process.
type Limits struct {
	Memory int64 // bytes that it and what it starts may hold
	Files  int   // that it may have open
	Answer int   // bytes of an answer
	// FileSize is how large a file may grow that it writes; 64 MB if 0.
	FileSize int64
	// First is how long a task may take before it says that it goes on; it says
	// then how long its next stretch may take.
	First time.Duration
}

// Killed is the error of a task whose process was killed, or ended by itself.
type Killed struct{ Why string }

func (k *Killed) Error() string { return "the confined process " + k.Why }

// TooLong reports whether it was killed because it took too long.
func (k *Killed) TooLong() bool { return k.Why == tooLong }

// Why a process was killed.
const (
	tooMuchMemory = "took too much memory"
	tooLong       = "took too long"
	gaveTooMuch   = "answered too much"
	notUnderstood = "answered what cannot be understood"
	ended         = "ended before its answer"
)

// The kinds of messages: a byte, four of length, and so many more.
const (
	aRequest  = 'r'
	aBody     = 'b'
	progress  = 'p' // seconds that the next stretch may take, in four bytes
	part      = 'e' // of an answer that comes in parts
	theAnswer = 'a'
)

// mostMessage is the most of what a service sends.
const mostMessage = 1 << 30

func send(w io.Writer, kind byte, payload []byte) error {
	head := [5]byte{kind}
	binary.BigEndian.PutUint32(head[1:], uint32(len(payload)))
	if _, err := w.Write(head[:]); err != nil {
		return err
	}
	_, err := w.Write(payload)
	return err
}

var errTooMuch = errors.New("a message is too long")

func receive(r io.Reader, most int) (kind byte, payload []byte, err error) {
	var head [5]byte
	if _, err := io.ReadFull(r, head[:]); err != nil {
		return 0, nil, err
	}
	size := binary.BigEndian.Uint32(head[1:])
	if uint64(size) > uint64(most) {
		return 0, nil, errTooMuch
	}
	payload = make([]byte, size)
	_, err = io.ReadFull(r, payload)
	return head[0], payload, err
}

// Task is a request as the confined process sees it.
type Task struct {
	Request []byte
	Body    []byte
	// Files are those that came open with the task; see DoWith.
	Files []*os.File
	out   io.Writer
	mu    sync.Mutex // of what is written to out
}

// GoOn says that the task gets on, and how long its next stretch may take. Who
// waits for it hears nothing of it. It may be called by several goroutines.
func (t *Task) GoOn(next time.Duration) {
	t.mu.Lock()
	defer t.mu.Unlock()
	_ = send(t.out, progress, binary.BigEndian.AppendUint32(nil, uint32(next.Seconds())))
}

// Part sends a part of the answer, before the last.
func (t *Task) Part(text []byte) { _ = send(t.out, part, text) }

// Work is what a confined process does with a task; what it returns is the answer.
type Work func(*Task) []byte

// marks begin the arguments of a confined process.
const mark = "juvalogos-confined"

// Child does a confined process's work and ends the process, if this is one for
// that kind of work; else it returns.
func Child(kind string, work Work) {
	if len(os.Args) < 3 || os.Args[0] != mark || os.Args[1] != kind {
		return
	}
	var files, size uint64
	var open int
	_, _ = fmt.Sscan(os.Args[2], &files, &size, &open)
	bound(files, size)
	var with []*os.File
	for i := range open {
		with = append(with, os.NewFile(uintptr(firstFile+i), "given"))
	}
	in, out := bufio.NewReader(os.Stdin), os.Stdout
	tasks := make(chan *Task)
	go func() {
		for {
			_, request, err := receive(in, mostMessage)
			if err == nil {
				var body []byte
				if _, body, err = receive(in, mostMessage); err == nil {
					tasks <- &Task{Request: request, Body: body, Files: with, out: out}
				}
			}
			if err != nil {
				os.Exit(0) // whoever asked is gone, in the middle of a task too
			}
		}
	}()
	for t := range tasks {
		if err := send(out, theAnswer, work(t)); err != nil {
			os.Exit(1)
		}
	}
}

// firstFile is the number of the first file that comes with a task; before it is the
// program itself.
const firstFile = 4

// usualFileSize is how large a file may grow of which nothing is said.
const usualFileSize = 64 << 20

// bound has the kernel bound this process, for good.
func bound(files, size uint64) {
	set := func(what int, most uint64) { _ = unix.Setrlimit(what, &unix.Rlimit{Cur: most, Max: most}) }
	set(unix.RLIMIT_CORE, 0)
	set(unix.RLIMIT_FSIZE, size)
	if files > 0 {
		set(unix.RLIMIT_NOFILE, files)
	}
	_ = unix.Prctl(unix.PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0)
}

// Pool keeps a few processes warm. It is safe for concurrent use; how many tasks
// run at once is decided by whoever calls it.
type Pool struct {
	kind   string
	limits Limits
	env    []string

	mu     sync.Mutex
	idle   []*process
	closed bool
	how    int // of the ways to start a process the first that works
}

// mostIdle is how many processes wait for work, and idleFor for how long.
const (
	mostIdle = 2
	idleFor  = time.Minute
)

// NewPool is a pool of processes for a kind of work; env is all of their
// environment.
func NewPool(kind string, l Limits, env ...string) *Pool {
	return &Pool{kind: kind, limits: l, env: env}
}

// Close ends the processes that wait. Those at work are ended by their contexts.
func (p *Pool) Close() {
	p.mu.Lock()
	idle := p.idle
	p.idle, p.closed = nil, true
	p.mu.Unlock()
	for _, one := range idle {
		one.end()
	}
}

// Do has a task done. parts hears of the parts of its answer; nil: there are none.
// understand gets the answer; a process whose answer it refuses is not used again. The
// error is a *Killed, what parts returned, the context's cause, or that no process
// could be started.
func (p *Pool) Do(ctx context.Context, request, body []byte, parts, understand func([]byte) error) error {
	one, err := p.take()
	if err != nil {
		return err
	}
	answer, err := one.do(ctx, request, body, p.limits, parts)
	if err == nil && understand(answer) != nil {
		err = &Killed{notUnderstood}
	}
	if err != nil {
		one.end()
		return err
	}
	p.putBack(one)
	return nil
}

// DoWith is Do for a task that comes with open files, in a process of its own; those who
// are not us must be allowed to open them anew.
func (p *Pool) DoWith(ctx context.Context, request []byte, files []*os.File, parts,
	understand func([]byte) error) error {
	p.mu.Lock()
	one, err := p.launch(files)
	p.mu.Unlock()
	if err != nil {
		return err
	}
	defer one.end()
	answer, err := one.do(ctx, request, nil, p.limits, parts)
	if err == nil && understand(answer) != nil {
		err = &Killed{notUnderstood}
	}
	return err
}

// Held is a process of its own that is kept, with the files that it was started with. It
// does one task at a time.
type Held struct {
	process *process
	limits  Limits
}

// Hold starts a process that is kept until it is closed; the files are those of DoWith.
func (p *Pool) Hold(files []*os.File) (*Held, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	one, err := p.launch(files)
	if err != nil {
		return nil, err
	}
	return &Held{one, p.limits}, nil
}

// Do has a task done. After an error the process is of no use any more.
func (h *Held) Do(ctx context.Context, request []byte, understand func([]byte) error) error {
	answer, err := h.process.do(ctx, request, nil, h.limits, nil)
	if err == nil && understand(answer) != nil {
		err = &Killed{notUnderstood}
	}
	return err
}

// Close ends the process.
func (h *Held) Close() { h.process.end() }

// take returns a process that waits, or a new one.
func (p *Pool) take() (*process, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if n := len(p.idle); n > 0 {
		one := p.idle[n-1]
		p.idle = p.idle[:n-1]
		one.since.Stop()
		return one, nil
	}
	return p.launch(nil)
}

// launch starts a process; the caller holds mu.
func (p *Pool) launch(files []*os.File) (*process, error) {
	for ; ; p.how++ {
		one, err := p.start(ways[p.how], files)
		if err == nil || p.how == len(ways)-1 {
			return one, err
		}
	}
}

func (p *Pool) putBack(one *process) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.closed || len(p.idle) >= mostIdle {
		go one.end()
		return
	}
	one.since = time.AfterFunc(idleFor, func() { p.putAway(one) })
	p.idle = append(p.idle, one)
}

// putAway ends a process that has waited for long.
func (p *Pool) putAway(one *process) {
	p.mu.Lock()
	found := false
	for i, other := range p.idle {
		if other == one {
			p.idle = append(p.idle[:i], p.idle[i+1:]...)
			found = true
			break
		}
	}
	p.mu.Unlock()
	if found {
		one.end()
	}
}

// process is one confined process.
type process struct {
	cmd   *exec.Cmd
	in    io.WriteCloser
	out   *bufio.Reader
	since *time.Timer // ends it while it waits
	group *group      // by which the kernel bounds its memory; nil: it does not

	mu     sync.Mutex
	killed string // why
	waited bool   // it has ended and its number may be another's
}

// start starts a process in one of the ways.
func (p *Pool) start(how way, files []*os.File) (*process, error) {
	self, err := os.Open("/proc/self/exe")
	if err != nil {
		return nil, fmt.Errorf("start a confined process: %w", err)
	}
	defer self.Close()
	// The file rather than its name: another user need not be able to get there.
	cmd := &exec.Cmd{Path: "/proc/self/fd/3", Args: []string{mark, p.kind,
		fmt.Sprint(p.limits.Files, cmp.Or(p.limits.FileSize, usualFileSize), len(files))}, Dir: "/",
		Env:        append([]string{"PATH=/usr/local/bin:/usr/bin:/bin", "LANG=C.UTF-8"}, p.env...),
		ExtraFiles: append([]*os.File{self}, files...)}
	cmd.SysProcAttr = how.attributes()
	in, err := cmd.StdinPipe()
	if err != nil {
		return nil, err
	}
	out, err := cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := cmd.Start(); err != nil {
		return nil, fmt.Errorf("start a confined process: %w", err)
	}
	expendable(cmd.Process.Pid)
	one := &process{cmd: cmd, in: in, out: bufio.NewReaderSize(out, 64<<10)}
	if p.limits.Memory > 0 {
		// Beside looking at it ourselves: the kernel looks all the time.
		if g, err := newGroup(p.limits.Memory); err == nil {
			if one.group = g; g.take(cmd.Process.Pid) != nil {
				g.remove()
				one.group = nil
			}
		}
	}
	return one, nil
}

// do has the process do one task.
func (one *process) do(ctx context.Context, request, body []byte, l Limits, parts func([]byte) error) ([]byte, error) {
	stop := context.AfterFunc(ctx, func() { one.kill("was given up") })
	defer stop()
	clock := time.AfterFunc(l.First, func() { one.kill(tooLong) })
	defer clock.Stop()
	done := make(chan struct{})
	defer close(done)
	go one.weigh(l.Memory, done)

	// It may end while it is still being told.
	told := make(chan error, 1)
	go func() {
		err := send(one.in, aRequest, request)
		if err == nil {
			err = send(one.in, aBody, body)
		}
		told <- err
	}()
	left := l.Answer
	for {
		kind, payload, err := receive(one.out, left)
		switch {
		case err == errTooMuch:
			one.kill(gaveTooMuch)
		case err == nil && kind == progress && len(payload) == 4:
			clock.Reset(min(time.Duration(binary.BigEndian.Uint32(payload))*time.Second, 10*time.Minute))
			continue
		case err == nil && kind == part && parts != nil:
			left -= len(payload)
			if err := parts(payload); err != nil {
				return nil, err
			}
			continue
		case err == nil && kind == theAnswer:
			if err := <-told; err != nil { // it answered before it had heard all
				return nil, &Killed{ended}
			}
			return payload, nil
		}
		if ctx.Err() != nil {
			return nil, context.Cause(ctx)
		}
		return nil, &Killed{one.why()}
	}
}

// weigh kills the process when it and what it started hold too much memory.
func (one *process) weigh(most int64, done <-chan struct{}) {
	if most == 0 {
		return
	}
	look := time.NewTicker(20 * time.Millisecond)
	defer look.Stop()
	for {
		select {
		case <-done:
			return
		case <-look.C:
			if Resident(one.cmd.Process.Pid) > most {
				one.kill(tooMuchMemory)
				return
			}
		}
	}
}

// kill ends the process with everything that it started.
func (one *process) kill(why string) {
	one.mu.Lock()
	defer one.mu.Unlock()
	if one.killed == "" {
		one.killed = why
	}
	if !one.waited {
		_ = unix.Kill(-one.cmd.Process.Pid, unix.SIGKILL)
	}
}

func (one *process) why() string {
	one.mu.Lock()
	defer one.mu.Unlock()
	if one.killed == "" {
		return ended
	}
	return one.killed
}

// end ends the process and waits for it.
func (one *process) end() {
	one.kill("is not needed any more")
	_ = one.in.Close()
	_ = one.cmd.Wait()
	one.mu.Lock()
	defer one.mu.Unlock()
	one.waited = true
	one.group.remove()
}

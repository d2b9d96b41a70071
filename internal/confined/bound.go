package confined

import (
	"os"
	"os/exec"
	"strconv"
	"strings"
	"time"

	"golang.org/x/sys/unix"
)

// Bound is what holds a started command to its limits of memory and open files, and
// measures it.
type Bound struct {
	pid   int
	group *group
	done  chan struct{}
	gone  chan struct{}
}

// lookEvery is how often a bound process is looked at.
const lookEvery = 50 * time.Millisecond

// NewBound binds a command that was started in a group of processes of its own to
// what it may hold of memory; for files see Limited. seen
// hears from time to time what it holds of memory, in bytes, and over once when that
// is more than it may; then the command is killed.
func NewBound(cmd *exec.Cmd, l Limits, seen func(int64), over func()) *Bound {
	b := &Bound{pid: cmd.Process.Pid, done: make(chan struct{}), gone: make(chan struct{})}
	expendable(b.pid)
	if l.Memory > 0 {
		if g, err := newGroup(l.Memory); err == nil {
			if b.group = g; g.take(b.pid) != nil {
				g.remove()
				b.group = nil
			}
		}
	}
	go b.look(l.Memory, seen, over)
	return b
}

func (b *Bound) look(most int64, seen func(int64), over func()) {
	defer close(b.gone)
	ticker := time.NewTicker(lookEvery)
	defer ticker.Stop()
	for {
		select {
		case <-b.done:
			return
		case <-ticker.C:
			held := Resident(b.pid)
			seen(held)
			if most > 0 && held > most {
				over()
				_ = unix.Kill(-b.pid, unix.SIGKILL)
				return
			}
		}
	}
}

// Release ends the watching; the command has been waited for. It reports whether
// the kernel has ended something of it because it held too much memory.
func (b *Bound) Release() (full bool) {
	close(b.done)
	<-b.gone
	full = b.group.full()
	b.group.remove()
	return full
}

// Limited is a command that holds itself to a number of open files, which what it
// runs cannot raise again.
func Limited(files int, path string, arguments ...string) *exec.Cmd {
	return exec.Command("/bin/sh", append([]string{"-c",
		"ulimit -c 0; ulimit -n " + strconv.Itoa(files) + "; exec \"$0\" \"$@\"", path}, arguments...)...)
}

// hertz is how many ticks of Linux's clock of processor time a second has.
const hertz = 100

// Processor is how much time of processors a process and what it started and waits
// for has taken.
func Processor(pid int) (all time.Duration) {
	folder := "/proc/" + strconv.Itoa(pid)
	text, err := os.ReadFile(folder + "/stat")
	if err != nil {
		return 0
	}
	// What follows the program's name, which may hold anything (proc(5)).
	if fields := strings.Fields(string(text[strings.LastIndexByte(string(text), ')')+1:])); len(fields) > 14 {
		for _, f := range fields[11:15] {
			n, _ := strconv.ParseInt(f, 10, 64)
			all += time.Duration(n) * time.Second / hertz
		}
	}
	threads, _ := os.ReadDir(folder + "/task")
	for _, t := range threads {
		children, _ := os.ReadFile(folder + "/task/" + t.Name() + "/children")
		for _, child := range strings.Fields(string(children)) {
			if n, err := strconv.Atoi(child); err == nil {
				all += Processor(n)
			}
		}
	}
	return all
}

package confined

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
)

// nobody is the user and the group that own nothing.
const nobody = 65534

// way is a way to start a process that is not ours to trust.
type way struct{ otherUser, noNetwork bool }

// ways are those that are tried, the best first: what we may do depends on where
// we run.
var ways = waysFor(os.Geteuid() == 0)

func waysFor(root bool) []way {
	if !root {
		return []way{{}}
	}
	return []way{{true, true}, {true, false}}
}

func (w way) attributes() *syscall.SysProcAttr {
	a := &syscall.SysProcAttr{Setpgid: true}
	if w.otherUser {
		a.Credential = &syscall.Credential{Uid: nobody, Gid: nobody}
	}
	if w.noNetwork {
		a.Cloneflags = syscall.CLONE_NEWNET | syscall.CLONE_NEWIPC
	}
	return a
}

// AsNobody has a command run as the user nobody where we are root; it keeps the
// network. Without root the command runs as we do.
func AsNobody(cmd *exec.Cmd) {
	if cmd.SysProcAttr == nil {
		cmd.SysProcAttr = &syscall.SysProcAttr{}
	}
	if os.Geteuid() == 0 {
		cmd.SysProcAttr.Credential = &syscall.Credential{Uid: nobody, Gid: nobody}
	}
}

// NobodyMayEnter reports whether those who are not root can get to a folder, if we
// are: what runs as nobody must. The error says which folder is closed, and what to
// do.
func NobodyMayEnter(folder string) error {
	if os.Geteuid() != 0 {
		return nil
	}
	for at := folder; ; at = filepath.Dir(at) {
		info, err := os.Stat(at)
		if err != nil {
			return err
		}
		if info.Mode()&0o001 == 0 {
			return fmt.Errorf("programs run as the user nobody, who cannot enter %s; let others in (chmod o+x) or use "+
				"another folder", at)
		}
		if at == filepath.Dir(at) {
			return nil
		}
	}
}

// expendable has the kernel end a process first when memory runs out.
func expendable(pid int) {
	_ = os.WriteFile(fmt.Sprintf("/proc/%d/oom_score_adj", pid), []byte("1000"), 0)
}

var pageSize = int64(os.Getpagesize())

// Resident is the memory, in bytes, that a process and all that it started hold.
func Resident(pid int) (all int64) {
	folder := "/proc/" + strconv.Itoa(pid)
	if text, err := os.ReadFile(folder + "/statm"); err == nil {
		if fields := strings.Fields(string(text)); len(fields) > 1 {
			pages, _ := strconv.ParseInt(fields[1], 10, 64)
			all = pages * pageSize
		}
	}
	threads, _ := os.ReadDir(folder + "/task")
	for _, t := range threads {
		children, _ := os.ReadFile(folder + "/task/" + t.Name() + "/children")
		for _, child := range strings.Fields(string(children)) {
			if n, err := strconv.Atoi(child); err == nil {
				all += Resident(n)
			}
		}
	}
	return all
}

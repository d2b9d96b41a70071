package confined

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
)

// group is a control group, by which the kernel bounds what a process and all that it
// starts hold of memory.
type group struct{ folder string }

// errNoGroups is the error of a system, or a place in it, where we may make none.
var errNoGroups = errors.New("no control groups may be made here")

// groupName begins the names of groups; the number of the process that made them and
// one of their own follow.
const groupName = "juvalogos-confined-"

var (
	groups atomic.Int64
	once   sync.Once
)

// newGroup makes a group that holds so many bytes at most, below our own or beside it.
func newGroup(most int64) (*group, error) {
	lines, err := os.ReadFile("/proc/self/cgroup")
	if err != nil {
		return nil, errNoGroups
	}
	name := fmt.Sprintf("%s%d-%d", groupName, os.Getpid(), groups.Add(1))
	for line := range strings.Lines(string(lines)) {
		fields := strings.SplitN(strings.TrimSpace(line), ":", 3)
		if len(fields) != 3 {
			continue
		}
		switch kinds := strings.Split(fields[1], ","); {
		case fields[1] == "": // version 2
			own := filepath.Join("/sys/fs/cgroup", fields[2])
			for _, at := range []string{own, filepath.Dir(own)} {
				if g := madeGroup(filepath.Join(at, name), "memory.max", most); g != nil {
					_ = os.WriteFile(filepath.Join(g.folder, "memory.swap.max"), []byte("0"), 0)
					return g, nil
				}
			}
		case len(kinds) == 1 && kinds[0] == "memory":
			if g := madeGroup(filepath.Join("/sys/fs/cgroup/memory", fields[2], name), "memory.limit_in_bytes",
				most); g != nil {
				return g, nil
			}
		}
	}
	return nil, errNoGroups
}

// sweep takes away groups of services that were killed.
func sweep(at string) {
	left, _ := filepath.Glob(filepath.Join(at, groupName+"*"))
	for _, folder := range left {
		var pid int
		if _, err := fmt.Sscanf(filepath.Base(folder), groupName+"%d-", &pid); err != nil {
			continue
		}
		if _, err := os.Stat(fmt.Sprint("/proc/", pid)); errors.Is(err, os.ErrNotExist) {
			_ = os.Remove(folder) // which the kernel refuses while a process is in it
		}
	}
}

// madeGroup makes a group, if that can be done; nil otherwise.
func madeGroup(folder, limit string, most int64) *group {
	once.Do(func() { sweep(filepath.Dir(folder)) })
	if !strings.HasPrefix(folder, "/sys/fs/cgroup/") || os.Mkdir(folder, 0o755) != nil {
		return nil
	}
	file, err := os.OpenFile(filepath.Join(folder, limit), os.O_WRONLY, 0)
	if err == nil {
		_, err = file.WriteString(strconv.FormatInt(most, 10))
		_ = file.Close()
	}
	if err != nil {
		_ = os.Remove(folder)
		return nil
	}
	return &group{folder}
}

// take puts a process into the group.
func (g *group) take(pid int) error {
	return os.WriteFile(filepath.Join(g.folder, "cgroup.procs"), []byte(strconv.Itoa(pid)), 0)
}

// full reports whether the kernel has ended a process of the group for its memory.
func (g *group) full() bool {
	if g == nil {
		return false
	}
	for _, file := range []string{"memory.events", "memory.oom_control"} { // of version 2 and 1
		text, err := os.ReadFile(filepath.Join(g.folder, file))
		if err != nil {
			continue
		}
		for line := range strings.Lines(string(text)) {
			var n int
			if _, err := fmt.Sscanf(line, "oom_kill %d", &n); err == nil && n > 0 {
				return true
			}
		}
	}
	return false
}

// remove takes the group away; its processes have ended. The nil one is none.
func (g *group) remove() {
	if g != nil {
		_ = os.Remove(g.folder)
	}
}

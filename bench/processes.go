package main

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
)

// ticksPerSecond is the unit of the CPU times in /proc; Linux shows 100.
const ticksPerSecond = 100

// cpuSeconds is the CPU time that processes have used so far, ended children
// included.
func cpuSeconds(pids ...int) float64 {
	total := 0
	for _, pid := range pids {
		fields := stat(pid)
		if len(fields) < 17 {
			continue
		}
		for _, i := range []int{13, 14, 15, 16} { // utime stime cutime cstime, proc(5)
			n, _ := strconv.Atoi(fields[i])
			total += n
		}
	}
	return float64(total) / ticksPerSecond
}

// stat returns the fields of /proc/PID/stat; the name in brackets counts as
// one.
func stat(pid int) []string {
	text, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	if err != nil {
		return nil
	}
	open, shut := strings.IndexByte(string(text), '('), strings.LastIndexByte(string(text), ')')
	if open < 0 || shut < open {
		return nil
	}
	return append([]string{string(text[:open]), string(text[open : shut+1])}, strings.Fields(string(text[shut+1:]))...)
}

// servicePIDs are the service and every process of its database.
func (s *setup) servicePIDs() []int { return append([]int{s.service.Process.Pid}, s.databasePIDs()...) }

func (s *setup) databasePIDs() []int {
	text, err := os.ReadFile(filepath.Join(s.folder, "postgres", "data", "postmaster.pid"))
	if err != nil {
		return nil
	}
	first, _, _ := strings.Cut(string(text), "\n")
	postmaster, err := strconv.Atoi(first)
	if err != nil {
		return nil
	}
	pids := []int{postmaster}
	out, _ := exec.Command("pgrep", "-P", first).Output()
	for _, line := range strings.Fields(string(out)) {
		if pid, err := strconv.Atoi(line); err == nil {
			pids = append(pids, pid)
		}
	}
	return pids
}

// megabytes reads a line of /proc/PID/FILE that is in kB.
func megabytes(pid int, file, key string) float64 {
	text, _ := os.ReadFile(fmt.Sprintf("/proc/%d/%s", pid, file))
	for _, line := range strings.Split(string(text), "\n") {
		if rest, ok := strings.CutPrefix(line, key+":"); ok {
			n, _ := strconv.ParseFloat(strings.Fields(rest)[0], 64)
			return n / 1024
		}
	}
	return 0
}

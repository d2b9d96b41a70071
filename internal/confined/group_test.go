package confined

import (
	"os"
	"os/exec"
	"strings"
	"testing"
)

// Where we may make control groups the kernel ends what takes more memory than it may,
// with nobody looking.
func TestGroupsBoundMemory(t *testing.T) {
	g, err := newGroup(64 << 20)
	if err != nil {
		t.Logf("%v: memory is only looked at", err)
		return
	}
	cmd := exec.Command("sh", "-c", "read go; exec tail /dev/zero") // which holds what it has read
	in, err := cmd.StdinPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	if err := g.take(cmd.Process.Pid); err != nil {
		t.Fatal(err)
	}
	where, _ := os.ReadFile("/proc/self/cgroup")
	_, _ = in.Write([]byte("go\n"))
	if err := cmd.Wait(); err == nil || !strings.Contains(err.Error(), "killed") {
		t.Errorf("it ended with %v; we are in %s", err, where)
	}
	g.remove()
	if _, err := os.Stat(g.folder); err == nil {
		t.Errorf("%s is left", g.folder)
	}
}

// Package outside is what recipes may use of the world outside, as far as the
// owner allows it: local programs and HTTP addresses.
package outside

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"juvalogos/internal/confined"
)

// Programs runs the programs of one folder.
type Programs struct{ folder string }

// NewPrograms allows the programs in a folder. It fails if folder is none, or one that
// the user nobody cannot enter where we are root.
func NewPrograms(folder string) (*Programs, error) {
	path, err := filepath.Abs(folder)
	if err == nil {
		var info os.FileInfo
		if info, err = os.Stat(path); err == nil && !info.IsDir() {
			err = errors.New("it is no folder")
		}
	}
	if err == nil {
		err = confined.NobodyMayEnter(path)
	}
	if err != nil {
		return nil, fmt.Errorf("the programs that recipes may run are to be in %s: %w", folder, err)
	}
	return &Programs{path}, nil
}

// longestOutput is how much of what a program writes is read.
const longestOutput = 16 << 20

// Run runs a program until it ends or ctx does, as the user nobody where we are
// root. Then it is killed with
// everything that it started. The error says that there is no such program, how
// it failed and what it complained of, or is the context's.
func (p *Programs) Run(ctx context.Context, name string, arguments []string, input []byte) ([]byte, error) {
	path := filepath.Join(p.folder, name)
	if name == "" || name != filepath.Base(name) || strings.HasPrefix(name, ".") {
		return nil, fmt.Errorf("%q is not the name of a program", name)
	}
	if info, err := os.Stat(path); err != nil || info.IsDir() || info.Mode()&0o111 == 0 {
		return nil, fmt.Errorf("there is no program %s in the folder of programs that recipes may run", name)
	}
	cmd := exec.Command(path, arguments...)
	cmd.Dir = p.folder
	cmd.Env = []string{"PATH=" + os.Getenv("PATH"), "LANG=C.UTF-8", "HOME=" + os.TempDir()} // nothing of our own
	cmd.Stdin = bytes.NewReader(input)
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	confined.AsNobody(cmd)
	cmd.WaitDelay = time.Second
	var out, complaint limited
	out.most, complaint.most = longestOutput, 2000
	cmd.Stdout, cmd.Stderr = &out, &complaint
	if err := ctx.Err(); err != nil {
		return nil, context.Cause(ctx)
	}
	if err := cmd.Start(); err != nil {
		return nil, fmt.Errorf("the program %s cannot be started: %w", name, errors.Unwrap(err))
	}
	stop := context.AfterFunc(ctx, func() { _ = syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL) })
	err := cmd.Wait()
	stop()
	_ = syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL) // what it left behind
	switch {
	case ctx.Err() != nil:
		return nil, context.Cause(ctx)
	case out.over:
		return nil, fmt.Errorf("the program %s wrote more than %d bytes", name, longestOutput)
	case err != nil:
		return nil, fmt.Errorf("the program %s failed (%w): %s", name, err, strings.TrimSpace(complaint.String()))
	}
	return out.Bytes(), nil
}

// limited keeps the first bytes and lets the writer write on.
type limited struct {
	bytes.Buffer
	most int
	over bool
}

func (l *limited) Write(p []byte) (int, error) {
	if room := l.most - l.Len(); len(p) > room {
		l.over = true
		l.Buffer.Write(p[:max(0, room)])
		return len(p), nil
	}
	return l.Buffer.Write(p)
}

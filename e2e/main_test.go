// Package e2e tests the whole product from outside: the programs as built, the
// pages in a real browser, and what happens when things are killed.
package e2e

import (
	"bytes"
	"context"
	"fmt"
	"net"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"juvalogos/internal/client"
	"juvalogos/internal/engine"
	"juvalogos/internal/readers"
	"juvalogos/internal/store/storetest"
	"juvalogos/internal/testbed"
	"juvalogos/standin/modelserver"
)

var (
	ctx      = context.Background()
	programs string // the folder of the built programs
)

func TestMain(m *testing.M) {
	readers.Child()
	engine.Child()
	os.Setenv("JUVALOGOS_SENTENCES", "false") // every service would encode what it reads; internal/shelf tests that
	folder, err := os.MkdirTemp("", "juvalogos-programs-")
	if err == nil {
		programs = folder
		err = build()
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	storetest.Main(m, func() {
		if browserUsed {
			if chromium, err := startBrowser(); err == nil {
				chromium.Close()
			}
		}
		os.RemoveAll(folder)
	})
}

func build() error {
	for _, target := range [][]string{{"-o", programs + "/", "../cmd/juvalogos", "../standin/juvalogos-standin"},
		{"-o", programs + "/juvalogos-demo", "../demo"},
		{"-o", programs + "/juvalogos-next-lines", "../examples/programs/next-lines"}} {
		if out, err := exec.Command("go", append([]string{"build"}, target...)...).CombinedOutput(); err != nil {
			return fmt.Errorf("build: %w: %s", err, out)
		}
	}
	return nil
}

// process is a service as people run it.
type process struct {
	t       *testing.T
	cmd     *exec.Cmd
	out     *testbed.Log
	data    string
	args    []string
	model   *modelserver.Server
	address string
	client  *client.Client
}

// openFolder makes a folder that the database's user may enter.
func openFolder(t *testing.T) string {
	t.Helper()
	folder, err := os.MkdirTemp("", "juvalogos-e2e-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(folder) })
	if err := os.Chmod(folder, 0o755); err != nil {
		t.Fatal(err)
	}
	return folder
}

func freePort(t *testing.T) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	return l.Addr().String()
}

// startProcess starts a service with a private database and publishes
// testbed.Desk.
func startProcess(t *testing.T, more ...string) *process {
	t.Helper()
	p := &process{t: t, data: openFolder(t), model: &modelserver.Server{Key: testbed.ModelKey}}
	p.model.Set(testbed.Fast)
	h := httptest.NewServer(p.model.Handler())
	t.Cleanup(func() { h.CloseClientConnections(); h.Close() })
	connections := filepath.Join(p.data, "connections.yaml")
	text := "connections:\n  - name: shed\n    address: " + h.URL +
		"/v1\n    key: env:E2E_KEY\n    models:\n      - {name: thyme-mini, context: 4096}\n" +
		"      - {name: alder-brush, context: 4096, can: [pictures], takes: {seeds: true}}\n" +
		"      - {name: orchid-eye, context: 16384, can: [chat, see]}\n"
	if err := os.WriteFile(connections, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
	listen := freePort(t)
	p.address = "http://" + listen
	p.args = append([]string{"start", "-data", p.data, "-listen", listen, "-connections", connections, "-grace", "5s"},
		more...)
	p.start()
	t.Cleanup(p.stop)
	if _, err := p.client.Publish(ctx, "helper.yaml", []byte(testbed.Desk), ""); err != nil {
		t.Fatal(err)
	}
	return p
}

func (p *process) start() {
	p.t.Helper()
	p.out = &testbed.Log{}
	p.cmd = exec.Command(filepath.Join(programs, "juvalogos"), p.args...)
	p.cmd.Env = append(os.Environ(), "E2E_KEY="+testbed.ModelKey)
	p.cmd.Stdout, p.cmd.Stderr = p.out, p.out
	p.cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	if err := p.cmd.Start(); err != nil {
		p.t.Fatal(err)
	}
	testbed.Until(p.t, "the service answers", func() bool {
		if !strings.Contains(p.out.String(), "Juvalogos answers at") {
			return false
		}
		c, err := client.Load("", "", p.config(), func(string) string { return "" })
		if err != nil {
			return false
		}
		p.client = c
		_, err = c.Desks(ctx)
		return err == nil
	})
}

func (p *process) config() string { return filepath.Join(p.data, "client.yaml") }

func (p *process) kill() {
	_ = p.cmd.Process.Kill()
	_ = p.cmd.Wait()
}

func (p *process) stop() {
	if p.cmd.ProcessState != nil { // killed: take the database down by a last start
		p.start()
	}
	_ = p.cmd.Process.Signal(os.Interrupt)
	ended := make(chan struct{})
	go func() { _ = p.cmd.Wait(); close(ended) }()
	select {
	case <-ended:
	case <-time.After(30 * time.Second):
		p.t.Errorf("the service does not stop: %s", p.out)
		_ = p.cmd.Process.Kill()
	}
}

// postmaster is the process of the private database; 0 if it is not running.
func (p *process) postmaster() int {
	text, err := os.ReadFile(filepath.Join(p.data, "postgres", "data", "postmaster.pid"))
	if err != nil {
		return 0
	}
	var pid int
	_, _ = fmt.Sscan(string(text), &pid)
	return pid
}

// juvalogos runs the command line against the service and returns what it
// printed and its exit code.
func (p *process) juvalogos(in string, args ...string) (out, complaint string, code int) {
	p.t.Helper()
	cmd := exec.Command(filepath.Join(programs, "juvalogos"), args...)
	cmd.Env = append(os.Environ(), "JUVALOGOS_CONFIG="+p.config(), "E2E_KEY="+testbed.ModelKey)
	var stdout, stderr bytes.Buffer
	cmd.Stdin, cmd.Stdout, cmd.Stderr = strings.NewReader(in), &stdout, &stderr
	if err := cmd.Run(); err != nil && cmd.ProcessState == nil {
		p.t.Fatal(err)
	}
	return stdout.String(), stderr.String(), cmd.ProcessState.ExitCode()
}

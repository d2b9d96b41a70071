// Command demo starts Juvalogos with sample data: the simulated model server,
// the service, and the desks of the Alder Vale Beekeepers' Association. It uses
// the programs and the API as anybody would.
package main

import (
	"bytes"
	"context"
	"crypto/rand"
	"embed"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"io/fs"
	"net"
	"os"
	"os/exec"
	"os/signal"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"syscall"
	"time"

	"juvalogos/internal/api"
	"juvalogos/internal/client"
	"juvalogos/internal/desk"
	"juvalogos/internal/service"
)

//go:embed connections.yaml
var connections string

//go:embed desks
var desks embed.FS

const standinAddress = "127.0.0.1:7118"

func main() {
	data := flag.String("data", service.DefaultData()+"-demo", "folder for everything that lasts")
	listen := flag.String("listen", "127.0.0.1:7117", "address and port of the service")
	standin := flag.String("standin", standinAddress, "address and port of the simulated model server")
	flag.Parse()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := run(ctx, *data, *listen, *standin); err != nil && ctx.Err() == nil {
		fmt.Fprintln(os.Stderr, "demo:", err)
		os.Exit(1)
	}
}

func run(ctx context.Context, data, listen, standin string) error {
	began := time.Now()
	for flagName, address := range map[string]string{"-listen": listen, "-standin": standin} {
		if err := free(flagName, address); err != nil {
			return err
		}
	}
	if err := os.MkdirAll(data, 0o755); err != nil {
		return fmt.Errorf("the demo's data folder cannot be made (%w); choose another: make demo DEMO=\"-data FOLDER\"",
			err)
	}
	file := filepath.Join(data, "connections.yaml")
	learner, run, err := layOutLearner()
	if err != nil {
		return fmt.Errorf("lay out the program behind Next Lines: %w", err)
	}
	defer os.RemoveAll(learner)
	text := strings.ReplaceAll(strings.ReplaceAll(connections, standinAddress, standin), "[NEXT_LINES]", run)
	if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
		return fmt.Errorf("write the demo's connection file: %w", err)
	}
	logPath := filepath.Join(data, "demo.log")
	log, err := os.Create(logPath)
	if err != nil {
		return err
	}
	defer log.Close()
	environment := append(os.Environ(), "STANDIN_KEY="+rand.Text())

	simulated, err := launch(log, log, environment, "juvalogos-standin", "-listen", standin)
	if err != nil {
		return err
	}
	defer simulated.stop()
	said := &announcement{}
	arguments := []string{"start", "-data", data, "-listen", listen, "-connections", file, "-grace", "5s",
		"-fetch-private", "true", "-visit", standin}
	if examples, ok := exampleFolder(); ok {
		arguments = append(arguments, "-programs", examples)
	}
	juvalogos, err := launch(said, log, environment, "juvalogos", arguments...)
	if err != nil {
		return err
	}
	defer juvalogos.stop()

	c, config, err := connect(ctx, juvalogos, data, "http://"+listen)
	if err != nil {
		return fmt.Errorf("%w\n%s", err, lastLines(logPath))
	}
	if err := fill(ctx, c); err != nil {
		return err
	}
	if err := keepLedger(ctx, c); err != nil {
		return err
	}
	if err := refer(ctx, c, "http://"+standin+"/reference/"); err != nil {
		return err
	}
	if err := publish(ctx, c, standin); err != nil {
		return err
	}
	exam, err := giveQuiz(ctx, c)
	if err != nil {
		return err
	}
	tell(c.Address, exam, standin, config, logPath, data, said.link(), time.Since(began))
	select {
	case <-ctx.Done():
		fmt.Println("\nStopping; the data stays for the next start.")
		return nil
	case <-simulated.ended:
		return fmt.Errorf("the simulated model server has ended\n%s", lastLines(logPath))
	case <-juvalogos.ended:
		return fmt.Errorf("the service has ended\n%s", lastLines(logPath))
	}
}

// layOutLearner puts the program behind Next Lines and what it learns from where any
// user may run it and read it, and returns how to run it, as YAML.
func layOutLearner() (folder, run string, err error) {
	self, err := os.Executable()
	if err != nil {
		return "", "", err
	}
	program, err := os.ReadFile(filepath.Join(filepath.Dir(self), "juvalogos-next-lines"))
	if err != nil {
		return "", "", err
	}
	if folder, err = os.MkdirTemp("", "juvalogos-demo-"); err != nil {
		return "", "", err
	}
	words := []string{filepath.Join(folder, "next-lines"), filepath.Join(folder, "handbook")}
	err = errors.Join(os.Chmod(folder, 0o755), os.WriteFile(words[0], program, 0o755), os.Mkdir(words[1], 0o755))
	files, failed := fs.Glob(shelves, "shelves/handbook/*.md")
	err = errors.Join(err, failed)
	for _, name := range files {
		text, failed := shelves.ReadFile(name)
		err = errors.Join(err, failed, os.WriteFile(filepath.Join(words[1], path.Base(name)), text, 0o644))
	}
	quoted, failed := json.Marshal(words)
	return folder, string(quoted), errors.Join(err, failed)
}

// exampleFolder is where the example programs are, if any user may enter it: they are
// run as another.
func exampleFolder() (string, bool) {
	self, err := os.Executable()
	if err != nil {
		return "", false
	}
	folder := filepath.Join(filepath.Dir(filepath.Dir(self)), "examples", "programs")
	for at := folder; ; at = filepath.Dir(at) {
		if info, err := os.Stat(at); err != nil || !info.IsDir() || info.Mode()&0o001 == 0 {
			return "", false
		}
		if at == filepath.Dir(at) {
			return folder, true
		}
	}
}

func free(flagName, address string) error {
	l, err := net.Listen("tcp", address)
	if errors.Is(err, syscall.EADDRINUSE) {
		return fmt.Errorf("another program uses %s; stop it, or choose another port: make demo DEMO=\"%s HOST:PORT\"",
			address, flagName)
	}
	if err != nil {
		return fmt.Errorf("cannot listen on %s: %w", address, err)
	}
	return l.Close()
}

// program is a running child. It is in a process group of its own, so that an
// interrupt at the terminal reaches the demo, which stops things in order.
type program struct {
	cmd   *exec.Cmd
	ended chan struct{}
}

func launch(out, log io.Writer, environment []string, name string, args ...string) (*program, error) {
	self, err := os.Executable()
	if err != nil {
		return nil, err
	}
	p := &program{exec.Command(filepath.Join(filepath.Dir(self), name), args...), make(chan struct{})}
	p.cmd.Env, p.cmd.Stdout, p.cmd.Stderr = environment, out, log
	p.cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	if err := p.cmd.Start(); err != nil {
		return nil, fmt.Errorf("start %s: %w; build it with make build", name, err)
	}
	go func() { _ = p.cmd.Wait(); close(p.ended) }()
	return p, nil
}

// announcement keeps what the service says when it starts: the link in it is
// a secret and does not belong in a log.
type announcement struct {
	mu   sync.Mutex
	text bytes.Buffer
}

func (a *announcement) Write(p []byte) (int, error) {
	a.mu.Lock()
	defer a.mu.Unlock()
	return a.text.Write(p)
}

// link is the one-time link for the owner's account; empty if there is an
// account already.
func (a *announcement) link() string {
	a.mu.Lock()
	defer a.mu.Unlock()
	for _, word := range strings.Fields(a.text.String()) {
		if strings.Contains(word, "/console/welcome#") {
			return word
		}
	}
	return ""
}

// stop interrupts the program and waits for it.
func (p *program) stop() {
	_ = p.cmd.Process.Signal(os.Interrupt)
	select {
	case <-p.ended:
	case <-time.After(40 * time.Second):
		_ = p.cmd.Process.Kill()
		<-p.ended
	}
}

// connect waits until the service answers and returns a client with the
// owner's token.
func connect(ctx context.Context, service *program, data, address string) (*client.Client, string, error) {
	config := filepath.Join(data, "client.yaml")
	for {
		select {
		case <-ctx.Done():
			return nil, "", ctx.Err()
		case <-service.ended:
			return nil, "", fmt.Errorf("the service did not start")
		case <-time.After(20 * time.Millisecond):
		}
		c, err := client.Load("", "", config, func(string) string { return "" })
		if err != nil || c.Address != address {
			continue
		}
		if _, err := c.Models(ctx); err == nil {
			return c, config, nil
		}
	}
}

// publish publishes the sample desks that are not there; what somebody has made
// of the others stays.
func publish(ctx context.Context, c *client.Client, standin string) error {
	files, err := desks.ReadDir("desks")
	if err != nil {
		return err
	}
	there, err := c.Desks(ctx)
	if err != nil {
		return err
	}
	for _, f := range files {
		if !strings.HasSuffix(f.Name(), ".yaml") || strings.HasSuffix(f.Name(), desk.OwnRecipe) {
			continue
		}
		text, err := desks.ReadFile("desks/" + f.Name())
		text = bytes.ReplaceAll(text, []byte(standinAddress), []byte(standin))
		if err == nil {
			text, err = desk.WithFiles(text,
				func(name string) ([]byte, error) { return desks.ReadFile("desks/" + name) })
		}
		if err != nil {
			return err
		}
		slug := strings.TrimSuffix(f.Name(), ".yaml")
		if slices.ContainsFunc(there, func(d api.Desk) bool { return d.Slug == slug }) {
			continue
		}
		if _, err := c.Publish(ctx, f.Name(), text, ""); err != nil {
			return err
		}
	}
	return nil
}

func tell(address, exam, standin, config, log, data, link string, took time.Duration) {
	console := address + "/console"
	if link != "" {
		console = link + "\n                     (make your account with this link; it works once)"
	}
	fmt.Printf(`
Juvalogos runs with sample data (started in %.1f s).

  Ask at a desk      %[2]s/at/hive-helper
                     %[2]s/at/handbook       answers from documents, with sources
                     %[2]s/at/reference      talks about the article, page or papers that you bring
                     %[2]s/at/very-words     short questions, in the documents' own words
                     %[2]s/at/read-with-me   answers from documents that you attach
                     %[2]s/at/ledger         computes from tables; ledger-plain does without a model
                     %[2]s/at/your-table     computes from a spreadsheet that you attach
                     %[2]s/at/office         answers from texts and tables together
                     %[2]s/at/in-short       puts long texts in short
                     %[2]s/at/exam           makes quizzes of them
                     %[2]s/at/short-answers  as its name says
                     %[2]s/at/three-heads    three models side by side
                     %[2]s/at/next-lines     a text goes on in several ways
                     %[2]s/at/work-plan      a recipe of its own
                     %[2]s/at/frames         looks at pictures
                     %[2]s/at/labels         reads the text in pictures
                     %[2]s/at/draw-a-label   makes pictures from words
                     %[2]s/at/more-labels    makes pictures from a picture
                     %[2]s/at/voice-notes    writes recordings down; its recogniser is real
                     %[2]s/at/into-english   translates what is spoken
                     %[2]s/at/the-talk       answers from a recorded talk, with the minute
  Take a quiz        %[2]s%[8]s
  Make desks         %[3]s
  In the terminal    export JUVALOGOS_CONFIG=%s
                     bin/juvalogos ask -desk hive-helper "How do I light a smoker?"
  The models         are simulated, at http://%[5]s, with a reference site at /reference/;
                     Next Lines, the recogniser and the voice are real, and small
  Data and log       %s, %s

Ctrl-C stops everything. The data stays.
`, took.Seconds(), address, console, config, standin, data, log, exam)
}

func lastLines(path string) string {
	text, err := os.ReadFile(path)
	if err != nil {
		return ""
	}
	lines := strings.Split(strings.TrimSpace(string(text)), "\n")
	return strings.Join(lines[max(0, len(lines)-5):], "\n")
}

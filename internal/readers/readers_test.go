package readers

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"juvalogos/core/reading"
	"juvalogos/internal/confined"
)

// In a confined process of the tests files of these names do harm.
func TestMain(m *testing.M) {
	confined.Child(kind, func(t *confined.Task) []byte {
		if bytes.Contains(t.Request, []byte(`"harm-`)) {
			return harm(t)
		}
		return said(t)
	})
	confined.Child(soundKind, soundSaid)
	os.Exit(m.Run())
}

func harm(t *confined.Task) []byte {
	switch {
	case bytes.Contains(t.Request, []byte("harm-loop")):
		for n := uint64(1); n != 0; n += 2 { // which it never is
			_ = n
		}
	case bytes.Contains(t.Request, []byte("harm-memory")):
		var held [][]byte
		for {
			piece := make([]byte, 16<<20)
			for i := range piece {
				piece[i] = 1
			}
			held = append(held, piece)
			_ = held
		}
	case bytes.Contains(t.Request, []byte("harm-child")):
		_ = exec.Command("tail", "/dev/zero").Run() // which holds what it has read
	case bytes.Contains(t.Request, []byte("harm-end")):
		os.Exit(0)
	case bytes.Contains(t.Request, []byte("harm-words")):
		return []byte("all is well")
	case bytes.Contains(t.Request, []byte("harm-flood")):
		return make([]byte, mostAnswer+1)
	case bytes.Contains(t.Request, []byte("harm-environment")):
		id, _ := exec.Command("id", "-u").Output()
		_, network := exec.Command("sh", "-c", "cat < /dev/null > /dev/tcp/127.0.0.1/1").Output()
		text := fmt.Sprintf("%s\n%s\n%v", os.Environ(), id, network)
		secret, err := os.ReadFile(os.Getenv("SECRET_FILE"))
		text += fmt.Sprint(string(secret), err != nil)
		var files []*os.File
		for {
			f, err := os.Open("/dev/null")
			if err != nil {
				break
			}
			files = append(files, f)
		}
		return answered(fmt.Sprintf("%s\n%d files", text, len(files)))
	}
	return nil
}

func answered(text string) []byte {
	return []byte(fmt.Sprintf(`{"Document":{"title":%q}}`, text))
}

func pool(t *testing.T) *Pool {
	t.Helper()
	p := New(filepath.Join(os.TempDir(), "juvalogos-testbed"))
	t.Cleanup(p.Close)
	return p
}

func TestFilesAreReadAsTheyAre(t *testing.T) {
	p := pool(t)
	for _, file := range []string{"../../demo/shelves/handbook/leaflets/wasps.pdf", "../../README.md"} {
		body, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		d, err := p.Read(t.Context(), file, body, reading.DefaultLimits)
		if err != nil || len(d.Blocks) == 0 || d.Words < 50 || d.Title == "" {
			t.Errorf("%s: %+v %v", file, d.Title, err)
		}
		if strings.HasSuffix(file, ".pdf") {
			picture, err := p.Draw(t.Context(), file, body, "pdf", 1, 60)
			if err != nil || !bytes.HasPrefix(picture, []byte("\x89PNG")) {
				t.Errorf("drawn: %d bytes, %v", len(picture), err)
			}
		}
	}
	var problem *reading.Problem
	_, err := p.Read(t.Context(), "broken.pdf", []byte("no"), reading.DefaultLimits)
	if !errors.As(err, &problem) || !strings.Contains(err.Error(), "broken.pdf: it is not a PDF") {
		t.Errorf("what is wrong with a file: %v", err)
	}
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, name := range []string{"one.md", "two.md"} {
		w, _ := z.Create(name)
		_, _ = w.Write([]byte("# " + name))
	}
	z.Close()
	var entries []string
	err = p.Unpack(t.Context(), "both.zip", b.Bytes(), reading.DefaultLimits, func(e reading.Entry) error {
		entries = append(entries, e.Name+" "+string(e.Body))
		return nil
	}, func(p *reading.Problem) { t.Error(p) })
	if err != nil || fmt.Sprint(entries) != "[one.md # one.md two.md # two.md]" {
		t.Errorf("unpacked: %v %v", entries, err)
	}
	stop := errors.New("enough")
	if err := p.Unpack(t.Context(), "both.zip", b.Bytes(), reading.DefaultLimits,
		func(reading.Entry) error { return stop }, nil); !errors.Is(err, stop) {
		t.Errorf("what the caller says: %v", err)
	}
}

// Whatever a file makes of the process that reads it: the service goes on, and says
// what is wrong; the next file is read. The memory is measured from outside.
func TestHarmEndsInItsProcess(t *testing.T) {
	p := pool(t)
	p.pool = confined.NewPool(kind, confined.Limits{Memory: 300 << 20, Files: mostFiles, Answer: mostAnswer,
		First: 2 * time.Second})
	defer p.pool.Close()
	most := watchMemory(t)
	for _, name := range []string{"harm-loop", "harm-memory", "harm-child", "harm-end", "harm-flood", "harm-words"} {
		began := time.Now()
		_, err := p.Read(t.Context(), name, []byte("x"), reading.DefaultLimits)
		var problem *reading.Problem
		if !errors.As(err, &problem) || problem.What.Form != GivenUp.Form {
			t.Errorf("%s: %v", name, err)
		}
		t.Logf("%s: given up after %v", name, time.Since(began).Round(time.Millisecond))
		if d, err := p.Read(t.Context(), "after.md", []byte("# After\n\nIt goes on."),
			reading.DefaultLimits); err != nil ||
			d.Title != "After" {
			t.Errorf("after %s: %+v, %v", name, d, err)
		}
	}
	if held := most(); held > 1500<<20 {
		t.Errorf("the processes held %d MB", held>>20)
	}
}

// watchMemory measures what this process and those that it started hold, by the
// system's count, until the returned function is called.
func watchMemory(t *testing.T) func() int64 {
	var most int64
	end, ended := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(ended)
		for {
			select {
			case <-end:
				return
			case <-time.After(10 * time.Millisecond):
				most = max(most, confined.Resident(os.Getpid()))
			}
		}
	}()
	return sync.OnceValue(func() int64 { close(end); <-ended; return most })
}

// A confined process has none of our environment, is not us where we are root, and
// opens few files.
func TestConfinedProcessesKnowNothing(t *testing.T) {
	t.Setenv("SECRET_KEY", "c0ffee")
	secret := filepath.Join(t.TempDir(), "secret")
	if err := os.WriteFile(secret, []byte("decade"), 0o600); err != nil {
		t.Fatal(err)
	}
	p := pool(t)
	p.pool = confined.NewPool(kind, confined.Limits{Files: mostFiles, Answer: mostAnswer, First: 10 * time.Second},
		"SECRET_FILE="+secret)
	defer p.pool.Close()
	d, err := p.Read(t.Context(), "harm-environment", []byte("x"), reading.DefaultLimits)
	if err != nil {
		t.Fatal(err)
	}
	if strings.Contains(d.Title, "c0ffee") {
		t.Errorf("the environment came along: %s", d.Title)
	}
	var files int
	if _, err := fmt.Sscanf(d.Title[strings.LastIndex(d.Title, "\n")+1:], "%d files", &files); err != nil ||
		files < 5 ||
		files > mostFiles {
		t.Errorf("%d files, %v", files, err)
	}
	if os.Geteuid() == 0 && (!strings.Contains(d.Title, "\n65534\n") || strings.Contains(d.Title, "decade")) {
		t.Errorf("it runs as we do: %s", d.Title)
	}
}

// Whoever gives up waiting ends the process, in whatever it does.
func TestGivingUpEndsTheProcess(t *testing.T) {
	p := pool(t)
	ctx, cancel := context.WithTimeout(t.Context(), 300*time.Millisecond)
	defer cancel()
	began := time.Now()
	if _, err := p.Read(ctx, "harm-loop", []byte("x"), reading.DefaultLimits); !errors.Is(err,
		context.DeadlineExceeded) {
		t.Errorf("%v", err)
	}
	if took := time.Since(began); took > time.Minute {
		t.Errorf("after %v", took)
	}
}

// The attack that kept the only reader for ten minutes: links that never end.
func TestUnfinishedLinks(t *testing.T) {
	p := pool(t)
	body := bytes.Repeat([]byte("[a](b"), 976_000/5)
	began := time.Now()
	var others sync.WaitGroup
	others.Go(func() {
		for i := range 20 {
			if _, err := p.Read(t.Context(), "note.md", []byte("# A note"), reading.DefaultLimits); err != nil {
				t.Errorf("note %d: %v", i, err)
			}
		}
	})
	_, err := p.Read(t.Context(), "links.md", body, reading.DefaultLimits)
	took := time.Since(began)
	others.Wait()
	var problem *reading.Problem
	if err != nil && !errors.As(err, &problem) || took > 60*time.Second {
		t.Errorf("after %v: %v", took, err)
	}
	t.Logf("after %v: %v", took.Round(time.Millisecond), err)
}

// Where what was compiled of PDFium cannot be kept, every process compiles it anew;
// that does not count as the file's time.
func TestPDFsAreReadWithoutAPlaceToKeepAnything(t *testing.T) {
	body, err := os.ReadFile("../../demo/shelves/handbook/leaflets/wasps.pdf")
	if err != nil {
		t.Fatal(err)
	}
	p := New("/proc/nowhere")
	p.pool = confined.NewPool(kind, confined.Limits{Memory: mostMemory, Files: mostFiles, Answer: mostAnswer,
		First: time.Second}, cacheVariable+"=/proc/nowhere/pdfium")
	defer p.pool.Close()
	if d, err := p.Read(t.Context(), "wasps.pdf", body, reading.DefaultLimits); err != nil || d.Words < 50 {
		t.Errorf("%d words, %v", d.Words, err)
	}
}

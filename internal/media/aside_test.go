package media

import (
	"bytes"
	"errors"
	"io"
	"os"
	"path/filepath"
	"testing"
	"testing/iotest"
)

func TestPicturesWaitAside(t *testing.T) {
	folder := t.TempDir()
	t.Setenv("TMPDIR", folder)
	for _, size := range []int{0, 1, mostInMemory - 1, mostInMemory, 5<<20 + 3, MostBytes + 9} {
		body := bytes.Repeat([]byte("abcdefg"), size/7+1)[:size]
		a, err := setAside(bytes.NewReader(body))
		if err != nil {
			t.Fatal(err)
		}
		if left, _ := filepath.Glob(filepath.Join(folder, "*")); len(left) > 0 {
			t.Errorf("%d bytes: %v is there by name", size, left)
		}
		if (a.file != nil) != (size >= mostInMemory) {
			t.Errorf("%d bytes: in a file: %v", size, a.file != nil)
		}
		if got, err := a.all(); err != nil || !bytes.Equal(got, body[:min(size, MostBytes+1)]) {
			t.Errorf("%d bytes: %d came back, %v", size, len(got), err)
		}
		a.close()
	}
	broken := errors.New("the line broke")
	if _, err := setAside(io.MultiReader(bytes.NewReader(make([]byte, 2<<20)),
		iotest.ErrReader(broken))); !errors.Is(err,
		broken) {
		t.Errorf("a body that breaks off: %v", err)
	}
	t.Setenv("TMPDIR", filepath.Join(folder, "nowhere"))
	if _, err := setAside(bytes.NewReader(make([]byte, 2<<20))); !errors.Is(err, os.ErrNotExist) {
		t.Errorf("no place: %v", err)
	}
}

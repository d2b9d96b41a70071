package vault

import (
	"os"
	"path/filepath"
	"testing"
)

// Only what was named at the start may be named from outside, whatever links and
// dots lead to it.
func TestReferences(t *testing.T) {
	keys, other := t.TempDir(), t.TempDir()
	for _, f := range []string{filepath.Join(keys, "shed.key"), filepath.Join(other, "master.key")} {
		if err := os.WriteFile(f, []byte("x"), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.Symlink(filepath.Join(other, "master.key"), filepath.Join(keys, "link.key")); err != nil {
		t.Fatal(err)
	}
	if err := os.Symlink(keys, filepath.Join(other, "keys")); err != nil {
		t.Fatal(err)
	}
	r := References{Variables: []string{"MODEL_KEY_", ""}, Folders: []string{keys, ""}}
	for reference, allowed := range map[string]bool{
		"": true, "env:MODEL_KEY_SHED": true, "env:MODEL_KEY": false, "env:PATH": false, "env:": false,
		"env:JUVALOGOS_MASTER": false, "file:" + keys + "/shed.key": true, "file:" + keys + "/link.key": false,
		"file:" + keys + "/../" + filepath.Base(other) + "/master.key": false, "file:" + other + "/master.key": false,
		"file:" + other + "/keys/shed.key": true, "file:" + keys: false, "file:" + keys + "/none": false,
		"file:/etc/passwd": false, "file:shed.key": false, "file:": false, "file:/proc/self/environ": false, "x": false,
	} {
		if err := r.Allow(reference); (err == nil) != allowed {
			t.Errorf("%s: %v", reference, err)
		}
		if err := (References{}).Allow(reference); (err == nil) != (reference == "") {
			t.Errorf("with nothing named, %s: %v", reference, err)
		}
	}
}

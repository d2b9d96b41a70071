package vault

import (
	"bytes"
	"errors"
	"os"
	"path/filepath"
	"testing"
)

func TestWhatIsSealedOpensUnderItsNameOnly(t *testing.T) {
	file := filepath.Join(t.TempDir(), "data", "master.key")
	v, err := Open("", file)
	if err != nil {
		t.Fatal(err)
	}
	sealed := v.Seal("shed", "the key itself")
	if bytes.Contains(sealed, []byte("key")) || bytes.Equal(sealed, v.Seal("shed", "the key itself")) {
		t.Error("what is sealed can be read or told apart")
	}
	again, err := Open("", file) // the same master key
	if err != nil {
		t.Fatal(err)
	}
	if text, err := again.Unseal("shed", sealed); err != nil || text != "the key itself" {
		t.Errorf("opened %q, %v", text, err)
	}
	other, err := Open("another master key", file)
	if err != nil {
		t.Fatal(err)
	}
	broken := bytes.Clone(sealed)
	broken[len(broken)-1] ^= 1
	for what, open := range map[string]func() (string, error){
		"another name": func() (string, error) { return v.Unseal("barn", sealed) },
		"another key":  func() (string, error) { return other.Unseal("shed", sealed) },
		"damaged":      func() (string, error) { return v.Unseal("shed", broken) },
		"too short":    func() (string, error) { return v.Unseal("shed", sealed[:5]) },
	} {
		if text, err := open(); !errors.Is(err, ErrForeign) || text != "" {
			t.Errorf("%s: %q, %v", what, text, err)
		}
	}
	if info, err := os.Stat(file); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("the master key's file: %v, %v", info, err)
	}
	if _, err := New("short"); err == nil {
		t.Error("a short master key is taken")
	}
}

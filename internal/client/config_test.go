package client

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
)

func TestLoad(t *testing.T) {
	file := filepath.Join(t.TempDir(), "client.yaml")
	if err := (Config{Address: "http://file:1", Token: "file-token"}).Save(file); err != nil {
		t.Fatal(err)
	}
	if info, err := os.Stat(file); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("the file is %v, %v", info.Mode(), err)
	}
	for _, c := range []struct {
		name                string
		address, token      string
		env                 map[string]string
		file                string
		fallbacks           []string
		wantAddress, wanted string
	}{
		{"nothing", "", "", nil, "", nil, DefaultAddress, ""},
		{"a file", "", "", nil, file, nil, "http://file:1", "file-token"},
		{"a file from the environment", "", "", map[string]string{"JUVALOGOS_CONFIG": file}, "", nil, "http://file:1",
			"file-token"},
		{"the second fallback", "", "", nil, "", []string{"/nowhere.yaml", file}, "http://file:1", "file-token"},
		{"the environment's token", "", "", map[string]string{"JUVALOGOS_TOKEN": "env"}, file, nil, "http://file:1",
			"env"},
		{"flags first", "http://flag:1", "flag",
			map[string]string{"JUVALOGOS_ADDRESS": "http://env:1", "JUVALOGOS_TOKEN": "env"}, file, nil,
			"http://flag:1", "flag"},
		{"no token for a stranger", "http://elsewhere:1", "", nil, file, nil, "http://elsewhere:1", ""},
		{"the same address", "http://file:1", "", nil, file, nil, "http://file:1", "file-token"},
	} {
		got, err := Load(c.address, c.token, c.file, func(name string) string { return c.env[name] }, c.fallbacks...)
		if err != nil || got.Address != c.wantAddress || got.Token != c.wanted {
			t.Errorf("%s: %+v, %v", c.name, got, err)
		}
	}
	if _, err := Load("", "", "/nowhere.yaml", func(string) string { return "" }); err == nil ||
		!strings.Contains(err.Error(), "cannot be read") {
		t.Errorf("a file that is named must be there: %v", err)
	}
	if err := os.WriteFile(file, []byte("adress: x"), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := Load("", "", file, func(string) string { return "" }); err == nil ||
		!strings.Contains(err.Error(), `did you mean "address"?`) {
		t.Errorf("a mistake: %v", err)
	}
}

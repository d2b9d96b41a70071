package service

import (
	"errors"
	"flag"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

func read(t *testing.T, env map[string]string, args ...string) (Settings, error) {
	t.Helper()
	f := flag.NewFlagSet("start", flag.ContinueOnError)
	f.SetOutput(io.Discard)
	return Read(f, args, func(name string) string { return env[name] })
}

func TestFlagsWinOverTheEnvironmentWinsOverTheFile(t *testing.T) {
	path := filepath.Join(t.TempDir(), "juvalogos.yaml")
	if err := os.WriteFile(path, []byte("listen: 1.1.1.1:1\nbase-path: /file\ngrace: 1m\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	s, err := read(t, map[string]string{"JUVALOGOS_START_CONFIG": path, "JUVALOGOS_LISTEN": "2.2.2.2:2",
		"JUVALOGOS_BASE_PATH": "/env"}, "-listen", "3.3.3.3:3", "-fetch-private", "true")
	if err != nil || s.Listen != "3.3.3.3:3" || !s.FetchPrivate || s.BasePath != "/env" || s.Grace != time.Minute ||
		s.LogFormat != "text" || s.Data != DefaultData() {
		t.Errorf("%+v, %v", s, err)
	}
}

func TestSettingsThatAreRefused(t *testing.T) {
	path := filepath.Join(t.TempDir(), "juvalogos.yaml")
	if err := os.WriteFile(path, []byte("lisen: x\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		env  map[string]string
		args string
		want string
	}{
		{nil, "-config " + path, `juvalogos.yaml:1:1: unknown key "lisen"; did you mean "listen"?`},
		{nil, "-config /nowhere.yaml", "there is no config file /nowhere.yaml"},
		{nil, "-fetch-private yes", "neither true nor false"},
		{nil, "-log-format xml", "flag -log-format: unknown value"},
		{map[string]string{"JUVALOGOS_GRACE": "soon"}, "", "environment variable JUVALOGOS_GRACE"},
		{nil, "-grace 5s extra", `"extra" is not expected here`},
	} {
		if _, err := read(t, c.env, strings.Fields(c.args)...); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: got %v", c.args, err)
		}
	}
	if _, err := read(t, nil, "-h"); !errors.Is(err, flag.ErrHelp) {
		t.Errorf("-h: got %v", err)
	}
}

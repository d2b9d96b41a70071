package juvalogos_test

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
)

// A vulnerability that our code reaches fails the check; data that cannot be reached
// is said, and fails nothing. The data here are made up.
func TestKnownVulnerabilitiesAreFound(t *testing.T) {
	folder := t.TempDir()
	for name, text := range map[string]string{
		"index/db.json": `{"modified":"2026-01-01T00:00:00Z"}`,
		"index/modules.json": `[{"path":"golang.org/x/net",
			"vulns":[{"id":"GO-2026-9999","modified":"2026-01-01T00:00:00Z"}]}]`,
		"ID/GO-2026-9999.json": `{"schema_version":"1.3.1","id":"GO-2026-9999","modified":"2026-01-01T00:00:00Z",
			"published":"2026-01-01T00:00:00Z","summary":"made up","details":"made up",
			"affected":[{"package":{"name":"golang.org/x/net","ecosystem":"Go"},
				"ranges":[{"type":"SEMVER","events":[{"introduced":"0"}]}],
				"ecosystem_specific":{"imports":[{"path":"golang.org/x/net/html","symbols":["ParseWithOptions"]}]}}],
			"references":[],"database_specific":{"url":"http://127.0.0.1:1/","review_status":"REVIEWED"}}`,
	} {
		file := filepath.Join(folder, name)
		if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	look := func(data string) (string, int) {
		cmd := exec.Command("scripts/vulnerabilities.sh", "./core/reading")
		cmd.Env = append(os.Environ(), "GOVULNDB="+data, "npm_config_registry=http://127.0.0.1:1",
			"npm_config_fetch_retries=0")
		out, _ := cmd.CombinedOutput()
		return string(out), cmd.ProcessState.ExitCode()
	}
	if out, code := look("file://" + folder); code != 1 || !strings.Contains(out, "GO-2026-9999") ||
		!strings.Contains(out, "are reached by our code") {
		t.Errorf("with a vulnerability: %d %s", code, out)
	}
	if out, code := look("http://127.0.0.1:1"); code != 0 || !strings.Contains(out, "Go: NOT LOOKED AT") ||
		!strings.Contains(out, "npm: NOT LOOKED AT") {
		t.Errorf("without data: %d %s", code, out)
	}
}

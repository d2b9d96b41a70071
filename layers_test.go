package juvalogos_test

import (
	"encoding/json"
	"errors"
	"io"
	"os"
	"os/exec"
	"regexp"
	"slices"
	"strings"
	"testing"
)

// pkg is what the go command says of a package.
type pkg struct {
	ImportPath string
	Imports    []string
}

// Dependencies point downwards only; see ARCHITECTURE.md. Each line says which
// packages of the project a package and those below it may import.
var layers = []struct {
	prefix string
	may    []string
}{
	{"juvalogos/core/curlline", nil},
	{"juvalogos/core/difference", nil},
	{"juvalogos/core/embedding", nil},
	{"juvalogos/core/encoder", []string{"juvalogos/core/embedding", "juvalogos/core/language"}},
	{"juvalogos/core/evidence", nil},
	{"juvalogos/core/jsontext", nil},
	{"juvalogos/core/language", nil},
	{"juvalogos/core/lexicon", nil},
	{"juvalogos/core/phrase", nil},
	{"juvalogos/core/picture", []string{"juvalogos/core/phrase"}},
	{"juvalogos/core/prompt", nil},
	{"juvalogos/core/templates", []string{"juvalogos/core/prompt"}},
	{"juvalogos/core/thinking", nil},
	{"juvalogos/core/yamlfile", nil},
	{"juvalogos/core/bearing", []string{"juvalogos/core/language", "juvalogos/core/words"}},
	{"juvalogos/core/words", []string{"juvalogos/core/language"}},
	{"juvalogos/core/reading", []string{"juvalogos/core/evidence", "juvalogos/core/language", "juvalogos/core/phrase"}},
	{"juvalogos/core/deskfile", []string{"juvalogos/core/yamlfile"}},
	{"juvalogos/core/memory", []string{"juvalogos/core/prompt"}},
	{"juvalogos/core/passage", []string{"juvalogos/core/evidence", "juvalogos/core/language",
		"juvalogos/core/reading"}},
	{"juvalogos/core/retrieval", []string{"juvalogos/core/embedding", "juvalogos/core/encoder",
		"juvalogos/core/language", "juvalogos/core/lexicon"}},
	{"juvalogos/core/citing", []string{"juvalogos/core/embedding", "juvalogos/core/encoder", "juvalogos/core/evidence",
		"juvalogos/core/language", "juvalogos/core/lexicon"}},
	{"juvalogos/core/scoring", nil},
	{"juvalogos/core/tables", []string{"juvalogos/core/evidence", "juvalogos/core/language", "juvalogos/core/phrase"}},
	{"juvalogos/core/sound", nil},
	{"juvalogos/core/quiz", []string{"juvalogos/core/deskfile", "juvalogos/core/evidence",
		"juvalogos/core/language", "juvalogos/core/words"}},
	{"juvalogos/core/spotting", []string{"juvalogos/core/embedding", "juvalogos/core/evidence",
		"juvalogos/core/language"}},
	{"juvalogos/core/recipe", []string{"juvalogos/core/evidence", "juvalogos/core/phrase", "juvalogos/core/prompt",
		"juvalogos/core/quiz", "juvalogos/core/sound", "juvalogos/core/tables", "juvalogos/core/yamlfile"}},
	{"juvalogos/core/recipe/draw", []string{"juvalogos/core/recipe"}},
	{"juvalogos/core/steps", []string{"juvalogos/core/citing", "juvalogos/core/deskfile", "juvalogos/core/evidence",
		"juvalogos/core/jsontext", "juvalogos/core/memory", "juvalogos/core/prompt", "juvalogos/core/recipe",
		"juvalogos/core/phrase", "juvalogos/core/quiz", "juvalogos/core/sound", "juvalogos/core/spotting",
		"juvalogos/core/tables", "juvalogos/core/templates", "juvalogos/core/yamlfile"}},
	{"juvalogos/internal/sse", nil},
	{"juvalogos/internal/fair", nil},
	{"juvalogos/internal/limits", []string{"juvalogos/core/phrase", "juvalogos/internal/fair"}},
	{"juvalogos/internal/browser", nil},
	{"juvalogos/internal/terminal", nil},
	{"juvalogos/internal/vault", nil},
	{"juvalogos/internal/record", []string{"juvalogos/core/evidence", "juvalogos/core/phrase", "juvalogos/core/quiz",
		"juvalogos/core/sound",
		"juvalogos/core/tables", "juvalogos/core/words"}},
	{"juvalogos/internal/store", []string{"juvalogos/core/encoder", "juvalogos/core/evidence", "juvalogos/core/phrase",
		"juvalogos/core/sound",
		"juvalogos/core/words",
		"juvalogos/internal/record", "juvalogos/internal/store"}},
	{"juvalogos/internal/confined", nil},
	{"juvalogos/internal/engine", []string{"juvalogos/core/phrase", "juvalogos/core/reading", "juvalogos/core/tables",
		"juvalogos/internal/confined"}},
	{"juvalogos/internal/readers", []string{"juvalogos/core/phrase", "juvalogos/core/picture", "juvalogos/core/reading",
		"juvalogos/core/sound", "juvalogos/internal/confined", "juvalogos/internal/pdfium"}},
	{"juvalogos/internal/outside", []string{"juvalogos/internal/confined", "juvalogos/internal/reach",
		"juvalogos/internal/vault"}},
	{"juvalogos/internal/reach", []string{"juvalogos/core/phrase"}},
	{"juvalogos/internal/database", []string{"juvalogos/core/tables", "juvalogos/core/yamlfile",
		"juvalogos/internal/vault"}},
	{"juvalogos/internal/source", []string{"juvalogos/core/phrase", "juvalogos/core/yamlfile",
		"juvalogos/internal/reach"}},
	{"juvalogos/internal/otlp", []string{"juvalogos/core/", "juvalogos/internal/record"}},
	{"juvalogos/internal/programs", []string{"juvalogos/core/jsontext", "juvalogos/internal/confined"}},
	{"juvalogos/internal/models", []string{"juvalogos/core/", "juvalogos/internal/fair", "juvalogos/internal/vault",
		"juvalogos/internal/programs", "juvalogos/internal/reach",
		"juvalogos/internal/models",
		"juvalogos/internal/sse"}},
	{"juvalogos/internal/pdfium", []string{"juvalogos/core/phrase", "juvalogos/core/reading"}},
	{"juvalogos/internal/notices", nil},
	{"juvalogos/internal/fault", []string{"juvalogos/core/phrase", "juvalogos/internal/models",
		"juvalogos/internal/record"}},
	{"juvalogos/internal/account", []string{"juvalogos/internal/fault", "juvalogos/internal/record",
		"juvalogos/internal/store"}},
	{"juvalogos/internal/connection", []string{"juvalogos/core/curlline", "juvalogos/core/yamlfile",
		"juvalogos/internal/fault",
		"juvalogos/internal/models", "juvalogos/internal/record", "juvalogos/internal/store",
		"juvalogos/internal/vault"}},
	{"juvalogos/internal/media", []string{"juvalogos/core/", "juvalogos/internal/fair", "juvalogos/internal/fault",
		"juvalogos/internal/readers", "juvalogos/internal/record", "juvalogos/internal/store"}},
	{"juvalogos/internal/table", []string{"juvalogos/core/phrase", "juvalogos/core/tables", "juvalogos/internal/engine",
		"juvalogos/internal/fault", "juvalogos/internal/record"}},
	{"juvalogos/internal/shelf", []string{"juvalogos/core/", "juvalogos/internal/engine", "juvalogos/internal/fair",
		"juvalogos/internal/table", "juvalogos/internal/source", "juvalogos/internal/database",
		"juvalogos/internal/models",
		"juvalogos/internal/record", "juvalogos/internal/store"}},
	{"juvalogos/internal/desk", []string{"juvalogos/core/", "juvalogos/internal/fault", "juvalogos/internal/models",
		"juvalogos/internal/record", "juvalogos/internal/store"}},
	{"juvalogos/internal/exam", []string{"juvalogos/core/phrase", "juvalogos/core/quiz", "juvalogos/internal/fault",
		"juvalogos/internal/limits", "juvalogos/internal/record", "juvalogos/internal/store"}},
	{"juvalogos/internal/errand", []string{"juvalogos/core/deskfile", "juvalogos/core/phrase", "juvalogos/core/steps",
		"juvalogos/internal/desk",
		"juvalogos/internal/fair", "juvalogos/internal/fault", "juvalogos/internal/limits", "juvalogos/internal/record",
		"juvalogos/internal/shelf", "juvalogos/internal/source", "juvalogos/internal/store"}},
	{"juvalogos/internal/reply", []string{"juvalogos/core/", "juvalogos/internal/fair", "juvalogos/internal/limits",
		"juvalogos/internal/desk", "juvalogos/internal/fault",
		"juvalogos/internal/media",
		"juvalogos/internal/models", "juvalogos/internal/record", "juvalogos/internal/shelf",
		"juvalogos/internal/engine", "juvalogos/internal/store", "juvalogos/internal/table"}},
	{"juvalogos/internal/runs", []string{"juvalogos/core/", "juvalogos/internal/desk", "juvalogos/internal/fair",
		"juvalogos/internal/fault", "juvalogos/internal/record", "juvalogos/internal/reply",
		"juvalogos/internal/store"}},
	{"juvalogos/internal/standing", []string{"juvalogos/core/", "juvalogos/internal/desk", "juvalogos/internal/errand",
		"juvalogos/internal/fair", "juvalogos/internal/fault", "juvalogos/internal/record", "juvalogos/internal/reply",
		"juvalogos/internal/store"}},
	{"juvalogos/internal/recording", []string{"juvalogos/core/", "juvalogos/internal/desk", "juvalogos/internal/fair",
		"juvalogos/internal/fault", "juvalogos/internal/limits", "juvalogos/internal/models",
		"juvalogos/internal/readers",
		"juvalogos/internal/record", "juvalogos/internal/reply", "juvalogos/internal/shelf",
		"juvalogos/internal/store"}},
	{"juvalogos/internal/conversation", []string{"juvalogos/core/", "juvalogos/internal/media",
		"juvalogos/internal/desk",
		"juvalogos/internal/fault", "juvalogos/internal/record", "juvalogos/internal/reply",
		"juvalogos/internal/store"}},
	{"juvalogos/internal/inside", []string{"juvalogos/core/", "juvalogos/internal/desk", "juvalogos/internal/fault",
		"juvalogos/internal/record", "juvalogos/internal/reply", "juvalogos/internal/store"}},
	{"juvalogos/internal/api", []string{"juvalogos/core/", "juvalogos/internal/models"}},
	{"juvalogos/internal/shape", []string{"juvalogos/core/", "juvalogos/internal/api", "juvalogos/internal/desk",
		"juvalogos/internal/errand", "juvalogos/internal/fault", "juvalogos/internal/inside",
		"juvalogos/internal/limits",
		"juvalogos/internal/media",
		"juvalogos/internal/models",
		"juvalogos/internal/record", "juvalogos/internal/recording", "juvalogos/internal/reply",
		"juvalogos/internal/runs", "juvalogos/internal/shelf", "juvalogos/internal/table"}},
	{"juvalogos/internal/web", []string{"juvalogos/internal/notices",
		"juvalogos/core/deskfile", "juvalogos/core/sound", "juvalogos/core/tables",
		"juvalogos/core/quiz", "juvalogos/internal/exam", "juvalogos/internal/runs",
		"juvalogos/internal/standing",
		"juvalogos/internal/table",
		"juvalogos/internal/recording", "juvalogos/internal/source", "juvalogos/core/phrase", "juvalogos/core/picture",
		"juvalogos/core/prompt",
		"juvalogos/core/recipe", "juvalogos/core/steps", "juvalogos/core/yamlfile", "juvalogos/core/evidence",
		"juvalogos/core/jsontext",
		"juvalogos/internal/account", "juvalogos/internal/fair", "juvalogos/internal/limits",
		"juvalogos/internal/api", "juvalogos/internal/connection", "juvalogos/internal/conversation",
		"juvalogos/internal/desk", "juvalogos/internal/errand", "juvalogos/internal/fault", "juvalogos/internal/inside",
		"juvalogos/internal/media",
		"juvalogos/internal/models",
		"juvalogos/internal/otlp", "juvalogos/internal/record", "juvalogos/internal/reply", "juvalogos/internal/shape",
		"juvalogos/internal/shelf", "juvalogos/internal/sse"}},
	{"juvalogos/internal/client", []string{"juvalogos/core/evidence", "juvalogos/core/quiz", "juvalogos/core/recipe",
		"juvalogos/core/yamlfile",
		"juvalogos/internal/api", "juvalogos/internal/sse"}},
	{"juvalogos/internal/service", []string{"juvalogos/core/", "juvalogos/internal/"}},
	{"juvalogos/internal/soundtest", nil},
	{"juvalogos/internal/testbed", []string{"juvalogos/internal/", "juvalogos/standin/"}},
	{"juvalogos/demo/ledger", nil},
	{"juvalogos/cmd/juvalogos", []string{"juvalogos/core/deskfile", "juvalogos/core/quiz", "juvalogos/core/tables",
		"juvalogos/internal/engine", "juvalogos/core/evidence", "juvalogos/core/picture", "juvalogos/core/yamlfile",
		"juvalogos/core/difference", "juvalogos/core/sound", "juvalogos/core/recipe", "juvalogos/core/steps",
		"juvalogos/internal/",
		"juvalogos/console"}},
	{"juvalogos/console", nil},
	{"juvalogos/standin/", []string{"juvalogos/standin/"}},
	{"juvalogos/examples/programs/talk", nil},
	{"juvalogos/examples/programs/", []string{"juvalogos/examples/programs/talk"}},
	{"juvalogos/demo", []string{"juvalogos/demo/ledger", "juvalogos/core/quiz",
		"juvalogos/internal/api", "juvalogos/internal/client", "juvalogos/internal/desk",
		"juvalogos/internal/service", "juvalogos/internal/browser"}},
	{"juvalogos/scripts/", []string{"juvalogos/core/"}},
	{"juvalogos/bench", []string{"juvalogos/core/reading", "juvalogos/core/picture/picturetest",
		"juvalogos/internal/pdfium",
		"juvalogos/examples/programs/talk", "juvalogos/internal/models",
		"juvalogos/internal/api", "juvalogos/core/prompt", "juvalogos/core/recipe",
		"juvalogos/core/difference", "juvalogos/core/scoring", "juvalogos/standin/scripted",
		"juvalogos/internal/client", "juvalogos/internal/sse"}},
	{"juvalogos/bench/reading", []string{"juvalogos/core/reading", "juvalogos/internal/pdfium"}},
	{"juvalogos/bench/injections", []string{"juvalogos/core/", "juvalogos/internal/models"}},
	{"juvalogos/bench/digests", []string{"juvalogos/core/", "juvalogos/internal/models", "juvalogos/internal/reply"}},
	{"juvalogos/bench/tables", []string{"juvalogos/core/", "juvalogos/internal/engine", "juvalogos/internal/models",
		"juvalogos/internal/reply"}},
	{"juvalogos/bench/retrieval", []string{"juvalogos/core/", "juvalogos/internal/shelf", "juvalogos/internal/store"}},
}

// What computes may not reach out, nor know time or chance but what it is given.
var tooWorldlyForCore = []string{"net", "net/http", "os", "math/rand", "math/rand/v2", "crypto/rand", "database/sql",
	"log", "log/slog"}

func TestLayers(t *testing.T) {
	for _, p := range packages(t) {
		if p.ImportPath == "juvalogos" || strings.HasPrefix(p.ImportPath, "juvalogos/e2e") {
			continue // tests only
		}
		var may []string
		known := false
		for _, l := range layers {
			if strings.HasPrefix(p.ImportPath, l.prefix) {
				may, known = l.may, true
			}
		}
		if !known {
			t.Errorf("%s has no place in the layers; give it one", p.ImportPath)
			continue
		}
		for _, i := range p.Imports {
			if !strings.HasPrefix(i, "juvalogos/") ||
				slices.ContainsFunc(may, func(m string) bool { return strings.HasPrefix(i, m) }) {
				continue
			}
			t.Errorf("%s may not import %s", p.ImportPath, i)
		}
		// What only tests use may draw noise, from a seed.
		if strings.HasPrefix(p.ImportPath, "juvalogos/core/") && !strings.HasSuffix(p.ImportPath, "test") {
			for _, i := range p.Imports {
				if slices.Contains(tooWorldlyForCore, i) {
					t.Errorf("%s may not import %s", p.ImportPath, i)
				}
			}
		}
	}
}

// What computes asks no clock: it is handed one (recipe.Options.Now) where it
// has to measure. Limits of time are the contexts'.
func TestCoreAsksNoClock(t *testing.T) {
	asks := regexp.MustCompile(`\btime\.(Now|Since|Until|After|AfterFunc|NewTimer|NewTicker|Tick|Sleep)\b`)
	for _, f := range written(t, ".go") {
		if !strings.HasPrefix(f, "core/") || strings.HasSuffix(f, "_test.go") {
			continue
		}
		body, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		if call := asks.Find(body); call != nil {
			t.Errorf("%s calls %s", f, call)
		}
	}
}

// The product does not know its stand-ins: only tests, the test bed, the demo
// and the bench do.
func TestNothingOfTheProductKnowsTheStandIns(t *testing.T) {
	for _, p := range packages(t) {
		if p.ImportPath == "juvalogos/internal/testbed" || p.ImportPath == "juvalogos/bench" ||
			strings.HasPrefix(p.ImportPath, "juvalogos/standin/") {
			continue
		}
		for _, i := range p.Imports {
			if strings.HasPrefix(i, "juvalogos/standin") || i == "juvalogos/internal/testbed" {
				t.Errorf("%s imports %s", p.ImportPath, i)
			}
		}
	}
}

func packages(t *testing.T) []pkg {
	t.Helper()
	out, err := exec.Command("go", "list", "-json=ImportPath,Imports", "./...").Output()
	if err != nil {
		t.Fatal(err)
	}
	var all []pkg
	for d := json.NewDecoder(strings.NewReader(string(out))); ; {
		var p pkg
		err := d.Decode(&p)
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			t.Fatal(err)
		}
		all = append(all, p)
	}
	if len(all) < 15 {
		t.Fatalf("only %d packages", len(all))
	}
	return all
}

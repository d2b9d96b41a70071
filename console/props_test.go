package console_test

import (
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

var (
	propsOf  = regexp.MustCompile(`(?s)\n  interface Props(?: extends [^{]*)? \{\n(.*?)\n  \}\n`)
	property = regexp.MustCompile(`^    (\w+)(\??): `)
)

// Every part of the pages says what it is, and what it takes: each property
// has a sentence, and one that may be left out tells what it is then.
func TestPropertiesAreDocumented(t *testing.T) {
	seen := 0
	err := filepath.WalkDir("src", func(f string, d fs.DirEntry, err error) error {
		if err != nil || filepath.Ext(f) != ".svelte" {
			return err
		}
		body, err := os.ReadFile(f)
		if err != nil || !strings.Contains(string(body), "$props()") {
			return err
		}
		seen++
		if !strings.HasPrefix(string(body), "<!-- ") {
			t.Errorf("%s does not say what it is", f)
		}
		m := propsOf.FindStringSubmatch(string(body))
		if m == nil {
			t.Errorf("%s has no interface Props", f)
			return nil
		}
		doc := ""
		for _, line := range strings.Split(m[1], "\n") {
			p := property.FindStringSubmatch(line)
			switch {
			case strings.HasPrefix(line, "    /** "):
				doc = line
			case p == nil:
			case p[1] == "children":
				doc = ""
			case doc == "" || p[2] == "?" && !strings.Contains(doc, "Default:"):
				t.Errorf("%s: what is %s, and what if it is left out?", f, p[1])
			default:
				doc = ""
			}
		}
		return nil
	})
	if err != nil || seen < 40 {
		t.Errorf("%v, %d parts seen", err, seen)
	}
}

package deskfile

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

const least = "slug: hives\ntitle: Hives\npurpose: Answers.\nmodel: m\n"

func TestReadCompletesWhatIsLeftOut(t *testing.T) {
	f, err := Read("d.yaml", []byte(least))
	if err != nil {
		t.Fatal(err)
	}
	if f.Recipe != "converse" || f.Sampling.MaxTokens != 1024 || *f.Memory.Turns != 40 || *f.Memory.Tokens != 4000 ||
		f.Sampling.Temperature != nil {
		t.Errorf("read %+v", f)
	}
	f, err = Read("d.yaml", []byte(least+"memory: {turns: 0}\nsampling: {temperature: 0}\n"))
	if err != nil || *f.Memory.Turns != 0 || *f.Sampling.Temperature != 0 {
		t.Errorf("zeros that were written do not count: %+v, %v", f, err)
	}
}

func TestReadRefuses(t *testing.T) {
	for _, c := range []struct{ text, want string }{
		{strings.Replace(least, "title", "titel", 1), `d.yaml:2:1: unknown key "titel"; did you mean "title"?`},
		{strings.Replace(least, "hives", "My Hives", 1), "use small letters, digits and single hyphens"},
		{least + "sampling: {temperature: 3}", "temperature: 3 is out of range; from 0 to 2"},
		{least + "memory: {turns: -1}", "turns: -1 is out of range"},
		{least + "openers: [a, b, c, d, e, f, g, h, i]", "openers: 9 entries; at most 8"},
	} {
		if _, err := Read("d.yaml", []byte(c.text)); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("got %v, want %s", err, c.want)
		}
	}
}

func TestSampleDesksAreGood(t *testing.T) {
	files, err := filepath.Glob("../../demo/desks/*.yaml")
	if err != nil || len(files) < 2 {
		t.Fatalf("found %v, %v", files, err)
	}
	for _, path := range files {
		if strings.HasSuffix(path, ".recipe.yaml") {
			continue // another kind of file; desk tests check them
		}
		text, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := Read(path, text); err != nil {
			t.Error(err)
		}
	}
}

// Every key of a desk file is in the published schema, and the other way round.
func TestSchemaKnowsTheKeys(t *testing.T) {
	text, err := json.Marshal(Schema())
	if err != nil {
		t.Fatal(err)
	}
	var s struct {
		Properties map[string]struct {
			Properties map[string]any
		}
	}
	if err := json.Unmarshal(text, &s); err != nil {
		t.Fatal(err)
	}
	for key := range s.Properties {
		_, err := Read("d.yaml", []byte(key+": 1"))
		if strings.Contains(err.Error(), "unknown key") {
			t.Errorf("the schema has %q, which files may not", key)
		}
	}
	if len(s.Properties["bring"].Properties) != 7 || len(s.Properties["pictures"].Properties) != 7 ||
		len(s.Properties) != 27 || len(s.Properties["sound"].Properties) != 15 ||
		len(s.Properties["aloud"].Properties) != 3 ||
		len(s.Properties["sampling"].Properties) != 6 ||
		len(s.Properties["memory"].Properties) != 3 {
		t.Errorf("schema: %s", text)
	}
}

func FuzzRead(f *testing.F) {
	f.Add(least + "openers:\n  - x\nsampling: {stop: [a]}")
	f.Fuzz(func(t *testing.T, text string) {
		d, err := Read("d", []byte(text))
		if err == nil && (d.Slug == "" || d.Model == "" || d.Memory.Turns == nil || d.Sampling.MaxTokens < 1) {
			t.Errorf("accepted %q as %+v", text, d)
		}
	})
}

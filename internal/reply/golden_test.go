package reply_test

import (
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"juvalogos/core/evidence"
	"juvalogos/internal/client"
	"juvalogos/internal/testbed"
)

var writeGolden = flag.Bool("golden", false, "write the golden digests anew")

// Digests of a chapter and of a recorded talk of the demo, in each manner, are what they were:
// their words, where each sentence stands, and their sections. After a change that is meant,
// write them anew with -golden and read what has become other.
func TestGoldenDigests(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	file := strings.Replace(inShort, "attachments: true", "sampling: {temperature: 0}", 1)
	const samples = "../../demo/shelves/"
	if _, err := b.Client.MakeShelf(t.Context(), "book", ""); err != nil {
		t.Fatal(err)
	}
	talks, err := filepath.Glob(samples + "talks/*.vtt")
	if err != nil || len(talks) == 0 {
		t.Fatalf("%v: no recorded talk", err)
	}
	for _, name := range []string{samples + "handbook/06-feeding.md", talks[0]} {
		text, err := os.Open(name)
		if err != nil {
			t.Fatal(err)
		}
		_, err = b.Client.AddDocument(t.Context(), "book", filepath.Base(name), text)
		text.Close()
		if err != nil {
			t.Fatal(err)
		}
	}
	testbed.Until(t, "both are read", func() bool {
		all, err := b.Client.ShelfDocuments(t.Context(), "book")
		return err == nil && len(all) == 2 && all[0].State == "ready" && all[1].State == "ready"
	})
	if _, err := b.Client.Publish(t.Context(), "in-short.yaml", []byte(file), ""); err != nil {
		t.Fatal(err)
	}
	for _, subject := range []string{"The chapter on feeding", "The talk on listening"} {
		for _, manner := range []string{"in three lines", "on half a page", "by headings", "for a child",
			"decisions and tasks"} {
			got := digestAsText(t, b.Client, subject, manner)
			name := filepath.Join("testdata", strings.ReplaceAll(strings.ToLower(subject+" "+manner), " ", "-")+".txt")
			if *writeGolden {
				if err := os.WriteFile(name, []byte(got), 0o600); err != nil {
					t.Fatal(err)
				}
			}
			want, err := os.ReadFile(name)
			if err != nil {
				t.Fatal(err)
			}
			if got != string(want) {
				t.Errorf("%s is\n%s\nand was\n%s", name, got, want)
			}
		}
	}
}

// digestAsText is a digest with the place of each sentence and its sections.
func digestAsText(t *testing.T, c *client.Client, subject, manner string) string {
	t.Helper()
	var out strings.Builder
	o, err := c.Ask(t.Context(), client.Question{Desk: "in-short", Text: subject,
		Inputs: map[string]string{"manner": manner}}, client.Follower{Text: func(s string) { out.WriteString(s) }})
	if err != nil || o.State != "done" {
		t.Fatalf("%s, %s: %v %+v", subject, manner, err, o)
	}
	out.WriteString("\n\n")
	for _, p := range o.Parts {
		switch v := p.Value.(type) {
		case evidence.Sources:
			for i, s := range v.Sentences {
				fmt.Fprintf(&out, "%d %s", i+1, s.Support)
				for _, n := range s.Notes {
					fmt.Fprintf(&out, " [%d] %s: %q", n.Passage, n.Place, n.Quote)
				}
				out.WriteString("\n")
			}
		case evidence.Outline:
			for _, s := range v.Sections {
				fmt.Fprintf(&out, "§ %s (%s): %s\n", s.Passage.Path, s.Passage.Place, s.Text)
			}
		}
	}
	return out.String()
}

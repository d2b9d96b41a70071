package steps

import (
	"fmt"
	"strings"
	"testing"

	"juvalogos/core/evidence"
	"juvalogos/core/prompt"
)

// A model that lies in the digest itself, or already in its notes on the sections: its lies are
// not said to rest on a section, and what is true still is. Sections are held against, not notes.
func TestALyingModelsDigest(t *testing.T) {
	const sections = 10
	truth := func(i int) string { return fmt.Sprintf("Hive number %d stands in meadow %d", 100+i, 200+i) }
	lies := map[string]func(i int) string{
		"another number": func(i int) string { return fmt.Sprintf("Hive number %d stands in meadow %d", 100+i, 700+i) },
		"another section's number": func(i int) string {
			return fmt.Sprintf("Hive number %d stands in meadow %d", 100+i, 200+(i+1)%sections)
		},
		"another colour": func(i int) string { return fmt.Sprintf("Hive number %d is painted red", 100+i) },
		"not so": func(i int) string {
			return fmt.Sprintf("Hive number %d does not stand in meadow %d", 100+i, 200+i)
		},
		"invented":     func(i int) string { return fmt.Sprintf("Thieves came to hive number %d at night", 100+i) },
		"out of order": func(i int) string { return fmt.Sprintf("Meadow %d stands in hive number %d", 200+i, 100+i) },
	}
	for name, lie := range lies {
		for _, early := range []bool{false, true} { // it lies in its notes, and the digest repeats them
			result, _, err := digests(t, sections, "on half a page", func(m []prompt.Message) (string, error) {
				if strings.Contains(m[0].Text, "numbered notes") {
					var b strings.Builder
					for i := range sections {
						said := truth(i)
						if i%2 == 1 {
							said = lie(i)
						}
						fmt.Fprintf(&b, "%s [%d]. ", said, i+1)
					}
					return b.String(), nil
				}
				for i := range sections {
					if strings.Contains(lastOf(m), fmt.Sprintf("number %d ", 100+i)) {
						if early && i%2 == 1 {
							return lie(i) + ".", nil
						}
						return truth(i) + ".", nil
					}
				}
				return "Nothing.", nil
			})
			if err != nil {
				t.Fatalf("%s: %v", name, err)
			}
			margin, _ := partOf[evidence.Sources](result)
			believed, doubted := 0, 0
			for i, s := range margin.Sentences {
				switch {
				case i%2 == 1 && s.Support == evidence.Supported:
					believed++
				case i%2 == 0 && s.Support != evidence.Supported:
					doubted++
				}
			}
			t.Logf("%s (in the notes too: %v): %d of %d lies believed, %d of %d true sentences doubted", name, early,
				believed, sections/2, doubted, sections/2)
			// Who does what to whom is not told apart: docs/digests.md says so.
			if len(margin.Sentences) != sections || doubted > 0 || believed > 0 && name != "out of order" {
				t.Errorf("%s: %d sentences; %d lies are said to rest on a section, %d true sentences are not", name,
					len(margin.Sentences), believed, doubted)
			}
		}
	}
}

// A model that chatters, names sections that there are not, or says nothing at all.
func TestAChatteringModelsDigest(t *testing.T) {
	answers := map[string]string{
		"chatter": "Sure! Here is your digest:\n\nHive number 104 stands in meadow 204 [5].\n\n" +
			"Let me know if you need more!",
		"no such section":      "Hive number 104 stands in meadow 204 [99]. Hive number 103 stands in meadow 203 [0].",
		"no section":           "Hive number 104 stands in meadow 204.",
		"numbers in one":       "Hive number 104 stands in meadow 204 [5, 6].",
		"the notes themselves": "[5] Hive number 104 stands in meadow 204.",
	}
	for name, answer := range answers {
		result, _, err := digests(t, 12, "in three lines", func(m []prompt.Message) (string, error) {
			if strings.Contains(m[0].Text, "numbered notes") {
				return answer, nil
			}
			return "Sure! Here it is in short: a hive stands in a meadow. Anything else?", nil
		})
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		margin, _ := partOf[evidence.Sources](result)
		if place := placeOfHive104(margin); place != "Part 5" {
			t.Errorf("%s: the true sentence is said to rest on %q: %+v", name, place, margin.Sentences)
		}
		if outline, is := partOf[evidence.Outline](result); !is || len(outline.Sections) != 12 {
			t.Errorf("%s: %d sections are listed", name, len(outline.Sections))
		}
		for _, s := range margin.Sentences {
			for _, n := range s.Notes {
				if n.Passage < 1 || n.Passage > 12 {
					t.Errorf("%s: a section %d that is not there", name, n.Passage)
				}
			}
		}
	}
	if _, _, err := digests(t, 3, "in three lines", func([]prompt.Message) (string, error) {
		return "",
			nil
	}); err == nil {
		t.Error("a digest of which nothing was said is given to somebody")
	}
}

func placeOfHive104(margin evidence.Sources) string {
	for _, s := range margin.Sentences {
		for _, n := range s.Notes {
			if strings.Contains(n.Quote, "104") && s.Support == evidence.Supported {
				return n.Section
			}
		}
	}
	return ""
}

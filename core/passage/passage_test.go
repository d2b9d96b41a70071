package passage

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"juvalogos/core/reading"
)

// random is a document of random blocks.
func random(r *rand.Rand) reading.Document {
	var d reading.Document
	for range 1 + r.IntN(60) {
		var text strings.Builder
		for i := range 1 + r.IntN(90) {
			if i > 0 {
				text.WriteByte(' ')
			}
			fmt.Fprintf(&text, "w%d", r.IntN(50))
			if r.IntN(12) == 0 {
				text.WriteString(". W")
			}
		}
		b := reading.Block{Kind: []reading.BlockKind{reading.Paragraph, reading.Item, reading.Row, reading.Code,
			reading.Heading, reading.Paragraph}[r.IntN(6)], Text: text.String()}
		if b.Kind == reading.Heading {
			b.Level = 1 + r.IntN(4)
			b.Text = b.Text[:min(len(b.Text), 20)]
			b.Text = strings.TrimSpace(b.Text)
		}
		if b.Kind == reading.Code {
			b.Text = strings.ReplaceAll(b.Text, ". W", "\n")
		}
		d.Blocks = append(d.Blocks, b)
	}
	return d
}

// Every passage's text is found at its place, no passage is too large, and
// nothing of the document is lost.
func TestSplitKeepsEverythingInItsPlace(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	for n := range 400 {
		d := random(r)
		o := Options{Target: 5 + r.IntN(80), Overlap: r.IntN(40)}
		seen := make([][]bool, len(d.Blocks))
		for i, b := range d.Blocks {
			seen[i] = make([]bool, len(b.Text))
		}
		ids := map[string]bool{}
		all := slices.Collect(Split(t.Context(), d, o))
		for _, p := range all {
			if ids[p.ID] {
				t.Fatalf("%d: two passages are %s", n, p.ID)
			}
			ids[p.ID] = true
			if p.Text != TextOf(d.Blocks, p.Spans) || p.Text == "" {
				t.Fatalf("%d: %q is not at its place", n, p.Text)
			}
			words := 0
			for _, s := range p.Spans {
				for i := s.From; i < s.To; i++ {
					seen[s.Block][i] = true
				}
				if d.Blocks[s.Block].Kind != reading.Heading {
					words += len(strings.Fields(d.Blocks[s.Block].Text[s.From:s.To]))
				}
			}
			if words > o.Target {
				t.Fatalf("%d: %d words, target %d", n, words, o.Target)
			}
		}
		for i, b := range d.Blocks {
			for at, is := range seen[i] {
				if !is && b.Kind != reading.Heading && strings.TrimSpace(b.Text[at:at+1]) != "" {
					t.Fatalf("%d: byte %d of block %d (%s %q) is lost", n, at, i, b.Kind, b.Text)
				}
			}
		}
	}
}

func TestSplitFollowsTheStructure(t *testing.T) {
	d := reading.Document{Blocks: []reading.Block{
		{Kind: reading.Heading, Level: 1, Text: "Feeding"},
		{Kind: reading.Paragraph, Text: "One two three four five. Six seven eight nine ten. Eleven twelve thirteen " +
			"fourteen fifteen."},
		{Kind: reading.Heading, Level: 2, Text: "Syrup"},
		{Kind: reading.Paragraph, Text: "Sugar and water, two to one."},
		{Kind: reading.Heading, Level: 1, Text: "Wasps"},
		{Kind: reading.Paragraph, Text: "Make the entrance small."},
	}}
	all := slices.Collect(Split(t.Context(), d, Options{Target: 11, Overlap: 5}))
	var got []string
	for _, p := range all {
		got = append(got, strings.Join(p.Path, " > ")+": "+p.Text)
	}
	want := []string{
		"Feeding: Feeding\nOne two three four five. Six seven eight nine ten.",
		"Feeding: Six seven eight nine ten. Eleven twelve thirteen fourteen fifteen.",
		"Feeding > Syrup: Syrup\nSugar and water, two to one.",
		"Wasps: Wasps\nMake the entrance small.",
	}
	if !slices.Equal(got, want) {
		t.Errorf("%q", got)
	}
}

func TestOnlyWhatChangedHasNewIDs(t *testing.T) {
	d := random(rand.New(rand.NewPCG(3, 3)))
	o := Options{Target: 40, Overlap: 20}
	before := map[string]bool{}
	for p := range Split(t.Context(), d, o) {
		before[p.ID] = true
	}
	d.Blocks = append(d.Blocks, reading.Block{Kind: reading.Heading, Level: 1, Text: "New"},
		reading.Block{Kind: reading.Paragraph, Text: "All of this is new."})
	fresh := 0
	for p := range Split(t.Context(), d, o) {
		if !before[p.ID] {
			fresh++
		}
	}
	if fresh > 2 || fresh == 0 {
		t.Errorf("%d of %d passages are new", fresh, len(before)+1)
	}
}

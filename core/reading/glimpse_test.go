package reading_test

import (
	"slices"
	"strings"
	"testing"

	"juvalogos/core/reading"
)

func TestAGlimpseOfADocument(t *testing.T) {
	d := reading.Document{Title: "Sun hive", Blocks: []reading.Block{
		{Kind: reading.Heading, Level: 1, Text: "Sun hive"},
		{Kind: reading.Paragraph, Text: "Home News", Links: true},
		{Kind: reading.Paragraph, Text: "See also"},
		{Kind: reading.Paragraph, Text: "The sun hive is\na hive of straw."},
		{Kind: reading.Heading, Level: 2, Text: "Origin"},
		{Kind: reading.Paragraph, Text: "It was made in " + strings.Repeat("the long year ", 60) + "of the bees."},
		{Kind: reading.Heading, Level: 2, Text: "Use"}, {Kind: reading.Heading, Level: 2, Text: "Origin"},
		{Kind: reading.Heading, Level: 3, Text: "In winter"},
	}}
	got := d.Beginning()
	if !strings.HasPrefix(got, "The sun hive is a hive of straw. It was made in the long year") ||
		!strings.HasSuffix(got, " …") || len(got) > 610 {
		t.Errorf("it begins %q", got)
	}
	if got := d.Headings(); !slices.Equal(got, []string{"Origin", "Use"}) {
		t.Errorf("headings %q", got)
	}
	if none := (reading.Document{}); none.Beginning() != "" || none.Headings() != nil {
		t.Error("something of nothing")
	}
}

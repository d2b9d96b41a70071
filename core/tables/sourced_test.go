package tables

import (
	"strings"
	"testing"

	"juvalogos/core/evidence"
)

// A sentence rests on a document, on the result, or on neither; a number holds if either
// says it.
func TestRepliesFromTextsAndTables(t *testing.T) {
	note := []evidence.Note{{Passage: 1, Quote: "Honey keeps for 24 months at 14 degrees; 639 jars fit on a shelf."}}
	for _, c := range []struct {
		text    string
		support evidence.Support
		notes   []evidence.Note
		want    evidence.Support
		loose   int
		rows    int // notes of numbers in the table
	}{
		{"Larch Hill gave 639 kg.", evidence.Unsupported, nil, evidence.Supported, 0, 1},
		{"Together it was 2,252.95 kg.", evidence.Unsupported, nil, evidence.Supported, 0, 0},
		{"Larch Hill gave 640 kg.", evidence.Unsupported, nil, evidence.Unsupported, 1, 0},
		{"Larch Hill gave 639 kg, and 77 in spring.", evidence.Unsupported, nil, evidence.Unsupported, 1, 1},
		{"Larch Hill is best.", evidence.Unsupported, nil, evidence.Neutral, 0, 0},
		{"Honey never spoils.", evidence.Unsupported, nil, evidence.Unsupported, 0, 0},
		{"It keeps for 24 months at 14 degrees.", evidence.Supported, note, evidence.Supported, 0, 0},
		{"It keeps for 25 months.", evidence.Supported, note, evidence.Supported, 1, 0},
		// What stands in both is of the document that the sentence rests on.
		{"A shelf has room for 639 jars.", evidence.Supported, note, evidence.Supported, 0, 0},
		{"Does it keep?", evidence.Neutral, nil, evidence.Neutral, 0, 0},
	} {
		f := Hold(c.text, "", honey)
		was := evidence.Sources{Sentences: []evidence.Sentence{{To: len(c.text), Support: c.support, Notes: c.notes}}}
		is := f.Source(c.text, was, honey)
		rows := 0
		for _, n := range f.Numbers {
			if n.Row >= 0 {
				rows++
			}
		}
		if is.Sentences[0].Support != c.want || f.Loose != c.loose || rows != c.rows {
			t.Errorf("%q is %s, %d loose, %d in the table: %+v", c.text, is.Sentences[0].Support, f.Loose, rows, f)
		}
		if was.Sentences[0].Support != c.support {
			t.Errorf("%q: what came was changed", c.text)
		}
		if supported := c.want == evidence.Supported && c.support != c.want; supported && !is.Supported {
			t.Errorf("%q: the reply is said to rest on nothing", c.text)
		}
	}
	odd := evidence.Sources{Sentences: []evidence.Sentence{{From: 5, To: 99}, {From: -1, To: 2}}}
	f := Hold("Short.", "", honey)
	if got := f.Source(strings.Repeat("x", 6), odd, honey); len(got.Sentences) != 2 {
		t.Errorf("%+v", got)
	}
}

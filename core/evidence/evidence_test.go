package evidence

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
)

var (
	heading = Stretch{Offsets: Offsets{Block: 4, From: 0, To: 6}, Place: Place{Page: 2}, Heading: true}
	first   = Stretch{Offsets: Offsets{Block: 5, From: 0, To: 23}, Place: Place{Page: 2},
		Breaks: []Break{{At: 12, Page: 3}}}
	stores = Passage{Number: 1, Document: 7, Title: "Handbook", Path: []string{"Winter", "Stores"},
		Text: "Stores\nA colony needs 18 kilog", Spans: []Stretch{heading, first}}
)

// A note lights the very bytes that its words have in the document, in each of
// the blocks that they stand in.
func TestNotesStandWhereTheWordsAre(t *testing.T) {
	n := stores.Note("needs 18")
	if len(n.Marks) != 1 || n.Marks[0] != (Offsets{Block: 5, From: 9, To: 17}) {
		t.Errorf("marks %+v", n.Marks)
	}
	if n.Quote != "needs 18" || n.Section != "Stores" {
		t.Errorf("%+v", n)
	}
	across := stores.Note("Stores\nA colony")
	if len(across.Marks) != 2 || across.Marks[0].Block != 4 || across.Marks[1].Block != 5 {
		t.Errorf("across two blocks: %+v", across.Marks)
	}
	if none := stores.Note("jazz"); none.Marks == nil || len(none.Marks) != 0 {
		t.Errorf("words that are not there are marked at %+v", none.Marks)
	}
}

// A place within a stretch is that after the last break before it.
func TestPlacesWithinAStretch(t *testing.T) {
	if at := first.At(11); at.Page != 2 {
		t.Errorf("before the break: %+v", at)
	}
	if at := first.At(12); at.Page != 3 {
		t.Errorf("at the break: %+v", at)
	}
}

func TestPlacesInWords(t *testing.T) {
	for want, p := range map[string]Place{
		"": {}, "page 12": {Page: 12}, "at 0:07": {Timed: true, Time: 7.9}, "at 1:00:00": {Timed: true, Time: 3600},
		"Hives, row 3": {Sheet: "Hives", Row: 3}, "line 40": {Line: 40},
	} {
		if got := p.String(); got != want {
			t.Errorf("%+v is %q, not %q", p, got, want)
		}
	}
}

// What goes on record comes back as it was.
func TestOnRecord(t *testing.T) {
	s := Sources{Supported: true, Passages: []Passage{stores},
		Sentences: []Sentence{{To: 9, Support: "supported", Notes: []Note{stores.Note("needs 18")}}}}
	text, err := json.Marshal(s)
	if err != nil {
		t.Fatal(err)
	}
	var back Sources
	if err := json.Unmarshal(text, &back); err != nil {
		t.Fatal(err)
	}
	again, err := json.Marshal(back)
	if err != nil || string(again) != string(text) {
		t.Errorf("%v\n%s\n%s", err, text, again)
	}
	if !strings.Contains(string(text), `"marks":[{"block":5,"from":9,"to":17}]`) {
		t.Errorf("on record: %s", text)
	}
}

// An excerpt has the words with what is around them, and they have the same place in the
// document as before.
func TestExcerpt(t *testing.T) {
	chance := rand.New(rand.NewPCG(5, 6))
	for range 500 {
		p := Passage{Number: 1}
		var texts []string
		for block := range 1 + chance.IntN(12) {
			var words strings.Builder
			for word := range 1 + chance.IntN(60) {
				fmt.Fprintf(&words, "word %d/%d ", block, word)
			}
			text := strings.TrimSpace(words.String())
			from := chance.IntN(50)
			texts = append(texts, text)
			p.Spans = append(p.Spans, Stretch{Offsets: Offsets{Block: block, From: from, To: from + len(text)}})
		}
		p.Text = strings.Join(texts, "\n")
		if !p.Consistent() {
			t.Fatal("it is not consistent")
		}
		begin := chance.IntN(len(p.Text))
		end := begin + 1 + chance.IntN(min(60, len(p.Text)-begin))
		most := 20 + chance.IntN(200)
		e := p.Excerpt(begin, end, most)
		if !e.Consistent() || !strings.Contains(e.Text, p.Text[begin:end]) {
			t.Fatalf("%q is not in the excerpt %q", p.Text[begin:end], e.Text)
		}
		if len(e.Text) > end-begin+6*most {
			t.Fatalf("%d bytes around %d, of %d at most on either side", len(e.Text), end-begin, most)
		}
		_, _, before := p.locate(begin, end)
		if words := p.Text[begin:end]; strings.Count(p.Text, words) == 1 {
			at := strings.Index(e.Text, words)
			if _, _, after := e.locate(at, at+len(words)); fmt.Sprint(before) != fmt.Sprint(after) {
				t.Fatalf("%q was at %v, is at %v", words, before, after)
			}
		}
	}
	odd := Passage{Text: strings.Repeat("a b c ", 100), Spans: []Stretch{{Offsets: Offsets{From: 9, To: 3}}}}
	if e := odd.Excerpt(100, 110, 20); odd.Consistent() || len(e.Text) > 60 || len(e.Spans) != 0 {
		t.Errorf("of spans that cannot be: %+v", e)
	}
}

package conversation

import (
	"testing"
	"time"

	"juvalogos/internal/fault"
	"juvalogos/internal/record"
)

// A conversation as a document has every question and reply, and says of one
// that is not whole why.
func TestMarkdown(t *testing.T) {
	c := record.Conversation{Title: "Feeding", StartedAt: time.Date(2026, 5, 4, 17, 5, 0, 0, time.UTC)}
	turns := []record.Turn{
		{Number: 1, Question: "What do\nbees   eat?", Attempt: record.Attempt{State: record.Done, Reply: "Honey.\n"}},
		{Number: 2, Question: "And then?", Attempt: record.Attempt{State: record.Stopped, Reply: "They"}},
		{Number: 3, Question: "Why?", Attempt: record.Attempt{State: record.Interrupted}},
	}
	want := "# Feeding\n\n*The Hive Helper, 4 May 2026, 17:05 UTC*\n\n## 1. What do bees eat?\n\nHoney.\n" +
		"\n## 2. And then?\n\nThey\n\n> This reply was stopped.\n" +
		"\n## 3. Why?\n\n\n\n> " + fault.Sentence(fault.Interruption).String() + "\n"
	if got := Markdown("The Hive Helper", c, turns); got != want {
		t.Errorf("got\n%s\nwant\n%s", got, want)
	}
}

// The reasons that visitors can give are those that the page offers.
func TestReasons(t *testing.T) {
	want := map[string]bool{"wrong": true, "incomplete": true, "unclear": true, "off-topic": true, "too-long": true,
		"other": true}
	for _, r := range Reasons() {
		if r != "" && !want[r] {
			t.Errorf("%q is not offered", r)
		}
		delete(want, r)
	}
	if len(want) > 0 {
		t.Errorf("%v are offered, and refused", want)
	}
}

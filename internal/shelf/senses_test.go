package shelf_test

import (
	"testing"

	"juvalogos/internal/shelf"
	"juvalogos/internal/testbed"
)

// The sentences of documents are encoded in the background, once, and a question that
// shares no word with its answer finds it; switched off, none are.
func TestSentencesAreEncoded(t *testing.T) {
	b := madeWith(t, testbed.Options{Sentences: true})
	add(t, b, "hours.md", "# Hours\n\nThe doors are unlocked from nine in the morning until noon on weekdays.\n")
	add(t, b, "bread.md", "# Bread\n\nRye flour is mixed with water and left in a warm place for a night.\n")
	add(t, b, "hunde.md", "# Hunde\n\nDie Hunde warten bitte draußen vor der Tür, und sie sind dort an der Leine zu "+
		"halten, bis man wieder nach Hause geht.\n")
	read(t, b)
	f, err := b.Shelves.Shelf(t.Context(), "handbook")
	if err != nil {
		t.Fatal(err)
	}
	settled := func(want int) {
		t.Helper()
		testbed.Until(t, "all sentences are encoded", func() bool {
			documents, made := b.Shelves.Sensed("handbook", f.ID)
			return documents == want && made == want
		})
	}
	settled(3)
	sense := func() (hours float64) {
		found, err := b.Shelves.Search(t.Context(), []string{"handbook"},
			shelf.Query{Text: "When are you open?", Limit: 3})
		if err != nil || len(found.Found) == 0 {
			t.Fatal(found, err)
		}
		for _, m := range found.Found {
			if m.Document.Name == "hours.md" {
				hours = m.Hit.Sense
			} else if m.Document.Name == "hunde.md" && m.Hit.Sense != 0 {
				t.Error("a document in another language has a meaning in English")
			}
		}
		return hours
	}
	if s := sense(); s < 0.2 {
		t.Errorf("the answer is at %.2f", s)
	}
	settings := shelf.DefaultSettings()
	settings.SenseWeight = 0
	if _, err := b.Shelves.Change(t.Context(), "handbook", "", settings); err != nil {
		t.Fatal(err)
	}
	settled(0)
	testbed.Until(t, "it is found without them", func() bool { return sense() == 0 })
	settings.SenseWeight = 7
	if _, err := b.Shelves.Change(t.Context(), "handbook", "", settings); err == nil {
		t.Error("a weight of 7 is taken")
	}
}

package shelf_test

import (
	"errors"
	"slices"
	"testing"

	"juvalogos/internal/client"
	"juvalogos/internal/shelf"
)

// A question that is in no document's language is told apart from others; what the
// shelf wants of an answer comes with what is found.
func TestTheLanguageOfAQuestionAndWhatIsEnough(t *testing.T) {
	b := made(t)
	add(t, b, "hours.md", "# Hours\n\nThe doors are unlocked from nine in the morning until noon on weekdays.\n")
	read(t, b)
	search := func(q string) shelf.Results {
		t.Helper()
		r, err := b.Shelves.Search(t.Context(), []string{"handbook"}, shelf.Query{Text: q, Limit: 3})
		if err != nil {
			t.Fatal(err)
		}
		return r
	}
	const german = "Wann werden die Türen am Morgen geöffnet?"
	if r := search(german); r.AskedIn != "de" || !slices.Equal(r.In, []string{"en"}) || r.Least != 0.35 {
		t.Errorf("%q %v, %.2f", r.AskedIn, r.In, r.Least)
	}
	if r := search("When are the doors unlocked?"); r.AskedIn != "" || r.In != nil {
		t.Errorf("%q %v", r.AskedIn, r.In)
	}
	settings := shelf.DefaultSettings()
	settings.Least = 0.8
	if _, err := b.Shelves.Change(t.Context(), "handbook", "", settings); err != nil {
		t.Fatal(err)
	}
	add(t, b, "hunde.md", "# Hunde\n\nDie Hunde warten bitte draußen vor der Tür, und sie sind dort an der Leine zu "+
		"halten, bis man wieder nach Hause geht.\n")
	read(t, b)
	if r := search(german); r.AskedIn != "" || r.Least != 0.8 {
		t.Errorf("%q %v, %.2f", r.AskedIn, r.In, r.Least)
	}
	settings.Least = 1.5
	if _, err := b.Shelves.Change(t.Context(), "handbook", "", settings); err == nil {
		t.Error("more than certain is taken")
	}
}

// The openers of desks show what a threshold does: of those that answer from the shelf,
// and of those that answer from others.
func TestWhatAThresholdDoes(t *testing.T) {
	b := made(t)
	add(t, b, "hours.md", "# Hours\n\nThe doors are unlocked from nine in the morning until noon on weekdays.\n")
	read(t, b)
	if _, err := b.Client.MakeShelf(t.Context(), "other", "Another one"); err != nil {
		t.Fatal(err)
	}
	for slug, text := range map[string]string{
		"own":    "shelves: [handbook]\nopeners: [When are the doors unlocked?]\n",
		"others": "shelves: [other]\nopeners: [How is rye flour kept for a night?]\n",
		"none":   "openers: [Write a poem.]\n",
	} {
		_, err := b.Client.Publish(t.Context(), slug+".yaml", []byte("slug: "+slug+"\ntitle: A desk\npurpose: Tells "+
			"things.\nrecipe: consult\nmodel: heather-2\n"+text), "")
		if err != nil {
			t.Fatal(err)
		}
	}
	got, err := b.Client.ShelfLeast(t.Context(), "handbook")
	if err != nil || got.Least != 0.35 || len(got.Measured) < 10 || len(got.Openers) != 2 {
		t.Fatalf("%+v %v", got, err)
	}
	own, others := got.Openers[0], got.Openers[1]
	if own.Desk != "own" || !own.Own || own.Answers < got.Least || others.Desk != "others" || others.Own ||
		others.Answers >= got.Least {
		t.Errorf("%+v", got.Openers)
	}
	var problem *client.Problem
	if _, err := b.Client.ShelfLeast(t.Context(), "nowhere"); !errors.As(err, &problem) {
		t.Errorf("%v", err)
	}
}

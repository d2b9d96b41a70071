package standing_test

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/google/uuid"

	"juvalogos/internal/api"
	"juvalogos/internal/record"
	"juvalogos/internal/testbed"
)

func TestMain(m *testing.M) { testbed.Main(m) }

const shortDesk = `slug: short
title: In Short
purpose: Puts things in short.
model: heather-2
recipe: digest
shelves: [club]
standing:
  - title: The rules in short
    ask: All of them
    inputs: {manner: by headings}
`

// chapter is a document of two sections.
func chapter(name, second string) string {
	return fmt.Sprintf("# %[1]s\n\nOf %[1]s there is much to say. %[2]s\n\n## Further on %[1]s\n\n%[3]s. %[2]s\n", name,
		strings.Repeat("The hedges by the path are cut in the last week of the month. ", 12), second)
}

func put(t *testing.T, b *testbed.Bed, name, text string) {
	t.Helper()
	if _, err := b.Client.AddDocument(t.Context(), "club", name, strings.NewReader(text)); err != nil {
		t.Fatal(err)
	}
	testbed.Until(t, name+" is read", func() bool {
		all, err := b.Client.ShelfDocuments(t.Context(), "club")
		return err == nil && len(all) > 0 && !slices.ContainsFunc(all,
			func(d api.Document) bool { return d.State != "ready" })
	})
}

func look(t *testing.T, b *testbed.Bed) record.Standing {
	t.Helper()
	all, err := b.Standing.LookNow(t.Context(), "short")
	if err != nil || len(all) != 1 {
		t.Fatalf("%v: %d standing replies", err, len(all))
	}
	return all[0]
}

func said(t *testing.T, b *testbed.Bed, r record.Standing) string {
	t.Helper()
	_, turns, err := b.Conversations.Shared(t.Context(), r.Share)
	if err != nil || len(turns) != 1 {
		t.Fatalf("%v: %d turns behind the link", err, len(turns))
	}
	return turns[0].Attempt.Reply
}

// A digest is made, made anew when a document has changed, and says what is new; what has not
// changed is not paid for again, and its link stays.
func TestADigestIsKeptCurrent(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	if _, err := b.Client.MakeShelf(t.Context(), "club", "The club"); err != nil {
		t.Fatal(err)
	}
	put(t, b, "paths.md", chapter("Paths", "The gate has 7 keys"))
	put(t, b, "hedges.md", chapter("Hedges", "Hazel grows 40 cm a year"))
	if _, err := b.Client.Publish(t.Context(), "short.yaml", []byte(shortDesk), ""); err != nil {
		t.Fatal(err)
	}
	first := look(t, b)
	if first.MadeAt == nil || first.Share == "" || len(first.Documents) != 2 || len(first.Sections) < 4 ||
		len(first.News.Came) != 0 || first.Problem.Form != "" {
		t.Fatalf("%+v", first)
	}
	if text := said(t, b, first); text == "" {
		t.Error("it says nothing")
	}

	paid := b.Model.Requests()

	// Nothing has changed: nothing is asked.
	asked := b.Model.Requests()
	if again := look(t, b); *again.Turn != *first.Turn || b.Model.Requests() != asked {
		t.Errorf("nothing has changed, and %d are asked", b.Model.Requests()-asked)
	}

	put(t, b, "paths.md", chapter("Paths", "The gate has 9 keys"))
	put(t, b, "ponds.md", chapter("Ponds", "The pond is 3 m deep"))
	asked = b.Model.Requests()
	second := look(t, b)
	n := second.News
	if *second.Turn == *first.Turn || second.Share != first.Share || !slices.Equal(n.Came, []string{"Ponds"}) ||
		!slices.Equal(n.Changed, []string{"Paths"}) || len(n.Went) != 0 {
		t.Fatalf("%+v", second)
	}
	for _, s := range n.Sections {
		if s.Title == "Hedges" || s.Text == "" {
			t.Errorf("told as new: %+v", s)
		}
	}
	if len(n.Sections) == 0 {
		t.Error("no section is told as new")
	}
	// Four sections are new or changed, as at first, and two of six are not.
	if n := b.Model.Requests() - asked; n > paid {
		t.Errorf("%d questions were asked at first, and %d when a third is as it was", paid, n)
	}
	if _, turns, err := b.Conversations.Shared(t.Context(), first.Share); err != nil || turns[0].ID != *second.Turn {
		t.Errorf("the link does not lead to the new one: %v", err)
	}
	if all, err := b.Client.Conversations(t.Context(), "short"); err == nil && len(all) != 0 {
		t.Errorf("it stands among what visitors asked: %+v", all)
	}

	// The model is away: what there is stays, and a maker is told.
	put(t, b, "ponds.md", chapter("Ponds", "The pond is 4 m deep"))
	b.Model.Set(testbed.With(testbed.Fast, "broken", 1000, 0))
	failed := look(t, b)
	if *failed.Turn != *second.Turn || failed.Problem.Form == "" {
		t.Errorf("%+v", failed)
	}
	b.Model.Set(testbed.Fast)
	third := look(t, b)
	if *third.Turn == *second.Turn || third.Problem.Form != "" || !slices.Equal(third.News.Changed, []string{"Ponds"}) {
		t.Errorf("%+v", third)
	}

	// Something else is to be kept: what there was goes.
	other := strings.Replace(shortDesk, "The rules in short", "Everything in short", 1)
	if _, err := b.Client.Publish(t.Context(), "short.yaml", []byte(other), ""); err != nil {
		t.Fatal(err)
	}
	fresh := look(t, b)
	if fresh.Title != "Everything in short" || fresh.Share == third.Share || len(fresh.News.Came) != 0 {
		t.Errorf("%+v", fresh)
	}
	if _, _, err := b.Conversations.Shared(t.Context(), third.Share); err == nil {
		t.Error("what is kept no more can be read")
	}
	nothing, _, _ := strings.Cut(shortDesk, "standing:")
	if _, err := b.Client.Publish(t.Context(), "short.yaml", []byte(nothing), ""); err != nil {
		t.Fatal(err)
	}
	b.Standing.Look(t.Context())
	if _, _, err := b.Conversations.Shared(t.Context(), fresh.Share); err == nil {
		t.Error("what a desk keeps no more at all can be read")
	}
}

// Two instances look at once, and one of them makes it.
func TestOneInstanceMakesIt(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	if _, err := b.Client.MakeShelf(t.Context(), "club", "The club"); err != nil {
		t.Fatal(err)
	}
	put(t, b, "paths.md", chapter("Paths", "The gate has 7 keys"))
	if _, err := b.Client.Publish(t.Context(), "short.yaml", []byte(shortDesk), ""); err != nil {
		t.Fatal(err)
	}
	done := make(chan struct{})
	for range 3 {
		go func() {
			b.Standing.Look(context.WithoutCancel(t.Context()))
			done <- struct{}{}
		}()
	}
	for range 3 {
		<-done
	}
	turns := map[uuid.UUID]bool{}
	testbed.Until(t, "it is made", func() bool {
		all, err := b.Standing.Kept(t.Context(), "short")
		if err != nil {
			t.Fatal(err)
		}
		if all[0].Turn != nil {
			turns[*all[0].Turn] = true
		}
		return all[0].MadeAt != nil
	})
	if len(turns) != 1 {
		t.Errorf("%d were made", len(turns))
	}
}

// What cannot be kept current is told when the desk file is published.
func TestMistakes(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	if _, err := b.Client.MakeShelf(t.Context(), "club", "The club"); err != nil {
		t.Fatal(err)
	}
	for mistake, file := range map[string]string{
		"has no shelves":           strings.Replace(shortDesk, "shelves: [club]", "attachments: true", 1),
		"bring: {addresses: true}": shortDesk + "    address: https://example.org/news\n",
		"is not asked for here":    strings.Replace(shortDesk, "manner: by headings", "colour: blue", 1),
		"two are called":           shortDesk + "  - {title: The rules in short, ask: Again}\n",
		"in rhymes":                strings.Replace(shortDesk, "by headings", "in rhymes", 1),
	} {
		_, err := b.Client.Publish(t.Context(), "short.yaml", []byte(file), "")
		if err == nil || !strings.Contains(err.Error(), mistake) {
			t.Errorf("%q is not told: %v", mistake, err)
		}
	}
}

// What is at an address is brought again when its time has come, and put in short anew if it
// says something else.
func TestAnAddressIsKeptCurrent(t *testing.T) {
	var text atomic.Value
	text.Store(chapter("Notices", "The meeting is on day 4"))
	fetched := atomic.Int32{}
	site := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		fetched.Add(1)
		w.Header().Set("Content-Type", "text/markdown; charset=utf-8")
		fmt.Fprint(w, text.Load())
	}))
	t.Cleanup(site.Close)
	b := testbed.New(t, testbed.Options{Visit: []string{strings.TrimPrefix(site.URL, "http://")}})
	file := fmt.Sprintf(`slug: short
title: In Short
purpose: Puts things in short.
model: heather-2
recipe: digest
bring: {addresses: true, fresh_hours: 1}
standing:
  - {title: Notices, ask: The notices, address: %s/notices.md}
`, site.URL)
	if _, err := b.Client.Publish(t.Context(), "short.yaml", []byte(file), ""); err != nil {
		t.Fatal(err)
	}
	made := func(what string, so func(record.Standing) bool) (r record.Standing) {
		t.Helper()
		testbed.Until(t, what, func() bool {
			r = look(t, b)
			return so(r)
		})
		return r
	}
	first := made("it is made", func(r record.Standing) bool { return r.MadeAt != nil })
	if !strings.Contains(said(t, b, first), "day 4") {
		t.Errorf("it says %q", said(t, b, first))
	}
	before := fetched.Load()
	if again := look(t, b); *again.Turn != *first.Turn || fetched.Load() != before {
		t.Errorf("it is fetched %d times more while it is fresh", fetched.Load()-before)
	}
	b.Later(2 * time.Hour)
	if again := look(t, b); *again.Turn != *first.Turn || fetched.Load() == before {
		t.Errorf("looked at after two hours: %+v", again)
	}
	text.Store(chapter("Notices", "The meeting is on day 9"))
	b.Later(2 * time.Hour)
	second := made("it is made anew", func(r record.Standing) bool { return r.Turn != nil && *r.Turn != *first.Turn })
	if !strings.Contains(said(t, b, second), "day 9") || len(second.News.Changed) != 1 ||
		len(second.News.Sections) == 0 {
		t.Errorf("%+v: %q", second.News, said(t, b, second))
	}
	site.Close()
	b.Later(2 * time.Hour)
	away := made("it is told that it is away", func(r record.Standing) bool { return r.Problem.Form != "" })
	if *away.Turn != *second.Turn || said(t, b, away) == "" {
		t.Errorf("what was there is gone: %+v", away)
	}
}

package e2e

import (
	"strings"
	"testing"

	"juvalogos/internal/browser"
	"juvalogos/internal/testbed"
)

// A desk keeps a digest current: visitors find it on the desk's page, read it with its places,
// and after a change with what is new at the top, behind the same link.
func TestADigestThatIsKeptCurrent(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	if _, err := b.Client.MakeShelf(ctx, "club", "The club"); err != nil {
		t.Fatal(err)
	}
	put := func(text string) {
		t.Helper()
		if _, err := b.Client.AddDocument(ctx, "club", "rules.md", strings.NewReader(text)); err != nil {
			t.Fatal(err)
		}
		testbed.Until(t, "the rules are read", func() bool {
			all, err := b.Client.ShelfDocuments(ctx, "club")
			return err == nil && len(all) == 1 && all[0].State == "ready"
		})
	}
	put(rules())
	publish(t, b, "slug: short\ntitle: In Short\npurpose: Puts things in short.\nmodel: heather-2\nrecipe: digest\n"+
		"shelves: [club]\nstanding:\n  - {title: The rules in short, ask: The rules}\n")
	if _, err := b.Client.Standing(ctx, "short", true); err != nil {
		t.Fatal(err)
	}
	p := openTab(t, browser.Desk, b.Address)
	p.visit("/at/short")
	p.shows("main", "Kept up to date")
	p.accessible("a desk that keeps a digest")
	p.click("The rules in short")
	p.shows("h1", "The rules in short")
	p.shows("main", "As of")
	p.shows("article", "Section by section")
	p.until("nothing is new in the first", `!document.querySelector("#what-is-new")`)
	link := run[string](p, "location.pathname")
	p.accessible("a digest that is kept")

	put(strings.Replace(rules(), "pays 20 crowns", "pays 99 crowns", 1))
	if all, err := b.Client.Standing(ctx, "short", true); err != nil || all[0].Page != link {
		t.Fatalf("%v: %+v, want the page %s", err, all, link)
	}
	phone := openTab(t, browser.Phone, b.Address)
	phone.visit(link)
	phone.shows("section", "What is new")
	phone.shows("section", "99 crowns")
	phone.until("nothing is wider than the phone", `document.documentElement.scrollWidth <= innerWidth`)
	phone.accessible("a digest with news, on a phone")
	// In the bench another way of making it is tried beside.
	m := openConsole(t, browser.Desk, b, "desks/short/standing")
	m.shows("main", "changed: Rule 1")
	m.accessible("what a desk keeps current, in the console")
	m.click("Look now")
	m.shows("main", "looked at just now")
	m.click("Open in the bench")
	m.click("Run again from here")
	m.until("a way is chosen", `(() => { const s = document.querySelector("fieldset select"); s.value = "at once";
		s.dispatchEvent(new Event("change", {bubbles: true})); return s.value === "at once" })()`)
	m.click("Run this and what follows")
	m.shows("#tried", "way: at once")
	m.accessible("settings of a recipe in the bench")
}

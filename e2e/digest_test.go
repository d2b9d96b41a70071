package e2e

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"juvalogos/internal/browser"
	"juvalogos/internal/testbed"
)

// A document in short: the manner is chosen, each sentence has its place, and a click opens the
// document there; at a desk and on a phone, for a document of a shelf and for one's own.
func TestADocumentInShort(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	if _, err := b.Client.MakeShelf(ctx, "book", "The book"); err != nil {
		t.Fatal(err)
	}
	var text strings.Builder
	for i := range 12 {
		fmt.Fprintf(&text, "# Chapter %d\n\nThe hives of row %d stand at the hedge of the old orchard. ", i+1, i+1)
		text.WriteString(strings.Repeat("They are looked after every week from spring until autumn. ", 14) + "\n\n")
	}
	if _, err := b.Client.AddDocument(ctx, "book", "book.md", strings.NewReader(text.String())); err != nil {
		t.Fatal(err)
	}
	testbed.Until(t, "the book is read", func() bool {
		all, err := b.Client.ShelfDocuments(ctx, "book")
		return err == nil && len(all) == 1 && all[0].State == "ready"
	})
	publish(t, b, "slug: in-short\ntitle: In Short\npurpose: Long texts in short.\nmodel: heather-2\nrecipe: digest\n"+
		"shelves: [book]\nattachments: true\n")
	for _, window := range []browser.Window{browser.Desk, browser.Phone} {
		p := openTab(t, window, b.Address)
		p.visit("/at/in-short")
		p.accessible("a desk that puts texts in short")
		p.pick("How", "in three lines")
		p.click("What will it take?")
		p.shows("[role=status]", "Write first what you want")
		p.answered("The book")
		p.until("three sentences have places", `document.querySelectorAll("article .claim sup.ref").length === 3`)
		p.until("none rests on nothing", `!document.querySelector("article .unsupported")`)
		p.hit(chromedp.Search("//summary[contains(., 'Section by section')]"))
		p.shows("article ol", "Chapter 7")
		p.accessible("a digest")
		if window.Phone {
			continue
		}
		p.click("Chapter 7")
		p.shows("[role=dialog] mark", "The hives of row 7")
		p.keys("\x1b")
		p.do(chromedp.WaitNotPresent(chromedp.CSS("[role=dialog]")))
		p.click("The hives of row 1 stand")
		p.shows("[role=dialog]", "Chapter 1")
		p.keys("\x1b")
		p.do(chromedp.WaitNotPresent(chromedp.CSS("[role=dialog]")))
	}
	// Of another manner only the end is new, and that is told; what is done can be read as it comes.
	if _, err := b.Client.AddDocument(ctx, "book", "second.md",
		strings.NewReader(strings.ReplaceAll(text.String(), "hives of row", "skeps of line"))); err != nil {
		t.Fatal(err)
	}
	testbed.Until(t, "the second book is read", func() bool {
		all, err := b.Client.ShelfDocuments(ctx, "book")
		return err == nil && len(all) == 2 && all[0].State == "ready" && all[1].State == "ready"
	})
	b.Model.Set(testbed.Slow)
	q := openTab(t, browser.Desk, b.Address)
	q.visit("/at/in-short")
	q.ask("Second")
	q.hit(chromedp.Search("//summary[contains(., 'Read what is done so far')]"))
	q.shows("article details ol", "The skeps of line 1 stand")
	q.accessible("a digest on its way")
	q.click("Stop")
	b.Model.Set(testbed.Fast)
	// One's own comes before the shelf's.
	p := openTab(t, browser.Desk, b.Address)
	p.visit("/at/in-short")
	own := strings.ReplaceAll(text.String(), "hives of row", "nests in tree")
	p.do(chromedp.SetUploadFiles(chromedp.CSS("input[type=file]"), file(t, "own.md", []byte(own))))
	p.shows("main", "own.md")
	p.answered("this, please")
	p.shows("article", "The nests in tree 1 stand")
}

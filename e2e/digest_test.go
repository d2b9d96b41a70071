package e2e

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"juvalogos/core/recipe"
	"juvalogos/internal/api"
	"juvalogos/internal/browser"
	"juvalogos/internal/client"
	"juvalogos/internal/testbed"
	"juvalogos/standin/modelserver"
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

// A document of 300 pages is put in short through three kills of the service: no section that
// was done is paid for again.
func TestADigestOf300PagesThroughKills(t *testing.T) {
	t.Parallel()
	p := startProcess(t)
	if _, err := p.client.MakeShelf(ctx, "book", "The book"); err != nil {
		t.Fatal(err)
	}
	var text strings.Builder
	for page := range 300 {
		if page%10 == 0 {
			fmt.Fprintf(&text, "# Chapter %d\n\n", page/10+1)
		}
		for line := range 25 {
			fmt.Fprintf(&text, "On page %d, in line %d, the keeper of hive %d writes down what it weighs. ", page+1,
				line+1,
				page*25+line)
		}
		text.WriteString("\n\n")
	}
	if _, err := p.client.AddDocument(ctx, "book", "book.md", strings.NewReader(text.String())); err != nil {
		t.Fatal(err)
	}
	testbed.Until(t, "the book is read", func() bool {
		all, err := p.client.ShelfDocuments(ctx, "book")
		return err == nil && len(all) == 1 && all[0].State == "ready"
	})
	if _, err := p.client.Publish(ctx, "d.yaml", []byte("slug: in-short\ntitle: In Short\npurpose: Long texts.\n"+
		"model: thyme-mini\nrecipe: digest\nshelves: [book]\n"), ""); err != nil {
		t.Fatal(err)
	}
	p.model.Set(modelserver.Control{FirstMS: new(150.0), Rate: new(0.0), Tokens: 60})
	asked := p.model.Requests()
	for range 3 {
		before := p.model.Requests()
		ended := make(chan struct{})
		go func() {
			defer close(ended)
			_, _ = p.client.Ask(ctx, client.Question{Desk: "in-short", Text: "The book"}, client.Follower{})
		}()
		testbed.Until(t, "some more sections are asked for", func() bool { return p.model.Requests() >= before+16 })
		p.kill()
		p.start()
		<-ended
	}
	of := 0
	o, err := p.client.Ask(ctx, client.Question{Desk: "in-short", Text: "The book"},
		client.Follower{Notice: func(n api.Notice) { of = max(of, n.Of) }})
	if err != nil || o.State != "done" {
		t.Fatalf("%v: %+v", err, o)
	}
	// Four are on their way at a kill; what it takes to put all together is asked once.
	const aside, together = 3 * recipe.DefaultAtOnce, 30
	if got := p.model.Requests() - asked; of < 60 || got < of || got > of+aside+together {
		t.Errorf("of %d sections the model was asked %d times", of, got)
	}
	again := p.model.Requests()
	if o, err := p.client.Ask(ctx, client.Question{Desk: "in-short", Text: "The book"},
		client.Follower{}); err != nil ||
		o.State != "done" || p.model.Requests() != again {
		t.Errorf("the same again: %v, asked %d times", err, p.model.Requests()-again)
	}
}

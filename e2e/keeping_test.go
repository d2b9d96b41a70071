package e2e

import (
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"juvalogos/internal/browser"
	"juvalogos/internal/testbed"
	"juvalogos/standin/modelserver"
)

func TestAttemptsCanBeCompared(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	p := openPage(t, browser.Desk, b.Address)
	b.Model.Set(modelserver.Control{FirstMS: new(0.0), Rate: new(0.0), Tokens: 5})
	p.answered("How do I light a smoker?")
	b.Model.Set(testbed.Fast)
	p.click("Write the reply again")
	p.shows("article", "2 of 2")
	p.shows("article .prose", "cool and white")
	p.accessible("two attempts")
	p.click("The reply before")
	p.shows("article", "1 of 2")
	if got := p.text("article .prose"); strings.Contains(got, "white") {
		t.Errorf("the first attempt is %q", got)
	}
	// The one that is shown counts, also after a reload.
	p.do(chromedp.Reload())
	p.shows("article", "1 of 2")
	p.click("The next reply")
	p.shows("article .prose", "cool and white")
	// Only the last turn can be made again.
	p.answered("hello")
	if n := run[int](p,
		`[...document.querySelectorAll("article button")].filter(b => b.innerText.includes("Write the reply again")).length`); n != 1 {
		t.Errorf("%d turns can be made again", n)
	}
}

func TestCopying(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	if _, err := b.Client.Publish(ctx, "helper.yaml",
		[]byte(strings.Replace(testbed.Desk, "thyme-mini", "heather-2", 1)), ""); err != nil {
		t.Fatal(err)
	}
	p := openPage(t, browser.Desk, b.Address)
	// A headless browser keeps its clipboard to itself: note what goes there.
	run[any](p, `navigator.clipboard.writeText = text => { window.copied = text; return Promise.resolve() }; null`)
	p.answered("How much do I feed my bees for the winter?")
	clipboard := func() string { return run[string](p, "window.copied") }
	p.click("Copy the reply")
	p.shows("article", "Copied")
	if got := clipboard(); !strings.Contains(got, "**18 to 20 kg**") || !strings.Contains(got, "```python") {
		t.Errorf("copied %q", got)
	}
	run[any](p, `document.querySelector(".code button").click(), null`)
	p.shows(".code", "Copied")
	if got := clipboard(); !strings.HasPrefix(got, "def syrup(") || strings.Contains(got, "```") {
		t.Errorf("copied %q", got)
	}
}

func TestTheBoxRemembers(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	p := openPage(t, browser.Desk, b.Address)
	box := func() string { return run[string](p, `document.querySelector("textarea").value`) }
	p.do(chromedp.SendKeys(browser.Question, "half a quest"), chromedp.Reload(), chromedp.WaitReady(browser.Question))
	if got := box(); got != "half a quest" {
		t.Errorf("after a reload the box holds %q", got)
	}
	p.answered("ion")
	p.do(chromedp.Reload(), chromedp.WaitReady(browser.Question))
	p.shows("article", "half a question")
	if got := box(); got != "" {
		t.Errorf("what was asked is still in the box: %q", got)
	}
	p.do(chromedp.SendKeys(browser.Question, kb.ArrowUp))
	if got := box(); got != "half a question" {
		t.Errorf("Up brings back %q", got)
	}
}

func TestTakingBack(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	p := openPage(t, browser.Desk, b.Address)
	p.answered("My name is Ottoline.")
	p.answered("What is my nmae?")
	p.click("Remove the question")
	p.do(chromedp.WaitNotPresent(chromedp.CSS("article:nth-of-type(2)")))
	if got := run[string](p, `document.querySelector("textarea").value`); got != "What is my nmae?" {
		t.Errorf("the box holds %q", got)
	}
	run[any](p, `document.querySelector("textarea").select(), null`)
	p.ask("What is my name?")
	p.shows("article:last-of-type .prose", "Your name is Ottoline")
	p.settled()
	p.click("Remove the question")
	p.do(chromedp.WaitNotPresent(chromedp.CSS("article:nth-of-type(2)")))
	p.click("Remove the question")
	p.shows("main", "Begin with one of these")
	p.shows("nav", "What you ask here will be listed")
}

func TestKeepingAConversation(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	p := openPage(t, browser.Desk, b.Address)
	p.answered("How do I light a smoker?")
	p.click("This conversation")
	p.shows("[role=menu]", "Save as text (Markdown)")
	p.accessible("the menu of a conversation")
	p.hit(chromedp.Search(`//*[@role='menuitem'][.='Rename']`))
	p.do(chromedp.WaitVisible(chromedp.CSS("[role=dialog] input")))
	p.accessible("the dialog for its name")
	run[any](p, `document.querySelector("[role=dialog] input").select(), null`)
	p.do(chromedp.SendKeys(chromedp.CSS("[role=dialog] input"), "Of smoke\r"))
	p.do(chromedp.WaitNotPresent(chromedp.CSS("[role=dialog]")))
	p.shows("nav", "Of smoke")
	address := run[string](p, "location.pathname")

	p.click("This conversation")
	p.hit(chromedp.Search(`//*[@role='menuitem'][.='Delete this conversation']`))
	p.shows("main", "Deleted: “Of smoke”")
	p.shows("main", "Begin with one of these")
	p.shows("nav", "What you ask here will be listed")
	p.accessible("a removed conversation")
	p.click("Undo")
	p.shows("article .prose", "Light it at the bottom")
	p.shows("nav", "Of smoke")
	if got := run[string](p, "location.pathname"); got != address {
		t.Errorf("it is back at %s, it was at %s", got, address)
	}

	// Saved as a file it is whole.
	script := `fetch("/api/conversations/" + location.pathname.split("/").pop() + "/export?as=markdown").then(r => r.text())`
	if got := run[string](p, script); !strings.HasPrefix(got, "# Of smoke\n") ||
		!strings.Contains(got, "## 1. How do I light a smoker?\n\nLight it at the bottom") {
		t.Errorf("saved %q", got)
	}
}

func TestSharingAConversation(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	p := openPage(t, browser.Desk, b.Address)
	p.answered("How do I light a smoker?")
	menu := func(item string) {
		t.Helper()
		p.click("This conversation")
		p.hit(chromedp.Search(`//*[@role='menuitem'][.='` + item + `']`))
	}
	menu("Share with a link")
	p.click("Make a link")
	p.do(chromedp.WaitVisible(chromedp.CSS("[role=dialog] input")))
	p.accessible("the dialog for sharing")
	link := run[string](p, `document.querySelector("[role=dialog] input").value`)

	// Another person reads it, on a phone, and cannot change it.
	q := openPage(t, browser.Phone, b.Address)
	q.visit(strings.TrimPrefix(link, b.Address))
	q.shows("article .prose", "Light it at the bottom")
	q.shows("main", "Somebody shared this conversation with you.")
	if got := q.text("main button"); strings.Contains(got, "again") || strings.Contains(got, "Ask") {
		t.Errorf("a reader has %q", got)
	}
	q.accessible("a shared conversation")

	p.click("Withdraw the link")
	p.do(chromedp.WaitNotPresent(chromedp.CSS("[role=dialog]")))
	q.do(chromedp.Reload())
	q.shows("main", "This conversation is not shared, or not any more.")
}

package e2e

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/chromedp/chromedp"

	"juvalogos/internal/browser"
)

// A visitor attaches documents before the first question, is answered from them
// with the place, and takes one back.
func TestAVisitorAttachesDocuments(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	if _, err := b.Client.Publish(ctx, "reader.yaml", []byte("slug: reader\ntitle: The Reader\n"+
		"purpose: Reads what you attach.\nmodel: thyme-mini\nattachments: true\n"), ""); err != nil {
		t.Fatal(err)
	}
	folder := openFolder(t)
	var files []string
	for name, body := range map[string]string{
		"minutes.md": "# Minutes\n\nAgneta Lindqvist was elected treasurer with 41 votes.\n",
		"a very long name that a scanner gave to a broken file of last year.pdf": "%PDF-1.4 and no more",
	} {
		path := filepath.Join(folder, name)
		if err := os.WriteFile(path, []byte(body), 0o644); err != nil {
			t.Fatal(err)
		}
		files = append(files, path)
	}
	for _, window := range []browser.Window{browser.Desk, browser.Phone} {
		p := openPage(t, window, b.Address)
		p.visit("/at/reader")
		p.do(chromedp.SetUploadFiles(chromedp.CSS("input[type=file]"), files))
		p.until("both are listed", `document.querySelectorAll("ul[aria-label^=Documents] li").length === 2`)
		p.shows("main", "It is no whole PDF")
		p.shows("main", "Only you can open these documents.")
		p.accessible("documents attached")
		p.answered("Who was elected treasurer?")
		p.shows("main", "Agneta Lindqvist")
		p.until("the question did not change what is attached",
			`document.querySelectorAll("ul[aria-label^=Documents] li").length === 2`)
		// A reload finds them again; a new conversation has none.
		p.do(chromedp.Reload())
		p.until("they are there after a reload",
			`document.querySelectorAll("ul[aria-label^=Documents] li").length === 2`)
		p.click("Remove minutes.md")
		p.until("one is left", `document.querySelectorAll("ul[aria-label^=Documents] li").length === 1`)
		p.click("New")
		p.until("a new conversation has none", `document.querySelectorAll("ul[aria-label^=Documents] li").length === 0`)
	}
}

// A maker gives a shelf a model with a price, sees what it costs and agrees.
func TestAShelfsSettings(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	if _, err := b.Client.MakeShelf(ctx, "handbook", "The handbook"); err != nil {
		t.Fatal(err)
	}
	m := openConsole(t, browser.Desk, b, "/shelves/handbook")
	m.shows("main", "Nothing is on it yet.")
	m.click("Settings")
	m.shows("[role=dialog]", "Search by meaning")
	m.accessible("a shelf's settings")
	m.fill("Title", "The members’ handbook")
	m.fill("Tokens", "5")
	m.click("Save")
	m.shows("[role=dialog] [role=alert]", "between 40 and 3000")
	m.accessible("a setting that is refused")
	m.fill("Tokens", "120")
	m.fill("Overlap", "40")
	m.click("Save")
	m.until("the dialog closes", `!document.querySelector("[role=dialog]")`)
	m.shows("main h1", "The members’ handbook")

	// A desk's form puts it on the desk.
	e := openConsole(t, browser.Desk, b, "/desks/helper")
	e.until("the form lists the shelf",
		`[...document.querySelectorAll("form[aria-label=Desk] summary")].some(s => s.innerText.includes("Documents it answers from"))`)
	run[any](e, `[...document.querySelectorAll("form[aria-label=Desk] summary")].find(s => s.innerText.includes("Documents it answers from")).click(), null`)
	e.until("the shelf can be chosen",
		`!![...document.querySelectorAll("form[aria-label=Desk] label")].find(l => l.innerText.includes("The members’ handbook"))`)
	run[any](e, `[...document.querySelectorAll("form[aria-label=Desk] label")].filter(l => /handbook|may attach/.test(l.innerText)).forEach(l => l.querySelector("input").click()), null`)
	e.until("it stands in the file",
		`document.querySelector(".cm-content").innerText.includes("shelves:") && document.querySelector(".cm-content").innerText.includes("attachments: true")`)
	e.accessible("a desk's form with its shelves")
}

package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"juvalogos/internal/browser"
)

// Documents are put on a shelf, a question is answered from them, and the
// answer leads to the place.
func TestFromDocumentsToAnAnswerWithItsSources(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	folder := openFolder(t)
	var files []string
	for name, body := range map[string]string{
		"extractor.md": "# The extractor\n\nMembers may borrow the extractor for three days against a deposit of 30 " +
			"crowns.\n\nIt must come back clean.\n",
		"wasps.html": "<html><body><main><h1>Wasps</h1><p>Make the entrance as narrow as one " +
			"bee.</p></main></body></html>",
		"broken.pdf": "%PDF-1.4 and no more",
	} {
		path := filepath.Join(folder, name)
		if err := os.WriteFile(path, []byte(body), 0o644); err != nil {
			t.Fatal(err)
		}
		files = append(files, path)
	}
	m := openConsole(t, browser.Desk, b, "/shelves")
	m.shows("main", "There is no shelf yet.")
	m.accessible("no shelves")
	m.fill("A new shelf", "The members’ handbook")
	m.click("Make it")
	m.shows("main", "Nothing is on it yet.")
	m.do(chromedp.SetUploadFiles(chromedp.CSS("input[type=file]"), files))
	m.shows("main", "The extractor")
	m.shows("main", "It is no whole PDF")
	m.shows("main", "3 documents")
	m.accessible("a shelf with a file that could not be read")
	m.fill("A question", "How long may I borrow the extractor?")
	m.click("Look")
	m.shows("main", "1st by its words")
	m.click("Map")
	m.until("the map is drawn", `document.querySelectorAll("main svg [data-passage]").length === 2`)
	m.accessible("what a question finds, and the map")
	m.click("Hide the map")
	run[any](m, `[...document.querySelectorAll("main table button")].find(b => b.innerText === "The extractor").click(), null`)
	m.shows("[role=dialog]", "against a deposit of 30 crowns")
	m.accessible("a document's passages")
	m.click("Close")

	if _, err := b.Client.Publish(ctx, "lib.yaml", []byte("slug: lib\ntitle: Library\npurpose: Tests.\n"+
		"model: thyme-mini\nshelves: [the-members-handbook]\n"), ""); err != nil {
		t.Fatal(err)
	}
	p := openPage(t, browser.Desk, b.Address)
	p.visit("/at/lib")
	p.answered("How long may I borrow the extractor?")
	p.shows("article", "for three days")
	p.until("the note stands in the margin", `document.querySelector(".notes")?.innerText.includes("The extractor")`)
	p.until("beside its sentence",
		`Math.abs(document.querySelector(".notes li").getBoundingClientRect().top - document.querySelector("[data-claim]").getBoundingClientRect().top) < 12`)
	p.accessible("a reply with its margin")
	run[any](p, `document.querySelector(".notes button").click(), null`)
	p.until("the original is shown, marked",
		`document.querySelector("[role=dialog] mark")?.innerText.includes("for three days")`)
	p.accessible("the original at the place")
	p.keys("\x1b")
	p.answered("Which vaccinations does a puppy need?")
	p.shows("article:last-of-type", "The documents do not say this.")
	p.accessible("a reply that rests on nothing")
	// What is on record is shown the same way.
	p.do(chromedp.Reload())
	p.until("the margin is back", `document.querySelector(".notes")?.innerText.includes("The extractor")`)

	// Short questions are answered with the very words, which are lit in the
	// original.
	if _, err := b.Client.Publish(ctx, "facts.yaml", []byte("slug: facts\ntitle: Facts\npurpose: Tests.\n"+
		"model: thyme-mini\nrecipe: extract\nshelves: [the-members-handbook]\n"), ""); err != nil {
		t.Fatal(err)
	}
	f := openPage(t, browser.Desk, b.Address)
	f.visit("/at/facts")
	f.answered("How much is the deposit for the extractor?")
	f.until("the very words", `document.querySelector("article strong")?.innerText === "30 crowns"`)
	f.until("the sentence is in the margin",
		`document.querySelector(".notes")?.innerText.includes("against a deposit of 30 crowns")`)
	f.accessible("a short answer")
	run[any](f, `document.querySelector(".notes button").click(), null`)
	f.until("only the answer is lit", `document.querySelector("[role=dialog] mark")?.innerText === "30 crowns"`)

	// On a phone the notes fold under the reply.
	phone := openPage(t, browser.Phone, b.Address)
	phone.visit("/at/lib")
	phone.answered("How long may I borrow the extractor?")
	phone.shows("article", "Where this comes from (1)")
	phone.accessible("the margin on a phone")

	// A document that is removed is in no answer any more.
	run[any](m, `[...document.querySelectorAll("main table tr")].find(r => r.innerText.includes("extractor.md")).querySelector("[aria-label^=Remove]").click(), null`)
	m.shows("[data-sonner-toaster]", "is off the shelf")
	found, err := b.Client.SearchShelf(ctx, "the-members-handbook", "borrow the extractor", 5)
	if err != nil {
		t.Fatal(err)
	}
	for _, h := range found.Hits {
		if strings.Contains(h.Text, "extractor") {
			t.Errorf("it is still found: %+v", h)
		}
	}
	m.undo()
	m.shows("main", "The extractor")
}

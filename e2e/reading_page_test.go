package e2e

import (
	"archive/zip"
	"bytes"
	"fmt"
	"strings"
	"testing"

	"juvalogos/internal/browser"
)

// torn is a book that names three chapters and has two.
func torn(t *testing.T) []byte {
	t.Helper()
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	for name, text := range map[string]string{
		"META-INF/container.xml": `<c><rootfiles><rootfile full-path="book.opf"/></rootfiles></c>`,
		"book.opf": `<package><metadata><dc:title xmlns:dc="d">The torn book</dc:title></metadata><manifest>` +
			`<item id="a" href="a.xhtml"/><item id="b" href="b.xhtml"/><item id="c" href="c.xhtml"/></manifest>` +
			`<spine><itemref idref="a"/><itemref idref="b"/><itemref idref="c"/></spine></package>`,
		"a.xhtml": "<html><body><nav>Way home</nav><h1>Before</h1><p>The bees came in May.</p></body></html>",
		"c.xhtml": "<html><body><h1>After</h1><p>They left again in June.</p></body></html>",
	} {
		f, err := w.Create(name)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := f.Write([]byte(text)); err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// The shelf's page warns of a document of which words are missing, and says what
// of it was left out and why; all can be read anew.
func TestAShelfSaysWhatWasLeftOut(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	if _, err := b.Client.MakeShelf(ctx, "handbook", "The handbook"); err != nil {
		t.Fatal(err)
	}
	if _, err := b.Client.AddDocument(ctx, "handbook", "torn.epub", bytes.NewReader(torn(t))); err != nil {
		t.Fatal(err)
	}
	for _, window := range []browser.Window{browser.Desk, browser.Phone} {
		p := openConsole(t, window, b, "/shelves/handbook")
		p.shows("main", "Part of one document could not be read.")
		p.shows("main table", "of its words could be read")
		p.until("what was left out is folded", `document.querySelector("main details:not([open]) summary")`)
		p.until("it unfolds", `(document.querySelector("main details").open = true)`)
		p.shows("main details", "parts that are broken, or that the file names and does not have")
		p.shows("main details", "Way home")
		p.accessible("a document that lost something")
		p.click("Read all again")
		p.shows("body", "All are read anew")
	}
}

// A long text that is pasted into the question box is offered as a document; what
// is left in the question stays there.
func TestALongPastedTextIsOfferedAsADocument(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	if _, err := b.Client.Publish(ctx, "reader.yaml", []byte("slug: reader\ntitle: The Reader\n"+
		"purpose: Reads what you attach.\nmodel: thyme-mini\nattachments: true\n"), ""); err != nil {
		t.Fatal(err)
	}
	long := "Minutes of the autumn meeting\n\nAgneta Lindqvist was elected treasurer with 41 votes.\n\n" +
		strings.Repeat("Then the weather was talked of at length. ", 80)
	paste := func(text string) string {
		return fmt.Sprintf(`(() => {
			const box = document.querySelector("textarea"), data = new DataTransfer(), text = %q;
			box.focus();
			data.setData("text/plain", text);
			if (box.dispatchEvent(new ClipboardEvent("paste",
				{ clipboardData: data, bubbles: true, cancelable: true })))
				document.execCommand("insertText", false, text);
			return true;
		})()`, text)
	}
	for _, window := range []browser.Window{browser.Desk, browser.Phone} {
		p := openPage(t, window, b.Address)
		p.visit("/at/reader")
		p.until("a short text is pasted", paste("What of bees? "))
		p.until("it is only pasted", `document.querySelector("textarea").value === "What of bees? " &&
			!document.body.textContent.includes("You pasted a long text")`)
		p.until("a long text is pasted", paste(long))
		p.shows("main, body", "You pasted a long text")
		p.accessible("a long text was pasted")
		p.click("Leave it in the question")
		p.until("it stays", `document.querySelector("textarea").value.length > 3000 &&
			!document.body.textContent.includes("You pasted a long text")`)
		p.until("the box is emptied", `(() => { const box = document.querySelector("textarea"); box.value = "";
			return box.dispatchEvent(new Event("input", { bubbles: true })); })()`)
		p.until("it is pasted again", paste(long))
		p.click("Attach it as a document")
		p.until("it is listed under its first words", `[...document.querySelectorAll("ul[aria-label^=Documents] li")]
			.some((li) => li.textContent.includes("Minutes of the autumn meeting.txt"))`)
		p.until("the box is empty", `document.querySelector("textarea").value === ""`)
		p.answered("Who was elected treasurer?")
		p.shows("main", "Agneta Lindqvist")
	}
}

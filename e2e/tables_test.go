package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"juvalogos/demo/ledger"
	"juvalogos/internal/browser"
	"juvalogos/internal/testbed"
)

const tableDesk = `slug: your-table
title: Ask Your Table
purpose: Answers from a table of yours.
model: thyme-mini
recipe: reckon
attachments: true
openers: [What is this about?]
`

const fairTable = "Expenses of the fair;;;\nDay;Who;Amount;Paid back\n01.06.2026;Ada;€ 120,50;yes\n" +
	"02.06.2026;Bram;€ 64,00;no\n03.06.2026;Cleo;about 30;no\n04.06.2026;Ada;€ 1.210,00;yes\n" +
	"04.06.2026;Dora;€ 18,20;yes\n05.06.2026;Bram;€ 9,90;no\n06.06.2026;Ada;€ 75,00;no\n07.06.2026;Cleo;€ 22,75;yes\n" +
	"08.06.2026;Dora;€ 210,00;no\nTotal;;€ 1.730,35;\n"

// file writes a file that a page can be given.
func file(t *testing.T, name string, body []byte) []string {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	if err := os.WriteFile(path, body, 0o644); err != nil {
		t.Fatal(err)
	}
	return []string{path}
}

// A table is attached, looked at, a column's kind put right, asked about by mouse and by
// keyboard, its result sorted, charted, saved, and gone on with; at a desk and on a phone.
func TestAskingATableOfOnesOwn(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	publish(t, b, tableDesk)
	for _, window := range []browser.Window{browser.Desk, browser.Phone} {
		p := openTab(t, window, b.Address)
		p.visit("/at/your-table")
		p.do(chromedp.SetUploadFiles(chromedp.CSS("input[type=file]"), file(t, "Fair expenses.csv", []byte(fairTable))))
		p.shows("main", "A table of 9 rows")
		p.shows("main", "You could ask:")
		p.accessible("a table that was attached")

		// What was found out is there before the first question, and can be put right.
		p.hit("[aria-label='Look at the table: Fair expenses.csv']")
		p.shows("[role=dialog]", "9 rows, 4 columns")
		p.shows("[role=dialog]", "Row 12 adds up what is above it (“Total”); it is left out.")
		p.shows("[role=dialog]", "1 cell is not such: “about 30” in row 5")
		p.accessible("what is in a table")
		p.pick("What Amount is", "text")
		p.shows("[role=dialog]", "as it seems")
		p.until("the amount is text", `!document.querySelector("[role=dialog]").innerText.includes("is not such")`)
		p.click("as it seems")
		p.shows("[role=dialog]", "1 cell is not such")
		p.keys("\x1b")
		p.do(chromedp.WaitNotPresent(chromedp.CSS("[role=dialog]")))

		p.answered("Total amount by day")
		p.shows("article", "How this was computed")
		p.shows("article", "Show as")
		p.accessible("a table and a chart")
		run[any](p, `(() => { window.blobs = []; const make = URL.createObjectURL.bind(URL);
			URL.createObjectURL = b => { blobs.push(b); return make(b) };
			HTMLAnchorElement.prototype.click = function () { window.named = this.download }; return null })()`)
		p.pick("Show as", "bars")
		p.until("there are bars", `document.querySelectorAll("figure svg rect[fill^=url]").length >= 7`)
		p.centred("Save as PNG")
		p.until("a picture is saved", `blobs.some(b => b.type === "image/png" && b.size > 2000) && named.endsWith(".png")`)

		// Sorted by the amount, the most first.
		run[any](p, `(() => { document.querySelector("[title='Sort by sum of Amount']").scrollIntoView({block: "center"});
			return null })()`)
		p.hit("[title='Sort by sum of Amount']")
		p.until("the most is first", `document.querySelector("[data-worked-out] tbody tr td:last-child").innerText.includes("1,228.20 €")`)
		p.until("a screen reader knows", `!!document.querySelector("th[aria-sort=descending]")`)

		// A follow-up keeps what it does not change; a number shows where it stands.
		p.answered("and only Ada?")
		p.shows("article:last-of-type", "where Who is Ada")
		p.answered("and by who?")
		run[any](p, `(() => { document.querySelector("article:last-of-type button.figure")?.scrollIntoView({block: "center"});
			return null })()`)
		p.hit("article:last-of-type button.figure")
		p.until("the cell is lit", `!!document.querySelector("article:last-of-type td.bg-marker")`)
		p.centred("The rows behind this number")
		p.shows("[role=dialog]", "3 of 3 rows")
		p.until("what was added up is marked", `document.querySelectorAll("[role=dialog] td.bg-marker").length === 3`)
		p.accessible("the rows behind a number")
		p.keys("\x1b")
		p.do(chromedp.WaitNotPresent(chromedp.CSS("[role=dialog]")))

		// By keyboard alone: how it was computed, and the query.
		run[any](p, `(() => { document.querySelector("article:last-of-type details summary").focus(); return null })()`)
		p.keys(" ")
		p.shows("article:last-of-type details[open]", "From Fair expenses")
		p.keys("\t")
		p.keys(" ")
		p.shows("article:last-of-type", "SELECT")
		p.accessible("how it was computed")
		p.do(chromedp.Reload())
		p.shows("article:last-of-type", "How this was computed")
	}
}

// The tables of a shelf are looked at and asked; two visitors ask theirs at once.
func TestAskingTheLedger(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	if _, err := b.Client.MakeShelf(ctx, "ledger", "The ledger"); err != nil {
		t.Fatal(err)
	}
	weights := file(t, "Hive weights.csv", ledger.Weights())
	f, err := os.Open(weights[0])
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	if _, err := b.Client.AddDocument(ctx, "ledger", "Hive weights.csv", f); err != nil {
		t.Fatal(err)
	}
	testbed.Until(t, "the ledger is read", func() bool {
		all, err := b.Client.ShelfDocuments(ctx, "ledger")
		return err == nil && len(all) == 1 && all[0].State == "ready"
	})
	publish(t, b, "slug: ledger\ntitle: The Ledger\npurpose: Answers.\nmodel: thyme-mini\nrecipe: reckon\n"+
		"shelves: [ledger]\nopeners: [What is the average weight by month?]\n")
	p := openTab(t, browser.Desk, b.Address)
	p.visit("/at/ledger")
	p.shows("main", "What is in the tables")
	p.click("What is in the tables")
	p.shows("[role=dialog]", "8,768 rows, 7 columns")
	p.accessible("what is in a shelf's tables")
	p.keys("\x1b")
	p.do(chromedp.WaitNotPresent(chromedp.CSS("[role=dialog]")))
	other := openTab(t, browser.Phone, b.Address)
	other.visit("/at/ledger")
	other.ask("Which hive was the heaviest in 2024?")
	p.answered("What is the average weight by month?")
	p.shows("article", "Jan 2023")
	p.until("there is a line", `!!document.querySelector("figure svg path[stroke]")`)
	p.shows("article", "Show all 36 rows")
	p.answered("What is the average weight by year?")
	p.until("numbers have their rows beside them, years have not", `(() => {
		const all = [...document.querySelectorAll("article:last-of-type .notes button")].map(b => b.innerText);
		return all.some(n => n.includes("the rows behind it")) && !all.some(n => /^20\d\d /.test(n)) })()`)
	other.settled()
	other.shows("article", "highest Weight (kg)")
}

// One reply rests on texts and on tables: beside each sentence stands the place, beside each
// number the rows behind it, marked.
func TestTextsAndTablesStandInOneMargin(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	for slug, files := range map[string]map[string]string{
		"ledger":   {"Honey harvest.csv": string(ledger.Harvest())},
		"handbook": {"label.md": "# The label\n\nOn the label of a jar of honey stands the weight in grams.\n"},
	} {
		if _, err := b.Client.MakeShelf(ctx, slug, ""); err != nil {
			t.Fatal(err)
		}
		for name, body := range files {
			if _, err := b.Client.AddDocument(ctx, slug, name, strings.NewReader(body)); err != nil {
				t.Fatal(err)
			}
		}
		testbed.Until(t, "the shelf is read", func() bool {
			all, err := b.Client.ShelfDocuments(ctx, slug)
			return err == nil && len(all) == 1 && all[0].State == "ready"
		})
	}
	publish(t, b, "slug: office\ntitle: The Office\npurpose: Answers.\nmodel: heather-2\nrecipe: inquire\n"+
		"shelves: [ledger, handbook]\n")
	for _, window := range []browser.Window{browser.Desk, browser.Phone} {
		p := openTab(t, window, b.Address)
		p.visit("/at/office")
		p.answered("Which meadow had the most jars, and what stands on the label of a jar?")
		p.shows("article", "the weight in grams")
		if window.Phone {
			run[any](p, `(() => { const all = [...document.querySelectorAll("details")];
				all.find(d => d.innerText.includes("Where this comes from (2)")).open = true; return null })()`)
		}
		p.until("both are in the margin", `(() => { const all = [...document.querySelectorAll("article button")]
			.filter(b => b.offsetParent).map(b => b.innerText); return all.some(n => n.includes("On the label of a jar")) &&
			all.some(n => n.includes("Honey harvest") && n.includes("the rows behind it")) })()`)
		p.until("no sentence is said to rest on nothing", `!document.querySelector(".unsupported")`)
		p.accessible("texts and tables in one reply")
		p.centred("Honey harvest")
		p.shows("[role=dialog]", "8 of 8 rows")
		p.until("the column is marked", `document.querySelectorAll("[role=dialog] td.bg-marker").length === 8`)
		p.accessible("rows from the margin")
		p.keys("\x1b")
		p.do(chromedp.WaitNotPresent(chromedp.CSS("[role=dialog]")))
	}
}

package e2e

import (
	"context"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"juvalogos/internal/browser"
	"juvalogos/internal/desk"
	"juvalogos/internal/testbed"
)

func TestFromAModelToAPageInFiveSteps(t *testing.T) {
	t.Parallel()
	b := bareBed(t)
	p := openConsole(t, browser.Desk, b, "")
	p.shows("section", "0 of 5 done")
	p.accessible("the first run")

	p.click("Add a connection")
	p.fill("Name", "shed")
	p.fill("Address", b.ModelURL+"/v1")
	p.fill("Key", "wrong")
	p.click("Ask the server")
	p.shows("[role=alert]", "refuses the key")
	p.fill("Key", testbed.ModelKey)
	p.click("Ask the server")
	p.shows("[role=dialog]", "thyme-mini")
	p.accessible("adding a connection")
	run[any](p, `[...document.querySelectorAll("[role=dialog] label")].find(l => l.innerText.trim() === "thyme-mini").click(), null`)
	p.click("Save")
	p.shows("h2", "shed")
	p.shows("main", "The key is kept encrypted")

	p.click("Desks")
	p.shows("section", "1 of 5 done")
	p.click("Probe it")
	p.shows("h1", "Connections")
	p.click("Desks")
	p.shows("section", "2 of 5 done")

	p.hit(chromedp.CSS("section .button-main"))
	p.fill("Title", "The Gate Keeper")
	p.fill("What it answers", "Who may come in.")
	p.accessible("making a desk")
	p.until("the slug follows the title",
		`[...document.querySelectorAll("[role=dialog] input")].some(i => i.value === "gate-keeper")`)
	p.click("Make it")
	p.shows("h1", "The Gate Keeper")
	p.preview("The Gate Keeper")
	p.shows("main", "slug: gate-keeper")
	run[any](p, `{ const d = document.querySelector("iframe").contentDocument, a = d.querySelector("textarea");
		a.value = "hello"; a.dispatchEvent(new Event("input", {bubbles: true})); setTimeout(() => d.querySelector("form button[type=submit]").click(), 100); null }`)
	p.preview("Written in")

	p.click("Publish")
	p.fill("What is new", "the first one")
	p.hit(chromedp.CSS("[role=dialog] .button-main"))
	p.shows("body", "Revision 1 is published")
	p.accessible("the editor")
	p.click("Desks")
	p.until("the path is at its end", `!document.querySelector("#first-run")`)
	p.shows("table", "Published")
	p.accessible("the list of desks")

	visitor := openTab(t, browser.Phone, b.Address)
	visitor.visit("/at/gate-keeper")
	visitor.answered("hello")
	visitor.shows("article", "Written in")
}

func TestFormAndFileAreOne(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	commented := "# of the tests\n" + strings.Replace(testbed.Desk, "title: The Helper",
		"title: The Helper # a good name", 1)
	if _, err := b.Client.Publish(ctx, "d.yaml", []byte(commented), ""); err != nil {
		t.Fatal(err)
	}
	p := openConsole(t, browser.Window{Width: 1400, Height: 900}, b, "desks/helper")
	p.shows("[aria-label=File]", "slug: helper")
	p.fill("Title", "The Kind Helper")
	p.until("the file follows the form",
		`[...document.querySelectorAll(".cm-line")].some(l => l.textContent === "title: The Kind Helper # a good name")`)
	if text := p.fileText(); !strings.HasPrefix(text, "# of the tests\n") ||
		strings.Count(text, "\n") != strings.Count(commented, "\n") {
		t.Errorf("the rest of the file has changed:\n%s", text)
	}
	p.preview("The Kind Helper")
	p.file(strings.Replace(commented, "Answers questions.", "Answers everything.", 1))
	p.until("the form follows the file",
		`[...document.querySelectorAll("[aria-label=Desk] textarea")].some(a => a.value === "Answers everything.")`)
	p.preview("Answers everything.")
	p.shows("[role=status]", "not published")
	if d, err := b.Client.Desk(ctx, "helper"); err != nil || d.Purpose != "Answers questions." || d.Draft == nil {
		t.Errorf("visitors see it already: %+v, %v", d, err)
	}
	// Openers are added and taken out one by one.
	p.click("Add one")
	p.until("the new line has the cursor", `document.activeElement.ariaLabel?.startsWith("Openers")`)
	p.write("And what now?")
	p.until("the file has it",
		`[...document.querySelectorAll(".cm-line")].some(l => l.textContent.includes("And what now?"))`)
	p.preview("And what now?")
	p.click("Take out openers, 1")
	p.until("the file has it no more",
		`![...document.querySelectorAll(".cm-line")].some(l => l.textContent.includes("light a smoker"))`)
	// What is kept survives a reload.
	p.shows("[role=status]", "Draft, kept")
	p.do(chromedp.Reload())
	p.shows("[aria-label=File]", "And what now?")
}

func TestTheEditorCompletes(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	p := openConsole(t, browser.Desk, b, "desks/helper")
	p.shows("[aria-label=File]", "slug: helper")
	p.file("slug: helper\n")
	p.keys("pur")
	p.shows(".cm-tooltip-autocomplete", "purpose")
	p.shows(".cm-tooltip", "tell a visitor what this desk answers")
	p.until("the list is ready", `!!document.querySelector(".cm-tooltip-autocomplete [aria-selected]")`)
	time.Sleep(100 * time.Millisecond) // the list takes no key in its first moments
	p.keys(kb.Enter)
	p.until("the key is there", `document.querySelector(".cm-content").innerText.includes("purpose: ")`)
	p.file("slug: helper\nmodel: ")
	p.keys("th")
	p.shows(".cm-tooltip-autocomplete", "thyme-mini")
}

// mistakes are what a desk file allows a maker to do wrong, and the line at
// which it is marked.
var mistakes = []struct {
	from, to string
	line     int
	says     string
}{
	{"title: The Helper", "titel: The Helper", 2, `did you mean "title"`},
	{"title: The Helper\n", "", 1, `"title" is missing`},
	{"title: The Helper", `title: ""`, 2, "is empty"},
	{"title: The Helper", "title: [a, b]", 2, "expected text"},
	{"title: The Helper", "title: " + strings.Repeat("x", 81), 2, "81 characters; at most 80"},
	// where the text that was begun meets the next quotation mark,
	{"title: The Helper", "title: \"The Helper", 6, "not YAML"},
	{"title: The Helper", "title: The Helper\ntitle: Again", 3, "not YAML"},
	{"slug: helper", "slug: Helper Two", 1, "small letters"},
	{"slug: helper", "slug: other", 1, "duplicate it"},
	{"model: thyme-mini", "model: time-mini", 4, `did you mean "thyme-mini"`},
	{"model: thyme-mini", "model: clover-embed", 4, "does not chat"},
	{"max_tokens: 900", "max_tokens: 4095", 4, "leave no room"},
	{"temperature: 0", "temperature: 7", 7, "out of range"},
	{"temperature: 0", "temperature: warm", 7, "expected a number"},
	{"turns: 10", "turns: -1", 8, "out of range"},
	{"openers: [", "openers: [a, b, c, d, e, f, g, h, ", 6, "at most 8"},
	{"brief: You are Sprig.", "choices: {models: [{model: nothing, title: x}]}", 5, `unknown model "nothing"`},
	{"brief: You are Sprig.", "choices: {manner: perhaps}", 5, "true or false"},
	{"brief: You are Sprig.", "brief: &a x\nrecipe: *a", 6, "not used here"},
	{"brief: You are Sprig.", "\tbrief: x", 5, "not YAML"},
}

func TestEveryMistakeIsMarkedAtItsPlace(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	p := openConsole(t, browser.Desk, b, "desks/helper")
	p.shows("[aria-label=File]", "slug: helper")
	for _, m := range mistakes {
		text := strings.Replace(testbed.Desk, m.from, m.to, 1)
		if text == testbed.Desk {
			t.Fatalf("%q is not in the desk file", m.from)
		}
		p.file(text)
		p.shows("[role=status]", m.says)
		lines := run[[]int](p,
			`(() => { const marks = [...document.querySelectorAll(".cm-lintRange-error")].map(m => m.closest(".cm-line"));
			return marks.map(l => [...document.querySelectorAll(".cm-line")].indexOf(l) + 1) })()`)
		if len(lines) == 0 || !contains(lines, m.line) {
			t.Errorf("%q is marked at %v, want line %d", m.to, lines, m.line)
		}
		if run[bool](p, `![...document.querySelectorAll("button")].find(b => b.innerText === "Publish").disabled`) {
			t.Errorf("%q can be published", m.to)
		}
		p.preview("The Helper") // the last good text
	}
	p.accessible("a file with mistakes")
	p.click("1 mistake")
	p.until("the cursor is in the file", `document.activeElement.className.includes("cm-content")`)
	if d, err := b.Client.Desk(ctx, "helper"); err != nil || d.Published != 1 {
		t.Errorf("%+v, %v", d, err)
	}
}

func contains(list []int, n int) bool {
	for _, x := range list {
		if x == n {
			return true
		}
	}
	return false
}

func TestRevisionsAreComparedAndGoneBackTo(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	if _, err := b.Client.Publish(ctx, "d.yaml", []byte(strings.Replace(testbed.Desk, "The Helper", "Second", 1)),
		"another name"); err != nil {
		t.Fatal(err)
	}
	p := openConsole(t, browser.Desk, b, "desks/helper/revisions")
	p.shows("ol", "another name")
	p.shows(".cm-deletedChunk", "title: The Helper")
	p.shows(".cm-changedLine", "title: Second")
	p.accessible("revisions")
	published := func(n int) {
		t.Helper()
		testbed.Until(t, "the right revision is published", func() bool {
			d, err := b.Client.Desk(ctx, "helper")
			return err == nil && d.Published == n
		})
	}
	p.click("Go back to this one")
	published(1)
	p.shows("body", "Revision 1 is published again")
	p.undo()
	published(2)
	p.choose("More to do with this desk", "Withdraw")
	published(0)
	p.shows("body", "visitors find no desk here")
	visitor := openTab(t, browser.Desk, b.Address)
	visitor.visit("/at/helper")
	visitor.shows("h1", "There is no desk here")
	p.click("Open the desk with this one")
	testbed.Until(t, "the desk is open again", func() bool {
		d, err := b.Client.Desk(ctx, "helper")
		return err == nil && d.Published > 0
	})
}

func TestDesksAreDuplicatedAndThrownAway(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	p := openConsole(t, browser.Desk, b, "desks/helper")
	p.shows("h1", "The Helper")
	p.choose("More to do with this desk", "Duplicate")
	p.fill("Address of the copy", "helper-two")
	p.accessible("duplicating")
	p.hit(chromedp.CSS("[role=dialog] .button-main"))
	p.shows("p", "A draft: nobody sees it yet")
	p.shows("[aria-label=File]", "slug: helper-two")
	p.choose("More to do with this desk", "Throw the draft away")
	p.shows("h1", "Desks")
	p.until("it is gone",
		`document.querySelector("table").innerText.includes("The Helper") && !document.querySelector("table").innerText.includes("helper-two")`)
	p.undo()
	p.shows("h1", "The Helper")
	p.shows("[aria-label=File]", "slug: helper-two")
}

func TestADeskIsImported(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	packed, err := b.Client.Export(ctx, "helper")
	if err != nil {
		t.Fatal(err)
	}
	p := openConsole(t, browser.Desk, b, "")
	give := func(text string) {
		t.Helper()
		run[any](p, `{ const files = new DataTransfer(); files.items.add(new File([`+strconv.Quote(text)+
			`], "desk.json"));
			const input = document.querySelector("input[type=file]"); input.files = files.files;
			input.dispatchEvent(new Event("change", {bubbles: true})); null }`)
	}
	give(string(packed))
	p.shows("body", `There is a desk "helper" already`)
	give("not a desk")
	p.shows("body", "This is not a packed desk")
	give(strings.ReplaceAll(string(packed), "helper", "garden"))
	p.shows("body", "The desk is here")
	p.shows("[aria-label=File]", "slug: garden")
	p.visit("/console")
	p.shows("table", "The Helper")
	give(strings.NewReplacer("helper", "meadow", "thyme-mini", "not-here").Replace(string(packed)))
	p.shows("body", "The desk is here, but not published: model: unknown model")
}

func TestTwoBrowsersAndAVisitorOnAPhone(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	one := openConsole(t, browser.Desk, b, "desks/helper")
	two := openConsole(t, browser.Desk, b, "desks/helper")
	visitor := openPage(t, browser.Phone, b.Address)
	one.shows("[aria-label=File]", "slug: helper")
	two.shows("[aria-label=File]", "slug: helper")
	visitor.answered("Who are you?")
	visitor.shows("article .prose", "Sprig")
	one.file(strings.Replace(testbed.Desk, "You are Sprig.", "You are Clover.", 1))
	two.shows("[aria-label=File]", "You are Clover.") // the other browser follows
	two.click("Publish")
	two.hit(chromedp.CSS("[role=dialog] .button-main"))
	two.shows("body", "Revision 2 is published")
	testbed.Until(t, "the desk is open as published", func() bool {
		f, err := b.Desks.Face(ctx, "helper")
		return err == nil && strings.Contains(f.Brief, "Clover")
	})
	visitor.answered("And who are you now?")
	visitor.shows("article:last-of-type .prose", "Clover")
	one.shows("[role=status]", "As published")
	// The figures follow on the list.
	one.click("Desks")
	one.until("two questions today", `[...document.querySelectorAll("tbody td")].some(d => d.innerText.trim() === "2")`)
	visitor.click("This helped")
	one.shows("tbody", "100 %")
	// A browser that is signed out is told so.
	one.click("Access")
	one.shows("main", "Browsers that are signed in")
	one.accessible("access")
	one.click("Sign it out")
	one.shows("body", "is signed out")
	two.click("Connections")
	two.shows("h1", "Sign in")
	two.accessible("the door")
}

func TestMakersReadWhatWasAsked(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	if _, err := b.Client.Publish(ctx, "d.yaml",
		[]byte(strings.Replace(testbed.Desk, "memory: {turns: 10, tokens: 2000}", "memory: {turns: 3, tokens: 2000}",
			1)), ""); err != nil {
		t.Fatal(err)
	}
	visitor := openPage(t, browser.Desk, b.Address)
	for _, q := range []string{"My name is Perpetua.", "How do I light a smoker?", "How much syrup for the winter?",
		"What is my name?"} {
		visitor.answered(q)
	}
	p := openConsole(t, browser.Desk, b, "desks/helper/conversations")
	p.shows("ul", "My name is Perpetua.")
	// The words of what was just said take a moment to be findable.
	testbed.Until(t, "the words can be found", func() bool {
		for _, word := range []string{"syrup", "smoker"} {
			if found, err := b.Client.Records(ctx, "helper", word, 5); err != nil || len(found) == 0 {
				return false
			}
		}
		return true
	})
	p.fill("Search the conversations", "syrup")
	p.shows("mark", "syrup")
	p.fill("Search the conversations", "nothing like it")
	p.shows("main", "No question or reply has these words.")
	p.fill("Search the conversations", "smoker")
	p.shows("mark", "smoker")
	p.click("My name is Perpetua.")
	p.shows("details", "What the model keeps of the first")
	p.shows("details", "Perpetua")
	p.shows("article", "tokens in")
	p.accessible("a conversation, for makers")
	p.click("Remove")
	p.shows("body", "The conversation is removed")
	p.undo()
	p.shows("ul", "My name is Perpetua.")
}

func TestConnectionsInTheConsole(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	p := openConsole(t, browser.Desk, b, "connections")
	p.shows("h2", "shed")
	b.Model.Set(testbed.With(testbed.Fast, "unauthorized", 1, 0))
	p.click("Probe")
	p.shows("main", "server refuses the key")
	p.accessible("connections")
	p.click("Add a connection")
	p.fill("Name", "barn")
	p.fill("Address", "nowhere")
	p.fill("A model's name", "dock-leaf")
	p.click("Save")
	p.shows("[role=alert]", "must look like http://")
	p.fill("Address", b.ModelURL+"/v1")
	p.fill("Key", testbed.ModelKey)
	p.click("Save")
	p.shows("#connection-barn", "barn")
	p.hit(chromedp.CSS("[aria-labelledby=connection-barn] button")) // Change
	p.shows("[role=dialog]", "Change barn")
	p.fill("Replies at once", "3")
	p.click("Save")
	p.shows("main", "at most 3 replies at once")
	if page := run[string](p, "document.documentElement.outerHTML"); strings.Contains(page, testbed.ModelKey) {
		t.Error("the key is on the page")
	}
	p.click("Remove")
	p.until("it is gone", `!document.querySelector("#connection-barn")`)
	p.undo()
	p.shows("#connection-barn", "barn")
}

func TestTokensInTheConsole(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	p := openConsole(t, browser.Desk, b, "access")
	p.fill("What it is for", "newsletter")
	p.click("Make it")
	p.shows("[role=status]", "it is not shown again")
	secret := p.text("[role=status] code")
	if _, err := b.Store.Accounts.TokenBySecret(ctx, secret, time.Now()); err != nil {
		t.Errorf("%q: %v", secret, err)
	}
	p.shows("ul", "newsletter")
	p.click("Remove newsletter")
	p.shows("body", "newsletter is worthless now")
	if _, err := b.Store.Accounts.TokenBySecret(ctx, secret, time.Now()); err == nil {
		t.Error("a removed token works")
	}
	p.fill("The one you have", "wrong")
	p.fill("The one you want", "another smoke")
	p.hit(chromedp.CSS("[aria-labelledby=password] button"))
	p.shows("body", "do not go together")
}

// TestTheConsoleWithoutTheService takes the service away while the console is open:
// it says so, keeps what was written, and says when the service is back.
func TestTheConsoleWithoutTheService(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	p := openConsole(t, browser.Desk, b, "shelves")
	p.fill("A new shelf", "Old almanacs")
	offline := func(so bool) {
		p.do(chromedp.Func(func(ctx context.Context, _ *chromedp.Target) error {
			_, err := chromedp.Call(ctx, network.EmulateNetworkConditionsByRule,
				network.EmulateNetworkConditionsByRuleParams{MatchedNetworkConditions: []*network.Conditions{{
					Offline: so, DownloadThroughput: -1, UploadThroughput: -1}}})
			return err
		}))
	}
	offline(true)
	p.click("Make it")
	p.shows("[role=status]", "The service cannot be reached. It is looked for")
	p.click("Usage")
	p.shows("[role=alert]", "This page could not be fetched")
	p.accessible("the console without the service")
	p.click("Shelves")
	offline(false)
	p.shows("[role=status]", "The service is back.")
	run[bool](p, `window.before = true`)
	p.click("Load the page again")
	p.until("the page is loaded again", `!window.before && document.readyState === "complete"`)
	p.fill("A new shelf", "Old almanacs")
	p.click("Make it")
	p.shows("h1", "Old almanacs")
}

func TestTheConsoleByKeyboard(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	p := openConsole(t, browser.Desk, b, "")
	p.shows("table", "The Helper")
	open := func() {
		run[any](p, `dispatchEvent(new KeyboardEvent("keydown", {key: "k", ctrlKey: true, bubbles: true})), null`)
		p.shows("[role=dialog]", "Go to")
		p.until("the input has the cursor", `document.activeElement.tagName === "INPUT"`)
	}
	open()
	p.accessible("the command palette")
	p.keys("connec")
	p.until("the entry is chosen",
		`document.querySelector("[data-command-item][data-selected]")?.innerText === "Connections"`)
	p.keys(kb.Enter)
	p.shows("h1", "Connections")
	open()
	p.keys("helper")
	p.until("the entry is chosen",
		`document.querySelector("[data-command-item][data-selected]")?.innerText.includes("(helper)")`)
	p.keys(kb.Enter)
	p.shows("h1", "The Helper")
	open()
	p.keys("xyxy")
	p.shows("[role=dialog]", "Nothing is called that.")
	p.keys(kb.Escape)
	p.until("it is closed", `!document.querySelector("[role=dialog]")`)
}

func TestTheConsoleOnAPhoneAndInTheDark(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	w := browser.Phone
	w.Dark = true
	p := openConsole(t, w, b, "desks/helper")
	p.fill("Title", "On a Phone")
	p.click("File")
	p.shows("[aria-label=File]", "title: On a Phone")
	p.click("Preview")
	p.preview("On a Phone")
	p.accessible("the editor on a phone")
	for _, path := range []string{"", "desks/helper/revisions", "desks/helper/conversations", "connections", "access"} {
		p.visit("/console/" + path)
		p.until("the page is there", `!!document.querySelector("h1")`)
		if wide := run[int](p, `document.documentElement.scrollWidth`); wide > 390 {
			t.Errorf("/console/%s is %d wide", path, wide)
		}
		p.accessible("/console/" + path + " on a phone")
	}
}

func TestAWatchedFolderInTheConsole(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	folder := t.TempDir()
	write := func(text string) {
		t.Helper()
		if err := os.WriteFile(filepath.Join(folder, "helper.yaml"), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	go func() { _ = b.Desks.WatchFolder(t.Context(), folder, func(desk.FolderFile) {}) }()
	p := openConsole(t, browser.Window{Width: 1400, Height: 900}, b, "desks/helper")
	p.preview("The Helper")
	write(strings.Replace(testbed.Desk, "The Helper", "From the Folder", 1))
	p.preview("From the Folder") // edit, save, see
	p.shows("[aria-label=File]", "title: From the Folder")
	write(strings.Replace(testbed.Desk, "title:", "titel:", 1))
	p.click("Desks")
	p.shows("main", "helper.yaml has mistakes")
	p.shows("main", `did you mean "title"`)
	p.accessible("a folder with a mistake")
	if d, err := b.Client.Desk(ctx, "helper"); err != nil || d.Title != "From the Folder" {
		t.Errorf("%+v, %v", d, err)
	}
}

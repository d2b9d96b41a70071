package e2e

import (
	"context"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/chromedp"

	"juvalogos/internal/browser"
	"juvalogos/internal/models"
	"juvalogos/internal/record"
	"juvalogos/internal/testbed"
	"juvalogos/standin/modelserver"
)

func TestEditingAQuestionMakesAVersion(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	p := openPage(t, browser.Desk, b.Address)
	p.answered("My name is Ada.")
	p.answered("How do I light a smoker?")
	p.click("Change the question")
	p.accessible("editing a question")
	p.fill("Change the question", "My name is Perpetua.")
	p.click("Ask this instead")
	p.shows("article", "Version 2 of 2")
	p.settled()
	if n := run[int](p, `document.querySelectorAll("article").length`); n != 1 {
		t.Errorf("%d turns on the new branch", n)
	}
	p.answered("What is my name?")
	p.shows("article:last-of-type .prose", "Perpetua")
	p.click("The question before it was changed")
	p.shows("article", "How do I light a smoker?")
	p.answered("What is my name?")
	p.shows("article:last-of-type .prose", "Ada")
	p.do(chromedp.Reload())
	p.shows("article", "Version 1 of 2")
	p.accessible("two versions")
	// Escape leaves the question as it was.
	p.click("Change the question")
	p.fill("Change the question", "something else")
	p.keys("\x1b")
	p.shows("article h2", "My name is Ada.")
}

func TestTakingBackIsUndone(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	p := openPage(t, browser.Desk, b.Address)
	p.answered("How do I light a smoker?")
	p.click("Remove the question")
	p.shows("[role=status]", "The question and its reply were removed")
	p.click("Undo")
	p.shows("article", "How do I light a smoker?")
	p.do(chromedp.Reload())
	p.shows("article", "How do I light a smoker?")
	p.choose("This conversation", "Start a new conversation")
	p.shows("h1", "The Helper")
}

func TestSearchingEarlierConversations(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	p := openPage(t, browser.Desk, b.Address)
	for _, q := range []string{"How do I light a smoker?", "Wasps at the door?", "How much syrup for the winter?",
		"Which colour marks this year's queen?"} {
		p.visit("/at/helper")
		p.answered(q)
	}
	p.shows("nav", "Today")
	// The words of what was just said may take a moment to be findable.
	p.until("the search finds it", `(async () => {
		const box = document.querySelector("nav input");
		box.value = ""; box.dispatchEvent(new Event("input", {bubbles: true}));
		box.value = "syr"; box.dispatchEvent(new Event("input", {bubbles: true}));
		await new Promise(done => setTimeout(done, 600));
		window.found = () => [...document.querySelectorAll("nav a")].find(a => a.innerText.startsWith("How much " +
			"syrup"));
		return window.found()?.querySelector("mark")?.innerText === "syrup";
	})()`)
	p.accessible("a search")
	run[any](p, `window.found().click(), null`) // the list may be read anew under a pointer
	p.shows("article h2", "How much syrup for the winter?")
	p.fill("Search your earlier conversations", "no such words")
	p.shows("nav", "Nothing you asked here, and no reply, has these words.")
}

func TestVisitorsSettings(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	file := strings.Replace(testbed.Desk, "brief:", "choices: {models: [{model: heather-2, title: Thorough}], "+
		"manner: true, length: true, languages: [Deutsch]}\nbrief:", 1)
	if _, err := b.Client.Publish(ctx, "d.yaml", []byte(file), ""); err != nil {
		t.Fatal(err)
	}
	p := openPage(t, browser.Phone, b.Address)
	take := func(what string) {
		t.Helper()
		run[any](p, `[...document.querySelectorAll("fieldset label")].find(l => l.innerText.trim() === "`+what+
			`").click(), null`)
	}
	p.click("Adjust the replies")
	p.shows("fieldset", "More careful")
	p.accessible("the settings")
	take("Thorough")
	take("Shorter")
	p.keys("\x1b")
	p.shows("body", "Replies: Thorough, Shorter")
	p.answered("How do I light a smoker?")
	turns := run[string](p, `fetch("/api/conversations/" + location.pathname.split("/").pop()).then(r => r.text())`)
	if !strings.Contains(turns, `"model":"shed/heather-2"`) {
		t.Errorf("the conversation is %s", turns)
	}
	p.do(chromedp.Reload())
	p.shows("body", "Replies: Thorough, Shorter")
	// The desk offers less now, and the page does not know yet.
	if _, err := b.Client.Publish(ctx, "d.yaml", []byte(testbed.Desk), ""); err != nil {
		t.Fatal(err)
	}
	p.ask("hello")
	p.shows("[role=alert]", "Your settings were put back; please ask again.")
	if got := run[string](p, `document.querySelector("textarea").value`); got != "hello" {
		t.Errorf("the question is lost: %q", got)
	}
}

func TestWhatThisDeskCanDo(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	file := strings.Replace(testbed.Desk, "brief:", "good_for: [lighting smokers]\nnot_for: [stings]\n"+
		"knowledge: {until: June 2026, sources: [\"the handbook, as of October 2026\"]}\nbrief:", 1)
	if _, err := b.Client.Publish(ctx, "d.yaml", []byte(file), ""); err != nil {
		t.Fatal(err)
	}
	p := openPage(t, browser.Desk, b.Address)
	p.shows("main", "It knows nothing of what happened after June 2026.")
	p.click("What this desk can do")
	for _, want := range []string{"Answers questions.", "lighting smokers", "stings",
		"It knows the handbook, as of October 2026.", "the last 10 questions word for word"} {
		p.shows("[role=dialog]", want)
	}
	p.accessible("what this desk can do")
}

func TestFormulasComeWhenTheyAreNeeded(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	if _, err := b.Client.Publish(ctx, "d.yaml", []byte(strings.Replace(testbed.Desk, "thyme-mini", "heather-2", 1)),
		""); err != nil {
		t.Fatal(err)
	}
	p := openPage(t, browser.Desk, b.Address)
	p.answered("How do I light a smoker?")
	fetched := func() bool {
		return run[bool](p, `performance.getEntriesByType("resource").some(r => r.name.includes("formulas"))`)
	}
	if fetched() {
		t.Error("a reply without formulas fetches what sets them")
	}
	p.answered("How fast do mites multiply? Show me the formula.")
	p.until("the formulas are set", `document.querySelectorAll(".prose math").length === 5`)
	p.shows("article:last-of-type .prose", "costs $5 in July saves a colony worth $200 in March") // money is no formula
	p.accessible("formulas")
}

func TestLongRepliesFold(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	b.Model.Set(modelserver.Control{FirstMS: new(0.0), Rate: new(0.0), Tokens: 880})
	p := openPage(t, browser.Desk, b.Address)
	p.answered("How do I light a smoker?")
	height := func() int { return run[int](p, `document.querySelector("article .prose").parentElement.clientHeight`) }
	before := height()
	p.click("Shorten this reply")
	p.shows("article", "Show the whole reply")
	if after := height(); after > 300 || after >= before {
		t.Errorf("%d px high, folded %d", before, after)
	}
	p.accessible("a folded reply")
	p.click("Show the whole reply")
	if after := height(); after != before {
		t.Errorf("unfolded it is %d px high, not %d", after, before)
	}
}

func TestWaitingIsToldTruthfully(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	file, _ := b.Desks.Models.Connections()
	file[0].AtOnce = 1
	b.Desks.Models.Replace(models.File{Connections: file})
	b.Model.Set(testbed.Lasting)
	one, two, three := openPage(t, browser.Desk, b.Address), openPage(t, browser.Desk, b.Address),
		openPage(t, browser.Phone, b.Address)
	one.ask("first")
	one.shows("article .prose", "e")
	two.ask("second")
	two.shows("article", "You are next in line")
	three.ask("third")
	three.shows("article", "There is one before you in line")
	three.accessible("in line")
	one.click("Stop")
	two.shows("article .prose", "e")
	three.shows("article", "You are next in line")
	two.click("Stop")
	three.shows("article .prose", "e")
	three.click("Stop")

	b.Model.Set(testbed.With(testbed.Fast, "waking", 8, 0))
	one.ask("How do I light a smoker?")
	one.shows("article:last-of-type", "The desk is starting up after a rest.")
	one.settled()
	one.shows("article:last-of-type .prose", "white")

	busy := testbed.With(testbed.Fast, "busy", 0, 0)
	busy.RetryAfter = 90
	b.Model.Set(busy)
	one.ask("hello")
	one.shows("article:last-of-type [role=alert]", "The reply can be written again in ")
	first := one.text("article:last-of-type [role=alert]")
	one.until("it counts down", `document.querySelector("article:last-of-type [role=alert]").innerText !== `+"`"+first+
		"`")
	one.accessible("a countdown")
}

func TestConnectionLostAndRegained(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	p := openPage(t, browser.Desk, b.Address)
	offline := func(on bool) {
		t.Helper()
		p.do(chromedp.Func(func(ctx context.Context, _ *chromedp.Target) error {
			_, err := chromedp.Call(ctx, network.OverrideNetworkState,
				network.OverrideNetworkStateParams{Offline: on, DownloadThroughput: -1, UploadThroughput: -1})
			return err
		}))
	}
	offline(true)
	p.shows("[role=status]", "You are offline.")
	p.accessible("offline")
	offline(false)
	p.shows("[role=status]", "The connection is back.")
	p.answered("hello")
}

func TestVerdictsAndFiguresForMakers(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	p := openPage(t, browser.Desk, b.Address)
	p.answered("hello")
	if text := p.text("article"); strings.Contains(text, "tokens") {
		t.Errorf("a visitor reads of tokens: %s", text)
	}
	p.click("This did not help")
	p.shows("article", "It did not help")
	testbed.Until(t, "it is on record", func() bool {
		found, err := b.Inside.Traces(ctx, record.TraceFilter{Flagged: true})
		return err == nil && len(found) == 1
	})
	p.do(chromedp.Reload())
	p.shows("article", "It did not help")
	p.click("This did not help")
	p.until("the verdict is taken back", `!document.querySelector("article").innerText.includes("It did not help")`)
	maker := openConsole(t, browser.Desk, b, "")
	maker.visit("/at/helper")
	maker.answered("hello")
	maker.shows("article", "tokens in")
}

package e2e

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"juvalogos/internal/browser"
	"juvalogos/internal/testbed"
)

// flag has a visitor ask and say that the reply did not help, and why.
func flag(t *testing.T, p *page, question string) {
	t.Helper()
	p.answered(question)
	p.click("This did not help")
	p.shows("article", "What was wrong with it?")
	p.click("It is wrong")
	p.shows("article", "Thank you.")
	p.fill("In your own words, if you like", "It went out again.")
	p.keys("\r")
	p.accessible("a verdict with its reason")
}

// A wrong answer is found, looked into, tried differently and put right.
func TestFromABadAnswerToANewRevision(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	flag(t, openPage(t, browser.Desk, b.Address), "How do I light a smoker?")
	m := openConsole(t, browser.Desk, b, "/verdicts")
	m.shows("main", "How do I light a smoker?")
	m.shows("main", "It is wrong: “It went out again.”")
	m.accessible("the queue")
	m.click("Open in the bench")
	m.shows("[aria-label=Inside]", "recipe converse")
	m.shows("[aria-label=Steps]", "answer generate")
	m.shows("[aria-label=Inside]", "You are Sprig.")
	m.accessible("the bench")
	m.click("Run again from here")
	m.fill("Brief", "You are Bramble. Take your time.")
	m.pick("Model", "heather-2")
	m.accessible("what can be changed")
	m.click("Run this and what follows")
	m.shows("#tried", "another brief, model shed/heather-2")
	if m.text("#tried ins")+m.text("#tried del") == "" {
		t.Errorf("no differences are marked in %s", m.text("#tried"))
	}
	m.accessible("what was tried")
	m.click("Publish as a revision")
	m.shows("[data-sonner-toaster]", "Revision 2 is published")
	d, err := b.Client.Desk(ctx, "helper")
	if err != nil || d.Published != 2 || !strings.Contains(d.File, "Take your time.") ||
		!strings.Contains(d.File, "model: shed/heather-2") || !strings.Contains(d.File, "openers:") ||
		!strings.HasPrefix(d.Revisions[0].Note, "from the bench") {
		t.Errorf("published %+v, %v", d, err)
	}
	// A template is changed: the desk gets a recipe of its own.
	run[any](m, `[...document.querySelectorAll("[aria-label=Steps] button")].find(b => b.innerText.startsWith("prompt")).click(), null`)
	m.shows("[aria-label=Inside]", "Template of the question")
	m.fill("Template of the question", "In short: {{.question}}")
	m.click("Run this and what follows")
	m.shows("#tried", "user of prompt")
	m.click("Publish as a revision")
	m.shows("[data-sonner-toaster]", "Revision 3 is published")
	if d, err = b.Client.Desk(ctx, "helper"); err != nil || !strings.Contains(d.File, "recipe: converse.recipe.yaml") ||
		!strings.Contains(d.File, "In short: {{.question}}") {
		t.Errorf("published %s, %v", d.File, err)
	}
	// And the queue is told.
	m.visit("/console/verdicts")
	m.pick("What was wrong", "The model was wrong")
	m.shows("[data-sonner-toaster]", "Noted")
	m.click("Mark as done")
	m.shows("main", "Nothing to look at")
	m.shows("aside", "The model was wrong")
}

func TestTheBenchFollowsAReplyWhileItIsMade(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	b.Model.Set(testbed.Slow)
	m := openConsole(t, browser.Desk, b, "/desks/helper/bench")
	m.shows("[aria-label=Inside]", "Ask, and look inside")
	m.accessible("an empty bench")
	m.until("the question is asked", `(() => {
		const box = document.querySelector("iframe").contentDocument?.querySelector("textarea");
		if (!box) return false;
		box.value = "How do I light a smoker?";
		box.dispatchEvent(new Event("input", {bubbles: true}));
		box.dispatchEvent(new KeyboardEvent("keydown", {key: "Enter", bubbles: true}));
		return true;
	})()`)
	m.shows("[aria-label=Inside]", "Being made now")
	m.shows("[aria-label=Inside]", "done")
	m.click("Graph")
	m.until("the graph is drawn", `document.querySelector("svg.graph")?.textContent.includes("compose")`)
	m.until("the steps are lit", `document.querySelectorAll("svg.graph .done").length === 3`)
	m.accessible("the recipe of a reply")
}

func TestRepliesAreFoundAndUsageIsTold(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	v := openPage(t, browser.Desk, b.Address)
	for _, q := range []string{"How do I light a smoker?", "Wasps at the door?"} {
		v.answered(q)
	}
	m := openConsole(t, browser.Desk, b, "/replies")
	m.shows("table", "Wasps at the door?")
	m.accessible("replies")
	m.pick("Which", "Failed")
	m.shows("main", "Nothing is like this.")
	m.pick("Which", "All")
	m.until("the words find one",
		`(() => { const i = document.querySelector("main form input"); i.value = ""; i.dispatchEvent(new Event("input", {bubbles: true})); i.value = "wasps"; i.dispatchEvent(new Event("input", {bubbles: true}));
		return new Promise(d => setTimeout(d, 700)).then(() => document.querySelectorAll("tbody tr").length === 1); })()`)
	m.fill("Keep prompts and answers for this many days", "30")
	m.keys("\t")
	m.shows("[data-sonner-toaster]", "Traces are kept whole for 30 days")
	m.visit("/console/usage")
	m.shows("main", "2 calls")
	m.shows("main", "shed/thyme-mini")
	m.until("the chart is drawn", `document.querySelectorAll(".chart svg rect, .chart svg path").length > 3`)
	m.accessible("usage")
	csv := run[string](m,
		`fetch([...document.querySelectorAll("a")].find(a => a.innerText === "CSV").href).then(r => r.text())`)
	if !strings.HasPrefix(csv, "day,desk,model,step,kind,turns,calls,") || strings.Count(csv, "\n") != 2 {
		t.Errorf("CSV %q", csv)
	}
	m.visit("/console/desks/helper/recipe")
	m.shows("main", "How a reply is made: converse")
	m.accessible("a desk's recipe")
}

const threeVoices = testbed.Desk + `recipe: contrast
recipe_settings:
  blind: true
  voices: [{title: Small, model: thyme-mini}, {title: Large, model: heather-2}]
`

func TestContrastIsBlindUntilChosen(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	if _, err := b.Client.Publish(ctx, "d.yaml", []byte(threeVoices), ""); err != nil {
		t.Fatal(err)
	}
	b.Model.Set(testbed.Slow)
	p := openPage(t, browser.Desk, b.Address)
	p.ask("How do I light a smoker?")
	p.until("both grow side by side",
		`[...document.querySelectorAll("article section .prose")].filter(e => e.innerText.length > 5).length === 2 && document.querySelector("[aria-busy=true]") !== null`)
	p.do(chromedp.Reload()) // nothing is lost
	p.settled()
	b.Model.Set(testbed.Fast)
	if text := p.text("article"); strings.Contains(text, "Small") || strings.Contains(text, "Large") ||
		!strings.Contains(text, "A\n") {
		t.Errorf("blind, and it shows %s", text)
	}
	p.accessible("contrast")
	said := run[string](p, `fetch("/api/conversations/" + location.pathname.split("/").pop()).then(r => r.text())`)
	if strings.Contains(said, `"title":"Small"`) || strings.Contains(said, "heather") {
		t.Errorf("blind, and the API says %s", said)
	}
	run[any](p, `[...document.querySelectorAll("button")].filter(b => b.innerText.includes("I like this one best"))[1].click(), null`)
	p.shows("article", "Large")
	p.shows("article", "your choice")
	p.do(chromedp.Reload())
	p.shows("article", "your choice")
	m := openConsole(t, browser.Desk, b, "/desks/helper/recipe")
	m.shows("main", "What visitors prefer")
	m.shows("main", "1 of 1")
}

func TestContinueTakesACard(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	file := testbed.Desk + "recipe: continue\nrecipe_settings: {alternatives: 2, most: 40}\n"
	if _, err := b.Client.Publish(ctx, "d.yaml", []byte(file), ""); err != nil {
		t.Fatal(err)
	}
	p := openPage(t, browser.Phone, b.Address)
	p.answered("How do I light a smoker?")
	p.shows("article", "Choose one, and the text goes on from it.")
	p.accessible("cards")
	run[any](p, `[...document.querySelectorAll("button")].filter(b => b.innerText.includes("Go on with this one"))[1].click(), null`)
	p.shows("article", "Chosen; ask again to go on from here")
	p.answered("Go on.")
	p.shows("body", "Go on.")
}

const planned = testbed.Desk + `recipe: plan.recipe.yaml
own_recipe: |
  recipe: plan
  inputs:
    - {name: question, type: text, need: true}
    - {name: reader, type: choice, title: For whom, choices: [a beginner, an old hand], need: true}
  steps:
    - {name: p, do: compose, from: {q: question, r: reader}, set: {user: "{{.q}} For {{.r}}."}}
    - {name: first, do: generate, says: Thinking it over, from: {prompt: p.prompt}}
    - {name: a, do: generate, from: {prompt: p.prompt}}
    - {name: j, do: join, from: {a: first.text, b: a.text}}
  parts: [{title: The first thought, from: first.text}]
  reply: j.text
`

func TestWhatARecipeTakesAndSays(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	if _, err := b.Client.Publish(ctx, "d.yaml", []byte(planned), ""); err != nil {
		t.Fatal(err)
	}
	b.Model.Set(testbed.Slow)
	p := openPage(t, browser.Phone, b.Address)
	p.shows("main", "For whom (needed)")
	p.accessible("a desk that takes more than a question")
	p.ask("How do I light a smoker?")
	p.shows("[role=alert]", "“For whom” is missing")
	p.pick("For whom", "a beginner")
	b.Model.Set(testbed.Slow)
	p.focus("Your question")
	p.keys("\r")
	p.shows("article", "Thinking it over …")
	p.settled()
	p.shows("article", "The first thought")
	traces, err := b.Client.Traces(ctx, nil)
	if err != nil || len(traces) != 1 {
		t.Fatalf("%v, %v", traces, err)
	}
	trace, err := b.Client.Trace(ctx, traces[0].ID)
	if err != nil || !strings.Contains(trace.Spans[1].Calls[0].Messages[1].Content, "For a beginner.") {
		t.Errorf("%+v, %v", trace, err)
	}
}

// pick chooses an entry of the select with a label.
func (p *page) pick(label, entry string) {
	p.t.Helper()
	p.until("“"+entry+"” can be chosen as “"+label+"”", fmt.Sprintf(`(() => {
		const s = [...document.querySelectorAll("select")].find(s => [...(s.labels ?? [])].some(l => l.innerText.trim().startsWith(%q)));
		const o = s && [...s.options].find(o => o.text === %q);
		if (!o) return false;
		s.value = o.value;
		s.dispatchEvent(new Event("change", {bubbles: true}));
		return true;
	})()`, label, entry))
}

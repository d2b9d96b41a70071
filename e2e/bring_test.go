package e2e

import (
	"fmt"
	"net/http/httptest"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"juvalogos/console"
	"juvalogos/internal/api"
	"juvalogos/internal/browser"
	"juvalogos/internal/testbed"
	"juvalogos/standin/referencesite"
)

// readingBed has a desk that reads what is brought, from a reference site.
func readingBed(t *testing.T) (*referencesite.Site, string, *testbed.Bed) {
	t.Helper()
	s := referencesite.New("/reference")
	server := httptest.NewServer(s)
	t.Cleanup(server.Close)
	b := testbed.New(t, testbed.Options{Console: console.Files(), FetchPrivate: true, VisitLimit: time.Minute,
		Visit: []string{strings.TrimPrefix(server.URL, "http://")}})
	at := server.URL + "/reference"
	if _, err := b.Client.Publish(ctx, "reading.yaml", []byte(fmt.Sprintf(`slug: reading
title: The Reading Desk
purpose: Talks about what you bring.
model: thyme-mini
bring:
  addresses: true
  sources:
    - {kind: encyclopedia, title: The encyclopedia, address: %[1]s/w/api.php}
    - {kind: papers, title: Research papers, address: %[1]s/opensearch.xml}
`, at)), ""); err != nil {
		t.Fatal(err)
	}
	return s, at, b
}

const (
	bringFirst = `#bring-first`
	bringBelow = `#bring-below`
)

// bring writes into the field for what is to be read, presses Enter and waits until that
// is taken.
func (p *page) bring(field, about string) {
	p.t.Helper()
	p.do(chromedp.SendKeys(chromedp.CSS(field), about+"\r"))
	empty := fmt.Sprintf("!document.querySelector(%q)?.value", field)
	p.within(func() bool { return try[bool](p, empty) }, "%q is not taken", about)
}

// A topic by another name, asked about by the keyboard alone; then another beside it,
// by the book in the question box, and one put away.
func TestAVisitorBringsATopic(t *testing.T) {
	t.Parallel()
	s, _, b := readingBed(t)
	for i, window := range []browser.Window{browser.Desk, browser.Phone} {
		p := openTab(t, window, b.Address)
		p.visit("/at/reading")
		p.shows("main h2", "What shall we read?")
		p.accessible("a desk that is about nothing yet")
		before := s.Asked("")
		p.bring(bringFirst, "egg hive")
		p.shows("section[aria-label='Sun hive']", "woven of rye straw")
		p.shows("section[aria-label='Sun hive']", "The original")
		p.shows("section[aria-label='Sun hive'] ul", "What does “Sun hive” say on “Construction”?")
		if n := s.Asked("") - before; i > 0 && n != 0 {
			t.Errorf("a second visitor waited for %d calls of the site", n)
		}
		p.accessible("what was brought")
		p.until("the question box is empty and ready",
			`document.querySelector("textarea").value === "" && (matchMedia("(pointer: coarse)").matches || document.activeElement.tagName === "TEXTAREA")`)
		p.answered("How much honey does the sun hive yield?")
		p.shows("article", "is a hive woven of rye straw")
		p.shows("main", "Replies rest on these, and on nothing else.")
		p.click("Bring something to read")
		p.bring(bringBelow, "wax moth")
		p.shows("ul[aria-label='What replies rest on']", "Wax moth")
		p.accessible("what a conversation rests on")
		p.do(chromedp.Reload())
		p.shows("ul[aria-label='What replies rest on']", "Wax moth")
		p.click("Put away Sun hive")
		p.shows("main", "“Sun hive” was put away.")
		p.until("one is left", `document.querySelectorAll("ul[aria-label='What replies rest on'] > li").length === 1`)
		p.click("Take it up again")
		p.until("both are back", `document.querySelectorAll("ul[aria-label='What replies rest on'] > li").length === 2`)
	}
}

// Two meanings are offered; a misspelt name gets the nearest; nothing found says so.
func TestAVisitorChoosesAMeaning(t *testing.T) {
	t.Parallel()
	_, _, b := readingBed(t)
	p := openTab(t, browser.Desk, b.Address)
	p.visit("/at/reading")
	p.bring(bringFirst, "cluster")
	p.shows("section[aria-label=cluster]", "This can mean several things.")
	p.accessible("two meanings")
	run[any](p, `[...document.querySelectorAll("section button")].find(b => b.innerText.includes("Winter cluster")).click(), null`)
	p.shows("section[aria-label='Winter cluster']", "the ball in which the bees")
	p.click("Bring something to read")
	p.bring(bringBelow, "hether honey")
	p.shows("section[aria-label='Heather honey']", "Nothing is called “hether honey”; this is the nearest.")
	p.click("Bring something to read")
	p.bring(bringBelow, "zeppelins")
	p.shows("section[aria-label=zeppelins]", "Nothing was found on “zeppelins”.")
	p.accessible("nothing found")
}

// The address of a page, of a PDF, of a talk; of a page that is all script, and of one
// that is slow, which is stopped.
func TestAVisitorBringsAddresses(t *testing.T) {
	t.Parallel()
	s, at, b := readingBed(t)
	s.Nap = 50 * time.Second
	p := openTab(t, browser.Desk, b.Address)
	p.visit("/at/reading")
	p.bring(bringFirst, at+"/talk")
	p.shows("section[aria-label='Why we weigh hives']", "four kilograms a day")
	for address, says := range map[string]string{
		"/papers/2.pdf": "1 page", "/moved": "woven of rye straw", "/app": "writes its text, which is not run here",
	} {
		p.click("Bring something to read")
		p.bring(bringBelow, at+address)
		p.until("it is being brought", `!document.querySelector("#bring-below")`)
		p.shows("main", says)
	}
	p.click("Bring something to read")
	p.bring(bringBelow, at+"/slow")
	p.shows("main", "Fetching it …")
	// In the middle of it the page is left; it goes on meanwhile.
	p.do(chromedp.Reload())
	p.shows("main", "Fetching it …")
	p.accessible("something on its way")
	p.click("Stop: " + at + "/slow")
	p.shows("main", "Stopped before it came.")
	s.Nap = time.Millisecond
	p.click("Try again: " + at + "/slow")
	p.shows("section[aria-label='The slow page']", "the willows")
	p.answered("When does a swarm leave, by the scale?")
	p.shows("article", "two kilograms")
}

// Thirty papers, one of them broken, are counted while they come; the page is left in
// the middle and come back to.
func TestAVisitorBringsPapers(t *testing.T) {
	t.Parallel()
	_, _, b := readingBed(t)
	for _, window := range []browser.Window{browser.Desk, browser.Phone} {
		p := openTab(t, window, b.Address)
		p.visit("/at/reading")
		run[any](p, `[...document.querySelectorAll("input[type=radio]")].find(i => i.value.includes("papers")).click(), null`)
		p.bring(bringFirst, "colonies")
		p.shows("section[aria-label=colonies]", "papers")
		p.do(chromedp.Reload())
		p.shows("section[aria-label=colonies]", "29 of 30 papers")
		p.shows("section[aria-label=colonies]", "Pollen loads of raspberry in the Alder Vale: it is no whole PDF")
		p.click("Show all 30")
		p.accessible("thirty papers")
		p.answered("How much of all pollen loads did the goat willow give?")
		p.shows("article", "17.5 percent")
	}
}

// A link carries a topic: it shows, and nothing is fetched before it is pressed.
func TestALinkThatCarriesATopic(t *testing.T) {
	t.Parallel()
	s, _, b := readingBed(t)
	p := openTab(t, browser.Desk, b.Address)
	p.visit("/at/reading?topic=Larch%20Hill")
	p.shows("main", "This link is about “Larch Hill”, from: The encyclopedia.")
	p.accessible("a link that carries a topic")
	time.Sleep(300 * time.Millisecond)
	if n := s.Asked(""); n != 0 {
		t.Errorf("%d calls of the site before anything was pressed", n)
	}
	p.click("Read it")
	p.shows("section[aria-label='Larch Hill']", "The original")
	p.until("a reload does not ask again", `location.search === ""`)
	// What this browser remembers and nobody else does is no conversation.
	run[any](p, `localStorage.setItem("juvalogos-begun:reading", "01a2287c-5fef-764e-9cec-01d8a8a0cf15"), null`)
	p.visit("/at/reading")
	p.shows("main h2", "What shall we read?")
	p.until("it is forgotten", `localStorage.getItem("juvalogos-begun:reading") === null`)
	p.answered("How do I light a smoker?")
	for query, says := range map[string]string{
		"search=x&source=Elsewhere":                      "something that this desk does not read",
		"topic=%3Cimg%20src%3Dx%20onerror%3Dalert(1)%3E": "“<img src=x onerror=alert(1)>”",
	} {
		q := openTab(t, browser.Phone, b.Address)
		q.visit("/at/reading?" + query)
		q.shows("main", says)
	}
}

// A visitor talks about one of the desk's documents alone, which is found by a word of
// its title.
func TestAVisitorChoosesADocument(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	if _, err := b.Client.MakeShelf(ctx, "leaflets", "Leaflets"); err != nil {
		t.Fatal(err)
	}
	for name, text := range map[string]string{
		"smoker.md": "# Lighting a smoker\n\nA smoker is lit with dry grass, and the smoke has to be cool.\n",
		"feeder.md": "# Feeding in autumn\n\nA colony is fed 15 kilograms of sugar before the middle of September.\n",
	} {
		if _, err := b.Client.AddDocument(ctx, "leaflets", name, strings.NewReader(text)); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := b.Client.Publish(ctx, "leaflets.yaml", []byte("slug: leaflets\ntitle: Leaflets\npurpose: Leaflets.\n"+
		"model: thyme-mini\nshelves: [leaflets]\nbring: {documents: true}\n"), ""); err != nil {
		t.Fatal(err)
	}
	testbed.Until(t, "they are read", func() bool {
		all, err := b.Client.Titles(ctx, "leaflets", "")
		return err == nil && len(all.Titles) == 2
	})
	p := openTab(t, browser.Desk, b.Address)
	p.visit("/at/leaflets")
	p.click("Bring something to read")
	p.shows("ul[aria-label='Documents of this desk']", "Feeding in autumn")
	p.do(chromedp.SendKeys(chromedp.CSS(bringBelow), "smok"))
	p.until("the other is gone", `!document.querySelector("ul[aria-label='Documents of this desk']").innerText.includes("Feeding")`)
	p.accessible("documents of the desk")
	run[any](p, `document.querySelector("ul[aria-label='Documents of this desk'] button").click(), null`)
	p.shows("section[aria-label='Lighting a smoker']", "of this desk")
	p.answered("How much sugar is a colony fed?")
	p.shows("main", "The documents do not say this.")
	p.shows("main", "Put them away to ask about the desk’s own documents again.")
}

// A maker lets visitors bring things by the form, sees what was wanted, and puts it on
// a shelf.
func TestAMakerSeesWhatWasWanted(t *testing.T) {
	t.Parallel()
	_, at, b := readingBed(t)
	if _, err := b.Client.MakeShelf(ctx, "kept", "What we keep"); err != nil {
		t.Fatal(err)
	}
	for _, about := range []string{"Sun hive", "zeppelins"} {
		e, err := b.Client.Bring(ctx, "reading", "", api.Wish{About: about})
		if err == nil {
			_, err = b.Client.Brought(ctx, "reading", e, nil)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	m := openConsole(t, browser.Desk, b, "/desks/reading/wanted")
	m.shows("main", "Visitors wanted something 2 times")
	m.accessible("what was wanted")
	m.click("Put on the shelf: zeppelins")
	m.shows("body", "the encyclopedia has no article on it")
	_ = at
	m.do(chromedp.SetValue(chromedp.CSS("main select"), "7"))
	m.shows("main", "zeppelins")

	e := openConsole(t, browser.Desk, b, "/desks/helper")
	e.until("the form tells of bringing",
		`[...document.querySelectorAll("form[aria-label=Desk] summary")].some(s => s.innerText.includes("bring to read"))`)
	run[any](e, `[...document.querySelectorAll("form[aria-label=Desk] summary")].find(s => s.innerText.includes("bring to read")).click(), null`)
	run[any](e, `[...document.querySelectorAll("form[aria-label=Desk] label")].find(l => l.innerText.includes("Addresses: pages")).querySelector("input").click(), null`)
	e.click("Add a place to look")
	e.until("it stands in the file", `(t => t.includes("addresses: true") && t.includes("kind: encyclopedia"))(document.querySelector(".cm-content").innerText)`)
	e.accessible("a form with what visitors may bring")
}

// The same from a terminal: a topic is brought and answered from, what has several
// meanings and what cannot be read is said, and what was wanted is put on a shelf.
func TestBringingFromTheCommandLine(t *testing.T) {
	t.Parallel()
	_, at, b := readingBed(t)
	cli := func(args ...string) (out, errs string, code int) {
		t.Helper()
		command := exec.Command(filepath.Join(programs, "juvalogos"),
			append(args, "-address", b.Address, "-token", testbed.Token)...)
		var o, e strings.Builder
		command.Stdout, command.Stderr = &o, &e
		if err := command.Run(); err != nil && command.ProcessState == nil {
			t.Fatal(err)
		}
		return o.String(), e.String(), command.ProcessState.ExitCode()
	}
	if _, _, code := cli("shelf", "create", "kept"); code != 0 {
		t.Fatal("no shelf was made")
	}
	for _, c := range []struct {
		args      []string
		out, errs string
		code      int
	}{
		{[]string{"ask", "-desk", "reading", "-about", "egg hive", "What is it woven of?"}, "straw",
			"About Sun hive (", 0},
		{[]string{"ask", "-desk", "reading", "-about", at + "/talk", "-about", "wax moth", "When does a swarm leave?"},
			"scale", "About Wax moth (", 0},
		{[]string{"ask", "-desk", "reading", "-about", "cluster", "x"}, "", "Swarm cluster (the bunch", 1},
		{[]string{"ask", "-desk", "reading", "-about", at + "/app", "x"}, "", "a program in the page", 1},
		{[]string{"ask", "-desk", "reading", "-about", "zeppelin", "x"}, "", "nothing was found", 1},
		{[]string{"ask", "-desk", "reading", "-kind", "thing", "-about", "x", "x"}, "", "one of", 1},
		{[]string{"ask", "-desk", "helper", "-about", "x", "x"}, "", "At this desk no addresses can be read.", 1},
		{[]string{"desk", "wanted", "reading"}, "zeppelin", "", 0},
		{[]string{"desk", "wanted", "-put", "Sun hive", "-shelf", "kept", "reading"},
			"Sun hive.html is on the shelf kept",
			"", 0},
		{[]string{"desk", "wanted", "-put", "nothing", "-shelf", "kept", "reading"}, "", "lists what was", 1},
		{[]string{"desk", "wanted", "-put", "Sun hive", "reading"}, "", "-shelf is missing", 2},
		{[]string{"usage", "-brought", "-by", "kind"}, "topic", "", 0},
		{[]string{"usage", "-brought", "-by", "weather"}, "", "by is one or more of", 1},
	} {
		out, errs, code := cli(c.args...)
		if code != c.code || !strings.Contains(out, c.out) || !strings.Contains(errs, c.errs) {
			t.Errorf("%q: exit %d\n%s\n%s", c.args, code, out, errs)
		}
	}
}

// All of it by the keyboard alone: where to look, what for, the choice of a meaning,
// and putting it away.
func TestBringingByTheKeyboard(t *testing.T) {
	t.Parallel()
	_, _, b := readingBed(t)
	p := openTab(t, browser.Desk, b.Address)
	p.visit("/at/reading")
	p.until("the cursor waits for what to read", `document.activeElement?.id === "bring-first"`)
	p.keys("cluster\r")
	p.shows("section[aria-label=cluster]", "This can mean several things.")
	tabTo := func(script string) {
		t.Helper()
		for range 60 {
			if run[bool](p, script) {
				return
			}
			p.keys(kb.Tab)
		}
		t.Fatalf("the keyboard does not come to %s; the page shows:\n%s", script, p.text("body"))
	}
	run[any](p, `document.body.focus(), document.activeElement.blur(), null`)
	tabTo(`document.activeElement.tagName === "BUTTON" && document.activeElement.innerText.includes("Swarm cluster")`)
	p.keys(kb.Enter)
	p.shows("section[aria-label='Swarm cluster']", "the bunch in which a swarm hangs")
	tabTo(`document.activeElement.getAttribute("aria-label") === "Bring something to read"`)
	p.keys(kb.Enter)
	p.until("the field below has the cursor", `document.activeElement?.id === "bring-below"`)
	p.keys(kb.Escape)
	p.until("Escape closes it", `!document.querySelector("#bring-below")`)
	run[any](p, `document.activeElement.blur(), null`)
	tabTo(`document.activeElement.getAttribute("aria-label") === "Put away Swarm cluster"`)
	p.keys(kb.Enter)
	p.shows("main", "“Swarm cluster” was put away.")
}

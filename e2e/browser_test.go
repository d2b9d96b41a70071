package e2e

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"juvalogos/console"
	"juvalogos/internal/browser"
	"juvalogos/internal/testbed"
	"juvalogos/standin/modelserver"
)

func TestAConversationOnThePage(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	p := openPage(t, browser.Desk, b.Address)
	p.shows("h1", "The Helper")
	p.shows("main", "Answers questions.")
	p.accessible("the empty page")

	// An opener asks, and the conversation gets an address and a place in the list.
	p.click("How do I light a smoker?")
	p.shows("article .prose", "Light it at the bottom")
	p.settled()
	p.shows("nav", "How do I light a smoker?")
	address := run[string](p, "location.pathname")
	if !strings.HasPrefix(address, "/at/helper/") {
		t.Errorf("the address is %s", address)
	}
	if title := run[string](p, "document.title"); title != "How do I light a smoker? · The Helper" {
		t.Errorf("the title is %q", title)
	}

	// Shift+Enter begins a line, Enter asks, the box is empty again.
	p.do(chromedp.SendKeys(browser.Question, "My name is Ottoline."),
		chromedp.KeyEvent(kb.Enter, chromedp.KeyModifiers(8)), chromedp.SendKeys(browser.Question, "Remember it."))
	if got := run[string](p, `document.querySelector("textarea").value`); got != "My name is Ottoline.\nRemember it." {
		t.Errorf("the box holds %q", got)
	}
	p.keys(kb.Enter)
	p.shows("article:last-of-type .prose", "Good to meet you, Ottoline")
	if got := run[string](p, `document.querySelector("textarea").value`); got != "" {
		t.Errorf("the box holds %q", got)
	}
	p.settled()
	p.ask("What is my name?")
	p.shows("article:last-of-type .prose", "Your name is Ottoline")
	p.settled()
	p.accessible("a conversation")

	// A new one knows nothing; the old one can be opened again, by link and by going back.
	p.click("New")
	p.shows("main", "Begin with one of these")
	p.ask("What is my name?")
	p.shows("article .prose", "You have not told me")
	p.settled()
	// The list grows: what is clicked must not move away under the click.
	p.until("both are listed", `document.querySelectorAll("nav a[href^='/at/helper/']").length === 2`)
	p.hit(chromedp.CSS(`nav a[href="` + address + `"]`))
	p.shows("article:last-of-type .prose", "Your name is Ottoline")
	run[any](p, "history.back(), null")
	p.shows("article .prose", "You have not told me")
	p.visit(address)
	p.shows("article:last-of-type .prose", "Your name is Ottoline")
}

func TestStoppingAndMakingAgain(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	p := openPage(t, browser.Desk, b.Address)
	b.Model.Set(testbed.Lasting)
	p.ask("How do I light a smoker?")
	p.shows("article .prose", "Light it")
	p.shows("form", "Stop")
	p.keys(kb.Escape)
	p.shows("article", "You stopped this reply.")
	p.settled()
	p.accessible("a stopped reply")
	text := p.text("article .prose")
	if text == "" || len(text) > 600 {
		t.Errorf("stopped at %q", text)
	}
	b.Model.Set(testbed.Fast)
	p.click("Write the reply again")
	p.shows("article", "Written in")
	if n := run[int](p, `document.querySelectorAll("article").length`); n != 1 {
		t.Errorf("%d turns", n)
	}
}

func TestReloadingAndASecondTabInTheMiddleOfAReply(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	p := openPage(t, browser.Desk, b.Address)
	b.Model.Set(testbed.Slow)
	p.ask("How do I light a smoker?")
	p.shows("article .prose", "Light it")
	address := run[string](p, "location.pathname")
	p.do(chromedp.Reload())
	p.shows("form", "Stop")
	// A second tab of the same visitor watches.
	second, cancel := chromedp.NewContext(p.ctx)
	defer cancel()
	q := &page{t, second, b.Address}
	q.visit(address)
	q.shows("form", "Stop")
	q.settled()
	p.settled()
	first, other := p.text("article .prose"), q.text("article .prose")
	p.do(chromedp.Reload())
	p.shows("article", "Written in")
	if recorded := p.text("article .prose"); first != recorded || other != recorded || len(recorded) < 400 {
		t.Errorf("the page shows %q, the second %q, on record is %q", first, other, recorded)
	}
}

func TestOnAPhone(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	p := openPage(t, browser.Phone, b.Address)
	p.accessible("the empty page on a phone")
	p.answered("How do I light a smoker?")
	fits := func(what string) {
		t.Helper()
		if wide := run[int](p, "document.documentElement.scrollWidth"); wide > 390 {
			t.Errorf("%s is %d wide", what, wide)
		}
	}
	fits("the conversation")
	p.do(chromedp.SendKeys(browser.Question, strings.Repeat("verylongword", 40)))
	fits("a long word in the box")
	p.keys("\r")
	p.settled()
	fits("a long word as a question")
	p.click("Earlier conversations")
	p.shows("[role=dialog]", "How do I light a smoker?")
	p.accessible("the list on a phone")
	p.hit(chromedp.CSS("[role=dialog] nav a"))
	p.do(chromedp.WaitNotPresent(chromedp.CSS("[role=dialog]")))
	p.shows("article:first-of-type .prose", "Light it at the bottom")
}

// Mounted under a path of another site everything is found below it.
func TestUnderABasePath(t *testing.T) {
	t.Parallel()
	b := testbed.New(t, testbed.Options{Console: console.Files(), BasePath: "/office/ask"})
	p := openPage(t, browser.Desk, b.Address)
	p.ask("How do I light a smoker?")
	p.shows("article .prose", "Light it at the bottom")
	p.settled()
	if got := run[string](p, "location.pathname"); !strings.HasPrefix(got, "/office/ask/at/helper/") {
		t.Errorf("the address is %s", got)
	}
	if got := run[string](p,
		`document.fonts.ready.then(() => String(document.fonts.check("16px 'Alegreya Variable'")))`); got != "true" {
		t.Error("the fonts are not found")
	}
	p.do(chromedp.Reload())
	p.shows("nav", "How do I light a smoker?")
}

// The page is light: what is fetched before it can be used.
func TestThePageIsLight(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	p := openPage(t, browser.Desk, b.Address)
	p.shows("h1", "The Helper")
	kB := run[float64](p,
		`performance.getEntriesByType("resource").filter(e => e.name.endsWith(".js")).reduce((sum, e) => sum + e.encodedBodySize, 0) / 1000`)
	if kB < 10 || kB > 66 {
		t.Errorf("the script weighs %v kB, packed", kB)
	}
	// What writes replies comes with the first touch, and nothing is asked twice.
	p.answered("How much syrup do I feed?")
	if n := run[int](p, `performance.getEntriesByType("resource").filter(e => /later-/.test(e.name) && e.name.endsWith(".js")).length`); n != 1 {
		t.Errorf("what is needed later was fetched %d times", n)
	}
}

// Menus and dialogs open in sight and leave the reader's place in a long
// conversation; the header and the list of conversations stay in reach.
func TestMenusKeepThePlace(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	p := openPage(t, browser.Desk, b.Address)
	for range 7 {
		p.answered("What does a first year with bees look like?")
	}
	p.until("the page is long enough", `(scrollTo({top: 300, behavior: "instant"}), scrollY === 300)`)
	inSight := func(what, of string) {
		t.Helper()
		if !run[bool](p, `(() => { const r = document.querySelector(`+"`"+of+"`"+`).getBoundingClientRect();
			return r.height > 30 && r.top >= 0 && r.bottom <= innerHeight && r.left >= 0 && r.right <= innerWidth })()`) {
			t.Errorf("%s is out of sight", what)
		}
		if y := run[int](p, "scrollY"); y != 300 {
			t.Errorf("with %s open the page is at %d", what, y)
		}
		if top := run[float64](p, `document.querySelector("header").getBoundingClientRect().top`); top != 0 {
			t.Errorf("with %s open the header is at %v", what, top)
		}
	}
	p.click("This conversation")
	p.shows("[role=menu]", "Rename")
	inSight("the menu", "[role=menu]")
	p.do(chromedp.KeyEvent(kb.Escape))
	p.click("What this desk can do")
	p.shows("[role=dialog]", "What it remembers")
	inSight("a dialog", "[role=dialog]")
	p.do(chromedp.KeyEvent(kb.Escape))
	inSight("nothing", "aside nav")
}

func TestDarkAndLight(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	p := openPage(t, browser.Window{Width: 1280, Height: 800, Dark: true}, b.Address)
	ground := func() string { return run[string](p, "getComputedStyle(document.body).backgroundColor") }
	if got := ground(); got != "rgb(22, 27, 33)" {
		t.Errorf("dark is %s", got)
	}
	p.accessible("the empty page, dark")
	p.answered("How much syrup do I feed?")
	p.accessible("a conversation, dark")
	p.click("Colours: as your device has them")
	if got := ground(); got != "rgb(235, 237, 234)" {
		t.Errorf("light is %s", got)
	}
	p.do(chromedp.Reload())
	p.settled()
	if got := ground(); got != "rgb(235, 237, 234)" {
		t.Errorf("after a reload light is %s", got)
	}
	p.accessible("a conversation, light")
}

func TestByKeyboardAlone(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	p := openPage(t, browser.Desk, b.Address)
	focused := func() string {
		return run[string](p,
			`document.activeElement === document.body ? "nothing" : document.activeElement.getAttribute("aria-label") ?? document.activeElement.innerText`)
	}
	if got := focused(); got != "Your question to The Helper" {
		t.Errorf("at first the focus is on %q", got)
	}
	// Back to the second opener, and press it.
	for i := 0; !strings.Contains(focused(), "What does a first year"); i++ {
		if i == 10 {
			t.Fatalf("the opener cannot be reached; the focus is on %q", focused())
		}
		p.do(chromedp.KeyEvent(kb.Tab, chromedp.KeyModifiers(8)))
	}
	if outline := run[string](p, `getComputedStyle(document.activeElement).outlineStyle`); outline != "solid" {
		t.Errorf("the focus is shown as %q", outline)
	}
	b.Model.Set(testbed.Lasting)
	p.keys(kb.Enter)
	p.shows("article .prose", "Winter")
	p.keys(kb.Escape)
	p.shows("article", "You stopped this reply.")
	if got := focused(); got != "Your question to The Helper" {
		t.Errorf("after asking the focus is on %q", got)
	}
	for i := 0; !strings.Contains(focused(), "Write the reply again"); i++ {
		if i == 12 {
			t.Fatalf("the button cannot be reached; the focus is on %q", focused())
		}
		p.do(chromedp.KeyEvent(kb.Tab, chromedp.KeyModifiers(8)))
	}
	b.Model.Set(testbed.Fast)
	p.keys(kb.Enter)
	p.shows("article", "Written in")
	p.shows("[role=status]", "The reply is complete.")
}

// What gets the focus by keyboard is not hidden by the head and the foot that stay.
func TestFocusIsNeverCovered(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	for _, window := range []browser.Window{browser.Desk, browser.Phone} {
		p := openPage(t, window, b.Address)
		for range 4 {
			p.answered("How do I light a smoker, and what do I burn in it when the year is late?")
		}
		run[any](p, `(document.activeElement.blur(), scrollTo(0, 0), null)`)
		seen := map[string]bool{}
		for _, keys := range []chromedp.Action[chromedp.Void]{chromedp.KeyEvent(kb.Tab),
			chromedp.KeyEvent(kb.Tab, chromedp.KeyModifiers(8))} {
			for range 25 {
				p.do(keys)
				at := run[string](p, `(() => {
					const e = document.activeElement, r = e.getBoundingClientRect();
					if (e === document.body) return "";
					const points = [[r.left + 3, r.top + 3], [r.right - 3, r.bottom - 3], [r.left + r.width / 2, r.top + r.height / 2]];
					const seen = points.some(([x, y]) => { const over = document.elementFromPoint(x, y); return over && (e.contains(over) || over.contains(e)) });
					return (seen ? "seen " : "covered ") + (e.ariaLabel || e.innerText || e.tagName) + " " + Math.round(r.top + scrollY);
				})()`)
				seen[at] = true
				if strings.HasPrefix(at, "covered") {
					t.Errorf("%d wide: %s", window.Width, at)
				}
			}
		}
		if len(seen) < 20 {
			t.Errorf("only %d places had the focus: %v", len(seen), seen)
		}
	}
}

func TestErrorsInTheVisitorsWords(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	p := openPage(t, browser.Desk, b.Address)
	b.Model.Set(testbed.With(testbed.Fast, "broken", 0, 0))
	p.ask("How do I light a smoker?")
	p.shows("[role=alert]", "This desk has trouble answering at the moment.")
	p.shows("[role=alert]", "If you report this, please mention ")
	p.accessible("a failed reply")
	id := strings.Fields(p.text("[role=alert]")[strings.Index(p.text("[role=alert]"), "mention ")+8:])[0]
	if !strings.Contains(b.Log.String(), "id="+id) {
		t.Errorf("the log does not know %q", id)
	}
	b.Model.Set(testbed.Fast)
	p.click("Write the reply again")
	p.shows("article .prose", "Light it at the bottom")
	p.settled()
	if strings.Contains(p.text("main"), "trouble") {
		t.Error("the old problem still shows")
	}

	// A question that cannot be taken comes back into the box.
	long := strings.Repeat("hive ", 4000)
	run[any](p, fmt.Sprintf(`{const box = document.querySelector("textarea"); box.value = %q; box.dispatchEvent(new Event("input", {bubbles: true})); null}`, long))
	p.keys(kb.Enter)
	p.shows("[role=alert]", "please shorten it to about")
	if got := run[int](p, `document.querySelector("textarea").value.length`); got < len(long)-1 {
		t.Errorf("the box holds %d characters", got)
	}
	if n := run[int](p, `document.querySelectorAll("article").length`); n != 1 {
		t.Errorf("%d turns", n)
	}

	p.visit("/at/nowhere")
	p.shows("main", "There is no desk at this address")
	p.accessible("no desk")
	p.visit("/at/helper/00000000-0000-7000-8000-000000000000")
	p.shows("[role=alert]", "This conversation is not here")
	p.visit("/")
	p.shows("main", "Follow the link that you were given")
	p.accessible("the front page")
}

func TestABusyModelIsToldOf(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	p := openPage(t, browser.Desk, b.Address)
	b.Model.Set(modelserver.Control{Fault: "busy", Times: 1, RetryAfter: 2, FirstMS: new(0.0), Rate: new(0.0)})
	p.ask("How do I light a smoker?")
	p.shows("article", "Many are asking at the moment. Trying again in 2 seconds")
	p.shows("article .prose", "Light it at the bottom")
}

func TestTheServiceIsKilledWhileThePageIsOpen(t *testing.T) {
	t.Parallel()
	s := startProcess(t)
	p := openPage(t, browser.Desk, s.address)
	s.model.Set(testbed.Slow)
	p.ask("How do I light a smoker?")
	p.shows("article .prose", "Light it at the bottom")
	seen := p.text("article .prose")
	time.Sleep(2 * time.Second) // by now what was seen is on record
	s.kill()
	p.shows("article", "The connection was lost. Trying again")
	p.ask("a second question, meanwhile") // must not be lost: one reply at a time, so it stays in the box
	s.start()
	p.shows("[role=alert]", "The service stopped while this reply was being written.")
	if got := p.text("article .prose"); !strings.HasPrefix(got, strings.TrimRight(seen, " .,")) {
		t.Errorf("shown before: %q, after: %q", seen, got)
	}
	if got := run[string](p, `document.querySelector("textarea").value`); !strings.Contains(got,
		"a second question, meanwhile") {
		t.Errorf("the box holds %q", got)
	}
	s.model.Set(testbed.Fast)
	p.click("Write the reply again")
	p.shows("article", "Written in")
}

func TestScrollingLetsGo(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	p := openPage(t, browser.Desk, b.Address)
	b.Model.Set(modelserver.Control{FirstMS: new(0.0), Rate: new(250.0), Tokens: 3000})
	if _, err := b.Client.Publish(ctx, "helper.yaml",
		[]byte(strings.Replace(testbed.Desk, "max_tokens: 900", "max_tokens: 3000", 1)), ""); err != nil {
		t.Fatal(err)
	}
	b.Later(2 * time.Second) // open desks are kept for a second
	p.ask("How do I light a smoker?")
	atEnd := `innerHeight + scrollY > document.documentElement.scrollHeight - 5`
	testbed.Until(t, "the page is longer than the window", func() bool {
		return run[bool](p, `document.documentElement.scrollHeight > 2 * innerHeight`)
	})
	p.until("the page follows the reply", atEnd)
	run[any](p, `scrollBy(0, -400), null`)
	time.Sleep(100 * time.Millisecond)
	before := run[int](p, "Math.round(scrollY)")
	time.Sleep(800 * time.Millisecond)
	if after := run[int](p, "Math.round(scrollY)"); after != before {
		t.Errorf("scrolled up, the page moved from %d to %d", before, after)
	}
	p.click("Go to the end")
	p.until("the page follows again", atEnd)
}

// A model that writes what no model should: nothing of it runs, nothing is
// fetched from elsewhere.
func TestHostileRepliesAreHarmless(t *testing.T) {
	t.Parallel()
	const hostile = "# Heading\n\n<script>window.hit = 1</script><img src=x onerror=\"window.hit = 2\">\n\n" +
		"[click](javascript:window.hit=3) ![pixel](https://evil.example/p.png) <a href=\"https://ok.example\" " +
		"onclick=\"window.hit=4\">ok</a>\n\n" +
		"<iframe src=\"https://evil.example\"></iframe><form " +
		"action=\"https://evil.example\"><button>go</button></form><style>body{display:none}</style>\n\n" +
		"<svg><animate onbegin=window.hit=5 attributeName=x></svg>\n\n| a | b |\n|---|---|\n| 1 | `2` |\n\n" +
		"- [x] done\n\n```go\nfunc main() {}\n```\n"
	model := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/event-stream")
		for _, r := range hostile {
			fmt.Fprintf(w, "data: {\"choices\":[{\"delta\":{\"content\":%q}}]}\n\n", string(r))
			w.(http.Flusher).Flush()
		}
		fmt.Fprint(w, "data: {\"choices\":[{\"delta\":{},\"finish_reason\":\"stop\"}]}\n\ndata: [DONE]\n\n")
	}))
	defer model.Close()
	b := newBed(t)
	b.ServeModelsFrom(model.URL)
	b.Later(2 * time.Second) // open desks are kept for a second
	p := openPage(t, browser.Desk, b.Address)
	p.answered("Be evil.")
	p.shows("article .prose", "Heading")
	p.do(chromedp.WaitReady(chromedp.CSS(".prose .hljs-keyword")))
	for script, want := range map[string]int{
		`window.hit ?? 0`: 0,
		`document.querySelectorAll(".prose :is(script, img, iframe, form, button, style, svg):not(.code > button, .code > button *)").length`: 0,
		`document.querySelectorAll(".prose a[href^=javascript], .prose [onclick]").length`:                                                    0,
		`document.querySelectorAll(".prose a[href][target=_blank][rel~=noopener]").length`:                                                    2,
		`document.querySelectorAll(".prose :is(h3, table td code, li [role=img])").length`:                                                    3,
		`document.querySelectorAll(".prose :is(h1, h2)").length`:                                                                              0,
	} {
		if got := run[int](p, script); got != want {
			t.Errorf("%s is %d, want %d", script, got, want)
		}
	}
	p.accessible("a reply of every kind")
}

// Words that have been shown do not move while more are written.
func TestNoLayoutJumps(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	b.Model.Set(modelserver.Control{FirstMS: new(0.0), Rate: new(120.0)})
	if _, err := b.Client.Publish(ctx, "helper.yaml",
		[]byte(strings.Replace(testbed.Desk, "thyme-mini", "heather-2", 1)), ""); err != nil {
		t.Fatal(err)
	}
	b.Later(2 * time.Second) // open desks are kept for a second
	p := openPage(t, browser.Window{Width: 1280, Height: 3000}, b.Address)
	run[any](p, `window.jumps = 0; new PerformanceObserver(list => { for (const e of list.getEntries()) if (!e.hadRecentInput) window.jumps += e.value }).observe({type: "layout-shift", buffered: false}); null`)
	p.ask("How much do I feed my bees for the winter?") // a table's kin, a list, code, emphasis
	p.settled()
	p.answered("When is honey ripe?")
	if jumps := run[float64](p, "window.jumps"); jumps > 0.02 {
		t.Errorf("the layout shifted by %v", jumps)
	}
	if got := p.text("article .prose"); strings.Contains(got, "**") || strings.Contains(got, "|---") {
		t.Errorf("Markdown shows: %s", got)
	}
}

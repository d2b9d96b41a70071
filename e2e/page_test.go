package e2e

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"juvalogos/console"
	"juvalogos/internal/browser"
	"juvalogos/internal/testbed"
)

// page is a tab at a service, for tests.
type page struct {
	t       *testing.T
	ctx     context.Context
	address string
}

// The tests share a browser, which the first of them starts.
var (
	browserUsed  bool
	startBrowser = sync.OnceValues(func() (*browser.Chromium, error) {
		browserUsed = true
		return browser.Start(context.Background())
	})
)

// openPage opens a tab of a visitor of its own at the test bed's desk.
func openPage(t *testing.T, w browser.Window, address string) *page {
	t.Helper()
	p := openTab(t, w, address)
	p.visit("/at/helper")
	return p
}

// openTab opens an empty tab of a browser of its own.
func openTab(t *testing.T, w browser.Window, address string) *page {
	t.Helper()
	chromium, err := startBrowser()
	if err != nil {
		t.Fatal(err)
	}
	tab, cancel, err := chromium.Tab(w, true)
	if err != nil {
		t.Fatal(err)
	}
	tab, cancelTime := context.WithTimeout(tab, 6*time.Minute)
	t.Cleanup(func() { cancelTime(); cancel() })
	return &page{t, tab, address}
}

func newBed(t *testing.T) *testbed.Bed {
	return testbed.New(t, testbed.Options{Console: console.Files()})
}

func (p *page) do(steps ...browser.Action) {
	p.t.Helper()
	if err := chromedp.Do(p.ctx, steps...); err != nil {
		p.t.Fatalf("%v; the page shows:\n%s", err, p.text("body"))
	}
}

func (p *page) visit(path string) {
	p.t.Helper()
	p.do(chromedp.Navigate(p.address+path), chromedp.WaitReady(chromedp.CSS("main")))
}

// click clicks the button or link with a name.
func (p *page) click(name string) {
	p.t.Helper()
	p.hit(browser.Button(name))
}

// hit clicks with the pointer on the first element that is shown of those that a CSS
// selector or an XPath (chromedp.Search) finds, once it is at rest, may be used and has
// nothing over it. If the page moves just then, nothing else is clicked, and it aims again.
func (p *page) hit(selector any) {
	p.t.Helper()
	find := "document.querySelectorAll(selector)"
	if _, ok := selector.(chromedp.Search); ok {
		find = "(() => { const all = [], r = document.evaluate(selector, document, null, 7); " +
			"for (let i = 0; i < r.snapshotLength; i++) all.push(r.snapshotItem(i)); return all })()"
	}
	script := fmt.Sprintf(`((selector) => {
		const e = [...%s].find(e => e.getClientRects().length);
		if (!e || e.disabled) return [];
		const r = e.getClientRects()[0], at = [r.x + r.width / 2, r.y + r.height / 2];
		const over = document.elementFromPoint(...at);
		if (over && (e.contains(over) || over.contains(e))) {
			window.aimed = e;
			return at;
		}
		e.scrollIntoView({block: "center", inline: "nearest", behavior: "instant"});
		return [];
	})(%q)`, find, selector)
	p.within(func() bool {
		var at []float64
		p.within(func() bool {
			was := at
			at = try[[]float64](p, script)
			return len(at) == 2 && slices.Equal(was, at)
		}, "%v cannot be clicked", selector)
		run[any](p, guardTheAim)
		p.do(chromedp.MouseClickXY(at[0], at[1]))
		return !try[bool](p, "window.missed === true")
	}, "%v is missed whenever it is clicked", selector)
}

// guardTheAim lets the next press of the pointer reach only what is aimed at.
const guardTheAim = `(() => {
	const events = ["pointerdown", "mousedown", "pointerup", "mouseup", "click"];
	const over = () => events.forEach(name => removeEventListener(name, guard, true));
	window.missed = false;
	function guard(e) {
		if (e.type === "pointerdown") {
			if (window.aimed.contains(e.target) || e.target.contains(window.aimed)) return over();
			window.missed = true;
		}
		e.stopImmediatePropagation();
		e.preventDefault();
		if (e.type === "click") over();
	}
	events.forEach(name => addEventListener(name, guard, true));
	return null;
})()`

func (p *page) keys(keys string) {
	p.t.Helper()
	p.do(chromedp.KeyEvent(keys))
}

// ask writes into the question box and presses Enter.
func (p *page) ask(question string) {
	p.t.Helper()
	p.do(chromedp.SendKeys(browser.Question, question+"\r"))
}

// answered asks and waits until a reply is written.
func (p *page) answered(question string) {
	p.t.Helper()
	const turns = `document.querySelectorAll("article").length`
	before := run[int](p, turns)
	p.ask(question)
	p.until("a turn more", fmt.Sprintf("%s > %d", turns, before))
	p.settled()
}

// run evaluates a script.
func run[T any](p *page, script string) T {
	p.t.Helper()
	v, err := chromedp.Run(p.ctx, chromedp.Evaluate[T](script, chromedp.EvalAwaitPromise))
	if err != nil {
		p.t.Fatalf("%s: %v", script, err)
	}
	return v
}

// try is run where a script may fail, as in the middle of going to another page: the zero
// value then.
func try[T any](p *page, script string) T {
	v, _ := chromedp.Run(p.ctx, chromedp.Evaluate[T](script, chromedp.EvalAwaitPromise))
	return v
}

// text is what a reader sees of the elements that a selector matches.
func (p *page) text(selector string) string {
	v, _ := chromedp.Run(p.ctx,
		chromedp.Evaluate[string](fmt.Sprintf(`[...document.querySelectorAll(%q)].map(e => e.innerText).join("\n")`,
			selector)))
	return v
}

// shows waits until the elements hold a text.
func (p *page) shows(selector, text string) {
	p.t.Helper()
	p.within(func() bool { return strings.Contains(p.text(selector), text) }, "%s does not show %q", selector, text)
}

// within waits until something is so; else the test ends with what the page
// shows.
func (p *page) within(so func() bool, otherwise string, args ...any) {
	p.t.Helper()
	for began := time.Now(); time.Since(began) < testbed.Patience; time.Sleep(20 * time.Millisecond) {
		if so() {
			return
		}
	}
	p.t.Fatalf(otherwise+"; the page shows:\n%s", append(args, p.text("body"))...)
}

// settled waits until no reply is being written.
func (p *page) settled() {
	p.t.Helper()
	const so = `!!document.querySelector("article[aria-busy=false]:last-of-type") && !document.querySelector("[aria-busy=true]")`
	p.within(func() bool { return try[bool](p, so) }, "a reply is still being written")
}

var axe = sync.OnceValues(func() (string, error) {
	text, err := os.ReadFile("../console/node_modules/axe-core/axe.min.js")
	return string(text), err
})

// accessible has axe-core look for offences against WCAG 2.2 AA and its own
// best practices.
func (p *page) accessible(what string) {
	p.t.Helper()
	source, err := axe()
	if err != nil {
		p.t.Fatalf("axe-core: %v; run make test", err)
	}
	run[any](p, source+"; null")
	// Fading in would be judged by the colours on the way: what is an offence is looked at
	// again when it had the time to come to rest.
	var r struct {
		Checked int
		Bad     []string
	}
	for range 3 {
		result := run[string](p, `new Promise(done => setTimeout(done, 30))
			.then(() => Promise.allSettled(document.getAnimations().filter(a => a.effect?.getComputedTiming().endTime < 3000).map(a => a.finished)))
			.then(() => axe.run({resultTypes: ["violations"]}))
			.then(r => JSON.stringify({checked: r.passes.length, bad: r.violations.map(v => v.id + ": " + v.help + ": " + v.nodes.map(n => n.html + " " + n.failureSummary).join("; "))}))`)
		if err := json.Unmarshal([]byte(result), &r); err != nil || r.Checked < 10 {
			p.t.Fatalf("axe-core checked %d rules, %v", r.Checked, err)
		}
		if len(r.Bad) == 0 {
			return
		}
		time.Sleep(500 * time.Millisecond)
	}
	for _, bad := range r.Bad {
		p.t.Errorf("%s: %s", what, bad)
	}
}

package e2e

import (
	"encoding/base64"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/google/uuid"

	"juvalogos/core/picture/picturetest"
	"juvalogos/internal/browser"
	"juvalogos/internal/testbed"
	"juvalogos/standin/modelserver"
)

const seeingDesk = `slug: frames
title: What is on this frame
purpose: Looks at what you show it.
model: orchid-eye
attachments: true
pictures: {take: true, most: 3, turns: 4}
choices:
  models: [{model: orchid-eye, title: Thorough}, {model: daisy-glance, title: Quick}]
`

// given hands the page pictures as a clipboard or a drag does.
func (p *page) given(how, on string, pictures map[string][]byte) {
	p.t.Helper()
	var files strings.Builder
	for name, body := range pictures {
		fmt.Fprintf(&files, `all.items.add(new File([Uint8Array.from(atob(%q), c => c.charCodeAt(0))], %q, {type: "image/png"}));`,
			base64.StdEncoding.EncodeToString(body), name)
	}
	event := map[string]string{"paste": `new ClipboardEvent("paste", {clipboardData: all, bubbles: true, cancelable: true})`,
		"drop": `new DragEvent("drop", {dataTransfer: all, bubbles: true, cancelable: true})`}[how]
	run[any](p, fmt.Sprintf(`(() => { const all = new DataTransfer(); %s document.querySelector(%q).dispatchEvent(%s); return null })()`,
		files.String(), on, event))
}

const picturesThere = `document.querySelectorAll("ul[aria-label^='The pictures that your questions'] > li").length`

// A picture is pasted, asked about twice, replaced by a dropped one, put away; an earlier
// turn goes on showing what it was asked with, and opens it large.
func TestAVisitorAsksAboutPictures(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	publish(t, b, seeingDesk)
	flag, dark := picturetest.PNG(picturetest.Flag(64, 48)), picturetest.PNG(picturetest.Noisy(80, 40, 3))
	for _, window := range []browser.Window{browser.Desk, browser.Phone} {
		p := openTab(t, window, b.Address)
		p.visit("/at/frames")
		p.given("paste", "textarea", map[string][]byte{"flag.png": flag})
		p.until("the picture is above the question box", picturesThere+" === 1")
		p.shows("main", "Your questions are about this picture until you put it away, for 4 questions at most.")
		p.accessible("a picture to ask about")
		p.answered("What is in this picture?")
		p.shows("article:first-of-type", "64 by 48")
		p.answered("And how large is it?")
		p.shows("article:last-of-type", "64 by 48")
		p.until("each turn shows its picture",
			`document.querySelectorAll("article button img, article [aria-label^='The pictures that this'] img").length === 2`)
		p.do(chromedp.Reload())
		p.until("the picture is there after a reload", picturesThere+" === 1")

		// Another in its place.
		p.click("Put away flag.png")
		p.until("none is left", picturesThere+" === 0")
		p.given("drop", "form:has(textarea)", map[string][]byte{"noise.png": dark})
		p.until("the other is there", picturesThere+" === 1")
		p.answered("What is in this picture?")
		p.shows("article:last-of-type", "80 by 40")

		// Large, by the keyboard: closer, and back to where one was.
		p.do(chromedp.Focus(chromedp.CSS("article [aria-label^='Look at it closely']")))
		p.keys(kb.Enter)
		p.shows("[role=dialog]", "flag.png")
		p.until("keys reach it", `document.querySelector("[role=dialog]").contains(document.activeElement)`)
		p.keys("+")
		p.until("it is closer", `document.querySelector("[role=dialog] img").style.transform.includes("scale(1.5)")`)
		p.keys(kb.ArrowRight)
		p.until("it moves", `document.querySelector("[role=dialog] img").style.transform.includes("-60px")`)
		p.accessible("a picture, large")
		p.do(chromedp.SendKeys(chromedp.CSS("#picture-said"), "a flag of two colours"))
		p.click("Keep these words")
		p.shows("[role=dialog] [role=status]", "Kept.")
		p.keys(kb.Escape)
		p.until("it is closed", `!document.querySelector("[role=dialog]")`)
		p.until("the one that opened it has the focus", `document.activeElement.tagName === "BUTTON"`)
		p.do(chromedp.Reload())
		p.until("the words are kept", `[...document.querySelectorAll("article button")].some(b => (b.ariaLabel ?? "").includes("a flag of two colours"))`)
		p.accessible("turns with pictures")
	}
}

// Who runs desks is told beforehand what a picture takes of a question, and costs.
func TestAMakerSeesWhatAPictureTakes(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	publish(t, b, seeingDesk)
	p := openConsole(t, browser.Desk, b, "/desks")
	p.visit("/at/frames")
	p.given("paste", "textarea", map[string][]byte{"flag.png": picturetest.PNG(picturetest.Flag(64, 48))})
	p.shows("main", "tokens a question, less than $")
}

// Several pictures are gone through by keys and by a swipe; too many, a broken one and
// what is no picture are told, one sentence each, and the question stays.
func TestPicturesThatAreNotTaken(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	publish(t, b, seeingDesk)
	p := openTab(t, browser.Phone, b.Address)
	p.visit("/at/frames")
	p.do(chromedp.SendKeys(browser.Question, "Which of these is mine?"))
	flag := picturetest.PNG(picturetest.Flag(64, 48))
	p.given("paste", "textarea", map[string][]byte{"broken.png": flag[:60], "words.png": []byte("no picture at all")})
	p.shows("[role=alert]", "broken.png: ")
	p.shows("[role=alert]", "words.png: ")
	p.accessible("pictures that were refused")
	four := map[string][]byte{}
	for i := range 4 {
		four[fmt.Sprintf("%d.png", i)] = picturetest.PNG(picturetest.Flag(64+i, 48))
	}
	p.given("paste", "textarea", four)
	p.shows("[role=alert]", "a question is asked with up to 3 pictures")
	p.until("three are there", picturesThere+" === 3")
	p.given("paste", "textarea", map[string][]byte{"fifth.png": flag})
	p.shows("main", " made room for it, and is not asked about any more.")
	p.until("the last is there", `[...document.querySelectorAll("button")].some(b => b.ariaLabel === "Put away fifth.png")`)
	if got := run[string](p, `document.querySelector("textarea").value`); got != "Which of these is mine?" {
		t.Errorf("the question is %q", got)
	}
	p.hit(chromedp.CSS("[aria-label^='Look at it closely']"))
	p.shows("[role=dialog]", "1 of 3")
	p.keys(kb.ArrowRight)
	p.shows("[role=dialog]", "2 of 3")
	run[any](p, `(() => { const on = document.querySelector("[role=dialog] [role=presentation]"), r = on.getBoundingClientRect();
		const at = (type, x) => on.dispatchEvent(new PointerEvent(type,
			{pointerId: 1, clientX: x, clientY: r.top + 99, bubbles: true, pointerType: "touch"}));
		on.setPointerCapture = () => {}; at("pointerdown", 300); at("pointermove", 100); at("pointerup", 100); return null })()`)
	p.shows("[role=dialog]", "3 of 3")
	p.keys(kb.Escape)
}

// A photograph, by a camera that shows a test picture.
func TestAVisitorTakesAPhotograph(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	publish(t, b, seeingDesk)
	p := openTab(t, browser.Desk, b.Address)
	p.visit("/at/frames")
	p.click("Give a picture to ask about")
	p.until("the ways are shown", `!!document.querySelector("[role=menu]")`)
	p.accessible("the ways to give a picture")
	run[any](p, `[...document.querySelectorAll("[role=menuitem]")].find(e => e.innerText.includes("Take a photograph")).click(), null`)
	p.until("the camera is on", `[...document.querySelectorAll("[role=dialog] button")].some(b => b.innerText.includes("Take the picture") && !b.disabled)`)
	p.accessible("a camera")
	p.click("Take the picture")
	p.click("Use this picture")
	p.until("the photograph is there", picturesThere+" === 1")
	p.until("the camera is off", `!document.querySelector("video")`)
	p.answered("What is in this picture?")
	p.shows("article", "1920 by 1080")
}

// A page of a document that was attached is asked about as a picture.
func TestAPageIsAskedAboutAsAPicture(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	publish(t, b, seeingDesk)
	p := openTab(t, browser.Desk, b.Address)
	p.visit("/at/frames")
	pdf, err := filepath.Abs("../demo/shelves/handbook/leaflets/wasps.pdf")
	if err != nil {
		t.Fatal(err)
	}
	p.do(chromedp.SetUploadFiles(chromedp.CSS("input[aria-label^='Documents']"), []string{pdf}))
	p.click("Ask about a page of wasps.pdf as a picture")
	p.accessible("which page to look at")
	p.click("Look at this page")
	p.until("the page is there", picturesThere+" === 1")
	p.answered("What is in this picture?")
	p.shows("article", "909 by 1287")
	p.shows("article", "The documents do not say this; it may rest on your picture.")
}

// A desk whose model does not see says so, and names one that does.
func TestABlindDeskNamesOneThatSees(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	publish(t, b, seeingDesk)
	publish(t, b, "slug: talks\ntitle: The Talker\npurpose: Talks.\nmodel: thyme-mini\npictures: {elsewhere: frames}\n")
	for slug, says := range map[string]string{
		"talks":  "This desk cannot look at pictures. The desk What is on this frame can.",
		"helper": "This desk cannot look at pictures. Your question stays as it is."} {
		p := openTab(t, browser.Desk, b.Address)
		p.visit("/at/" + slug)
		p.do(chromedp.SendKeys(browser.Question, "What is this?"))
		p.given("paste", "textarea", map[string][]byte{"flag.png": picturetest.PNG(picturetest.Flag(64, 48))})
		p.shows("main", says)
		p.accessible("a desk that does not see")
		if got := run[string](p, `document.querySelector("textarea").value`); got != "What is this?" {
			t.Errorf("the question is %q", got)
		}
	}
}

const (
	drawingDesk = `slug: labels
title: Draw a label
purpose: Draws what you say.
model: alder-brush
recipe: depict
recipe_settings: {side: 256}
pictures: {onward: [more]}
openers: [A honey label in moss green]
`
	varyingDesk = `slug: more
title: More labels
purpose: Makes others like it.
model: alder-brush
recipe: vary
pictures: {take: true, most: 1}
`
)

// wish writes into the field for what is to be made, instead of what is there, and presses Enter.
func (p *page) wish(words string) {
	p.t.Helper()
	run[any](p, `document.querySelector("#wish").select(), null`)
	p.do(chromedp.SendKeys(chromedp.CSS("#wish"), words+"\r"))
}

// pace is how long the simulated model takes for a picture.
func pace(ms float64) modelserver.Control { return modelserver.Control{FirstMS: &ms, Rate: new(0.0)} }

// Words become pictures: empty ones are refused, the price is said before, one is stopped
// in the middle, the page is left in the middle of another; then search, removal with
// undo, a link.
func TestAVisitorsGallery(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	publish(t, b, drawingDesk)
	publish(t, b, varyingDesk)
	for _, window := range []browser.Window{browser.Desk, browser.Phone} {
		p := openTab(t, window, b.Address)
		p.visit("/at/labels")
		p.shows("main", "What you have made here")
		p.accessible("an empty gallery")
		p.shows("form", "0.04")
		p.wish("   ")
		p.shows("[role=alert]", "Say first what the picture is to show.")

		b.Model.Set(pace(60_000))
		p.wish("A blue label")
		p.shows("section[aria-label='A picture on its way']", "A blue label")
		p.accessible("a picture on its way")
		p.click("Stop")
		p.until("it is stopped", `!document.querySelector("section[aria-label='A picture on its way']")`)
		p.shows("main", "What you have made here")

		b.Model.Set(pace(2_500))
		p.wish("A moss green label with stars")
		p.shows("section[aria-label='A picture on its way']", "moss green")
		p.do(chromedp.Reload())
		p.shows("section[aria-label='A picture on its way']", "moss green")
		b.Model.Set(pace(0))
		p.shows("section[aria-label='The newest picture'] h2", "A moss green label with stars")
		p.shows("section[aria-label='The newest picture']", "made by a machine")
		p.wish("A red label")
		p.shows("section[aria-label='The newest picture'] h2", "A red label")
		p.shows("main", "Made before")
		p.accessible("a gallery")
		shown := `document.querySelectorAll("section ul > li button[title]").length`
		p.until("the earlier one is below", shown+" === 1")

		// Left at once, before the service has answered: it is made, and once.
		p.wish("A hasty label")
		p.do(chromedp.Reload())
		p.shows("section[aria-label='The newest picture'] h2", "A hasty label")
		p.until("the earlier ones are below", shown+" === 2")
		p.click("Remove")
		p.shows("section[aria-label='The newest picture'] h2", "A red label")

		p.do(chromedp.SendKeys(chromedp.CSS("input[type=search]"), "moss"))
		p.until("it is found by its words", shown+` === 1 && !document.querySelector("section[aria-label='The newest picture']")`)
		run[any](p, `(() => { const f = document.querySelector("input[type=search]"); f.value = ""; f.dispatchEvent(new Event("input", {bubbles: true})); return null })()`)
		p.shows("section[aria-label='The newest picture'] h2", "A red label")

		p.click("Remove")
		p.shows("section[aria-label='The newest picture'] h2", "moss green")
		p.click("Undo")
		p.shows("section[aria-label='The newest picture'] h2", "A red label")

		p.click("Again, with the same number")
		p.until("its number is filled in", `document.querySelector("form input[type=number]").value !== "" && document.querySelector("#wish").value === "A red label"`)

		p.click("Share with a link")
		p.shows("[role=dialog]", "Whoever has this link")
		p.accessible("a link to a picture")
		link := run[string](p, `document.querySelector("[role=dialog] input").value`)
		other := openTab(t, window, b.Address)
		other.visit(strings.TrimPrefix(link, b.Address))
		other.shows("main", "A red label")
		other.until("the picture is seen", `[...document.querySelectorAll("main img")].some(i => i.naturalWidth > 0)`)
		other.accessible("a shared picture")
		p.keys(kb.Escape)
		p.until("the dialog is closed", `!document.querySelector("[role=dialog]")`)

		p.click("Use it at “More labels”")
		p.shows("main h1", "More labels")
		p.until("the picture is there", `[...document.querySelectorAll("form img")].some(i => i.naturalWidth > 0)`)
	}
}

// holdLists makes a page hold answers to its asking for its pictures while window.hold is
// true; window.letGo gives them in the order they were asked for, and says yes when the page
// has drawn what it makes of them.
const holdLists = `(() => {
	const { fetch } = window, held = [];
	window.fetch = async (...asked) => {
		const answer = await fetch(...asked);
		if (window.hold && new URL(asked[0].url ?? asked[0], location).pathname.endsWith("/gallery")) {
			const body = await answer.text();
			await new Promise(go => held.push(go));
			return new Response(body, {status: answer.status, headers: answer.headers});
		}
		return answer;
	};
	window.letGo = async () => {
		window.hold = false;
		held.splice(0).forEach(go => go());
		for (let i = 0; i < 3; i++) await new Promise(requestAnimationFrame);
		return true;
	};
	window.holds = () => held.length;
})()`

// An answer that comes late shows no pictures that are gone, and hides none that came since.
func TestAGalleryWhoseAnswersComeLate(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	publish(t, b, drawingDesk)
	p := openTab(t, browser.Desk, b.Address)
	if err := browser.Before(p.ctx, holdLists); err != nil {
		t.Fatal(err)
	}
	p.visit("/at/labels")
	p.shows("main", "What you have made here")
	newest := "section[aria-label='The newest picture'] h2"
	p.wish("A moss green label")
	p.shows(newest, "A moss green label")
	p.wish("A red label")
	p.shows(newest, "A red label")

	const askAgain = `(window.hold = true, document.querySelector("input[type=search]").dispatchEvent(
		new Event("input", {bubbles: true})), null)`
	run[any](p, askAgain)
	p.until("an answer is held", "holds() === 1")
	run[any](p, "window.hold = false, null")
	p.wish("A hasty label")
	p.shows(newest, "A hasty label")
	p.until("the late answer is there", "letGo()")
	if text := p.text(newest); text != "A hasty label" {
		t.Errorf("after the late answer the newest is %q", text)
	}

	run[any](p, askAgain)
	p.until("an answer is held", "holds() === 1")
	p.click("Remove")
	p.shows(newest, "A red label")
	p.until("the late answer is there", "letGo()")
	if text := p.text(newest); text != "A red label" {
		t.Errorf("after the late answer the newest is %q", text)
	}
}

// changedPart asks what the newest picture differs in from the one that was given:
// the place of a dot as parts of its sides.
const changedPart = `(async () => {
	const load = src => new Promise(done => { const i = new Image(); i.onload = () => done(i); i.src = src });
	const [before, after] = await Promise.all([load(document.querySelector("form img").src),
		load(document.querySelector("section[aria-label='The newest picture'] img").src)]);
	const dots = i => { const c = document.createElement("canvas"); c.width = c.height = 100; const on = c.getContext("2d"); on.drawImage(i, 0, 0, 100, 100); return on.getImageData(0, 0, 100, 100).data };
	const a = dots(before), b = dots(after);
	const differs = (x,
		y) => { const at = (y * 100 + x) * 4; return Math.abs(a[at] - b[at]) + Math.abs(a[at+1] - b[at+1]) + Math.abs(a[at+2] - b[at+2]) > 60 };
	return JSON.stringify([differs(5, 5), differs(50, 50), differs(5, 90)]) })()`

// Variations of a picture, and a change of the part that was painted over: by the mouse,
// by a finger, and by numbers alone.
func TestAVisitorPaintsOverAPart(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	b.Model.Set(testbed.Fast)
	publish(t, b, varyingDesk)
	for _, window := range []browser.Window{browser.Desk, browser.Phone} {
		p := openTab(t, window, b.Address)
		p.visit("/at/more")
		p.accessible("a gallery that waits for a picture")
		p.given("paste", "form", map[string][]byte{"flag.png": picturetest.PNG(picturetest.Flag(200, 200))})
		p.click("Change only a part")
		p.until("the picture is there", `(document.querySelector("[role=dialog] canvas")?.width ?? 0) > 100`)
		p.accessible("a brush")
		if window.Phone {
			run[any](p, `(() => { const on = document.querySelector("[role=dialog] canvas"), r = on.getBoundingClientRect(); on.setPointerCapture = () => {};
				const at = (type, x, y) => on.dispatchEvent(new PointerEvent(type,
					{pointerId: 1, pointerType: "touch", clientX: r.left + x * r.width, clientY: r.top + y * r.height,
						bubbles: true}));
				at("pointerdown", 0.4, 0.5); for (let x = 0.4; x < 0.62; x += 0.02) at("pointermove", x, 0.5); at("pointerup", 0.6, 0.5); return null })()`)
		} else {
			run[any](p, `document.querySelector("[role=dialog] summary").click(), null`)
			p.click("Add this rectangle")
		}
		p.accessible("what was painted")
		p.click("Change what is painted")
		p.shows("form", "Only the part that you painted will be changed.")
		p.wish("yellow stars")
		p.shows("section[aria-label='The newest picture'] h2", "yellow stars")
		if got := run[string](p, changedPart); got != "[false,true,false]" {
			t.Errorf("changed at a corner, in the middle, at another corner: %s", got)
		}
		// The mouse, on a picture that was made.
		p.click("Change the whole picture after all")
		run[any](p, `document.querySelector("#wish").value = "", document.querySelector("#wish").dispatchEvent(new Event("input", {bubbles: true})), document.querySelector("form select").value = "2", document.querySelector("form select").dispatchEvent(new Event("change", {bubbles: true})), null`)
		p.click("Make 2 variations")
		p.until("two variations came", `document.querySelectorAll("section ul > li button[title]").length === 2`)
		p.click("More like this")
		p.until("what was made is given", `document.querySelector("form img")?.alt.length > 0 && !document.querySelector("form img").alt.includes("flag.png")`)
		p.accessible("variations")
	}
}

// 5,000 pictures come as they are scrolled to, and the page goes on answering meanwhile.
func TestAGalleryOfFiveThousand(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	b.Model.Set(testbed.Fast)
	publish(t, b, drawingDesk)
	publish(t, b, varyingDesk)
	p := openTab(t, browser.Desk, b.Address)
	p.visit("/at/labels")
	p.wish("The label that is copied")
	p.shows("section[aria-label='The newest picture'] h2", "The label that is copied")
	id, err := uuid.Parse(run[string](p, `document.querySelector("section[aria-label='The newest picture'] img").src.match(/[0-9a-f-]{36}/)[0]`))
	if err != nil {
		t.Fatal(err)
	}
	one, err := b.Store.Media.One(ctx, id)
	if err != nil {
		t.Fatal(err)
	}
	const many = 5000
	first := one.AddedAt
	for i := 1; i < many; i++ {
		m := one
		m.ID, m.AddedAt = uuid.New(), first.Add(-time.Duration(i)*time.Hour/12)
		m.Made = fmt.Appendf(nil, `{"words": "Label number %d", "model": "alder-brush", "seconds": 1}`, i)
		if err := b.Store.Media.Copy(ctx, &m); err != nil {
			t.Fatal(err)
		}
	}
	p.do(chromedp.Reload())
	shown := `document.querySelectorAll("section ul > li button[title]").length`
	p.until("the first are shown", shown+" > 100")
	if n := run[int](p, shown); n > 500 {
		t.Errorf("%d pictures are there before anybody scrolled", n)
	}
	// Scrolled from the top to the end; how long the page did not answer is told.
	longest := run[float64](p, `new Promise(done => {
		let last = performance.now(), longest = 0, frames = 0;
		window.tasks = []; new PerformanceObserver(l => l.getEntries().forEach(e => tasks.push(Math.round(e.duration)))).observe({type: "longtask"});
		const step = () => {
			const now = performance.now(); longest = Math.max(longest, now - last); last = now;
			scrollBy(0, 400);
			if (`+shown+` >= `+fmt.Sprint(many-1)+` || ++frames > 20000) return done(longest);
			requestAnimationFrame(step);
		};
		requestAnimationFrame(step);
	})`)
	if n := run[int](p, shown); n != many-1 {
		t.Errorf("%d of %d are there at the end", n, many-1)
	}
	t.Logf("the longest pause between two frames: %.0f ms; scripts that took more than 50 ms: %s", longest,
		run[string](p, "tasks.join(' ')"))
	if loaded := run[int](p, `[...document.querySelectorAll("section ul img")].filter(i => i.complete && i.naturalWidth).length`); loaded == 0 {
		t.Error("no picture was loaded")
	}
	days := run[int](p, `document.querySelectorAll("section h3").length`)
	if days < 17 {
		t.Errorf("%d days", days)
	}
	p.do(chromedp.SendKeys(chromedp.CSS("input[type=search]"), "number 4321"))
	p.until("one of many is found by its words", shown+" === 1")
	p.accessible("one of five thousand")
}

// A wish whose making fails says so; the words stay, and it is made once more by a button.
func TestAWishThatFails(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	publish(t, b, strings.Replace(drawingDesk, "pictures: {onward: [more]}\n", "", 1))
	p := openTab(t, browser.Desk, b.Address)
	p.visit("/at/labels")
	b.Model.Set(testbed.With(testbed.Fast, "unauthorized", 1, 0))
	p.wish("A blue label")
	p.shows("section[aria-label='A picture on its way'] [role=alert], section[aria-label='A picture on its way']",
		"Try to make it again")
	p.accessible("a wish that failed")
	if got := run[string](p, `document.querySelector("#wish").value`); strings.TrimSpace(got) != "A blue label" {
		t.Errorf("the words are %q", got)
	}
	p.click("Try to make it again")
	p.shows("section[aria-label='The newest picture'] h2", "A blue label")
}

// photo writes a picture into a folder.
func photo(t *testing.T, name string, body []byte) string {
	path := filepath.Join(openFolder(t), name)
	if err := os.WriteFile(path, body, 0o644); err != nil {
		t.Fatal(err)
	}
	return path
}

// A phone chooses a picture by its own dialog: the field takes files.
func TestAPhoneChoosesAPicture(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	publish(t, b, seeingDesk)
	p := openTab(t, browser.Phone, b.Address)
	p.visit("/at/frames")
	p.do(chromedp.SetUploadFiles(chromedp.CSS("input[aria-label='Pictures to ask about']"),
		[]string{photo(t, "turned.jpg", picturetest.JPEG(picturetest.Flag(64, 48), picturetest.Turned(6)))}))
	p.until("it is there", picturesThere+" === 1")
	p.answered("What is in this picture?")
	p.shows("article", "48 by 64")
}

// The service is killed while a picture is made: the page says so, the words stay, and it
// is made again by a button; what was made before is there.
func TestTheServiceIsKilledWhileAPictureIsMade(t *testing.T) {
	t.Parallel()
	s := startProcess(t)
	if _, err := s.client.Publish(ctx, "labels.yaml", []byte(strings.Replace(drawingDesk,
		"pictures: {onward: [more]}\n", "", 1)), ""); err != nil {
		t.Fatal(err)
	}
	p := openTab(t, browser.Desk, s.address)
	p.visit("/at/labels")
	s.model.Set(pace(0))
	p.wish("A red label")
	p.shows("section[aria-label='The newest picture'] h2", "A red label")
	s.model.Set(pace(60_000))
	run[any](p, `document.querySelector("#wish").select(), null`)
	p.wish("A blue label")
	p.shows("section[aria-label='A picture on its way']", "A blue label")
	p.until("it is on record", `!!JSON.parse(localStorage.getItem("juvalogos-making:labels")).id`)
	s.kill()
	s.model.Set(pace(0))
	s.start()
	p.shows("section[aria-label='A picture on its way']", "Try to make it again")
	p.shows("section[aria-label='The newest picture'] h2", "A red label")
	p.until("its picture is shown", `[...document.querySelectorAll("section[aria-label='The newest picture'] img")].some(i => i.naturalWidth > 0)`)
	p.click("Try to make it again")
	p.shows("section[aria-label='The newest picture'] h2", "A blue label")
}

// Pictures go along with a question on the command line, and come back as files.
func TestPicturesOnTheCommandLine(t *testing.T) {
	t.Parallel()
	p := startProcess(t)
	for name, text := range map[string]string{
		"frames.yaml": strings.Split(seeingDesk, "choices:")[0],
		"labels.yaml": strings.Replace(drawingDesk, "pictures: {onward: [more]}\n", "", 1)} {
		if _, err := p.client.Publish(ctx, name, []byte(text), ""); err != nil {
			t.Fatal(err)
		}
	}
	flag := photo(t, "flag.jpg", picturetest.JPEG(picturetest.Flag(64, 48), picturetest.Turned(6)))
	if out, errs, code := p.juvalogos("", "ask", "-desk", "frames", "-attach", flag, "What is it?"); code != 0 ||
		!strings.Contains(out, "48 by 64") {
		t.Errorf("asked about a picture: %d %s %s", code, out, errs)
	}
	words := photo(t, "words.png", []byte("no picture at all"))
	if _, errs, code := p.juvalogos("", "ask", "-desk", "frames", "-attach", words, "What is it?"); code == 0 ||
		!strings.Contains(errs, "words.png was not taken: it is no picture") {
		t.Errorf("no picture: %d %s", code, errs)
	}
	folder := openFolder(t)
	out, errs, code := p.juvalogos("", "ask", "-desk", "labels", "-input", "number=2", "-out", folder, "A blue label")
	files, err := filepath.Glob(filepath.Join(folder, "*.png"))
	if code != 0 || err != nil || len(files) != 2 || !strings.Contains(out, files[0]) {
		t.Fatalf("pictures from words: %d %s %s %v", code, out, errs, files)
	}
	for _, file := range files {
		body, err := os.ReadFile(file)
		if err != nil || !strings.HasPrefix(string(body), "\x89PNG") ||
			!strings.Contains(string(body), "A blue label") {
			t.Errorf("%s: %d bytes, %v", file, len(body), err)
		}
	}
}

package e2e

import (
	"context"
	"fmt"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"

	"juvalogos/console"
	"juvalogos/internal/browser"
	"juvalogos/internal/testbed"
)

const ownersPassword = "smoke rises slowly"

// openConsole opens a tab of a browser of its own that is signed in as the
// owner, whose account it makes if there is none.
func openConsole(t *testing.T, w browser.Window, b *testbed.Bed, path string) *page {
	t.Helper()
	p := openTab(t, w, b.Address)
	any, err := b.Store.Accounts.AnyAccount(ctx)
	if err != nil {
		t.Fatal(err)
	}
	if any {
		p.visit("/console")
		p.fill("Name", "Ada")
		p.fill("Password", ownersPassword)
		p.click("Sign in")
	} else {
		if err := b.Store.Accounts.SetFirstLink(ctx, "first-link", time.Now()); err != nil {
			t.Fatal(err)
		}
		p.visit("/console/welcome#first-link")
		p.fill("Name", "Ada")
		p.fill("Password", ownersPassword)
		p.click("Make the account")
	}
	p.shows("h1", "Desks")
	if path != "" {
		p.visit("/console/" + path)
	}
	return p
}

// bareBed is a service without models and desks.
func bareBed(t *testing.T) *testbed.Bed {
	return testbed.New(t, testbed.Options{Console: console.Files(), Bare: true})
}

// fill writes a text into the field with a label.
func (p *page) fill(label, text string) {
	p.t.Helper()
	p.focus(label)
	p.write(text)
}

// focus goes to the field with a label and selects what is in it.
func (p *page) focus(label string) {
	p.t.Helper()
	script := fmt.Sprintf(`(() => {
		const named = e => (e.getAttribute("aria-label") ?? "").startsWith(%[1]q) ||
			[...(e.labels ?? [])].some(l => l.innerText.trim().startsWith(%[1]q));
		const field = [...document.querySelectorAll("input, textarea, select, " +
			"[contenteditable=true]")].filter(e => e.offsetParent).find(named);
		if (!field) return false;
		field.focus();
		if (field.select) field.select(); else getSelection().selectAllChildren(field);
		return true;
	})()`, label)
	p.within(func() bool { return try[bool](p, script) }, "there is no field %q", label)
}

// write types a text where the cursor is, as one piece.
func (p *page) write(text string) {
	p.t.Helper()
	p.do(chromedp.Func(func(ctx context.Context, _ *chromedp.Target) error {
		if text == "" {
			return nil
		}
		_, err := chromedp.Call(ctx, input.InsertText, input.InsertTextParams{Text: text})
		return err
	}))
}

// file replaces the whole text in the editor.
func (p *page) file(text string) {
	p.t.Helper()
	p.focus("Desk file")
	p.write(text)
}

// fileText is what the editor holds.
func (p *page) fileText() string {
	return run[string](p, `[...document.querySelectorAll(".cm-line")].map(l => l.textContent).join("\n")`)
}

// preview waits until the preview shows a text.
func (p *page) preview(text string) {
	p.t.Helper()
	p.until("the preview shows "+text,
		fmt.Sprintf(`(document.querySelector("iframe")?.contentDocument?.body?.innerText ?? "").includes(%q)`, text))
}

// until waits for a script to say yes; one that fails has not said so yet.
func (p *page) until(what, script string) {
	p.t.Helper()
	script = "(async () => { try { return !!(await (" + script + ")) } catch { return false } })()"
	p.within(func() bool { return try[bool](p, script) }, "not so: %s", what)
}

// choose opens the menu of a button and takes an entry.
func (p *page) choose(button, entry string) {
	p.t.Helper()
	p.click(button)
	p.hit(chromedp.Search(fmt.Sprintf(`//*[@role='menuitem'][contains(., '%s')]`, entry)))
}

// undo presses the offer of the newest news; it slides while it comes, so that
// a pointer might miss it.
func (p *page) undo() {
	p.t.Helper()
	p.until("undo is offered", `(() => {
		const offers = [...document.querySelectorAll("[data-sonner-toast] " +
			"button")].filter(b => b.innerText === "Undo" && !b.dataset.pressed);
		if (!offers.length) return false;
		offers[0].dataset.pressed = "yes";
		offers[0].click();
		return true;
	})()`)
}

// Command screenshots takes the pictures in docs/screenshots from a demo of its
// own: the visitor's page and the terminal.
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"juvalogos/internal/browser"
)

const (
	listen  = "127.0.0.1:7217"
	standin = "127.0.0.1:7218"
	address = "http://" + listen
)

func main() {
	folder := flag.String("to", "docs/screenshots", "folder for the pictures")
	only := flag.String("only", "", "only the picture of this name")
	flag.Parse()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	if err := run(ctx, *folder, *only); err != nil {
		fmt.Fprintln(os.Stderr, "screenshots:", err)
		os.Exit(1)
	}
}

func run(ctx context.Context, folder, only string) error {
	data, err := os.MkdirTemp("", "juvalogos-screenshots-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(data)
	if err := os.Chmod(data, 0o755); err != nil {
		return err
	}
	demo := exec.Command("bin/juvalogos-demo", "-data", data, "-listen", listen, "-standin", standin)
	link, err := announced(demo, "Ctrl-C")
	if err != nil {
		return err
	}
	defer interrupt(demo)
	if err := untilRead(ctx, filepath.Join(data, "client.yaml")); err != nil {
		return err
	}
	chromium, err := browser.Start(ctx)
	if err != nil {
		return err
	}
	defer chromium.Close()
	for _, p := range pictures {
		if only != "" && p.name != only {
			continue
		}
		if err := p.take(chromium, folder); err != nil {
			return fmt.Errorf("picture %s: %w", p.name, err)
		}
	}
	config := filepath.Join(data, "client.yaml")
	if only == "" || strings.HasPrefix(only, "console-") {
		if err := console(ctx, chromium, link, config, folder, only); err != nil {
			return err
		}
	}
	if only != "" && only != "terminal" {
		return nil
	}
	return terminal(ctx, config, filepath.Join(folder, "terminal.png"))
}

// announced starts a program and waits until it says that it is ready; link is
// the one-time link for the owner's account, if it prints one.
func announced(cmd *exec.Cmd, ready string) (link string, err error) {
	cmd.Stderr = os.Stderr
	out, err := cmd.StdoutPipe()
	if err != nil {
		return "", err
	}
	if err := cmd.Start(); err != nil {
		return "", fmt.Errorf("%w; build first: make build", err)
	}
	buffer := make([]byte, 4096)
	text := ""
	for !strings.Contains(text, ready) {
		n, err := out.Read(buffer)
		if err != nil {
			return "", fmt.Errorf("%s did not start", cmd.Path)
		}
		text += string(buffer[:n])
	}
	for _, word := range strings.Fields(text) {
		if strings.Contains(word, "/console/welcome#") {
			link = word
		}
	}
	return link, nil
}

func interrupt(cmd *exec.Cmd) {
	_ = cmd.Process.Signal(syscall.SIGINT)
	_ = cmd.Wait()
}

type picture struct {
	name   string
	window browser.Window
	desk   string
	steps  []browser.Action
}

var dark = browser.Window{Width: 1280, Height: 800, Dark: true}

var pictures = []picture{
	{"visitor-conversation", browser.Desk, "hive-helper", []browser.Action{
		ask("My name is Ada, and I have two hives."), ask("How much do I feed my bees for the winter?"),
		ask("When do I treat against varroa?"), toTurn(2),
	}},
	{"visitor-phone", browser.Phone, "hive-helper", []browser.Action{ask("Which colour marks this year's queen?")}},
	{"visitor-contrast", browser.Desk, "three-heads", []browser.Action{
		ask("How do I keep my smoker from going out?"),
		script(`[...document.querySelectorAll("button")].filter(b => b.innerText === "I like this one best")[1].click()`),
		chromedp.Sleep(700 * time.Millisecond), script(`scrollTo(0, 0)`),
	}},
	{"visitor-margin", browser.Desk, "handbook", []browser.Action{
		ask("How long may I borrow the extractor, and what does it cost?"),
		ask("How wide is the entrance of a weak colony when wasps come?"), chromedp.Sleep(time.Second),
		script(`scrollTo(0, 0)`), chromedp.Sleep(500 * time.Millisecond),
	}},
	{"visitor-digest", browser.Desk, "in-short", []browser.Action{
		script(`const s = document.querySelector("main select, select"); s.value = "by headings"; s.dispatchEvent(new Event("change", {bubbles: true}))`),
		ask("The handbook"), chromedp.Sleep(time.Second), script(`scrollTo(0, 0)`),
		chromedp.Sleep(500 * time.Millisecond),
	}},
	{"visitor-quiz", browser.Desk, "exam", []browser.Action{
		ask("The chapter on feeding"), chromedp.Click(browser.Button("Take the quiz")),
		chromedp.WaitVisible(chromedp.CSS("fieldset")),
		script(`document.querySelectorAll("fieldset").forEach((f, i) => f.querySelectorAll("input")[i % 3].click())`),
		chromedp.Click(browser.Button("Hand in")), chromedp.Sleep(700 * time.Millisecond),
		script(`document.querySelector("article h2").scrollIntoView(); scrollBy(0, -70)`), chromedp.Sleep(500 * time.Millisecond),
	}},
	{"visitor-brought", browser.Desk, "reference", []browser.Action{
		chromedp.SendKeys(chromedp.CSS("#bring-first"), "Alder skep\r"),
		chromedp.WaitVisible(chromedp.CSS("section[aria-label='Alder skep'] ul")),
		ask("Who wove the first one?"), chromedp.Click(browser.Button("Bring something to read")),
		chromedp.SendKeys(chromedp.CSS("#bring-below"), "larch skep\r"), chromedp.Sleep(1500 * time.Millisecond),
		chromedp.Click(browser.Button("Larch skep")), chromedp.Sleep(700 * time.Millisecond),
	}},
	{"visitor-pictures", browser.Desk, "frames", []browser.Action{
		chromedp.Click(browser.Button("What is on this frame?")), chromedp.Sleep(1500 * time.Millisecond),
		chromedp.WaitReady(chromedp.CSS("article")), chromedp.WaitNotPresent(chromedp.CSS("[aria-busy=true]")),
		ask("How many shapes stand out here?"), script(`scrollTo(0, 0)`), chromedp.Sleep(500 * time.Millisecond),
	}},
	{"visitor-tables", browser.Desk, "ledger", []browser.Action{
		ask("What is the average weight by month?"), ask("and by apiary and year?"), chromedp.Sleep(time.Second),
		script(`document.querySelector("article:last-of-type button.figure").click()`),
		script(`document.querySelector("article:last-of-type details").open = true`),
		script(`document.querySelector("article:last-of-type h2").scrollIntoView(); scrollBy(0, -70)`),
		chromedp.Sleep(700 * time.Millisecond),
	}},
	{"visitor-gallery", browser.Desk, "", gallery()},
	{"visitor-sound", dark, "the-talk", []browser.Action{
		script(`[...document.querySelectorAll("button")].find(b => b.innerText.startsWith("Wintering")).click()`),
		chromedp.WaitVisible(chromedp.CSS("[data-recording] form .button-main")),
		script(`document.querySelector("[data-recording] form .button-main").click()`),
		chromedp.WaitReady(chromedp.CSS("[data-edit]")), chromedp.Sleep(2 * time.Second),
		ask("When should mites be counted?"), chromedp.Sleep(time.Second),
		script(`[...document.querySelectorAll(".notes button")].find(b => b.offsetParent).click()`),
		chromedp.Sleep(2 * time.Second), script(`document.querySelector("[data-recording]").scrollIntoView()`), chromedp.Sleep(300 * time.Millisecond),
	}},
}

func (p picture) take(chromium *browser.Chromium, folder string) error {
	tab, cancel, err := chromium.Tab(p.window, true)
	if err != nil {
		return err
	}
	defer cancel()
	tab, cancelTime := context.WithTimeout(tab, 90*time.Second)
	defer cancelTime()
	if p.desk != "" {
		if err := chromedp.Do(tab, fresh(p.desk)); err != nil {
			return err
		}
	}
	if err := chromedp.Do(tab, p.steps...); err != nil {
		return err
	}
	return save(tab, folder, p.name)
}

// save takes the picture once nothing moves any more.
func save(tab context.Context, folder, name string) error {
	if err := chromedp.Do(tab, chromedp.Sleep(400*time.Millisecond)); err != nil {
		return err
	}
	png, err := browser.Picture(tab)
	if err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(folder, name+".png"), png, 0o644)
}

func fresh(desk string) browser.Action {
	return chromedp.Steps(chromedp.Navigate(address+"/at/"+desk), chromedp.WaitVisible(browser.Question))
}

func begin(question string) browser.Action {
	return chromedp.Steps(chromedp.SendKeys(browser.Question, question), chromedp.SendKeys(browser.Question, kb.Enter))
}

// ask asks and waits for the whole reply.
func ask(question string) browser.Action {
	// The first question brings what shows replies; nothing is busy before it is there.
	return chromedp.Steps(begin(question), chromedp.Sleep(300*time.Millisecond),
		chromedp.WaitReady(chromedp.CSS("article")), chromedp.WaitNotPresent(chromedp.CSS("[aria-busy=true]")))
}

// gallery has labels drawn, one wish after the other.
func gallery() []browser.Action {
	steps := []browser.Action{chromedp.Navigate(address + "/at/draw-a-label"),
		chromedp.WaitVisible(chromedp.CSS("#wish"))}
	for _, wish := range []string{"A label with brown comb and yellow stars, for the autumn market",
		"Lime honey, pale green, with leaves", "Alder Vale in blue and white, for the summer fair",
		"A honey label in moss green and cream, for heather honey"} {
		steps = append(steps,
			script(`const n = document.querySelector("form select"); n.value = "2"; n.dispatchEvent(new Event("change", {bubbles: true}));
				document.querySelector("#wish").select()`),
			chromedp.SendKeys(chromedp.CSS("#wish"), wish+"\r"),
			chromedp.WaitVisible(chromedp.CSS("section[aria-label='A picture on its way']")),
			chromedp.WaitNotPresent(chromedp.CSS("section[aria-label='A picture on its way']")))
	}
	return append(steps, script(`document.querySelector("#wish").value = ""; scrollTo(0, 480)`),
		chromedp.Sleep(time.Second))
}

func toTurn(number int) browser.Action {
	return script(fmt.Sprintf(`window.scrollTo(0, document.querySelectorAll("article")[%d].offsetTop - 80)`, number-1))
}

func script(source string) browser.Action {
	return chromedp.Func(func(ctx context.Context, _ *chromedp.Target) error {
		_, err := chromedp.Run(ctx, chromedp.Evaluate[any]("{ "+source+"; null }"))
		return err
	})
}

// untilRead waits until the sample documents are read.
func untilRead(ctx context.Context, config string) error {
	for range 120 {
		shown, err := juvalogos(ctx, config, "shelf", "show", "-json", "handbook")
		if err != nil {
			return fmt.Errorf("the sample shelf: %w", err)
		}
		if !strings.Contains(shown, `"state": "waiting"`) && !strings.Contains(shown, `"state": "reading"`) {
			return nil
		}
		time.Sleep(500 * time.Millisecond)
	}
	return errors.New("the sample documents are not read after a minute")
}

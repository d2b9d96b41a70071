package main

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"github.com/chromedp/chromedp"

	"juvalogos/internal/browser"
)

var wide = browser.Window{Width: 1280, Height: 800}

// console takes the pictures of the makers' pages. link makes the account.
func console(ctx context.Context, chromium *browser.Chromium, link, config, folder, only string) error {
	wanted := func(name string) bool { return only == "" || only == name }
	tab, cancel, err := chromium.Tab(wide, true)
	if err != nil {
		return err
	}
	defer cancel()
	tab, cancelTime := context.WithTimeout(tab, 4*time.Minute)
	defer cancelTime()
	if err := prepare(ctx, config); err != nil {
		return err
	}
	for _, f := range [][3]string{
		{"When do I treat against varroa?", "Something is missing", "With what, and how much of it?"},
		{"I have been stung!", "Too long", ""},
		{"How do I keep my smoker from going out?", "Something is missing",
			"It went out again. What do I put into it?"},
	} {
		if err := chromedp.Do(tab, flagged(f[0], f[1], f[2])); err != nil {
			return fmt.Errorf("a verdict: %w", err)
		}
	}
	if err := chromedp.Do(tab, account(link)); err != nil {
		return fmt.Errorf("make the account: %w", err)
	}
	for _, p := range consolePictures {
		if !wanted(p.name) {
			continue
		}
		if err := chromedp.Do(tab, p.steps...); err != nil {
			return fmt.Errorf("picture %s: %w", p.name, err)
		}
		if err := save(tab, folder, p.name); err != nil {
			return err
		}
	}
	return nil
}

// consolePictures are the pictures of the console, and how each page is
// brought to show what it is for.
var consolePictures = []struct {
	name  string
	steps []browser.Action
}{
	{"console-editor", []browser.Action{
		open("desks/hive-helper"), chromedp.WaitVisible(chromedp.CSS(".cm-content")),
		chromedp.Sleep(1500 * time.Millisecond),
		script(`const line = [...document.querySelectorAll(".cm-line")].find(l => l.textContent.startsWith("model:"));
				document.querySelector("[aria-label=Form]").scrollTop = 0;
				getSelection().selectAllChildren(line); getSelection().collapseToEnd(); document.querySelector(".cm-content").focus()`),
		chromedp.KeyEvent("x"), chromedp.Sleep(1500 * time.Millisecond),
	}},
	{"console-quiz", []browser.Action{
		open("quizzes"), chromedp.WaitVisible(chromedp.CSS("main td a")), script(`document.querySelector("main td a").click()`),
		chromedp.WaitVisible(chromedp.CSS("textarea")), chromedp.Click(browser.Button("Models")),
		chromedp.WaitVisible(chromedp.CSS("main form select")), chromedp.Sleep(700 * time.Millisecond),
		script(`const set = (e, v, name) => { e.value = v; e.dispatchEvent(new Event(name, {bubbles: true})) };
				set(document.querySelector("main form select"), "handbook", "change");
				set(document.querySelector("main form input[type=number]"), "3", "input");
				document.querySelectorAll("input[value=heather-2], input[value=thyme-mini], input[value=shelves], input[value=text]").forEach(e => e.click())`),
		chromedp.Click(browser.Button("Have them sit it")), chromedp.WaitVisible(chromedp.CSS("figure")),
		chromedp.Sleep(time.Second), chromedp.WaitNotPresent(chromedp.CSS("[role=progressbar]")),
		chromedp.Sleep(500 * time.Millisecond),
	}},
	{"console-bench", []browser.Action{
		open("verdicts"), chromedp.Click(browser.Button("Open in the bench")),
		chromedp.WaitVisible(chromedp.CSS("[aria-label=Steps]")),
		chromedp.Click(browser.Button("Run again from here")),
		chromedp.WaitVisible(chromedp.CSS("form textarea")),
		script(`const t = document.querySelector("form textarea"); t.value = "You are Sprig. Answer in plain text, kindly and in detail. Only talk about bees."; t.dispatchEvent(new Event("input", {bubbles: true}));
				const s = document.querySelector("form select"); s.value = "shed/heather-2"; s.dispatchEvent(new Event("change", {bubbles: true}));`),
		chromedp.Click(browser.Button("Run this and what follows")), chromedp.WaitVisible(chromedp.CSS("#tried")),
		chromedp.Sleep(500 * time.Millisecond),
		chromedp.Click(browser.Button("Cancel")),
		script(`document.querySelector("[aria-label=Inside]").scrollTop = 0`),
	}},
	{"console-recipe", []browser.Action{open("desks/work-plan/recipe"),
		chromedp.WaitVisible(chromedp.CSS("svg.graph")), chromedp.Sleep(500 * time.Millisecond)}},
	{"console-shelf", []browser.Action{
		open("shelves/handbook"), chromedp.WaitVisible(chromedp.CSS("main table")),
		script(`const i = document.querySelector("[aria-label='A question']");
				i.value = "How much sugar for the winter?"; i.dispatchEvent(new Event("input", {bubbles: true})); i.form.requestSubmit(); document.querySelector("[aria-pressed]").click()`),
		chromedp.WaitVisible(chromedp.CSS("main ol li")), chromedp.WaitVisible(chromedp.CSS("main svg [data-passage]")),
		chromedp.Sleep(500 * time.Millisecond),
	}},
	{"console-usage", []browser.Action{open("usage"), chromedp.WaitVisible(chromedp.CSS(".chart svg")),
		chromedp.Sleep(1500 * time.Millisecond)}},
	{"console-connections", []browser.Action{
		open("connections/new"), chromedp.WaitVisible(chromedp.CSS("form")),
		script(`document.querySelectorAll("input[name=kind]")[1].click()`),
		chromedp.WaitVisible(chromedp.CSS("[aria-label='A curl line']")),
		script(`const line = document.querySelector("[aria-label='A curl line']");
				line.value = "curl http://` + standin + `/endpoints/generate -H 'X-Api-Key: moss' -d '{\"prompt\": \"How?\"}'";
				line.dispatchEvent(new Event("input", {bubbles: true}))`),
		chromedp.Click(browser.Button("Take it over")), chromedp.Sleep(500 * time.Millisecond),
		chromedp.Click(browser.Button("Try it")), chromedp.WaitVisible(chromedp.CSS("[role=dialog] [role=status]")),
		script(`[...document.querySelectorAll("[role=dialog] summary")].at(-1).click();
				document.querySelector("[role=dialog]").scrollTop = 99999`),
		chromedp.Sleep(500 * time.Millisecond),
	}},
}

// prepare gives the desks a past: a second revision, and a conversation that
// is longer than its memory.
func prepare(ctx context.Context, config string) error {
	file, err := os.ReadFile("demo/desks/hive-helper.yaml")
	if err != nil {
		return err
	}
	changed := strings.NewReplacer("kindly and precisely", "kindly, briefly and precisely", "temperature: 0.7",
		"temperature: 0.4").Replace(string(file))
	short, err := os.ReadFile("demo/desks/short-answers.yaml")
	if err != nil {
		return err
	}
	for _, publish := range []struct{ note, text string }{
		{"shorter, and surer of itself", changed},
		{"remembers four questions word for word", strings.Replace(string(short), "turns: 6", "turns: 4", 1)},
	} {
		path := filepath.Join(filepath.Dir(config), "published.yaml")
		if err := os.WriteFile(path, []byte(publish.text), 0o644); err != nil {
			return err
		}
		if _, err := juvalogos(ctx, config, "desk", "publish", "-note", publish.note, path); err != nil {
			return err
		}
	}
	time.Sleep(1100 * time.Millisecond) // a desk is looked up anew after a second
	conversation := ""
	for _, q := range []string{
		"My name is Ada, and I keep twelve hives at Larch Hollow.", "Wasps at the door. What now?",
		"How much syrup for the winter?",
		"Which colour marks this year's queen?", "What is my name?",
	} {
		args := []string{"ask", "-json", "-desk", "short-answers"}
		if conversation != "" {
			args = append(args, "-conversation", conversation)
		}
		out, err := juvalogos(ctx, config, append(args, q)...)
		if err != nil {
			return err
		}
		conversation = between(out, `"conversation": "`, `"`)
	}
	for _, about := range []string{"ling honey", "Sun hive", "egg hive", "bee ball", "Zeppelins", "Drone flights",
		"Zeppelins"} {
		// What is not found is an error to the command line, and is what makers look for.
		_, _ = juvalogos(ctx, config, "ask", "-json", "-desk", "reference", "-about", about, "What is it?")
	}
	for _, desk := range []string{"work-plan", "next-lines", "hive-helper"} {
		if _, err := juvalogos(ctx, config, "ask", "-json", "-desk", desk,
			"Getting a colony through the winter"); err != nil {
			return err
		}
	}
	return nil
}

// flagged has a visitor say what was the matter with a reply.
func flagged(question, reason, remark string) browser.Action {
	return chromedp.Steps(
		fresh("short-answers"), ask(question), chromedp.Click(browser.Button("This did not help")),
		chromedp.Click(browser.Button(reason)),
		chromedp.WaitVisible(chromedp.CSS("article form input")),
		chromedp.SendKeys(chromedp.CSS("article form input"), remark+"\r"), chromedp.Sleep(600*time.Millisecond),
	)
}

// juvalogos runs the command line and returns what it prints.
func juvalogos(ctx context.Context, config string, args ...string) (string, error) {
	cmd := exec.CommandContext(ctx, "bin/juvalogos", args...)
	cmd.Env = append(os.Environ(), "JUVALOGOS_CONFIG="+config)
	out, err := cmd.Output()
	return string(out), err
}

func between(text, before, after string) string {
	_, rest, _ := strings.Cut(text, before)
	found, _, _ := strings.Cut(rest, after)
	return found
}

func account(link string) browser.Action {
	return chromedp.Steps(
		chromedp.Navigate(link), chromedp.WaitVisible(chromedp.CSS("input[autocomplete=username]")),
		chromedp.SendKeys(chromedp.CSS("input[autocomplete=username]"), "Ada Alder"),
		chromedp.SendKeys(chromedp.CSS("input[type=password]"), "smoke rises slowly"),
		chromedp.Click(browser.Button("Make the account")), chromedp.WaitVisible(chromedp.CSS("header nav")),
	)
}

func open(path string) browser.Action {
	return chromedp.Steps(chromedp.Navigate(address+"/console/"+path), chromedp.WaitVisible(chromedp.CSS("h1")))
}

package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"juvalogos/internal/browser"
)

// A maker writes a quiz, puts it right, gives it, changes it; nothing that was written is lost
// when the page is left. Models sit it side by side, and an answer is opened in the bench.
func TestAQuizInTheConsole(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	p := openConsole(t, browser.Desk, b, "quizzes")
	p.shows("main", "There is no quiz yet")
	p.accessible("no quizzes")
	p.click("Write one")
	p.shows("h1", "A new quiz")
	p.shows("[role=alert]", "title")
	p.fill("Title", "Feeding")
	p.fill("Question 1", "When does a colony get syrup?")
	p.fill("Option 1", "In autumn")
	p.fill("Option 2", "In winter, when it is cold and dark outside and nothing flies")
	p.click("Remove option 3")
	p.shows("main", "Kept in this browser")
	p.click("Add a question")
	p.fill("Question 2", "When does a colony get syrup, if at all?")
	run[any](p, `document.querySelector("[aria-label='The right one: option 2']").click(), null`)
	run[any](p, `document.querySelector("[aria-label='The right one: option 1']").click(), null`)
	options := `[...document.querySelectorAll("li:nth-of-type(2) input[aria-label^='Option']:not([type=radio])")]`
	for i, text := range []string{"In autumn", "In May", "Never"} {
		run[any](p, `(() => { const f = `+options+`[`+string(rune('0'+i))+`]; f.focus(); f.select(); return null })()`)
		p.write(text)
	}
	p.shows("main", "much shorter than the others")
	p.fill("Option 2", "In winter")
	p.shows("main", "Question 1 asks the same")
	p.accessible("a quiz that is written")
	p.click("Move question 2 up")
	p.until("they have changed places", `document.querySelector("textarea[data-question]").value.endsWith("if at all?")`)
	p.click("Drop question 1")
	p.shows("[role=status]", "A question was dropped")
	p.click("Bring it back")
	p.until("it is back", `document.querySelectorAll("textarea[data-question]").length === 2`)
	p.click("Drop question 1")
	p.until("there is one", `document.querySelectorAll("textarea[data-question]").length === 1`)

	// The page is left, and found as it was.
	p.do(chromedp.Reload())
	p.until("what was written is there",
		`document.querySelector("textarea[data-question]")?.value === "When does a colony get syrup?"`)
	p.click("Give it to people")
	p.shows("main", "To take it")
	p.accessible("the links of a quiz")
	take := run[string](p, `document.querySelector("input[aria-label='Link: To take it']").value`)
	other := openTab(t, browser.Phone, b.Address)
	other.visit(strings.TrimPrefix(take, b.Address))
	other.shows("h1", "Feeding")

	p.click("Questions")
	p.shows("main", "This is what people take")
	p.fill("Question 1", "When is a colony given syrup?")
	p.shows("main", "Give the changes")
	p.do(chromedp.Reload())
	p.shows("[role=status]", "your changes that you have not given yet")
	p.click("Give the changes")
	p.shows("main", "This is what people take")
	other.do(chromedp.Reload())
	other.click("Begin")
	other.shows("legend", "When is a colony given syrup?")

	// A file is read, and what of it cannot be used is said before it is given.
	file := filepath.Join(t.TempDir(), "winter.csv")
	text := "question,right,wrong,wrong,quote\nWhat holds the cold off?,The cluster,The lid,The snow,\n"
	if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
	p.visit("/console/quizzes")
	p.shows("table", "Feeding")
	p.do(chromedp.SetUploadFiles(chromedp.CSS("input[type=file]"), []string{file}))
	p.until("it is read", `document.querySelector("textarea[data-question]")?.value === "What holds the cold off?"`)

	// Models sit it.
	p.visit("/console/quizzes")
	p.click("Feeding")
	p.shows("main", "This is what people take")
	p.click("Models")
	p.shows("form", "One sits it: 1 answer at most")
	p.fill("Times each", "3")
	p.fill("Temperatures", "0, warm")
	p.shows("form", "numbers from 0 to 2")
	p.fill("Temperatures", "0, 0.9")
	p.shows("form", "2 sit it: 6 answers at most")
	p.accessible("the form in which models are chosen")
	p.click("Have them sit it")
	p.shows("main", "Who knew what")
	p.shows("table", "of 3")
	p.until("all is answered", `!document.querySelector("[role=progressbar]")`)
	p.shows("main", "temperature 0.9")
	p.accessible("how models did")
	p.until("all answers are in the file", `fetch(document.querySelector("a[href$='/csv']").href).then(r => r.text()).then(t =>
		t.trim().split("\n").filter(line => line.includes("helper")).length === 6 && t.startsWith("candidate,model,desk"))`)
	p.hit("td button")
	p.shows("[role=dialog]", "Time 3")
	p.accessible("the answers to a question")
	p.click("Open in the bench")
	p.shows("main", "converse")
	p.visit("/console/quizzes")
	p.shows("main", "What models knew")

	phone := openConsole(t, browser.Phone, b, "quizzes")
	phone.shows("table", "Feeding")
	phone.until("nothing is wider than the phone", `document.documentElement.scrollWidth <= innerWidth`)
	phone.click("temperature 0.9")
	phone.shows("main", "Who knew what")
	phone.until("nothing is wider than the phone", `document.documentElement.scrollWidth <= innerWidth`)
	phone.accessible("how models did, on a phone")
}

package e2e

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"juvalogos/internal/browser"
	"juvalogos/internal/testbed"
)

// rules is a document with numbers that can be asked for.
func rules() string {
	var b strings.Builder
	for i := range 6 {
		fmt.Fprintf(&b, "# Rule %d\n\nEvery keeper of row %c pays %d crowns to the club before the summer begins. ",
			i+1,
			'A'+i, 20+7*i)
		b.WriteString(strings.Repeat("The money goes to the upkeep of the paths and of the hedges around them. ", 6))
		fmt.Fprintf(&b, "In row %c there is room for %d hives and for no more. ", 'A'+i, 31+4*i)
		fmt.Fprintf(&b, "The keepers of row %c meet on day %d of every month at the gate.\n\n", 'A'+i, 3+3*i)
	}
	return b.String()
}

// A quiz is made of a document and taken where it stands; given, it is taken by two people, on a
// phone and by keyboard, and whoever gave it sees how it went.
func TestAQuizIsMadeTakenAndLookedAt(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	if _, err := b.Client.MakeShelf(ctx, "club", "The club"); err != nil {
		t.Fatal(err)
	}
	if _, err := b.Client.AddDocument(ctx, "club", "rules.md", strings.NewReader(rules())); err != nil {
		t.Fatal(err)
	}
	testbed.Until(t, "the rules are read", func() bool {
		all, err := b.Client.ShelfDocuments(ctx, "club")
		return err == nil && len(all) == 1 && all[0].State == "ready"
	})
	publish(t, b, "slug: exam\ntitle: Exam\npurpose: Quizzes.\nmodel: heather-2\nrecipe: quiz\nshelves: [club]\n")
	p := openTab(t, browser.Desk, b.Address)
	p.visit("/at/exam")
	p.answered("The rules")
	p.click("Take the quiz")
	p.accessible("a quiz in a reply")
	p.click("One at a time")
	p.until("one question is shown", `document.querySelectorAll("fieldset").length === 1`)
	p.click("Show all questions")
	p.click("Hand in")
	p.shows("[role=alert]", "not answered")
	p.click("Hand in")
	p.shows("[role=status]", "0 of ")
	p.until("each question says what is right", `document.querySelectorAll("fieldset svg").length ===
		document.querySelectorAll("fieldset").length`)
	p.hit("fieldset button")
	p.shows("[role=dialog] mark", "row")
	p.keys("\x1b")
	p.do(chromedp.WaitNotPresent(chromedp.CSS("[role=dialog]")))

	// On the command line it is made again, given, and its links are printed.
	folder := t.TempDir()
	run := func(in string, args ...string) string {
		t.Helper()
		cmd := exec.Command(filepath.Join(programs, "juvalogos"), append([]string{"quiz"}, args...)...)
		cmd.Env = append(os.Environ(), "JUVALOGOS_ADDRESS="+b.Client.Address, "JUVALOGOS_TOKEN="+b.Client.Token)
		cmd.Stdin = strings.NewReader(in)
		var said bytes.Buffer
		cmd.Stdout, cmd.Stderr = &said, &said
		if err := cmd.Run(); err != nil {
			t.Fatalf("quiz %v: %v\n%s", args, err, said.String())
		}
		return said.String()
	}
	file := filepath.Join(folder, "rules.json")
	if said := run("", "make", "-desk", "exam", "-number", "4", "-o", file, "The rules"); !strings.Contains(said,
		"   * ") ||
		!strings.Contains(said, "Rule 1, line") {
		t.Errorf("quiz make says\n%s", said)
	}
	given := run("", "give", "-names", file)
	link := func(word string) string {
		for line := range strings.Lines(given) {
			if rest, ok := strings.CutPrefix(line, word); ok {
				return strings.TrimSpace(rest)
			}
		}
		t.Fatalf("%q is not in\n%s", word, given)
		return ""
	}
	take, results := link("To take"), link("Results")
	id, _, _ := strings.Cut(link("Quiz"), ":")

	// On a phone, by touch; the first person.
	phone := openTab(t, browser.Phone, b.Address)
	phone.visit(strings.TrimPrefix(take, b.Address))
	phone.shows("main", "4 questions")
	phone.accessible("the page on which a quiz begins")
	phone.do(chromedp.SendKeys(chromedp.CSS("main input"), "Ada"))
	phone.click("Begin")
	phone.until("all questions are shown", `document.querySelectorAll("fieldset").length === 4`)
	phone.until("none says what is right", `!document.querySelector("fieldset svg")`)
	for i := range 4 {
		phone.hit(fmt.Sprintf("fieldset:nth-of-type(%d) label", i+1))
	}
	phone.accessible("a quiz that is taken")
	phone.click("Hand in")
	phone.shows("[role=status]", "of 4 are right")
	phone.until("nothing is wider than the phone", `document.documentElement.scrollWidth <= innerWidth`)
	phone.accessible("a quiz that is marked")

	// By keyboard alone; the second person, in a browser of their own.
	keys := openPage(t, browser.Desk, b.Address)
	keys.visit(strings.TrimPrefix(take, b.Address))
	keys.shows("main", "4 questions")
	keys.do(chromedp.Focus(chromedp.CSS("main input")))
	keys.keys("Bo\r")
	keys.until("the questions are shown", `document.querySelectorAll("fieldset").length === 4`)
	keys.do(chromedp.Focus(chromedp.CSS("fieldset input")))
	keys.keys(" ")
	for range 3 {
		keys.keys("\t")
		keys.keys(" ")
	}
	keys.keys("\t")
	keys.keys("\r")
	keys.shows("[role=status]", "of 4 are right")

	// Whoever gave it sees both, and the file has them.
	r := openTab(t, browser.Desk, b.Address)
	r.visit(strings.TrimPrefix(results, b.Address))
	r.shows("table", "Ada")
	r.shows("table", "Bo")
	r.shows("main", "of 2 knew it")
	r.accessible("the results of a quiz")
	if said := run("", "show", "-results", id); !strings.Contains(said, "Ada") || !strings.Contains(said,
		"taken 2 times") {
		t.Errorf("quiz show -results says\n%s", said)
	}
	if said := run("a\n\n\nx\nb\n", "take", take); !strings.Contains(said, "of 4 are right") {
		t.Errorf("quiz take says\n%s", said)
	}
	packed := run("", "show", "-as", "qti", id)
	if err := os.WriteFile(filepath.Join(folder, "rules.zip"), []byte(packed), 0o600); err != nil {
		t.Fatal(err)
	}
	if said := run("", "give", filepath.Join(folder, "rules.zip")); !strings.Contains(said, "4 questions") {
		t.Errorf("the package of QTI is not read: %s", said)
	}

	// Models sit it: with the shelf at hand, and out of their heads.
	publish(t, b, "slug: head\ntitle: Head\npurpose: Knows nothing.\nmodel: heather-2\nrecipe: converse\n")
	publish(t, b, "slug: shelf\ntitle: Shelf\npurpose: Reads.\nmodel: heather-2\nrecipe: consult\nshelves: [club]\n")
	if said := run("", "sit", "-desks", "head,shelf", "-times", "2", file); !strings.Contains(said, "of 8") ||
		!strings.Contains(said, "Who knew what") || !strings.Contains(said, "heather-2, at shelf") {
		t.Errorf("quiz sit says\n%s", said)
	}
	run("", "withdraw", id)
	gone := openTab(t, browser.Desk, b.Address)
	gone.visit(strings.TrimPrefix(take, b.Address))
	gone.shows("[role=alert]", "not given any more")
}

package console_test

import (
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
)

var (
	scripts    = regexp.MustCompile(`(?s)<script.*?</script>|<style.*?</style>|<!--.*?-->`)
	attribute  = regexp.MustCompile(`\b(?:aria-label|title|placeholder|alt|label|about|cross)="[^"]*\pL`)
	inQuotes   = regexp.MustCompile("\"(?:[^\"\\\\\n]|\\\\.)*\"|`(?:[^`\\\\\n]|\\\\.)*`")
	comments   = regexp.MustCompile(`(?m)(^|\s)//.*$|(?s)/\*.*?\*/`)
	classes    = regexp.MustCompile(`(?s)class=(?:"[^"]*"|\{\[.*?\]\}|\{[^{}]*\})`)
	classWords = regexp.MustCompile(`^[a-z0-9 :!./\[\]()&>*,_%+-]*$`)
	twoWords   = regexp.MustCompile(`\pL{2,}\s+\pL{2,}`)
	sentence   = regexp.MustCompile(`^\s*\p{Lu}\pL*[ .…]|…`)
	placeholds = regexp.MustCompile(`\$\{[^}]*\}`)
)

// visitorFiles are what the visitor's page is made of.
func visitorFiles(t *testing.T) []string {
	t.Helper()
	var all []string
	for _, pattern := range []string{"src/visitor/*.svelte", "src/visitor/*.ts", "src/markdown/*.svelte",
		"src/markdown/*.ts",
		"src/ui/CopyButton.svelte", "src/ui/Dialog.svelte", "src/api/visiting.ts", "src/api/service.ts"} {
		found, err := filepath.Glob(pattern)
		if err != nil {
			t.Fatal(err)
		}
		all = append(all, found...)
	}
	if len(all) < 30 {
		t.Fatalf("%d files found", len(all))
	}
	return all
}

// literals are the words in a file that a reader would see.
func literals(name, text string) (found []string) {
	code := text
	if filepath.Ext(name) == ".svelte" {
		markup := scripts.ReplaceAllString(text, "")
		found = append(found, attribute.FindAllString(markup, -1)...)
		found = append(found, textOf(markup)...)
		code = strings.Join(scripts.FindAllString(text, -1), "\n") + classes.ReplaceAllString(markup, "")
	}
	for _, quoted := range inQuotes.FindAllString(comments.ReplaceAllString(code, ""), -1) {
		said := placeholds.ReplaceAllString(quoted[1:len(quoted)-1], " ")
		if (twoWords.MatchString(said) && !classWords.MatchString(said) || sentence.MatchString(said)) &&
			!strings.Contains(said, "</") {
			found = append(found, quoted)
		}
	}
	return found
}

// textOf is what stands between the tags of a template, with a letter in it.
func textOf(markup string) (found []string) {
	var said strings.Builder
	depth, tag, quote := 0, false, byte(0)
	flush := func() {
		if strings.ContainsFunc(said.String(),
			func(r rune) bool { return r >= 'A' && r <= 'z' || r > 0xbf && r < 0x2000 }) {
			found = append(found, strings.TrimSpace(said.String()))
		}
		said.Reset()
	}
	for i := 0; i < len(markup); i++ {
		switch c := markup[i]; {
		case quote != 0:
			if c == quote {
				quote = 0
			}
		case c == '{':
			depth++
		case c == '}':
			depth--
		case depth > 0:
		case tag && (c == '"' || c == '\''):
			quote = c
		case c == '<':
			flush()
			tag = true
		case c == '>' && tag:
			tag = false
		case !tag:
			said.WriteByte(c)
		}
	}
	flush()
	return found
}

// Every word that a visitor reads comes from the catalogue in src/words.
func TestVisitorsWordsComeFromTheCatalogue(t *testing.T) {
	for _, f := range visitorFiles(t) {
		body, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		for _, l := range literals(f, string(body)) {
			t.Errorf("%s: %s belongs into src/words", f, l)
		}
	}
}

// The test above finds what it looks for.
func TestLiteralsAreFound(t *testing.T) {
	for text, want := range map[string]int{
		`<p class="mt-2 text-fine">Take it back</p>`:                                  1,
		`<p>{say.reply.copy}</p>`:                                                     0,
		`<button aria-label="Close"><X size={18} /></button>`:                         1,
		`<p>{open ? "Show it all" : say.reply.fold}</p>`:                              1,
		"<script lang=\"ts\">\n  const note = `Please wait ${n} seconds`;\n</script>": 1,
		"<script lang=\"ts\">\n  // Please wait here\n</script><p>{n} of</p>":         1,
		`<p class={["flex gap-2", on && "text-accent underline"]}>{n}</p>`:            0,
	} {
		if got := literals("x.svelte", text); len(got) != want {
			t.Errorf("%s: found %q", text, got)
		}
	}
}

// Every label that a visitor can meet has its meaning in plain words beside it in
// the catalogue: a sentence, without the words of the trade.
func TestLabelsHavePlainReadings(t *testing.T) {
	trade := regexp.MustCompile(`(?i)\b(token|prompt|model|embedding|retriev|inference|LLM|session|cookie|cache|API)`)
	got := eval[map[string][]string](t, `
		const labels = [], readings = logic.readings;
		const walk = (of, path) => {
			for (const [key, value] of Object.entries(of)) {
				const at = path ? path + "." + key : key;
				if (at === "service") continue;
				if (typeof value === "string") { if (!/[.…:]$/.test(value)) labels.push(at); }
				else if (value && typeof value === "object") walk(value, at);
			}
		};
		walk(logic.en, "");
		return { labels, named: Object.keys(readings), said: Object.values(readings) }`)
	if len(got["labels"]) < 80 {
		t.Fatalf("%d labels found", len(got["labels"]))
	}
	for _, label := range got["labels"] {
		if !slices.Contains(got["named"], label) {
			t.Errorf("%s has no reading in plain words", label)
		}
	}
	for i, label := range got["named"] {
		said := got["said"][i]
		if !slices.Contains(got["labels"], label) {
			t.Errorf("%s is no label", label)
		}
		if !strings.HasSuffix(said, ".") || trade.MatchString(said) {
			t.Errorf("%s: %q is no plain sentence", label, said)
		}
	}
}

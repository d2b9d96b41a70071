package reading

import (
	"strings"
	"testing"

	"juvalogos/core/evidence"
)

// leftOf is what was left out of a document for a reason.
func leftOf(d Document, why evidence.Why) evidence.Omission {
	for _, o := range d.Left {
		if o.Why == why {
			return o
		}
	}
	return evidence.Omission{}
}

func allText(d Document) string {
	var all []string
	for _, b := range d.Blocks {
		all = append(all, b.Text)
	}
	return strings.Join(all, "\n")
}

func mustRead(t *testing.T, name, body string) Document {
	t.Helper()
	d, err := Read(t.Context(), name, []byte(body), nil, DefaultLimits)
	if err != nil {
		t.Fatalf("%s: %v", name, err)
	}
	return d
}

// All that a reader of a page could see is kept, or told as left out.
func TestPagesKeepAllThatCanBeSeen(t *testing.T) {
	const page = `<!doctype html><html><head><title>Functions - Site</title></head><body>
<header><a href="/">The Site</a></header><nav><a href="/x">Menu entry</a></nav>
<div class="sidebar">Beside the text</div>
<table><tr><th>Name</th><th>What</th></tr><tr><td rowspan="2">abs</td><td>absolute <p>value</p><p>of x</p></td></tr>
<tr><td>of a distance</td></tr></table>
<table><tr><td>Layout<h2>Title</h2></td><td>cell</td></tr></table>
<p>Choose <span class="guimenu">File</span> <span class="guimenuitem">Open</span>.</p>
<div hidden>revealed by a script</div><p style="display:none">and this too</p>
<aside>An aside.</aside><details><summary>More</summary>folded</details>
<form><label>Colour</label><select><option>red</option><option>green</option></select><input type="submit" value="Send"></form>
<noscript>Switch scripts on.</noscript><template>never drawn</template><script>var x</script>
<table><tr><th>Only</th><th>heads</th></tr></table><svg><text>drawn words</text></svg>
<article><header>Of the article</header><p>Text.</p><footer>Signed</footer></article>
<footer>Imprint here</footer></body></html>`
	d := mustRead(t, "page.html", page)
	all := allText(d)
	for _, want := range []string{"Beside the text", "Name: abs; What: absolute value of x",
		"Name: abs; What: of a distance",
		"Layout", "cell", "Choose File Open.", "revealed by a script", "and this too", "An aside.", "folded",
		"red green",
		"Send", "Only; heads", "drawn words", "Of the article", "Signed"} {
		if !strings.Contains(all, want) {
			t.Errorf("%q is not in\n%s", want, all)
		}
	}
	for why, want := range map[evidence.Why]string{evidence.Navigation: "Menu entry", evidence.Header: "The Site",
		evidence.Footer: "Imprint here", evidence.Unseen: "Switch scripts on."} {
		if o := leftOf(d, why); !strings.HasPrefix(o.Sample, want) || o.Words == 0 {
			t.Errorf("%s: %+v", why, o)
		}
	}
	if o := leftOf(d, evidence.Lost); o.Words > 0 || d.Share() != 1 {
		t.Errorf("lost: %+v, share %v", o, d.Share())
	}
	if strings.Contains(all, "Menu entry") || strings.Contains(all, "var x") {
		t.Error(all)
	}
}

// A list of contents on a page is one; other lists of links are not.
func TestContentsOnPages(t *testing.T) {
	d := mustRead(t, "x.html", `<p>Table of Contents</p><ul><li><a href="#a">One</a><ul><li><a href="b">Two</a></li></ul>`+
		`</li></ul><p>Text.</p><p>See also</p><ul><li><a href="c">Three</a></li></ul>`)
	if got := lines(d); got != "paragraph: Table of Contents\nlisting: One\nlisting: Two\nparagraph: Text.\n"+
		"paragraph: See also\nitem: Three\n" {
		t.Error(got)
	}
}

// A page that is nothing but a menu is read; a title that stands in the page's
// header alone is too; an XML page's empty elements take in nothing.
func TestOddPages(t *testing.T) {
	if d := mustRead(t, "menu.html", `<nav><a href="a">One</a> <a href="b">Two</a></nav>`); allText(d) != "One Two" {
		t.Errorf("%q", allText(d))
	}
	d := mustRead(t, "title.html", `<header><h1>Bees</h1><p>by Ada</p></header><h2>One</h2><p>Text.</p>`)
	if allText(d) != "Bees\nby Ada\nOne\nText." || d.Title != "Bees" {
		t.Errorf("%q, %q", allText(d), d.Title)
	}
	d = mustRead(t, "post.html", `<div><h1>The Site</h1><nav>Menu</nav></div><div class=post><header><h1>Wax</h1>`+
		`<p>by Ada</p></header><p>Text.</p></div><header><h1>Again</h1><nav>Menu</nav></header>`)
	if allText(d) != "The Site\nWax\nby Ada\nText." {
		t.Errorf("%q", allText(d))
	}
	d = mustRead(t, "x.xhtml", `<?xml version="1.0"?><html xmlns="http://www.w3.org/1999/xhtml"><head><title/>`+
		`<script src="x.js"/></head><body><a id="a"/><p>Seen.</p></body></html>`)
	if allText(d) != "Seen." {
		t.Errorf("%q", allText(d))
	}
}

// What is not accounted for is told: a reader that drops words is found out.
func TestAnAccountFindsWhatIsMissing(t *testing.T) {
	a := account{original: func(yield func(string) bool) { yield("The hive weighs forty kilos. It is heavy!") }}
	a.leave(evidence.Footer, "heavy")
	original, left := a.close([]Block{{Kind: Paragraph, Text: "the HIVE weighs"}, {Kind: Listing, Text: "it 7"}})
	d := Document{Original: original, Left: left}
	if o := leftOf(d, evidence.Lost); original != 8 || o.Words != 3 || o.Sample != "forty kilos is" {
		t.Errorf("%d words; lost: %+v", original, o)
	}
	if o := leftOf(d, evidence.Contents); o.Words != 2 {
		t.Errorf("contents: %+v", o)
	}
	if got := d.Share(); got != 1-3.0/8 {
		t.Errorf("share %v", got)
	}
	// Of five parts one is missing: it is taken to be as long as the others.
	a = account{original: func(yield func(string) bool) { yield(strings.Repeat("word ", 80)) }}
	a.parts(evidence.Missing, 1, 5)
	original, left = a.close([]Block{{Text: strings.Repeat("word ", 80)}})
	if o := leftOf(Document{Left: left}, evidence.Missing); o.Words != 20 || original != 100 {
		t.Errorf("%+v of %d", o, original)
	}
}

// Texts in the encodings that files come in are read, and what is none of them
// is refused.
func TestEncodings(t *testing.T) {
	for name, c := range encoded(t) {
		d, err := Read(t.Context(), name+".txt", c.body, nil, DefaultLimits)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		if got := allText(d); got != c.text {
			t.Errorf("%s is read as %q", name, got)
		}
	}
	garbage := make([]byte, 4000)
	for i := range garbage {
		garbage[i] = 0x80 + byte(i*i*31+i*7)%0x80
	}
	if d, err := Read(t.Context(), "garbage.txt", garbage, nil, DefaultLimits); err == nil {
		t.Errorf("garbage is read as %.80q", allText(d))
	}
}

// Short texts are in a language that they say words of, or in none.
func TestShortTextsAreNotWelsh(t *testing.T) {
	for text, want := range map[string]string{
		"O. Y. I": "", "I am in": "", "a o e": "", "Total: 5 o 7": "", "Vitamin A, O, Y and I": "",
		"The hive is in the garden, and it is heavy.":                    "en",
		"Mae'r gwenyn yn y cwch gwenyn ac mae'r mêl yn yr haf yn felys.": "cy",
		"Die Bienen sind im Garten und das ist nicht neu für den Imker.": "de",
	} {
		if d := mustRead(t, "x.txt", text); d.Language != want {
			t.Errorf("%q is in %q", text, d.Language)
		}
	}
}

// Cells that say they go over many columns and rows do not multiply what a page
// has: no reader may make much of little.
func TestCellsDoNotMultiply(t *testing.T) {
	long := strings.Repeat("word ", 400)
	for name, body := range map[string]string{
		"spans.html": "<table>" + strings.Repeat("<tr><td rowspan=9999 colspan=9999>"+long+"</td></tr>",
			60) + "</table>",
		"heads.html": "<table><tr><th colspan=9999>" + long + "</th><th>x</th></tr>" +
			strings.Repeat("<tr><td>1</td><td>2</td></tr>", 60) + "</table>",
		"x.odt": string(zipped(map[string]string{"mimetype": "application/vnd.oasis.opendocument.text",
			"content.xml": `<o:c xmlns:o="o" xmlns:text="t" xmlns:table="b"><table:table>` + strings.Repeat(
				`<table:table-row><table:table-cell table:number-columns-repeated="9999"><text:p>`+long+
					`</text:p></table:table-cell></table:table-row>`, 60) + `</table:table></o:c>`})),
	} {
		d := mustRead(t, name, body)
		if n := len(allText(d)); n > 4*60*len(long) {
			t.Errorf("%s: %d bytes became %d", name, len(body), n)
		}
		if o := leftOf(d, evidence.Lost); o.Words > 0 {
			t.Errorf("%s: lost: %+v", name, o)
		}
	}
}

// A file of more different words than any text has gets no account.
func TestNoAccountOfWhatIsNoText(t *testing.T) {
	a := account{original: func(yield func(string) bool) { yield("a b c d") }}
	if total, missing, _, known := a.missing([]Block{{Text: "a b c"}}, 2); known || total != 0 || missing != 0 {
		t.Errorf("%d of %d, known: %v", missing, total, known)
	}
	if total, missing, _, known := a.missing([]Block{{Text: "a b c"}}, 3); !known || total != 4 || missing != 1 {
		t.Errorf("%d of %d, known: %v", missing, total, known)
	}
}

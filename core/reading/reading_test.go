package reading

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
)

var write = flag.Bool("write", false, "write the golden files anew")

// zipped packs files, in the order of their names.
func zipped(files map[string]string) []byte {
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	var names []string
	for n := range files {
		names = append(names, n)
	}
	slices.Sort(names)
	for _, n := range names {
		f, _ := w.Create(n)
		_, _ = f.Write([]byte(files[n]))
	}
	_ = w.Close()
	return b.Bytes()
}

func xlsx(t *testing.T) []byte {
	f := excelize.NewFile()
	for i, row := range [][]any{{"Hive weights"}, {"Hive", "Week", "kg"}, {"Alder", 12, 18.5}, {"Birch", 12, 21}} {
		cell, _ := excelize.CoordinatesToCellName(1, i+1)
		if err := f.SetSheetRow("Sheet1", cell, &row); err != nil {
			t.Fatal(err)
		}
	}
	var b bytes.Buffer
	if err := f.Write(&b); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

const wordML = `<?xml version="1.0"?><w:document xmlns:w="w"><w:body>
<w:p><w:pPr><w:pStyle w:val="H1"/></w:pPr><w:r><w:t>Rules</w:t></w:r></w:p>
<w:p><w:r><w:t xml:space="preserve">Mow </w:t></w:r><w:r><w:t>before June.</w:t></w:r></w:p>
<w:p><w:pPr><w:numPr><w:ilvl w:val="1"/></w:numPr></w:pPr><w:r><w:t>Lock the gate.</w:t></w:r></w:p>
<w:tbl><w:tr><w:tc><w:p><w:r><w:t>Who</w:t></w:r></w:p></w:tc><w:tc><w:p><w:r><w:t>Pays</w:t></w:r></w:p></w:tc></w:tr>
<w:tr><w:tc><w:p><w:r><w:t>Guests</w:t></w:r></w:p></w:tc><w:tc><w:p><w:r><w:t>25 crowns</w:t></w:r></w:p></w:tc></w:tr></w:tbl></w:body></w:document>`

// Every format, as it is read.
func TestGolden(t *testing.T) {
	latin, _ := charmap.Windows1252.NewEncoder().String("Café für Bienen\n\nÖffnet um 9 Uhr, und zwar täglich.\n")
	wide, _ := unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder().
		String("Written on Windows.\r\n\r\nTwo paragraphs.")
	for name, body := range map[string]string{
		"plain.txt": "THE SMOKER\n\nLight it with hay\nand rot-\nten wood.\n\n- first\n- second\n\nA title\n=======\n" +
			"\nThe end.",
		"latin.txt": latin,
		"utf16.txt": wide,
		"notes.md": "---\ntitle: Notes\n---\n\n# One\n\nText with **bold** and `code`.\n\n- a\n  - b\n\n| x | y |\n" +
			"|---|---|\n| 1 | 2 |\n\n```go\nfmt.Println()\n```\n\n> quoted\n",
		"page.html": `<!doctype html><html lang="en-GB"><head><title>Wasps - Site</title><style>p{}</style></head><body><nav>Menu</nav><main><h1>Wasps<a href="#w">¶</a></h1><p>They <b>come</b> in July.<script>x()</script></p><ul><li>one<ul><li>deeper</li></ul></li></ul><table><caption>Entrances</caption><tr><th>Colony</th><th>Width</th></tr><tr><td>Strong</td><td>8 cm</td></tr></table><pre>a
  b</pre></main><footer>Imprint</footer></body></html>`,
		"ledger.csv": "Hive;Week;kg\nAlder;12;18,5\n\"Birch; old\";13;21\n",
		"talk.vtt": "WEBVTT A talk\n\n00:00:01.000 --> 00:00:03.000\n<v Ada>Good evening.\n\n2\n" +
			"00:00:03.500 --> 00:00:06.000\n<v Ada>Bees &amp; honey\n\n00:01:00.000 --> 00:01:02.000\nA question?\n",
		"talk.srt": "1\n00:00:01,000 --> 00:00:03,000\n<i>Hello</i> there\n\n2\n" +
			"00:00:03,200 --> 00:00:05,000\nand welcome.\n",
		"data.json":   `{"title": "Ledger", "hives": [{"name": "Alder", "kg": 18.5}, {"name": "Birch", "kg": null}], "tags": ["a", "b"]}`,
		"lines.jsonl": "{\"q\": \"one\"}\n{\"q\": \"two\", \"n\": {\"deep\": true}}\n",
		"rules.docx": string(zipped(map[string]string{"word/document.xml": wordML,
			"word/styles.xml": `<w:styles xmlns:w="w"><w:style w:styleId="H1"><w:name w:val="heading 1"/></w:style></w:styles>`, "docProps/core.xml": `<p xmlns:dc="d"><dc:title>The rules</dc:title></p>`})),
		"text.odt": string(zipped(map[string]string{"mimetype": "application/vnd.oasis.opendocument.text",
			"content.xml": `<o:c xmlns:o="o" xmlns:text="t" xmlns:table="b"><text:h text:outline-level="2">Winter</text:h><text:p>Leave<text:s/>snow.</text:p><text:list><text:list-item><text:p>one</text:p></text:list-item></text:list><table:table><table:table-row><table:table-cell><text:p>A</text:p></table:table-cell><table:table-cell><text:p>B</text:p></table:table-cell></table:table-row><table:table-row><table:table-cell><text:p>1</text:p></table:table-cell><table:table-cell><text:p>2</text:p></table:table-cell></table:table-row></table:table></o:c>`})),
		"slides.pptx": string(zipped(map[string]string{"ppt/presentation.xml": "<p/>",
			"ppt/slides/slide1.xml": `<p:s xmlns:p="p" xmlns:a="a"><p:sp><p:ph type="title"/><a:p><a:r><a:t>Queens</a:t></a:r></a:p></p:sp><p:sp><a:p><a:r><a:t>One a year</a:t></a:r></a:p></p:sp></p:s>`, "ppt/slides/slide2.xml": `<p:s xmlns:p="p" xmlns:a="a"><p:sp><a:p><a:t>Second</a:t></a:p></p:sp></p:s>`})),
		"book.epub":       string(zipped(map[string]string{"META-INF/container.xml": `<c><rootfiles><rootfile full-path="b/book.opf"/></rootfiles></c>`, "b/book.opf": `<package><metadata><dc:title xmlns:dc="d">The Book</dc:title><dc:language xmlns:dc="d">en</dc:language></metadata><manifest><item id="one" href="one.xhtml"/></manifest><spine><itemref idref="one"/></spine></package>`, "b/one.xhtml": "<html><body><h1>Chapter</h1><p>It was dusk.</p></body></html>"})),
		"weights.xlsx":    string(xlsx(t)),
		"mislabelled.txt": "<!DOCTYPE html><html><body><main><p>It is a page.</p></main></body></html>",
	} {
		d, err := Read(t.Context(), name, []byte(body), nil, DefaultLimits)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		var b strings.Builder
		fmt.Fprintf(&b, "%s, %s, language %q, %d words, %d pages\n", d.Title, d.Format, d.Language, d.Words, d.Pages)
		for i, block := range d.Blocks {
			fmt.Fprintf(&b, "%s %d line %d %s row %d %v %v\n  %q\n", block.Kind, block.Level, block.Line, block.Sheet,
				block.Row, block.Marks, Path(d.Blocks, i), block.Text)
		}
		golden := filepath.Join("testdata", name+".golden")
		if *write {
			if err := os.WriteFile(golden, []byte(b.String()), 0o644); err != nil {
				t.Fatal(err)
			}
		}
		want, err := os.ReadFile(golden)
		if err != nil || string(want) != b.String() {
			t.Errorf("%s is read as\n%s\n%v", name, b.String(), err)
		}
	}
}

// What is wrong with a file is said in a sentence about that file.
func TestHostileAndBrokenFiles(t *testing.T) {
	small := DefaultLimits
	small.Bytes = 1000
	bomb := zipped(map[string]string{"word/document.xml": strings.Repeat(" ", 30<<20)})
	for _, c := range []struct {
		name, body, want string
		limits           Limits
	}{
		{"empty.txt", "", "it is empty", DefaultLimits},
		{"blank.md", " \n\n\t", "it is empty", DefaultLimits},
		{"large.txt", strings.Repeat("word ", 1000), "up to 0 MB are read", small},
		{"fake.docx", "this is no docx", "it is not a DOCX", DefaultLimits},
		{"cut.docx", string(zipped(map[string]string{"word/document.xml": wordML})[:300]), "broken", DefaultLimits},
		{"old.docx", "\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1.........", "locked with a password", DefaultLimits},
		{"old.doc", "\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1.........", "old office program", DefaultLimits},
		{"program.bin", "\x7fELF\x02\x01\x01\x00\x00\x00\x00\x00\x00\x00\x00\x00\x02\x00\x3e\x00\x01\x00\x00\x00",
			"not a document that can be read", DefaultLimits},
		{"bomb.docx", string(bomb), "unpacks to far more", DefaultLimits},
		{"deep.html", "<html>" + strings.Repeat("<div>", 600) + "x", "too deep", DefaultLimits},
		{"deep.json", strings.Repeat("[", 1000) + strings.Repeat("]", 1000), "too deep", DefaultLimits},
		{"deep.md", strings.Repeat(">", 1000) + " x", "too deep", DefaultLimits},
		{"cut.json", `{"a": [1, 2`, "no JSON", DefaultLimits},
		{"quote.csv", "a,b\n\"never ends,1\n2,3\n", "", DefaultLimits},
		{"nothing.vtt", "WEBVTT\n\nno times here", "no caption with a time", DefaultLimits},
		{"pictures.html", "<html><body><img src=x></body></html>", "no text in it", DefaultLimits},
	} {
		_, err := Read(t.Context(), c.name, []byte(c.body), nil, c.limits)
		var p *Problem
		switch {
		case c.want == "" && err != nil:
			t.Errorf("%s: %v", c.name, err)
		case c.want != "" && (!errors.As(err, &p) || !strings.Contains(p.What.String(), c.want) || p.File != c.name):
			t.Errorf("%s: %v", c.name, err)
		}
	}
}

func TestUnpackGoesOnPastBadFiles(t *testing.T) {
	body := zipped(map[string]string{"a/one.txt": "one", ".hidden": "x", "__MACOSX/one.txt": "x", "two.md": "two"})
	var got, wrong []string
	err := Unpack("all.zip", body, DefaultLimits,
		func(e Entry) error { got = append(got, e.Name+"="+string(e.Body)); return nil },
		func(p *Problem) { wrong = append(wrong, p.File) })
	if err != nil || !slices.Equal(got, []string{"a/one.txt=one", "two.md=two"}) || wrong != nil {
		t.Errorf("%v %v %v", got, wrong, err)
	}
	few := DefaultLimits
	few.Files = 2
	var p *Problem
	if err := Unpack("all.zip", body, few, nil, nil); !errors.As(err, &p) ||
		!strings.Contains(p.What.String(), "4 files") {
		t.Errorf("%v", err)
	}
	if err := Unpack("bomb.zip", zipped(map[string]string{"x.txt": strings.Repeat("0", 500<<20)}), DefaultLimits,
		func(Entry) error { return nil }, func(*Problem) {}); !errors.As(err, &p) {
		t.Errorf("%v", err)
	}
}

func FuzzRead(f *testing.F) {
	for _, name := range []string{"x.html", "x.md", "x.txt", "x.csv", "x.vtt", "x.json", "x.docx", "x.odt", "x.pptx",
		"x.epub", "x.xlsx"} {
		f.Add(name, []byte("# a\n\n- b\n\n00:00:01.000 --> 00:00:02.000\nx"))
	}
	f.Add("x.docx", zipped(map[string]string{"word/document.xml": wordML}))
	l := Limits{Bytes: 1 << 20, Expanded: 4 << 20, Files: 50, Pages: 50, Blocks: 5000, Depth: 100}
	f.Fuzz(func(t *testing.T, name string, body []byte) {
		d, err := Read(context.Background(), name, body, nil, l)
		var p *Problem
		if err != nil && !errors.As(err, &p) {
			t.Fatalf("%v is no sentence about the file", err)
		}
		for _, b := range d.Blocks {
			for _, m := range b.Marks {
				if m.At < 0 || m.At > len(b.Text) {
					t.Fatalf("%+v of %q", m, b.Text)
				}
			}
		}
	})
}

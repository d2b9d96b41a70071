package reading

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"

	"juvalogos/core/evidence"
)

// lines are a document's blocks, one each, with their kinds.
func lines(d Document) string {
	var b strings.Builder
	for _, block := range d.Blocks {
		fmt.Fprintf(&b, "%s: %s\n", block.Kind, block.Text)
	}
	return b.String()
}

func check(t *testing.T, d Document, want string) {
	t.Helper()
	if got := lines(d); got != want {
		t.Errorf("%s is read as\n%s\nnot\n%s", d.Format, got, want)
	}
	if o := leftOf(d, evidence.Lost); o.Words > 0 {
		t.Errorf("%s: lost: %+v", d.Format, o)
	}
}

const relationsHead = `<Relationships xmlns="r">`

// Notes of DOCX follow their paragraph, a table of one row is there, and so is
// the text before a text box and what stands in it; what is told is left out.
func TestDOCX(t *testing.T) {
	d := mustRead(t, "x.docx", string(zipped(map[string]string{
		"word/document.xml": `<w:document xmlns:w="w" xmlns:mc="m" xmlns:a="a" xmlns:r="r"><w:body>
<w:p><w:pPr><w:pStyle w:val="TOC1"/></w:pPr><w:r><w:t>Contents entry</w:t></w:r><w:r><w:tab/></w:r><w:r><w:t>3</w:t></w:r></w:p>
<w:p><w:r><w:t>Before the note</w:t></w:r><w:r><w:footnoteReference w:id="2"/></w:r><w:r><w:t xml:space="preserve"> and after.</w:t></w:r><w:r><w:endnoteReference w:id="5"/></w:r></w:p>
<w:p><w:r><w:t>Before the box</w:t></w:r><w:r><mc:AlternateContent><mc:Choice><w:txbxContent><w:p><w:r><w:t>In the box</w:t></w:r></w:p></w:txbxContent></mc:Choice><mc:Fallback><w:txbxContent><w:p><w:r><w:t>In the box</w:t></w:r></w:p></w:txbxContent></mc:Fallback></mc:AlternateContent></w:r><w:r><w:t xml:space="preserve"> after it.</w:t></w:r></w:p>
<w:tbl><w:tr><w:tc><w:p><w:r><w:t>Lone</w:t></w:r></w:p></w:tc><w:tc><w:p><w:r><w:t>row</w:t></w:r><w:r><w:footnoteReference w:id="3"/></w:r></w:p></w:tc></w:tr></w:tbl>
<w:tbl><w:tr><w:tc><w:tcPr><w:gridSpan w:val="2"/></w:tcPr><w:p><w:r><w:t>Fees</w:t></w:r></w:p></w:tc></w:tr><w:tr><w:tc><w:p><w:r><w:t>Guest</w:t></w:r></w:p></w:tc><w:tc><w:p><w:r><w:t>25</w:t></w:r></w:p></w:tc></w:tr></w:tbl>
<w:p><w:del><w:r><w:delText>Struck out</w:delText></w:r></w:del><w:r><w:t>Kept.</w:t></w:r><w:r><a:blip r:embed="x"/></w:r></w:p></w:body></w:document>`,
		"word/styles.xml": `<w:styles xmlns:w="w"><w:style w:styleId="TOC1"><w:name w:val="toc 1"/></w:style></w:styles>`,
		"word/footnotes.xml": `<w:footnotes xmlns:w="w"><w:footnote w:id="0"><w:p><w:r><w:separator/></w:r></w:p></w:footnote>` +
			`<w:footnote w:id="2"><w:p><w:r><w:t>The foot note.</w:t></w:r></w:p></w:footnote>` +
			`<w:footnote w:id="3"><w:p><w:r><w:t>Of a cell.</w:t></w:r></w:p></w:footnote></w:footnotes>`,
		"word/endnotes.xml": `<w:endnotes xmlns:w="w"><w:endnote w:id="5"><w:p><w:r><w:t>The end note.</w:t></w:r></w:p></w:endnote></w:endnotes>`,
		"word/header1.xml":  `<w:hdr xmlns:w="w"><w:p><w:r><w:t>On every page</w:t></w:r></w:p></w:hdr>`,
		"word/comments.xml": `<w:comments xmlns:w="w"><w:comment><w:p><w:r><w:t>Is that so?</w:t></w:r></w:p></w:comment></w:comments>`,
		"word/_rels/document.xml.rels": relationsHead + `<Relationship Id="a" Type="t/footnotes" Target="footnotes.xml"/>` +
			`<Relationship Id="b" Type="t/endnotes" Target="endnotes.xml"/><Relationship Id="c" Type="t/header" Target="header1.xml"/>` +
			`<Relationship Id="d" Type="t/comments" Target="/word/comments.xml"/></Relationships>`,
	})))
	check(t, d, `listing: Contents entry 3
paragraph: Before the note and after.
paragraph: The foot note.
paragraph: The end note.
paragraph: Before the box after it.
paragraph: In the box
row: Lone; row
paragraph: Of a cell.
row: Fees
row: Guest; 25
paragraph: Kept.
`)
	for why, want := range map[evidence.Why]string{evidence.Header: "On every page", evidence.Comments: "Is that so?",
		evidence.Deleted: "Struck out"} {
		if o := leftOf(d, why); o.Sample != want {
			t.Errorf("%s: %+v", why, o)
		}
	}
	if o := leftOf(d, evidence.Pictures); o.Count != 1 {
		t.Errorf("pictures: %+v", o)
	}
	if b := d.Blocks[2]; b.Paragraph != 3 || b.Chapter != 0 {
		t.Errorf("place: %+v", b)
	}
}

// A note in an ODT deletes nothing.
func TestODT(t *testing.T) {
	d := mustRead(t, "x.odt", string(zipped(map[string]string{
		"mimetype": "application/vnd.oasis.opendocument.text",
		"content.xml": `<o:c xmlns:o="o" xmlns:text="t" xmlns:table="b" xmlns:draw="d" xmlns:office="f" xmlns:svg="s">` +
			`<text:tracked-changes><text:changed-region><text:deletion><text:p>Gone</text:p></text:deletion></text:changed-region></text:tracked-changes>` +
			`<text:table-of-content><text:index-body><text:p>Chapter<text:tab/>2</text:p></text:index-body></text:table-of-content>` +
			`<text:p>Before<text:note><text:note-citation>1</text:note-citation><text:note-body><text:p>The note.</text:p></text:note-body></text:note> and after.</text:p>` +
			`<text:p>At a box<draw:frame><draw:text-box><text:p>In it</text:p></draw:text-box><svg:desc>described</svg:desc></draw:frame></text:p>` +
			`<text:p>Said<office:annotation><text:p>Really?</text:p></office:annotation> so.</text:p>` +
			`<table:table><table:table-row><table:table-cell><text:p>One</text:p></table:table-cell><table:covered-table-cell/><table:table-cell><text:p>row</text:p></table:table-cell></table:table-row></table:table></o:c>`,
		"styles.xml": `<o:s xmlns:o="o" xmlns:style="y" xmlns:text="t"><style:footer><text:p>Page of <text:page-number>3</text:page-number></text:p></style:footer></o:s>`,
	})))
	check(t, d, `listing: Chapter 2
paragraph: Before and after.
paragraph: The note.
paragraph: At a box
paragraph: In it
paragraph: Said so.
row: One; row
`)
	for why, want := range map[evidence.Why]string{evidence.Footer: "Page of 3", evidence.Comments: "Really?",
		evidence.Deleted: "Gone"} {
		if o := leftOf(d, why); o.Sample != want {
			t.Errorf("%s: %+v", why, o)
		}
	}
}

// Slides come in the order in which they are shown, with the notes that are
// linked to them, whatever their numbers.
func TestPPTX(t *testing.T) {
	slide := func(text string) string {
		return `<p:s xmlns:p="p" xmlns:a="a"><p:sp><a:p><a:r><a:t>` + text + `</a:t></a:r></a:p></p:sp><p:sp><p:ph type="sldNum"/><a:p><a:r><a:t>7</a:t></a:r></a:p></p:sp></p:s>`
	}
	notes := func(n string) string {
		return relationsHead + `<Relationship Id="n" Type="t/notesSlide" Target="../notesSlides/notesSlide` + n + `.xml"/></Relationships>`
	}
	d := mustRead(t, "x.pptx", string(zipped(map[string]string{
		"ppt/presentation.xml": `<p:p xmlns:p="p" xmlns:r="r"><p:sldIdLst><p:sldId id="256" r:id="r2"/><p:sldId id="257" r:id="r1"/></p:sldIdLst></p:p>`,
		"ppt/_rels/presentation.xml.rels": relationsHead + `<Relationship Id="r1" Type="t/slide" Target="slides/slide1.xml"/>` +
			`<Relationship Id="r2" Type="t/slide" Target="slides/slide2.xml"/></Relationships>`,
		"ppt/slides/slide1.xml":            slide("Shown second"),
		"ppt/slides/slide2.xml":            slide("Shown first"),
		"ppt/slides/_rels/slide2.xml.rels": notes("1"),
		"ppt/notesSlides/notesSlide1.xml":  slide("Said to the first"),
	})))
	check(t, d, "item: Shown first\nitem: Said to the first\nitem: Shown second\n")
	if d.Blocks[1].Marks[0].Page != 1 || d.Blocks[2].Marks[0].Page != 2 || leftOf(d, evidence.PageNumbers).Words != 3 {
		t.Errorf("%+v, %+v", d.Blocks, d.Left)
	}
}

// A sheet's columns are named by the row that names them, below what stands over
// the table; dates have their year; notes on cells are read.
func TestXLSX(t *testing.T) {
	f := excelize.NewFile()
	for i, row := range [][]any{
		{"Hive weights", "", "of the association"}, {"all in kilograms"}, {},
		{"Hive", "Weighed on", "2024", "2025"}, {"Alder", 45351, 18.5, 21}, {"Birch", 45412.5, 20, 22},
	} {
		cell, _ := excelize.CoordinatesToCellName(1, i+1)
		if err := f.SetSheetRow("Sheet1", cell, &row); err != nil {
			t.Fatal(err)
		}
	}
	short := "d/m/yy"
	style, err := f.NewStyle(&excelize.Style{CustomNumFmt: &short})
	if err != nil {
		t.Fatal(err)
	}
	if err := f.SetCellStyle("Sheet1", "B5", "B6", style); err != nil {
		t.Fatal(err)
	}
	if err := f.AddComment("Sheet1", excelize.Comment{Cell: "C5", Author: "Ada", Paragraph: []excelize.RichTextRun{
		{Text: "Weighed wet."}}}); err != nil {
		t.Fatal(err)
	}
	if _, err := f.NewSheet("Lone"); err != nil {
		t.Fatal(err)
	}
	if err := f.SetSheetRow("Lone", "A1", &[]any{"Only", "heads"}); err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	if err := f.Write(&b); err != nil {
		t.Fatal(err)
	}
	d := mustRead(t, "x.xlsx", b.String())
	check(t, d, `heading: Sheet1
caption: Hive weights; of the association
caption: all in kilograms
row: Hive: Alder; Weighed on: 2024-02-29; 2024: 18.5; 2025: 21
row: note on C5: Weighed wet.
row: Hive: Birch; Weighed on: 2024-04-30 12:00; 2024: 20; 2025: 22
heading: Lone
row: Only; heads
`)
	if r := d.Blocks[4]; r.Row != 5 || r.Sheet != "Sheet1" {
		t.Errorf("%+v", r)
	}
}

// A book's files are found by their names with signs spelt out, its list of
// contents is one, its paragraphs know their part, and what is missing is told.
func TestEPUB(t *testing.T) {
	book := map[string]string{
		"META-INF/container.xml": `<c><rootfiles><rootfile full-path="b/book.opf"/></rootfiles></c>`,
		"b/book.opf": `<package><metadata><dc:title xmlns:dc="d">The Book</dc:title></metadata><manifest>` +
			`<item id="nav" href="nav.xhtml" properties="nav"/><item id="toc" href="toc.xhtml"/><item id="one" href="part%20one.xhtml"/>` +
			`<item id="two" href="../two.xhtml"/><item id="gone" href="gone.xhtml"/></manifest><spine><itemref idref="nav"/>` +
			`<itemref idref="toc"/><itemref idref="one"/><itemref idref="two"/><itemref idref="gone"/></spine></package>`,
		"b/nav.xhtml":      `<html><body><nav><ol><li><a href="part%20one.xhtml">One</a></li></ol></nav></body></html>`,
		"b/toc.xhtml":      `<html><body><h1>Contents</h1><p><a href="a">One</a></p><p><a href="b">Two</a></p><p><a href="c">Three</a></p><p><a href="d">Four</a></p><p><a href="e">Five</a></p></body></html>`,
		"b/part one.xhtml": `<?xml version="1.0"?><html><head><title/></head><body><h1>One</h1><p>It was dusk.</p><p>Then night.</p></body></html>`,
		"two.xhtml":        "<html><body><p>It was day.</p></body></html>",
	}
	d := mustRead(t, "x.epub", string(zipped(book)))
	check(t, d, `listing: One
heading: Contents
listing: One
listing: Two
listing: Three
listing: Four
listing: Five
heading: One
paragraph: It was dusk.
paragraph: Then night.
paragraph: It was day.
`)
	if b := d.Blocks[9]; b.Chapter != 3 || b.Paragraph != 3 {
		t.Errorf("place: %+v", b)
	}
	if b := d.Blocks[10]; b.Chapter != 4 || b.Paragraph != 1 {
		t.Errorf("place: %+v", b)
	}
	if o := leftOf(d, evidence.Missing); o.Count != 1 || o.Words == 0 || d.Share() > 0.98 {
		t.Errorf("missing: %+v, share %v", o, d.Share())
	}
}

// Markdown's HTML is read, and its entities are signs.
func TestMarkdown(t *testing.T) {
	d := mustRead(t, "x.md",
		"# Bees &amp; wasps\n\n<div align=center>\n  <p>Set in HTML</p>\n</div>\n\nA \\*star\\* and <b>bold</b>.\n\n"+
			"| Only | heads |\n|---|---|\n\n[named]: http://x.invalid/never-seen\n\n<!-- unseen -->\n\nSee "+
			"[here](http://x.invalid/y) [named].\n")
	check(t, d, `heading: Bees & wasps
paragraph: Set in HTML
paragraph: A *star* and bold.
row: Only; heads
paragraph: See here named.
`)
	if d.Blocks[1].Line != 3 || d.Blocks[2].Line != 7 {
		t.Errorf("%+v", d.Blocks)
	}
}

// What is written in charts and diagrams is read, on slides and in documents.
func TestChartsAndDiagrams(t *testing.T) {
	const chart = `<c:chart xmlns:c="c" xmlns:a="a"><c:title><a:p><a:r><a:t>Honey by year</a:t></a:r></a:p></c:title>` +
		`<c:ser><c:cat><c:pt><c:v>1987</c:v></c:pt></c:cat><c:val><c:pt><c:v>41</c:v></c:pt></c:val></c:ser></c:chart>`
	const diagram = `<d:data xmlns:d="d" xmlns:a="a"><d:pt><a:p><a:r><a:t>Swarm</a:t></a:r></a:p></d:pt>` +
		`<d:pt><a:p><a:r><a:t>Hive</a:t></a:r></a:p></d:pt></d:data>`
	d := mustRead(t, "x.pptx", string(zipped(map[string]string{
		"ppt/presentation.xml":  "<p/>",
		"ppt/slides/slide1.xml": `<p:s xmlns:p="p" xmlns:a="a"><p:sp><a:p><a:r><a:t>A slide</a:t></a:r></a:p></p:sp></p:s>`,
		"ppt/slides/_rels/slide1.xml.rels": relationsHead + `<Relationship Id="c" Type="t/chart" Target="../charts/chart1.xml"/>` +
			`<Relationship Id="d" Type="t/diagramData" Target="../diagrams/data1.xml"/></Relationships>`,
		"ppt/charts/chart1.xml": chart, "ppt/diagrams/data1.xml": diagram,
	})))
	check(t, d, "item: A slide\ncaption: Honey by year\ncaption: 1987\ncaption: 41\ncaption: Swarm\ncaption: Hive\n")
	if d.Blocks[1].Marks[0].Page != 1 {
		t.Errorf("%+v", d.Blocks[1])
	}
	d = mustRead(t, "x.docx", string(zipped(map[string]string{
		"word/document.xml": `<w:document xmlns:w="w"><w:body><w:p><w:r><w:t>Text.</w:t></w:r></w:p></w:body></w:document>`,
		"word/_rels/document.xml.rels": relationsHead + `<Relationship Id="c" Type="t/chart" Target="charts/chart1.xml"/>` +
			`<Relationship Id="d" Type="t/diagramData" Target="diagrams/data1.xml"/></Relationships>`,
		"word/charts/chart1.xml": chart, "word/diagrams/data1.xml": diagram,
	})))
	check(t, d, "paragraph: Text.\ncaption: Honey by year\ncaption: 1987\ncaption: 41\ncaption: Swarm\ncaption: Hive\n")
}

package reading

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"unicode"
	"unicode/utf8"

	"juvalogos/core/evidence"
)

// Engine opens files that are pages: PDFs and pictures.
type Engine interface {
	// Open opens a file; format is pdf or picture. The error is a *Problem where
	// the file is to blame.
	Open(ctx context.Context, name string, body []byte, format string) (Pages, error)
}

// Pages are an open file's pages.
type Pages interface {
	Count() int
	Title() string
	// Again opens the file once more, for pages to be read side by side; false if
	// that cannot be done at once.
	Again(ctx context.Context) (Pages, bool)
	// Page spells out a page, from 1; a page that is only a picture has no runs.
	Page(ctx context.Context, n int) (Page, error)
	// Recognise reads the text in the picture of a page.
	Recognise(ctx context.Context, n int) (Page, error)
	// Draw draws a page as a PNG of so many dots per inch.
	Draw(page, dpi int) ([]byte, error)
	Close()
}

// Page is what is written on a page.
type Page struct {
	Width, Height float64
	Runs          []Run
}

// Run is a stretch of text on one line, of one font. Lengths are in points,
// from the page's upper left corner.
type Run struct {
	Text                     string
	Left, Top, Right, Bottom float64
	Size                     float64 // of the font
	Bold                     bool
	Mono                     bool // all letters of the font are as wide
}

var _ = register(format{name: "pdf", title: "PDF", endings: []string{".pdf"}, begins: []string{"%PDF-"}, binary: true,
	test: func(body []byte, _ bool) bool { // some programs put something before it
		return bytes.Contains(body[:min(len(body), 1024)], []byte("%PDF-"))
	}})

var _ = register(format{name: "picture", title: "pictures of pages", binary: true,
	endings: []string{".png", ".jpg", ".jpeg", ".webp", ".tif", ".tiff", ".bmp", ".gif"},
	begins:  []string{"\x89PNG\r\n", "\xff\xd8\xff", "GIF8", "II*\x00", "MM\x00*"},
	test: func(body []byte, named bool) bool {
		return named && bytes.HasPrefix(body, []byte("BM")) ||
			bytes.HasPrefix(body, []byte("RIFF")) && len(body) > 12 && string(body[8:12]) == "WEBP"
	}})

// readPages reads a PDF, or a picture of a page.
func readPages(ctx context.Context, name string, body []byte, format string, engine Engine, l Limits) (Document,
	error) {
	file, err := engine.Open(ctx, name, body, format)
	if err != nil {
		return Document{}, err
	}
	defer file.Close()
	if file.Count() > l.Pages {
		return Document{}, problem(name, "it has %d pages; up to %d are read", file.Count(), l.Pages)
	}
	pages, broken, err := allPages(ctx, file)
	if err != nil {
		return Document{}, err
	}
	d := Document{Title: file.Title(), Format: format, Pages: len(pages)}
	written, blank := 0, 0
	for _, p := range pages {
		if written += len(p.Runs); len(p.Runs) == 0 {
			blank++
		}
	}
	if written == 0 {
		return Document{}, problem(name, "there is no text in it, not even in its pictures")
	}
	d.count(evidence.Blank, blank-broken)
	d.parts(evidence.Missing, broken, len(pages))
	d.original = func(yield func(string) bool) { runTexts(pages, yield) }
	d.compose(pages)
	return finish(name, d, l)
}

// fewPages are read by one engine alone.
const fewPages = 8

// allPages reads all pages, two at once where they are many. Pages that are
// broken have nothing on them; where all are the error is what is wrong with one.
func allPages(ctx context.Context, file Pages) (pages []Page, broken int, err error) {
	pages = make([]Page, file.Count())
	var next atomic.Int64
	var mu sync.Mutex
	var wrong *Problem
	var failed error
	read := func(from Pages) {
		for i := int(next.Add(1)) - 1; i < len(pages) && ctx.Err() == nil; i = int(next.Add(1)) - 1 {
			p, err := onePage(ctx, from, i+1)
			mu.Lock()
			var of *Problem
			switch {
			case errors.As(err, &of):
				wrong = of
				broken++
			case err != nil:
				failed = err
				next.Add(int64(len(pages)))
			}
			mu.Unlock()
			pages[i] = p
		}
	}
	var all sync.WaitGroup
	if len(pages) > fewPages {
		all.Go(func() {
			// What cannot be opened a second time is read by the first one alone.
			if second, ok := file.Again(ctx); ok {
				defer second.Close()
				read(second)
			}
		})
	}
	read(file)
	all.Wait()
	switch {
	case ctx.Err() != nil:
		return nil, 0, context.Cause(ctx)
	case failed != nil:
		return nil, 0, failed
	case broken == len(pages):
		return nil, 0, wrong
	}
	return pages, broken, nil
}

// onePage reads a page, and what is in its picture where it has no text or one
// that nobody can read.
func onePage(ctx context.Context, file Pages, n int) (Page, error) {
	p, err := file.Page(ctx, n)
	if err != nil || len(p.Runs) > 0 && readable(p.Runs) {
		return p, err
	}
	seen, err := file.Recognise(ctx, n)
	if err != nil && len(p.Runs) > 0 {
		return p, nil
	}
	if len(seen.Runs) == 0 {
		return p, err
	}
	return seen, err
}

// readable reports whether most letters of a page say which they are.
func readable(runs []Run) bool {
	letters, none := 0, 0
	for _, r := range runs {
		for _, c := range r.Text {
			letters++
			if unknownLetter(c) {
				none++
			}
		}
	}
	return none*2 < letters
}

// unknownLetter reports a sign that fonts have where they do not say which
// letter it is.
func unknownLetter(r rune) bool {
	return r == utf8.RuneError || unicode.Is(unicode.Co, r) || r < ' ' && r != '\t'
}

// runTexts are the texts of pages as they came, with words whole that a line
// ends in.
func runTexts(pages []Page, yield func(string) bool) {
	var text []byte
	for _, p := range pages {
		for i, r := range p.Runs {
			if i > 0 && touches(p.Runs[i-1], r) {
				text = append(text, squeeze(r.Text)...)
				continue
			}
			text = joinLine(text, squeeze(r.Text))
		}
	}
	yield(string(text))
}

// line is a line of text of one column.
type line struct {
	runs                     []Run
	text                     string
	left, top, right, bottom float64
	size                     float64
	bold, mono               bool
	listing                  bool // of contents, or of an index
	page                     int
	cells                    []string // of a table's row
}

// touches reports whether a run goes on where another ended, with nothing between.
func touches(before, r Run) bool {
	gap := r.Left - before.Right
	return math.Abs(before.Bottom-r.Bottom) < 0.3*height(r) && gap > -r.Size/2 &&
		gap <= 0.15*max(r.Size, height(r)*0.7) &&
		!strings.HasSuffix(before.Text, " ") && !strings.HasPrefix(r.Text, " ")
}

// FromPages puts what is written on pages in the order in which people read
// it: columns one after the other, tables row by row, without the headers and
// footers that all pages have; words that were hyphenated are whole again.
func FromPages(pages []Page) []Block {
	var d Document
	d.compose(pages)
	return d.Blocks
}

// compose makes blocks of what is written on pages.
func (d *Document) compose(pages []Page) {
	var all []line
	for i, p := range pages {
		lines := linesOn(p)
		for _, l := range arrange(lines, p) {
			l.page = i + 1
			all = append(all, l)
		}
	}
	all = d.withoutRepeated(all, pages)
	markListings(all, len(pages))
	d.Blocks = compose(all, pages)
}

// linesOn joins runs that stand on the same line with little between them.
func linesOn(p Page) []line {
	runs := slices.DeleteFunc(slices.Clone(p.Runs), func(r Run) bool { return strings.TrimSpace(r.Text) == "" })
	slices.SortStableFunc(runs, func(a, b Run) int {
		if math.Abs(a.Bottom-b.Bottom) > 0.45*min(height(a), height(b)) {
			return cmp.Compare(a.Bottom, b.Bottom)
		}
		return cmp.Compare(a.Left, b.Left)
	})
	var all []line
	for _, r := range runs {
		if n := len(all); n > 0 {
			l := &all[n-1]
			same := math.Abs(l.bottom-r.Bottom) < 0.45*min(l.bottom-l.top, height(r)) && r.Left >= l.left-1
			gap, size := r.Left-l.right, max(r.Size, l.size, height(r)*0.8)
			if same && l.mono && r.Mono && gap < widestInCode*size { // code is set out with spaces
				if wide := (l.right - l.left) / float64(max(1, utf8.RuneCountInString(l.text))); wide > 0 {
					l.text += strings.Repeat(" ", max(0, int(math.Round(gap/wide))))
				}
				l.add(r)
				continue
			}
			if same && gap < 1.5*size {
				l.add(r)
				continue
			}
		}
		l := line{left: r.Left, top: r.Top, right: r.Right, bottom: r.Bottom, size: r.Size, bold: r.Bold,
			mono: r.Mono}
		l.add(r)
		all = append(all, l)
	}
	return all
}

// widestInCode is how wide a gap in a line of code may be, in sizes of its font.
const widestInCode = 15

func height(r Run) float64 { return max(1, r.Bottom-r.Top) }

func (l *line) add(r Run) {
	if n := len(l.runs); n > 0 && r.Left-l.right > 0.15*max(r.Size, height(r)*0.7) && !strings.HasSuffix(l.text, " ") &&
		!strings.HasPrefix(r.Text, " ") {
		l.text += " "
	}
	l.text += r.Text
	l.runs = append(l.runs, r)
	l.left, l.right = min(l.left, r.Left), max(l.right, r.Right)
	l.top, l.bottom = min(l.top, r.Top), max(l.bottom, r.Bottom)
	l.size = max(l.size, r.Size)
	l.bold, l.mono = l.bold && r.Bold, l.mono && r.Mono
}

// arrange puts a region's lines in the order in which people read them: bands
// that have the same columns go together, and are read column by column (a
// recursive X-Y cut: Nagy and Seth, 1984). Lines side by side that make rows
// are a table.
func arrange(lines []line, p Page) []line {
	if len(lines) < 2 {
		return lines
	}
	if rows := table(lines); rows != nil {
		return rows
	}
	if groups := together(bands(lines)); len(groups) > 1 {
		var all []line
		for _, g := range groups {
			all = append(all, arrange(g, p)...)
		}
		return all
	}
	if left, right := columns(lines, 2); left != nil {
		return append(arrange(left, p), arrange(right, p)...)
	}
	slices.SortStableFunc(lines, func(a, b line) int {
		if math.Abs(a.bottom-b.bottom) > 0.45*min(a.bottom-a.top, b.bottom-b.top) {
			return cmp.Compare(a.bottom, b.bottom)
		}
		return cmp.Compare(a.left, b.left)
	})
	return lines
}

// bands parts lines wherever white space goes through from left to right.
func bands(lines []line) (all [][]line) {
	sorted := slices.Clone(lines)
	slices.SortFunc(sorted, func(a, b line) int { return cmp.Compare(a.top, b.top) })
	end := 0.0
	for i, l := range sorted {
		if i == 0 || l.top > end {
			all = append(all, nil)
		}
		all[len(all)-1] = append(all[len(all)-1], l)
		end = max(end, l.bottom)
	}
	return all
}

// together joins bands that follow each other and have the same columns, or
// none.
func together(bands [][]line) (groups [][]line) {
	several := false // whether the last group has columns
	for i, b := range bands {
		multi := beside(b)
		n := len(groups) - 1
		if n < 0 {
			groups, several = append(groups, slices.Clone(b)), multi
			if i+1 < len(bands) && beside(bands[i+1]) { // one column begins higher than the other
				left, _ := columns(append(slices.Clone(b), bands[i+1]...), 1)
				several = several || left != nil
			}
			continue
		}
		left, _ := columns(append(slices.Clone(groups[n]), b...), 1)
		join := false
		switch {
		case !several && !multi:
			// What stands far in begins the right one of the columns that follow.
			join = i+1 == len(bands) || !beside(bands[i+1]) || leftmost(b) < leftmost(groups[n])+100
			multi = !join
		case several && multi:
			join = left != nil
		case several:
			// The end of one column; but not a heading over what comes next,
			// if that has other columns.
			join = left != nil
			if join && i+1 < len(bands) && heads(b) {
				after, _ := columns(append(slices.Clone(groups[n]), bands[i+1]...), 1)
				join = after != nil
			}
		}
		if join {
			groups[n] = append(groups[n], b...)
			continue
		}
		groups, several = append(groups, slices.Clone(b)), multi
	}
	return groups
}

func leftmost(lines []line) float64 {
	return slices.MinFunc(lines, func(a, b line) int { return cmp.Compare(a.left, b.left) }).left
}

func heads(lines []line) bool {
	return !slices.ContainsFunc(lines, func(l line) bool { return !l.bold })
}

// beside reports whether any two lines stand side by side.
func beside(lines []line) bool {
	for i, a := range lines {
		for _, b := range lines[i+1:] {
			if a.top < b.bottom && b.top < a.bottom && (b.left > a.right+7 || a.left > b.right+7) {
				return true
			}
		}
	}
	return false
}

// columns parts lines at the widest gutter that goes through all of them and has
// at least so many at each side.
func columns(lines []line, least int) (left, right []line) {
	sorted := slices.Clone(lines)
	slices.SortFunc(sorted, func(a, b line) int { return cmp.Compare(a.left, b.left) })
	end, at, widest := sorted[0].right, 0, 0.0
	for i, l := range sorted[1:] {
		if gap := l.left - end; gap > widest && i+1 >= least && len(sorted)-i-1 >= least {
			at, widest = i+1, gap
		}
		end = max(end, l.right)
	}
	if widest < 8 {
		return nil, nil
	}
	return sorted[:at], sorted[at:]
}

// table makes rows of lines that stand in cells: at least three rows in a
// region, each with as many cells at the same places, with short texts.
func table(lines []line) []line {
	groups := byBaseline(lines)
	if len(groups) < 3 || indexLines(lines)*2 > len(lines) {
		return nil
	}
	several, words, cells := 0, 0, 0
	var starts [][]float64
	for _, g := range groups {
		if len(g) > 1 {
			several++
		}
		for _, l := range g {
			words += len(strings.Fields(l.text))
			cells++
		}
		var s []float64
		for _, l := range g {
			s = append(s, l.left)
		}
		starts = append(starts, s)
	}
	if several*10 < len(groups)*8 || words > cells*5 {
		return nil
	}
	most := slices.MaxFunc(starts, func(a, b []float64) int { return cmp.Compare(len(a), len(b)) })
	aligned := 0
	for _, s := range starts {
		ok := true
		for _, x := range s {
			ok = ok && slices.ContainsFunc(most, func(m float64) bool { return math.Abs(m-x) < 25 })
		}
		if ok {
			aligned++
		}
	}
	if aligned*10 < len(starts)*8 {
		return nil
	}
	var rows []line
	for _, g := range groups {
		r := g[0]
		r.cells = make([]string, len(most))
		r.runs = nil
		for _, l := range g {
			at := 0
			for i, m := range most {
				if math.Abs(m-l.left) < math.Abs(most[at]-l.left) {
					at = i
				}
			}
			r.cells[at] = squeeze(r.cells[at] + " " + l.text)
			r.right, r.top, r.bottom = max(r.right, l.right), min(r.top, l.top), max(r.bottom, l.bottom)
			r.bold = r.bold && l.bold
		}
		rows = append(rows, r)
	}
	return rows
}

func byBaseline(lines []line) [][]line {
	sorted := slices.Clone(lines)
	slices.SortStableFunc(sorted, func(a, b line) int { return cmp.Compare(a.bottom, b.bottom) })
	var groups [][]line
	for _, l := range sorted {
		if n := len(groups); n > 0 && math.Abs(groups[n-1][0].bottom-l.bottom) < 0.5*min(l.bottom-l.top,
			groups[n-1][0].bottom-groups[n-1][0].top) {
			groups[n-1] = append(groups[n-1], l)
			continue
		}
		groups = append(groups, []line{l})
	}
	for _, g := range groups {
		slices.SortFunc(g, func(a, b line) int { return cmp.Compare(a.left, b.left) })
	}
	return groups
}

var digits = regexp.MustCompile(`\d+`)

// withoutRepeated drops lines at the upper and the lower edge that are the same
// on most pages, numbers aside, and page numbers.
func (d *Document) withoutRepeated(all []line, pages []Page) []line {
	edge := func(l line) bool {
		h := pages[l.page-1].Height
		return l.bottom < 0.1*h || l.top > 0.9*h
	}
	// What is set in another size, as a title is, is not what stands on every page.
	key := func(l line) string { return digits.ReplaceAllString(squeeze(l.text), "#") }
	sized := func(l line) string { return fmt.Sprint(key(l), " ", halves(l.size)) }
	on := map[string]map[int]bool{}
	for _, l := range all {
		if edge(l) {
			if on[sized(l)] == nil {
				on[sized(l)] = map[int]bool{}
			}
			on[sized(l)][l.page] = true
		}
	}
	return slices.DeleteFunc(all, func(l line) bool {
		if !edge(l) {
			return false
		}
		k := key(l)
		switch {
		case strings.Trim(k, "#-–— |/.()") == "" || pageNumber.MatchString(k):
			d.leave(evidence.PageNumbers, l.text)
		case len(pages) > 1 && (len(on[sized(l)]) >= 3 || len(on[sized(l)])*2 > len(pages)):
			d.leave(evidence.Repeated, l.text)
		default:
			return false
		}
		return true
	})
}

// pageNumber is what a line at the edge says that counts the pages.
var pageNumber = regexp.MustCompile(`(?i)^((page|seite) #.*|[-–—(\s]*` + roman + `[-–—)\s]*)$`)

// composer makes blocks of lines.
type composer struct {
	pages  []Page
	body   float64          // size of most letters
	bold   bool             // most letters are, so that it tells nothing
	sizes  map[float64]bool // in which a good part of the letters is: no headings'
	code   bool             // lines of a font whose letters are as wide are code
	table  tableRows
	header line // that no row has said yet
	inside bool // a table
	blocks []Block
}

// compose makes blocks of lines.
func compose(all []line, pages []Page) []Block {
	c := composer{pages: pages, body: bodySize(all), code: seldomMono(all)}
	c.bold = mostLetters(all, func(l line) bool { return l.bold }) > 0.5
	c.sizes = commonSizes(all)
	for i, l := range all {
		l.bold = l.bold && !c.bold
		if l.cells != nil {
			c.row(l)
			continue
		}
		c.endTable()
		text := squeeze(l.text)
		if text == "" {
			continue
		}
		switch {
		case l.listing:
			c.blocks = append(c.blocks, Block{Kind: Listing, Text: text, Marks: []Position{c.mark(l)}})
		case c.code && l.mono:
			var before *line
			if i > 0 && all[i-1].mono && all[i-1].cells == nil && !all[i-1].listing {
				before = &all[i-1]
			}
			c.codeLine(before, l, strings.TrimSpace(l.text))
		default:
			var before *line
			if i > 0 && !(c.code && all[i-1].mono) && !all[i-1].listing {
				before = &all[i-1]
			}
			c.text(before, l, text)
		}
	}
	c.endTable()
	return c.blocks
}

func (c *composer) mark(l line) Position {
	p := c.pages[l.page-1]
	return Position{Page: l.page, Box: [4]float64{round(l.left / p.Width), round(l.top / p.Height),
		round((l.right - l.left) / p.Width), round((l.bottom - l.top) / p.Height)}}
}

// row adds a table's row.
func (c *composer) row(l line) {
	if !c.inside || len(c.table.header) != 0 && len(c.table.header) != len(l.cells) {
		c.endTable()
		c.inside, c.table = true, tableRows{}
	}
	heads := c.table.number == 0 && !numeric(l.cells)
	if heads && len(l.cells) > 1 {
		c.header = l
	}
	for _, b := range c.table.add(nil, l.cells, heads) {
		b.Marks = []Position{c.mark(l)}
		if b.Row == 1 && c.header.page > 0 {
			b.Marks = []Position{c.mark(c.header)}
		}
		c.blocks = append(c.blocks, b)
	}
}

func (c *composer) endTable() {
	if !c.inside {
		return
	}
	for _, b := range c.table.end(nil) {
		b.Marks = []Position{c.mark(c.header)}
		c.blocks = append(c.blocks, b)
	}
	c.inside, c.header = false, line{}
}

// codeLine adds a line of code: lines stay apart, and those that are set in
// begin with spaces.
func (c *composer) codeLine(before *line, l line, text string) {
	n := len(c.blocks)
	if before == nil || n == 0 || c.blocks[n-1].Kind != Code || before.page == l.page &&
		(l.top < before.top || l.top-before.bottom > 2.5*(before.bottom-before.top)) {
		c.blocks = append(c.blocks, Block{Kind: Code, Text: text, Marks: []Position{c.mark(l)}})
		return
	}
	b := &c.blocks[n-1]
	mark := c.mark(l)
	wide := (l.right - l.left) / float64(max(1, utf8.RuneCountInString(text)))
	in := 0
	if first := b.Marks[0].Box[0] * c.pages[b.Marks[0].Page-1].Width; wide > 0 {
		in = min(40, max(0, int(math.Round((l.left-first)/wide))))
	}
	b.Text += "\n" + strings.Repeat(" ", in)
	mark.At = len(b.Text)
	b.Text += text
	b.Marks = append(b.Marks, mark)
}

// text adds a line of running text.
func (c *composer) text(before *line, l line, text string) {
	body := c.body
	if c.sizes[halves(l.size)] {
		body = max(body, l.size)
	}
	kind, level := kindOf(l, text, body)
	n := len(c.blocks)
	if n == 0 || before == nil || !goesOn(&c.blocks[n-1], *before, l, kind, text) {
		c.blocks = append(c.blocks, Block{Kind: kind, Text: text, Level: level, Marks: []Position{c.mark(l)}})
		return
	}
	b, mark := &c.blocks[n-1], c.mark(l)
	joined := joinLine([]byte(b.Text), text)
	mark.At = len(joined) - len(text)
	b.Text = string(joined)
	b.Marks = append(b.Marks, mark)
	if b.Kind == Heading && len(b.Text) > longestHeading {
		b.Kind, b.Level = Paragraph, 0
	}
}

// longestHeading is how long a heading may be, in bytes.
const longestHeading = 250

// seldomMono reports whether letters that are all as wide stand out.
func seldomMono(all []line) bool {
	return mostLetters(all, func(l line) bool { return l.mono }) < 0.6
}

// mostLetters is which share of the letters is in lines that are so.
func mostLetters(all []line, is func(line) bool) float64 {
	are, letters := 0, 0
	for _, l := range all {
		letters += len(l.text)
		if is(l) {
			are += len(l.text)
		}
	}
	return float64(are) / float64(max(1, letters))
}

func round(x float64) float64 { return math.Round(max(0, min(1, x))*1e4) / 1e4 }

func halves(size float64) float64 { return math.Round(size*2) / 2 }

// commonSizes are the sizes of at least a fifth of the letters, to half a point.
func commonSizes(all []line) map[float64]bool {
	letters, total := map[float64]int{}, 0
	for _, l := range all {
		letters[halves(l.size)] += len(l.text)
		total += len(l.text)
	}
	common := map[float64]bool{}
	for size, n := range letters {
		common[size] = n*5 >= total
	}
	return common
}

// bodySize is the size of most letters.
func bodySize(all []line) float64 {
	letters := map[float64]int{}
	best := 0.0
	for _, l := range all {
		s := halves(l.size)
		letters[s] += len(l.text)
		if letters[s] > letters[best] {
			best = s
		}
	}
	return max(1, best)
}

func kindOf(l line, text string, body float64) (BlockKind, int) {
	short := utf8.RuneCountInString(text) < 110
	switch {
	case bullet.MatchString(text) && l.size < 1.3*body:
		return Item, 1
	case short && l.size > 1.6*body:
		return Heading, 1
	case short && l.size > 1.25*body:
		return Heading, 2
	case short && (l.size > 1.1*body || l.bold) && !strings.HasSuffix(text, ".") && !strings.HasSuffix(text, ",") &&
		strings.ContainsFunc(text, isLetter):
		return Heading, 3
	}
	return Paragraph, 0
}

// goesOn reports whether a line goes on with the block before it.
func goesOn(b *Block, before, l line, kind BlockKind, text string) bool {
	if before.cells != nil || b.Kind == Row || b.Kind == Code || b.Kind == Listing || kind == Item {
		return false
	}
	tall := before.bottom - before.top
	follows := before.page == l.page && l.top-before.bottom < 0.75*tall && l.top > before.top
	if b.Kind == Heading || kind == Heading {
		return b.Kind == kind && follows && math.Abs(before.size-l.size) < 0.5
	}
	ended := strings.ContainsAny(b.Text[len(b.Text)-1:], ".!?:")
	if follows {
		// A line that is set in, or after a short one that ends a sentence,
		// begins a paragraph.
		return !(ended && (l.left > before.left+0.8*l.size && b.Kind != Item || before.right < before.left+
			0.6*max(l.right-l.left, 1)))
	}
	first, _ := utf8.DecodeRuneInString(text)
	return !ended && (isLower(first) || strings.HasSuffix(b.Text, "-") ||
		strings.HasSuffix(b.Text, "\u2010")) // in the next column or on the next page
}

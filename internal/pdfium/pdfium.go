// Package pdfium spells out and draws PDFs, by PDFium in a sandbox, and reads
// the text in pictures, by the program tesseract. It is a reading.Engine.
package pdfium

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"image"
	_ "image/gif"  // heads of pictures
	_ "image/jpeg" // heads of pictures
	"image/png"
	"math"
	"os"
	"os/exec"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"time"
	"unicode"

	"github.com/klippa-app/go-pdfium"
	pdferrors "github.com/klippa-app/go-pdfium/errors"
	"github.com/klippa-app/go-pdfium/references"
	"github.com/klippa-app/go-pdfium/requests"
	"github.com/klippa-app/go-pdfium/webassembly"
	"github.com/tetratelabs/wazero"
	"github.com/tetratelabs/wazero/api"
	"github.com/tetratelabs/wazero/experimental"
	_ "golang.org/x/image/bmp"  // heads of pictures
	_ "golang.org/x/image/tiff" // heads of pictures
	_ "golang.org/x/image/webp" // heads of pictures

	"juvalogos/core/phrase"
	"juvalogos/core/reading"
)

// Engine opens PDFs and pictures. PDFium is compiled when the first PDF comes,
// which takes some seconds once; the result is kept in a folder.
type Engine struct {
	cache string

	mu   sync.Mutex
	pool pdfium.Pool
	busy int // instances that are in use or waited for
}

// mostInstances is how many files, or parts of one, are open at once.
const mostInstances = 2

// New returns an engine that keeps what it compiled in a folder.
func New(folder string) *Engine { return &Engine{cache: folder} }

// Warm compiles PDFium, if that has not been done, and keeps it in the folder. It
// fails if it cannot be compiled.
func (e *Engine) Warm() error {
	i, err := e.instance()
	if err != nil {
		return err
	}
	e.leave()
	return i.Close()
}

// Close gives back what the engine holds.
func (e *Engine) Close() {
	e.mu.Lock()
	defer e.mu.Unlock()
	if e.pool != nil {
		_ = e.pool.Close()
	}
}

func (e *Engine) instance() (pdfium.Pdfium, error) {
	e.mu.Lock()
	pool, err := e.started()
	e.busy++
	e.mu.Unlock()
	if err != nil {
		e.leave()
		return nil, err
	}
	i, err := pool.GetInstance(time.Minute)
	if err != nil {
		e.leave()
	}
	return i, err
}

func (e *Engine) leave() {
	e.mu.Lock()
	e.busy--
	e.mu.Unlock()
}

// idle reports whether an instance can be had without waiting.
func (e *Engine) idle() bool {
	e.mu.Lock()
	defer e.mu.Unlock()
	return e.busy < mostInstances
}

// started is the pool, under the lock.
func (e *Engine) started() (pdfium.Pool, error) {
	if e.pool == nil {
		config := wazero.NewRuntimeConfig().
			WithCoreFeatures(api.CoreFeaturesV2 | experimental.CoreFeaturesExceptionHandling).
			WithMemoryLimitPages(mostMemory / (64 << 10))
		if cache, err := wazero.NewCompilationCacheWithDir(e.cache); err == nil {
			config = config.WithCompilationCache(cache)
		}
		pool, err := webassembly.Init(webassembly.Config{MinIdle: 0, MaxIdle: mostInstances, MaxTotal: mostInstances,
			RuntimeConfig: config,
			FSConfig:      wazero.NewFSConfig()})
		if err != nil {
			return nil, fmt.Errorf("start PDFium: %w", err)
		}
		e.pool = pool
	}
	return e.pool, nil
}

// Open opens a PDF, or a picture as a page. The error is a *reading.Problem
// where the file is to blame.
func (e *Engine) Open(ctx context.Context, name string, body []byte, format string) (reading.Pages, error) {
	if format == "picture" {
		if err := smallEnough(name, body); err != nil {
			return nil, err
		}
		return &picture{name: name, body: body}, nil
	}
	i, err := e.instance()
	if err != nil {
		return nil, err
	}
	f := &file{name: name, body: body, engine: e, instance: i}
	opened, err := i.OpenDocument(&requests.OpenDocument{File: &body})
	if err != nil {
		e.leave()
		i.Close()
		if errors.Is(err, pdferrors.ErrPassword) {
			return nil, &reading.Problem{File: name, What: phrase.Of("it is locked with a password; save it without " +
				"one " +
				"and add it again")}
		}
		return nil, &reading.Problem{File: name, What: phrase.Of("it is no whole PDF; perhaps it was not downloaded " +
			"to its " +
			"end")}
	}
	f.document = opened.Document
	pages, err := i.FPDF_GetPageCount(&requests.FPDF_GetPageCount{Document: f.document})
	if err != nil {
		f.Close()
		return nil, &reading.Problem{File: name, What: phrase.Of("its pages cannot be counted; the PDF is broken")}
	}
	f.pages = pages.PageCount
	if meta, err := i.GetMetaData(&requests.GetMetaData{Document: f.document}); err == nil {
		for _, t := range meta.Tags {
			if t.Tag == "Title" {
				f.title = t.Value
			}
		}
	}
	return f, nil
}

type file struct {
	name, title string
	body        []byte
	engine      *Engine
	instance    pdfium.Pdfium
	document    references.FPDF_DOCUMENT
	pages       int
}

func (f *file) Count() int    { return f.pages }
func (f *file) Title() string { return f.title }

func (f *file) Close() {
	_, _ = f.instance.FPDF_CloseDocument(&requests.FPDF_CloseDocument{Document: f.document})
	_ = f.instance.Close()
	f.engine.leave()
}

// largestTwice is how large a file may be that is opened twice, in bytes: its pages
// take memory too.
const largestTwice = 20 << 20

// Again opens the file once more, if it is not too large and that can be done
// without waiting.
func (f *file) Again(ctx context.Context) (reading.Pages, bool) {
	if len(f.body) > largestTwice || !f.engine.idle() {
		return nil, false
	}
	pages, err := f.engine.Open(ctx, f.name, f.body, "pdf")
	return pages, err == nil
}

func (f *file) page(n int) requests.Page {
	return requests.Page{ByIndex: &requests.PageByIndex{Document: f.document, Index: n - 1}}
}

func (f *file) broken(n int) error {
	return &reading.Problem{File: f.name, What: phrase.Of("page %d cannot be read; the PDF is broken", n)}
}

func (f *file) Page(_ context.Context, n int) (reading.Page, error) {
	size, err := f.instance.GetPageSize(&requests.GetPageSize{Page: f.page(n)})
	if err != nil || size.Width <= 0 || size.Height <= 0 {
		return reading.Page{}, f.broken(n)
	}
	loaded, err := f.instance.FPDFText_LoadPage(&requests.FPDFText_LoadPage{Page: f.page(n)})
	if err != nil {
		return reading.Page{}, f.broken(n)
	}
	s := spelling{f: f, page: loaded.TextPage, height: size.Height}
	defer func() { // nothing is done about a page that cannot be closed
		_, _ = f.instance.FPDFText_ClosePage(&requests.FPDFText_ClosePage{TextPage: s.page})
	}()
	if err := s.spell(); err != nil {
		return reading.Page{}, f.broken(n)
	}
	return reading.Page{Width: size.Width, Height: size.Height, Runs: s.runs}, nil
}

// spelling puts a page's words together that follow each other on a line. What
// costs is asking PDFium: of a word it is asked for its first and last letter
// and for its font, and nothing of other letters.
type spelling struct {
	f      *file
	page   references.FPDF_TEXTPAGE
	height float64
	runs   []reading.Run
	run    reading.Run
	text   strings.Builder // of the run
	bold   int             // letters of the run that are
	drawn  int             // letters of the run
	weight int             // of the font that was looked at last, which is heavy or fixed
	heavy  bool
	fixed  bool
	words  []int // where those of the run begin
}

// spell reads all words of the page.
func (s *spelling) spell() error {
	chars, err := s.f.instance.FPDFText_CountChars(&requests.FPDFText_CountChars{TextPage: s.page})
	if err != nil || chars.Count == 0 {
		return err
	}
	letters, err := s.letters(chars.Count)
	if err != nil {
		return err
	}
	from := -1
	for i, r := range letters {
		switch {
		case r == '\u0002' || r == '\ufffe': // a hyphen at the end of a line
			if from < 0 {
				from = i
			}
			letters[i] = '-'
			s.word(letters, from, i)
			s.end()
			from = -1
		case r == '\r' || r == '\n':
			s.word(letters, from, i-1)
			s.end()
			from = -1
		case r == 0 || unicode.IsSpace(r):
			s.word(letters, from, i-1)
			from = -1
			if s.text.Len() > 0 {
				s.text.WriteByte(' ')
			}
		case from < 0:
			from = i
		}
	}
	s.word(letters, from, len(letters)-1)
	s.end()
	return nil
}

// letters are the page's characters, each at its own place.
func (s *spelling) letters(count int) ([]rune, error) {
	whole, err := s.f.instance.FPDFText_GetText(&requests.FPDFText_GetText{TextPage: s.page, Count: count})
	if err != nil {
		return nil, err
	}
	letters := []rune(strings.TrimRight(whole.Text, "\x00"))
	if len(letters) == count {
		return letters, nil
	}
	// Some are not written out, or in two halves: they are asked for one by one.
	letters = make([]rune, count)
	for i := range letters {
		c, err := s.f.instance.FPDFText_GetUnicode(&requests.FPDFText_GetUnicode{TextPage: s.page, Index: i})
		if err != nil {
			return nil, err
		}
		letters[i] = rune(c.Unicode)
	}
	return letters, nil
}

// box is where a letter stands, from the page's upper left corner.
func (s *spelling) box(i int) (left, top, right, bottom float64, ok bool) {
	if loose, err := s.f.instance.FPDFText_GetLooseCharBox(&requests.FPDFText_GetLooseCharBox{TextPage: s.page,
		Index: i}); err == nil && loose.Rect.Right > loose.Rect.Left && loose.Rect.Top > loose.Rect.Bottom {
		r := loose.Rect
		tall := float64(r.Top - r.Bottom) // it has room for any letter of the font
		return float64(r.Left), s.height - float64(r.Top) + 0.16*tall, float64(r.Right),
			s.height - float64(r.Bottom) - 0.04*tall, true
	}
	tight, err := s.f.instance.FPDFText_GetCharBox(&requests.FPDFText_GetCharBox{TextPage: s.page, Index: i})
	if err != nil || tight.Right <= tight.Left {
		return 0, 0, 0, 0, false
	}
	return tight.Left, s.height - tight.Top, tight.Right, s.height - tight.Bottom, true
}

// word adds the letters from one to another, both with it.
func (s *spelling) word(letters []rune, from, to int) {
	if from < 0 || to < from {
		return
	}
	text := string(letters[from : to+1])
	left, top, right, bottom, ok := s.box(from)
	for ; !ok && from < to; from++ { // what takes no room has no place
		left, top, right, bottom, ok = s.box(from + 1)
	}
	if !ok {
		s.text.WriteString(text)
		return
	}
	if to > from {
		if l, t, r, b, ok := s.box(to); ok {
			left, top, right, bottom = min(left, l), min(top, t), max(right, r), max(bottom, b)
		}
	}
	size, weight := bottom-top, 0
	if f, err := s.f.instance.FPDFText_GetFontSize(&requests.FPDFText_GetFontSize{TextPage: s.page,
		Index: from}); err == nil && f.FontSize > 0 {
		size = f.FontSize
	}
	if w, err := s.f.instance.FPDFText_GetFontWeight(&requests.FPDFText_GetFontWeight{TextPage: s.page,
		Index: from}); err == nil {
		weight = w.FontWeight
	}
	r := &s.run
	if s.drawn > 0 && (left > r.Right+1.5*size || left < r.Left-size || top > r.Bottom+0.3*size ||
		bottom < r.Top-0.3*size) {
		s.end()
	}
	n := to - from + 1
	if s.drawn == 0 || weight != s.weight {
		s.look(from, weight)
	}
	if s.drawn == 0 {
		*r = reading.Run{Left: left, Top: top, Right: right, Bottom: bottom, Size: size, Mono: s.fixed}
		s.words = s.words[:0]
	}
	s.words = append(s.words, from)
	r.Left, r.Right, r.Top, r.Bottom = min(r.Left, left), max(r.Right, right), min(r.Top, top), max(r.Bottom, bottom)
	r.Size = max(r.Size, size)
	if s.heavy {
		s.bold += n
	}
	s.drawn += n
	s.text.WriteString(text)
}

// end ends a run.
func (s *spelling) end() {
	if s.run.Text = strings.TrimSpace(s.text.String()); s.run.Text != "" && s.drawn > 0 {
		s.run.Bold = s.bold*2 > s.drawn
		// Of a run that begins as wide letters do, a word in the midst and the last
		// tell whether it goes on so.
		for _, at := range []int{len(s.words) / 2, len(s.words) - 1} {
			if at > 0 && s.run.Mono {
				s.look(s.words[at], s.weight)
				s.run.Mono = s.fixed
			}
		}
		s.weight = -2 // what follows is looked at
		s.runs = append(s.runs, s.run)
	}
	s.run = reading.Run{}
	s.text.Reset()
	s.bold, s.drawn = 0, 0
}

// look finds out of the font of a letter, which is of some weight, whether it is
// bold, and whether all of its letters are as wide.
func (s *spelling) look(i, weight int) {
	s.weight, s.heavy, s.fixed = weight, weight >= 600, false
	f, err := s.f.instance.FPDFText_GetFontInfo(&requests.FPDFText_GetFontInfo{TextPage: s.page, Index: i})
	if err != nil {
		return
	}
	const fixedPitch = 1 // of ISO 32000-1, table 123
	s.heavy = s.heavy || strings.Contains(strings.ToLower(f.FontName), "bold")
	s.fixed = f.Flags&fixedPitch != 0 || monoNames.MatchString(f.FontName)
}

var monoNames = regexp.MustCompile(`(?i)mono|courier|consol|typewriter|cmtt|sftt|lmtt|ectt|menlo`)

const (
	// mostPixels is how large a picture may be that is drawn or read: a page of
	// newspaper at 200 dots per inch has about as many.
	mostPixels = 40_000_000
	// mostMemory is what PDFium may take, in bytes, for one document.
	mostMemory = 768 << 20
	// leastDPI is the least at which anything can be made out.
	leastDPI = 4
)

// dpiFor is at how many dots per inch a page is drawn that is to be drawn at so
// many: fewer where it is very large. 0: it is too large to be drawn at all.
func dpiFor(width, height float64, dpi int) int {
	fits := math.Sqrt(mostPixels/(max(width, 1)*max(height, 1))) * 72
	if dpi = min(dpi, int(fits)); dpi < leastDPI {
		return 0
	}
	return dpi
}

// Draw draws a page as a PNG of so many dots per inch, of fewer if it is very
// large.
func (f *file) Draw(n, dpi int) ([]byte, error) {
	drawn, _, err := f.draw(n, dpi)
	return drawn, err
}

func (f *file) draw(n, dpi int) (picture []byte, at int, err error) {
	size, err := f.instance.GetPageSize(&requests.GetPageSize{Page: f.page(n)})
	if err != nil || size.Width <= 0 || size.Height <= 0 {
		return nil, 0, f.broken(n)
	}
	if at = dpiFor(size.Width, size.Height, dpi); at == 0 {
		return nil, 0, &reading.Problem{File: f.name, What: phrase.Of("page %d is too large to be drawn", n)}
	}
	drawn, err := f.instance.RenderPageInDPI(&requests.RenderPageInDPI{Page: f.page(n), DPI: at})
	if err != nil {
		return nil, 0, f.broken(n)
	}
	defer drawn.Cleanup()
	var b bytes.Buffer
	encoder := png.Encoder{CompressionLevel: png.BestSpeed}
	if err := encoder.Encode(&b, drawn.Result.RenderedImage); err != nil {
		return nil, 0, err
	}
	return b.Bytes(), at, nil
}

// recognitionDPI is what tesseract reads best.
const recognitionDPI = 200

func (f *file) Recognise(ctx context.Context, n int) (reading.Page, error) {
	drawn, at, err := f.draw(n, recognitionDPI)
	if err != nil {
		return reading.Page{}, err
	}
	return recognise(ctx, f.name, drawn, 72.0/float64(at))
}

// smallEnough refuses pictures that unpack to more pixels than are ever needed,
// by what their heads say, before anything is unpacked.
func smallEnough(name string, body []byte) error {
	head, _, err := image.DecodeConfig(bytes.NewReader(body))
	if err != nil || head.Width <= 0 || head.Height <= 0 {
		return &reading.Problem{File: name, What: phrase.Of("it is no picture that can be read, or it is broken")}
	}
	if pixels := int64(head.Width) * int64(head.Height); pixels > mostPixels {
		return &reading.Problem{File: name, What: phrase.Of("it is too large a picture: it has %d million dots; up "+
			"to %d "+
			"million are read", pixels/1_000_000, mostPixels/1_000_000)}
	}
	return nil
}

// picture is a picture of a page.
type picture struct {
	name string
	body []byte
}

// Again has nothing to open: a picture is one page.
func (p *picture) Again(context.Context) (reading.Pages, bool) { return nil, false }

func (p *picture) Count() int    { return 1 }
func (p *picture) Title() string { return "" }
func (p *picture) Close()        {}

func (p *picture) Draw(int, int) ([]byte, error) { return p.body, nil }

func (p *picture) Page(context.Context, int) (reading.Page, error) { return reading.Page{}, nil }

func (p *picture) Recognise(ctx context.Context, _ int) (reading.Page, error) {
	return recognise(ctx, p.name, p.body, 1)
}

// longestRecognition bounds one page.
const longestRecognition = 2 * time.Minute

// recognise has tesseract read a picture; scale makes points of its dots.
func recognise(ctx context.Context, name string, body []byte, scale float64) (reading.Page, error) {
	program, err := exec.LookPath("tesseract")
	if err != nil {
		return reading.Page{}, &reading.Problem{File: name,
			What: phrase.Of("it holds pictures of text, and the program " +
				"that reads these, tesseract, is not installed here")}
	}
	limited, cancel := context.WithTimeout(ctx, longestRecognition)
	defer cancel()
	cmd := exec.CommandContext(limited, program, "stdin", "stdout", "tsv")
	cmd.Stdin = bytes.NewReader(body)
	// Nothing of our own environment but where its data is.
	cmd.Env = []string{"OMP_THREAD_LIMIT=1", "PATH=/usr/bin:/bin", "LANG=C.UTF-8"}
	if data := os.Getenv("TESSDATA_PREFIX"); data != "" {
		cmd.Env = append(cmd.Env, "TESSDATA_PREFIX="+data)
	}
	var out, complaint bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &complaint
	if err := cmd.Run(); err != nil {
		if ctx.Err() != nil { // the file is not to blame
			return reading.Page{}, context.Cause(ctx)
		}
		if limited.Err() != nil {
			return reading.Page{}, &reading.Problem{File: name,
				What: phrase.Of("reading the text in its picture took too long")}
		}
		return reading.Page{}, &reading.Problem{File: name,
			What: phrase.Of("it is no picture that can be read, or it is " +
				"broken")}
	}
	return fromTSV(out.String(), scale), nil
}

// leastConfidence is, of 100, what tesseract must be sure of a word.
const leastConfidence = 30

// fromTSV reads tesseract's table of words with their boxes.
func fromTSV(text string, scale float64) reading.Page {
	var p reading.Page
	r := csv.NewReader(strings.NewReader(text))
	r.Comma, r.LazyQuotes, r.FieldsPerRecord = '\t', true, -1
	rows, _ := r.ReadAll()
	number := func(s string) float64 {
		n, _ := strconv.ParseFloat(s, 64)
		return n * scale
	}
	type span struct{ top, bottom float64 }
	lines := map[string]span{} // words stand between the edges of their line
	for _, row := range rows {
		if len(row) >= 12 && row[0] == "4" {
			lines[strings.Join(row[1:5], " ")] = span{number(row[7]), number(row[7]) + number(row[9])}
		}
	}
	for _, row := range rows {
		if len(row) < 12 {
			continue
		}
		if row[0] == "1" {
			p.Width, p.Height = number(row[8]), number(row[9])
		}
		sure, err := strconv.ParseFloat(row[10], 64)
		if row[0] != "5" || err != nil || sure < leastConfidence || strings.TrimSpace(row[11]) == "" {
			continue
		}
		left, width, l := number(row[6]), number(row[8]), lines[strings.Join(row[1:5], " ")]
		// How tall a line is depends on its letters: only large steps tell.
		size := math.Round((l.bottom-l.top)/5) * 5
		p.Runs = append(p.Runs, reading.Run{Text: row[11], Left: left, Top: l.top, Right: left + width,
			Bottom: l.bottom, Size: max(5, size)})
	}
	return p
}

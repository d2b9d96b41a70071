package reading

import (
	"regexp"
	"strconv"
	"strings"
)

// roman are the numbers that pages before the first have.
const roman = `(?:c{0,3}(?:xc|xl|l?x{1,3}|l)(?:ix|iv|v?i{0,3})|c{0,3}(?:ix|iv|v?i{1,3}|v)|c{1,3})`

// somePages are a page, or several that follow each other.
const somePages = `(?:\d{1,4}(?:\s*[-–f]+\s*\d*)?|` + roman + `)`

// fewestListed is how many pages a document has at least that says where in it
// something is.
const fewestListed = 4

var (
	// leaders are the dots that lead from an entry to its page.
	leaders = regexp.MustCompile(`(?:\.\s?){4,}\s*(?:\d{1,4}|` + roman + `)?\s*$`)
	// endsInPage is a line that ends with the number of a page.
	endsInPage = regexp.MustCompile(`^.*\pL.*\s(?:\d{1,4}|` + roman + `)$`)
	// indexEntry is a line of an index: a word, and the pages where it is.
	indexEntry    = regexp.MustCompile(`^.{1,80}?,?\s*\pL?.*,\s*` + somePages + `(?:,\s*` + somePages + `)*,?$`)
	lastNumber    = regexp.MustCompile(`(\d+)\D*$`)
	contentsTitle = regexp.MustCompile(`(?i)^(?:table of )?contents$|^(?:list of (?:figures|tables|listings))$|` +
		`^(?:inhalt(?:sverzeichnis)?|sommaire|table des matières|índice|indice|sommario|inhoud|innehåll|` +
		`содержание|оглавление|目次|目录)$`)
	indexTitle = regexp.MustCompile(`(?i)^(?:(?:general |subject |concept |function |name |command |variable |key )?` +
		`index(?: of .*)?|(?:stich|sach)?(?:wort)?register|stichwortverzeichnis)$`)
)

// isIndexEntry is what indexEntry matches; most lines are told at a glance.
func isIndexEntry(text string) bool {
	n := len(text)
	if n == 0 || n > 400 || !strings.Contains(text, ",") || !strings.ContainsRune("0123456789,ivxlcf–-",
		rune(text[n-1])) {
		return false
	}
	return indexEntry.MatchString(text)
}

// isContentsEntry reports a line that leads to a page, or ends with one.
func isContentsEntry(text string) bool {
	n := len(text)
	return n > 0 && strings.ContainsRune("0123456789ivxlc. ", rune(text[n-1])) &&
		(leads(text) || endsInPage.MatchString(text))
}

// leads reports a line with leaders.
func leads(text string) bool {
	return (strings.Contains(text, "...") || strings.Contains(text, ". .")) && leaders.MatchString(text)
}

// leadsWithin reports whether a line leads to a page that there is: prices and years
// stand at the ends of lines too.
func leadsWithin(text string, pages int) bool {
	found := lastNumber.FindStringSubmatch(text)
	if found == nil {
		return true // counted by letters, or not at all
	}
	n, err := strconv.Atoi(found[1])
	return err == nil && n <= pages
}

// indexLines counts lines that could be an index's.
func indexLines(lines []line) (n int) {
	for _, l := range lines {
		if isIndexEntry(strings.TrimSpace(l.text)) {
			n++
		}
	}
	return n
}

// markListings marks the lines of lists of contents and of indexes: those with
// leaders to a page, what stands between them, and on pages where most lines are
// entries all of them.
func markListings(all []line, pages int) {
	if pages < fewestListed {
		return
	}
	for from := 0; from < len(all); {
		to := from
		for to < len(all) && all[to].page == all[from].page {
			to++
		}
		if listed(all[from:to], pages, from > 0 && all[from-1].listing) {
			for i := from; i < to; i++ {
				all[i].listing = true
			}
		}
		from = to
	}
	last := -1
	for i := range all {
		if !leads(all[i].text) || all[i].cells != nil || !leadsWithin(all[i].text, pages) {
			continue
		}
		all[i].listing = true
		if last >= 0 && i-last <= 4 { // entries that go over lines, or have no page
			for j := last + 1; j < i; j++ {
				all[j].listing = all[j].listing || all[j].cells == nil
			}
		}
		last = i
	}
}

// listed reports whether a page's lines are entries, nearly all: of contents
// under their title or after a page of such, or of an index.
func listed(lines []line, pages int, goesOn bool) bool {
	contents, index, all := 0, 0, 0
	titled := goesOn
	for i, l := range lines {
		text := squeeze(l.text)
		if i < 3 && (contentsTitle.MatchString(text) || indexTitle.MatchString(text)) {
			titled = true
			continue
		}
		if l.cells != nil {
			text = squeeze(row(nil, l.cells))
		}
		all++
		if !leadsWithin(text, pages) {
			continue
		}
		if isContentsEntry(text) {
			contents++
		}
		if isIndexEntry(text) {
			index++
		}
	}
	if titled {
		return all >= 4 && (contents*10 >= all*6 || index*10 >= all*4)
	}
	return all >= 16 && index*10 >= all*6
}

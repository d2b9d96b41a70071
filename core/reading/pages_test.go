package reading

import (
	"slices"
	"strings"
	"testing"
)

// at is a run of a font of 10 points.
func at(left, top float64, text string) Run {
	return Run{Text: text, Left: left, Right: left + 5*float64(len(text)), Top: top, Bottom: top + 10, Size: 10}
}

func texts(blocks []Block) (all []string) {
	for _, b := range blocks {
		all = append(all, string(b.Kind)+": "+b.Text)
	}
	return all
}

func TestPagesAreReadAsPeopleReadThem(t *testing.T) {
	heading := func(left, top float64, text string) Run {
		r := at(left, top, text)
		r.Size, r.Bold = 20, true
		return r
	}
	for name, c := range map[string]struct {
		runs []Run
		want []string
	}{
		"two columns, one begins higher": {
			[]Run{
				heading(50, 20, "A title over both of the two columns that follow it here"),
				at(300, 58, "right one goes"), at(50, 64, "left one is"), at(300, 70, "on and ends."),
				at(50, 76, "hyphen-"), at(50, 88, "ated here."), at(300, 90, "Another one."),
			},
			[]string{"heading: A title over both of the two columns that follow it here",
				"paragraph: left one is hyphenated here.", "paragraph: right one goes on and ends.",
				"paragraph: Another one."},
		},
		"a table keeps its columns' names": {
			[]Run{
				at(50, 20, "Month"), at(200, 20, "Mites"), at(350, 20, "Do"),
				at(50, 40, "May"), at(200, 40, "3"), at(350, 40, "wait"),
				at(50, 60, "July"), at(200, 60, "8"), at(350, 60, "treat"),
				at(50, 80, "August"), at(350, 80, "treat at once"), at(200, 80, "10"),
			},
			[]string{"row: Month: May; Mites: 3; Do: wait", "row: Month: July; Mites: 8; Do: treat",
				"row: Month: August; Mites: 10; Do: treat at once"},
		},
		"lists": {
			[]Run{at(50, 20, "Bring:"), at(50, 35, "- a veil"), at(50, 50, "- gloves that you"),
				at(60, 61, "can feel through")},
			[]string{"paragraph: Bring:", "item: - a veil", "item: - gloves that you can feel through"},
		},
	} {
		got := texts(FromPages([]Page{{Width: 595, Height: 842, Runs: c.runs}}))
		if !slices.Equal(got, c.want) {
			t.Errorf("%s:\n%q\n%q", name, got, c.want)
		}
	}
}

func TestHeadersAndFootersAreDropped(t *testing.T) {
	var pages []Page
	for _, text := range []string{"The first page says this and goes", "on here.", "The third one."} {
		pages = append(pages, Page{Width: 595, Height: 842,
			Runs: []Run{at(50, 20, "The handbook"), at(50, 300, text),
				at(280, 820, "Page "+string(rune('1'+len(pages))))}})
	}
	blocks := FromPages(pages)
	if got := texts(blocks); !slices.Equal(got,
		[]string{"paragraph: The first page says this and goes on here.", "paragraph: The third one."}) {
		t.Errorf("%q", got)
	}
	// Every line knows its page and its box.
	marks := blocks[0].Marks
	if len(marks) != 2 || marks[0].Page != 1 || marks[1].Page != 2 ||
		!strings.HasPrefix(blocks[0].Text[marks[1].At:], "on here") || marks[0].Box[0] == 0 {
		t.Errorf("%+v", marks)
	}
}

// Prices and years at the ends of lines are no pages, and short documents have no
// lists of them.
func TestPriceListsAreNoContents(t *testing.T) {
	page := func(lines ...string) Page {
		p := Page{Width: 600, Height: 800}
		for i, l := range lines {
			top := 100 + float64(i)*15
			p.Runs = append(p.Runs, Run{Text: l, Left: 50, Top: top, Right: 450, Bottom: top + 10, Size: 10})
		}
		return p
	}
	var prices, years []string
	for _, what := range strings.Fields("comb wax honey candles mead soap salve pollen jars veils gloves smokers " +
		"frames hives boxes feeders stands books") {
		prices = append(prices, what+" . . . . . . . . 45")
		years = append(years, what+", a treatise, 1987")
	}
	listings := func(pages ...Page) (n int) {
		for _, b := range FromPages(pages) {
			if b.Kind == Listing {
				n++
			}
		}
		return n
	}
	rest := []Page{page("One."), page("Two."), page("Three."), page("Four.")}
	if n := listings(page(prices...)); n > 0 {
		t.Errorf("%d prices of a leaflet are contents", n)
	}
	if n := listings(append(rest, page(prices...))...); n > 0 {
		t.Errorf("%d prices are contents", n)
	}
	if n := listings(append(rest, page(years...))...); n > 0 {
		t.Errorf("%d years are an index", n)
	}
	var contents []string
	for i, l := range prices {
		contents = append(contents, strings.Replace(l, "45", []string{"1", "3", "iv"}[i%3], 1))
	}
	if n := listings(append(rest, page(contents...))...); n != len(contents) {
		t.Errorf("%d of %d entries are contents", n, len(contents))
	}
	for text, is := range map[string]bool{"iv": true, "xii": true, "– vii –": true, "xl": true, "civil": false,
		"mix": false,
		"ill": false, "": false} {
		if pageNumber.MatchString(text) != is {
			t.Errorf("%q is a page's number: %v", text, !is)
		}
	}
}

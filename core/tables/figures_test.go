package tables

import (
	"fmt"
	"strings"
	"testing"
)

var honey = &Result{Total: 3, Read: 24, Of: 48, Columns: []Head{{Title: "Meadow", Kind: Text},
	{Title: "Honey (kg)", Kind: Decimal}, {Title: "Day", Kind: Date}},
	Rows: [][]string{{"Larch Hill", "639", "2025-07-14"}, {"Mill Meadow 2", "400.7", "2025-08-02"},
		{"Long Acre", "1213.25", "2024-06-30"}}}

// Each number of a sentence follows from the result or is marked: the ones in brackets.
func TestNumbersAreHeld(t *testing.T) {
	for _, c := range []struct{ text, loose string }{
		{"Larch Hill gave 639 kg.", ""},
		{"Larch Hill gave 640 kg.", "640"},
		{"Long Acre gave 1,213.25 kg, or about 1,213.", ""},
		{"Long Acre gave 1.213,25 kg.", ""},
		{"It was 1.2 thousand kg.", ""},
		{"It was 1.3 thousand kg.", "1.3"},
		{"Mill Meadow 2 gave 400.7 kg.", ""},
		{"Mill Meadow 3 gave 400.7 kg.", "3"},
		{"Three meadows, from 24 of 48 rows.", ""},
		{"Seven meadows.", "Seven"},
		{"One of them is best.", ""},
		{"Together it was 2,252.95 kg.", ""},
		{"Larch Hill has 2,252.95 kg.", "2,252.95"},
		{"On average it was 750.98 kg.", ""},
		{"Larch Hill gave 238.3 kg more than Mill Meadow 2.", ""},
		{"Larch Hill gave 574.25 kg less than Long Acre.", ""},
		{"Larch Hill gave 812.55 kg more than it should.", "812.55"},
		{"Long Acre has 54 % of the whole.", ""},
		{"Long Acre has 64 % of the whole.", "64"},
		{"Long Acre gave three times as much as Mill Meadow 2.", ""},
		{"Long Acre gave four times as much as Mill Meadow 2.", "four"},
		{"That is 50 % of the rows.", ""},
		{"It was on 14 July 2025.", ""},
		{"It was on 15 July 2025.", "15"},
		{"It was on 2025-07-14.", ""},
		{"In 2019 it was less.", "2019"},
		{"1. Larch Hill\n2. Long Acre", ""},
		{"Q1 was good, so was H2O.", ""},
		{"The weight fell by 574.25 from Long Acre to Larch Hill.", ""},
		{"You asked for the top 5.", ""},
		{"−639 it is.", "−639"},
		{"Long Acre gave 1213.2500 kg (2024-06-30), Larch Hill 639.01.", "639.01"},
		{"On average it was 750.98333333333 kg.", ""},
		{"Long Acre gave 1213.25 kg [4].", ""},
	} {
		f := Hold(c.text, "the top 5 meadows", honey)
		var loose []string
		for _, n := range f.Numbers {
			if !n.Holds {
				loose = append(loose, c.text[n.From:n.To])
			} else if n.Says.IsZero() {
				t.Errorf("%s: %s holds, and nobody says why", c.text, c.text[n.From:n.To])
			}
		}
		if got := strings.Join(loose, " "); got != c.loose || f.Loose != len(loose) {
			t.Errorf("%s: loose are %q, want %q", c.text, got, c.loose)
		}
	}
}

// A number that a sentence says and that was changed is told of, whatever stands around it.
func TestFalsifiedNumbersAreMarked(t *testing.T) {
	r := &Result{Columns: []Head{{Title: "Town", Kind: Text}, {Title: "Members", Kind: Whole}}, Total: 5, Of: 140}
	for i, town := range []string{"Alder Vale", "Mill End", "Larch Hill", "Upper Stane", "Hollow Lane"} {
		r.Rows = append(r.Rows, []string{town, fmt.Sprint(137*(i+1) + 20*i)})
	}
	forms := []string{"%s has %d members.", "There are %[2]d members in %[1]s.", "In %s: **%d**.",
		"By town, %s comes first with %d, ahead of the others."}
	marked, all := 0, 0
	for _, form := range forms {
		for _, row := range r.Rows {
			var n int
			fmt.Sscan(row[1], &n)
			if f := Hold(fmt.Sprintf(form, row[0], n), "", r); f.Loose != 0 {
				t.Errorf("%v is marked", fmt.Sprintf(form, row[0], n))
			}
			for _, wrong := range []int{n + 1, n - 1, n * 10, n + 100, n*2 + 3} {
				all++
				marked += Hold(fmt.Sprintf(form, row[0], wrong), "", r).Loose
			}
		}
	}
	if marked != all {
		t.Errorf("%d of %d false numbers are marked", marked, all)
	}
}

func FuzzHold(f *testing.F) {
	f.Add("Larch Hill gave 1.234,5 kg on 3 May 2024, 12 % more", "top 5")
	f.Fuzz(func(t *testing.T, text, question string) {
		for _, n := range Hold(text, question, honey).Numbers {
			if n.From < 0 || n.To > len(text) || n.From >= n.To {
				t.Fatalf("%+v of %q", n, text)
			}
		}
	})
}

package words

import (
	"slices"
	"strings"
	"testing"
)

func TestOf(t *testing.T) {
	got := Of("The smoker, the SMOKER! Zügig; cafe\u0301 4711 don't हिन्दी")
	want := []string{"the", "smoker", "zügig", "café", "4711", "don", "t", "हिन्दी"}
	if !slices.Equal(got, want) {
		t.Errorf("got %q, want %q", got, want)
	}
	if got := Of("蜂蜜很好"); !slices.Equal(got, []string{"蜂蜜", "蜜很", "很好", "好"}) {
		t.Errorf("without spaces: %q", got)
	}
	if got := Query("蜂蜜酒 x", 5); !slices.Equal(got, []string{"蜂蜜", "蜜酒", "x"}) {
		t.Errorf("a query of %q", got)
	}
	if got := Query("B a b C", 2); !slices.Equal(got, []string{"b", "a"}) {
		t.Errorf("a query of %q", got)
	}
}

func text(pieces []Piece) (all, hits string) {
	for _, p := range pieces {
		all += p.Text
		if p.Hit {
			hits += p.Text + " "
		}
	}
	return all, strings.TrimSpace(hits)
}

func TestExcerpt(t *testing.T) {
	far := strings.Repeat("filler ", 100)
	for _, c := range []struct{ text, query, hits string }{
		{"How do I light a smoker?", "smok", "smoker"},
		// where both are
		{far + "light" + strings.Repeat(" x", 60) + " wet wood, and light it" + far, "wood light", "wood light"},
		{"nothing", "wood", ""},
		{"", "wood", ""},
		{"Wood", "wood", "Wood"},
		{"我们的蜂蜜酒很好", "蜂蜜 蜜酒", "蜂蜜 酒"},
		{"我们的酒很好", "好", "好"},
		{far + "am Ende fängt er an", "fängt", "fängt"},
	} {
		pieces := Excerpt(c.text, strings.Fields(c.query))
		all, hits := text(pieces)
		if hits != c.hits {
			t.Errorf("%q in %.30q…: hits %q, want %q", c.query, c.text, hits, c.hits)
		}
		if n := len(strings.Fields(all)); n > around+2 {
			t.Errorf("%d words: %q", n, all)
		}
	}
}

func FuzzExcerpt(f *testing.F) {
	f.Add("How do I light a smoker?", "smok li")
	f.Fuzz(func(t *testing.T, source, typed string) {
		query := Query(typed, 12)
		pieces := Excerpt(source, query)
		found := slices.ContainsFunc(Of(source), func(w string) bool {
			return slices.ContainsFunc(query, func(q string) bool { return strings.HasPrefix(w, q) })
		})
		if _, hits := text(pieces); (hits != "") != found {
			t.Errorf("%q in %q: %+v", typed, source, pieces)
		}
	})
}

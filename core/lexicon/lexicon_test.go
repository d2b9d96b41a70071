package lexicon

import (
	"fmt"
	"slices"
	"testing"
)

func TestForms(t *testing.T) {
	for word, want := range map[string]Form{
		"went": {"go", Verb}, "children": {"child", Noun}, "stopped": {"stop", Verb},
		"bigger": {"big", Adjective}, "ladies": {"lady", Noun}, "bees": {"bee", Noun}, "lying": {"lie", Verb},
		"making": {"make", Verb}, "boxes": {"box", Noun}, "better": {"good", Adjective},
		"quickly": {"quickly", Adverb}} {
		found := false
		for _, f := range Load().Forms(word) {
			found = found || f == want
		}
		if !found {
			t.Errorf("%s is of %v, which is without %v", word, Load().Forms(word), want)
		}
	}
	if got := Load().Forms("xqzzt"); len(got) != 0 {
		t.Error(got)
	}
}

func TestBetween(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want Relation
	}{
		{"goes", "went", Same},
		{"buy", "purchased", Synonym}, {"car", "automobile", Synonym},
		{"decide", "decision", Made},
		{"bee", "insect", Broader},
		{"insects", "bee", Narrower}, {"hot", "cold", Opposite},
		{"open", "closed", Opposite},
		{"monday", "friday", Sibling},
		{"red", "blue", Sibling}, {"library", "xqzzt", None},
		{"winter", "summer", Sibling},
		{"dog", "library", None},
		{"allow", "forbid", Opposite}, {"arrive", "leave", Opposite},
	} {
		if got := Load().Between(c.a, c.b, 3); got != c.want {
			t.Errorf("%s, %s: %d, not %d", c.a, c.b, got, c.want)
		}
	}
}

func TestKin(t *testing.T) {
	for _, c := range []struct{ word, form, synonym string }{
		{"went", "go", ""}, {"go", "went", ""}, {"mice", "mouse", ""}, {"child", "children", "kid"},
		{"buy", "bought", "purchase"}, {"car", "", "automobile"}, {"begin", "began", "start"},
	} {
		forms, synonyms := Load().Kin(c.word, 2)
		if c.form != "" && !slices.Contains(forms, c.form) || c.synonym != "" && !slices.Contains(synonyms,
			c.synonym) ||
			slices.Contains(forms, c.word) || slices.Contains(synonyms, c.word) {
			t.Errorf("%s: %v, %v", c.word, forms, synonyms)
		}
	}
	if forms, synonyms := Load().Kin("xqzzt", 2); forms != nil || synonyms != nil {
		t.Error(forms, synonyms)
	}
}

func TestIs(t *testing.T) {
	if v := Load().Is("stands", Verb); v < 0.5 {
		t.Error(v)
	}
	if n := Load().Is("meadow", Noun); n < 0.9 {
		t.Error(n)
	}
}

func Example() {
	l := Load()
	fmt.Println(l.Forms("went")[0].Word, l.Between("hot", "cold", 3) == Opposite)
	// Output: go true
}

package language

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"unicode"
)

func Example() {
	cut := Cutter{}.Ready()
	cut.Each("Die Mitglieder trafen sich 1987.", func(w Word) bool {
		fmt.Println(Stem("de", strings.ToLower(w.Text)))
		return true
	})
	text := "Feed them at dusk, e.g. at 8 p.m. in May. Not earlier!"
	for _, s := range Sentences(text) {
		fmt.Println(text[s[0]:s[1]])
	}
	// Output:
	// die
	// mitglied
	// traf
	// sich
	// 1987
	// Feed them at dusk, e.g. at 8 p.m. in May.
	// Not earlier!
}

func TestSentences(t *testing.T) {
	for text, want := range map[string][]string{
		"Bees fly. They dance! Do they sleep? Yes.":     {"Bees fly.", "They dance!", "Do they sleep?", "Yes."},
		"Use 3.5 kg, e.g. of sugar. Mr. Hale knows.":    {"Use 3.5 kg, e.g. of sugar.", "Mr. Hale knows."},
		"“Stop.” He left. See os.path.join for more.":   {"“Stop.”", "He left.", "See os.path.join for more."},
		"Feed in autumn [1]. Never in May.[2] Or else.": {"Feed in autumn [1].", "Never in May.[2]", "Or else."},
		"no stop at the end":                            {"no stop at the end"},
		"One\n\nTwo":                                    {"One", "Two"},
		"J. Smith came... and went. Then I. The end":    {"J. Smith came... and went.", "Then I.", "The end"},
		"":         nil,
		"蜂は飛ぶ。踊る。": {"蜂は飛ぶ。", "踊る。"},
		"Version 2. The next one. Is it vol. 3 or No. 4?": {"Version 2.", "The next one.", "Is it vol. 3 or No. 4?"},
	} {
		var got []string
		for _, s := range Sentences(text) {
			got = append(got, text[s[0]:s[1]])
		}
		if !slices.Equal(got, want) {
			t.Errorf("%q: %q", text, got)
		}
	}
}

func TestCutter(t *testing.T) {
	joins := func(first, sign, next rune) bool { return sign == '-' && unicode.IsLetter(next) }
	for _, c := range []struct {
		cut  Cutter
		text string
		want []string
	}{
		{Cutter{}, "The bees' 2nd hive-stand, __init__ ก้าว",
			[]string{"The", "bees", "2nd", "hive", "stand", "init", "ก้าว"}},
		{Cutter{Apart: true}, "B4 is 12kg", []string{"B", "4", "is", "12", "kg"}},
		{Cutter{Signs: "_%", Joins: joins}, "well-fed - by 5% __init__-", []string{"well-fed", "by", "5%", "__init__"}},
		{Cutter{}, "蜂はhoney好きです。2匹", []string{"蜂は", "honey", "好きです", "2", "匹"}},
		{Cutter{Joins: func(_, _, next rune) bool { return next == 0 }}, "a, b.", []string{"a", "b."}},
		{Cutter{}, "e\u0301te\u0301 \xff\xfe", []string{"e\u0301te\u0301"}},
		{Cutter{}, "", nil},
	} {
		var got []string
		c.cut.Ready().Each(c.text, func(w Word) bool {
			got = append(got, w.Text)
			return true
		})
		if !slices.Equal(got, c.want) {
			t.Errorf("%q: %q, want %q", c.text, got, c.want)
		}
	}
	n := 0
	Cutter{}.Ready().Each("one two three", func(Word) bool { n++; return n < 2 })
	if n != 2 {
		t.Errorf("it went on for %d words", n)
	}
}

func FuzzCutter(f *testing.F) {
	f.Add("The bees' 2nd hive-stand: 蜂は__ü", "_'")
	f.Fuzz(func(t *testing.T, text, signs string) {
		cut := Cutter{Signs: signs, Apart: len(signs)%2 == 0,
			Joins: func(_, sign, _ rune) bool { return sign == '-' }}.Ready()
		end := 0
		cut.Each(text, func(w Word) bool {
			if w.From < end || w.To <= w.From || text[w.From:w.To] != w.Text {
				t.Fatalf("%+v after byte %d of %q", w, end, text)
			}
			end = w.To
			at := 0
			Bigrams(w.Text, func(from, to int) {
				if from < at || to <= from || to > len(w.Text) {
					t.Fatalf("a pair from %d to %d of %q", from, to, w.Text)
				}
				at = from
			})
			return true
		})
	})
}

func TestBigrams(t *testing.T) {
	for run, want := range map[string][]string{
		"蜂": {"蜂"}, "蜂蜜": {"蜂蜜"}, "蜂蜜酒": {"蜂蜜", "蜜酒"}, "น้ำผึ้ง": {"น้ำ", "ำผึ้", "ผึ้ง"}, "ハニー": {"ハニ", "ニー"}, "": nil,
	} {
		var got []string
		Bigrams(run, func(from, to int) { got = append(got, run[from:to]) })
		if !slices.Equal(got, want) {
			t.Errorf("%q: %q, want %q", run, got, want)
		}
	}
}

// Forms of a word have one stem, in every language that has stems.
func TestStem(t *testing.T) {
	for code, forms := range map[string][]string{
		"": {"hive", "hives"}, "en": {"feeding", "feeds"}, "de": {"mitglied", "mitglieder"}, "nl": {"leden", "leden"},
		"it": {"membro", "membri"},
		"pt": {"abelha", "abelhas"}, "fr": {"abeille", "abeilles"}, "es": {"abeja", "abejas"}, "ru": {"пчела", "пчелы"},
		"sv": {"bin", "binas"},
		"no": {"kube", "kuben"}, "hu": {"méhek", "méh"}, "da": {"bogen", "boger"}, "fi": {"talossa", "talon"},
		"ro": {"albine", "albina"}, "tr": {"evler", "evlerin"},
	} {
		if a, b := Stem(code, forms[0]), Stem(code, forms[1]); a != b || !HasStems(code) {
			t.Errorf("%s: %q and %q have the stems %q and %q", code, forms[0], forms[1], a, b)
		}
	}
	if got := Stem("de", "mitglieder"); got != "mitglied" {
		t.Errorf("%q", got)
	}
	for _, own := range []struct{ code, word string }{{"cy", "gwenyn"}, {"en", "does"}, {"en", "as"}, {"xx", "words"}} {
		if got := Stem(own.code, own.word); got != own.word {
			t.Errorf("%s: %q has the stem %q", own.code, own.word, got)
		}
	}
}

func TestNumerals(t *testing.T) {
	for word, want := range map[string]string{"three": "3", "million": "1000000", "many": "", "half": ""} {
		if got, ok := Numeral(word); got != want || ok != (want != "") {
			t.Errorf("%s: %q, %v", word, got, ok)
		}
	}
	if !Counts("half") || !Counts("ninety") || Counts("few") {
		t.Error("half and ninety count, few does not")
	}
}

func TestOf(t *testing.T) {
	for want, text := range map[string]string{
		"en": "The bees are in the hive and they have honey for the winter, which is what you want.",
		"de": "Die Bienen sind in dem Stock und haben Honig für den Winter, das ist nicht zu viel.",
		"fr": "Les abeilles sont dans la ruche et elles ont du miel pour un hiver qui est long.",
		"cy": "Mae y gwenyn yn y cwch ac y mae mêl wedi ei wneud ar gyfer y gaeaf hyn.",
		"ja": "蜂は飛ぶ。冬のために、蜂蜜を集めます。",
		"zh": "蜜蜂飞行。它们为冬天采集蜂蜜，这是很好的。",
		"th": "ผึ้งเก็บน้ำผึ้ง สำหรับฤดูหนาว",
		"":   "1234 5678 xyzzy",
	} {
		if got := Of(slices.Values([]string{text})); got != want {
			t.Errorf("%q is %q", text, got)
		}
	}
}

func TestSets(t *testing.T) {
	got := Without(Union(Set("a b"), Set("b c")), Set("c"))
	if len(got) != 2 || !got["a"] || !got["b"] || !StopWords("en")["the"] || StopWords("xx")["the"] {
		t.Errorf("%v", got)
	}
}

func ExampleContrasts() {
	red := Contrasts(Stem("en", "red"))
	fmt.Println(red[Stem("en", "blue")], red[Stem("en", "car")], Contrasts("hive") == nil)
	// Output: true false true
}

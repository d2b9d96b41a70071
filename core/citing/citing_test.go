package citing

import (
	_ "embed"
	"fmt"
	"slices"
	"strings"
	"testing"

	"juvalogos/core/evidence"
)

//go:embed testdata/pairs.tsv
var pairs string

//go:embed testdata/free.tsv
var free string

// The accuracy on pairs that were written and labelled by hand, half of them
// not supported; docs/retrieval.md states it. The second list is harder: its
// true sentences hardly share words with their passages, its false ones do.
func TestAccuracyOnLabelledPairs(t *testing.T) {
	for _, set := range []struct {
		name, pairs          string
		leastTrue, mostFalse float64 // of the true and of the false ones, that are called supported
	}{{"pairs", pairs, 0.9, 0.05}, {"free", free, 0.5, 0.1}} {
		called, all := map[string]float64{}, map[string]float64{}
		for line := range strings.Lines(set.pairs) {
			f := strings.Split(strings.TrimSpace(line), "\t")
			got := Check(f[1], "", given("The shop is closed on Sundays.", f[2]))
			all[f[0]]++
			if got.Sentences[0].Support == evidence.Supported {
				called[f[0]]++
			}
			if (got.Sentences[0].Support == evidence.Supported) != (f[0] == "yes") {
				t.Logf("labelled %s: %q", f[0], f[1])
			}
		}
		t.Logf("%s: supported are called %.0f of %.0f true and %.0f of %.0f false ones", set.name, called["yes"],
			all["yes"],
			called["no"], all["no"])
		if called["yes"] < set.leastTrue*all["yes"] || called["no"] > set.mostFalse*all["no"] {
			t.Errorf("%s: %v of %v", set.name, called, all)
		}
	}
}

// What says something else than its passage, by what is changed; the same sentence
// unchanged is supported.
func TestWhatIsChangedIsSeen(t *testing.T) {
	for _, c := range []struct {
		passage, is, changed string
		want                 evidence.Support
	}{
		{"A book may be kept for three days.", "A book may be kept for three days.",
			"A book may be kept for four days.",
			evidence.Contradicted},
		{"A book may be kept for three days.", "A book may be kept for 72 hours.",
			"A book may be kept for three years.",
			evidence.Contradicted},
		{"The ticket is valid in first class.", "The ticket is valid in first class.",
			"The ticket is valid in second class.",
			evidence.Contradicted},
		{"The office opens at 9:30 on weekdays.", "On weekdays the office opens at 9:30.",
			"The office opens at 10:30 on weekdays.", evidence.Contradicted},
		{"Visitors may park behind the hall.", "Visitors may park behind the hall.",
			"Visitors may not park behind the hall.",
			evidence.Contradicted},
		{"The upper gate is open in winter.", "The upper gate is not closed in winter.",
			"The upper gate is closed in winter.",
			evidence.Contradicted},
		{"Hive 3 stands in meadow 7.", "Hive 3 stands in meadow 7.", "Hive 3 stands in meadow 8.",
			evidence.Contradicted},
		{"The baker feeds the horses every morning.", "Every morning the baker feeds the horses.",
			"The horses feed the baker every morning.", evidence.Contradicted},
		{"The baker feeds the horses every morning.", "The horses are fed every morning by the baker.",
			"The baker is fed every morning by the horses.", evidence.Contradicted},
		{"Members may bring a guest to the meeting.", "Members may bring a guest to the meeting.",
			"Members must bring a guest to the meeting.", evidence.Unsupported},
		{"Some rooms have a stove and a sink.", "Some rooms have a stove and a sink.",
			"All rooms have a stove and a sink.",
			evidence.Unsupported},
		{"Groups pay for at least twelve people.", "Groups pay for at least 12 people.",
			"Groups pay for at most twelve people.",
			evidence.Contradicted},
		{"Ms. Tarn keeps the archive of the parish.", "Ms. Tarn keeps the archive of the parish.",
			"Ms. Lowick keeps the archive of the parish.", evidence.Unsupported},
		{"Put paper into the blue bin, glass into the green one.", "Put paper into the blue bin.",
			"Put glass into the blue bin.", evidence.Contradicted},
	} {
		if got := Check(c.is, "", given(c.passage)); got.Sentences[0].Support != evidence.Supported {
			t.Errorf("%q of %q is %s", c.is, c.passage, got.Sentences[0].Support)
		}
		if got := Check(c.changed, "", given(c.passage)); got.Sentences[0].Support != c.want {
			t.Errorf("%q of %q is %s, not %s", c.changed, c.passage, got.Sentences[0].Support, c.want)
		}
	}
}

// Words that only look like each other's opposite are none.
func TestWhatLooksLikeAnOpposite(t *testing.T) {
	for _, c := range [][2]string{
		{"The port of the valley has two cranes.", "The import of cranes through the valley has its own two rules."},
	} {
		if got := Check(c[0], "", given(c[1])); got.Sentences[0].Support == evidence.Contradicted {
			t.Errorf("%q is contradicted by %q", c[0], c[1])
		}
	}
}

// What speaks against is quoted, and does not count as what the reply rests on.
func TestWhatSpeaksAgainstIsQuoted(t *testing.T) {
	got := Check("The extractor may be borrowed for five days [3].", "", passages)
	s := got.Sentences[0]
	if s.Support != evidence.Contradicted || len(s.Notes) != 1 ||
		s.Notes[0].Quote != "Members may borrow the extractor for three days." || strings.Contains(got.Text, "[") {
		t.Errorf("%q %+v", got.Text, s)
	}
}

// A short answer is read in the light of the question.
func TestShortAnswers(t *testing.T) {
	for _, c := range []struct {
		reply string
		want  evidence.Support
	}{{"Three days.", evidence.Supported}, {"Five days.", evidence.Contradicted}, {"Hello!", evidence.Neutral}} {
		got := Check(c.reply, "How long may members borrow the extractor?", passages)
		if got.Sentences[0].Support != c.want {
			t.Errorf("%q is %s, not %s", c.reply, got.Sentences[0].Support, c.want)
		}
	}
}

// References as other models write them are understood.
func TestReferencesInOtherForms(t *testing.T) {
	for _, form := range []string{"【3】", "【3†handbook.pdf】", "[Passage 3]", "(source 3)", "[^3]", "[2-3]", "[2 and 3]",
		"[doc. 3]",
		"[passages 2, 3]"} {
		got := Check("Members may borrow the extractor for three days "+form+".", "", passages)
		if got.Text != "Members may borrow the extractor for three days [3]." {
			t.Errorf("%s gives %q", form, got.Text)
		}
	}
	code := "```\nx = [Passage 3]\n```"
	if got := Check(code, "", passages); got.Text != code {
		t.Error(got.Text)
	}
}

// A reply in another language than the documents keeps its references and is called
// neither supported nor unsupported.
func TestRepliesInAnotherLanguage(t *testing.T) {
	got := Check("Die Schleuder kann man für drei Tage ausleihen, und sie muss sauber zurückkommen [3]. "+
		"Das steht auch nicht "+
		"anders in den Regeln.", "", passages)
	if got.Sentences[0].Support != evidence.Unchecked || len(got.Sentences[0].Notes) != 1 ||
		!strings.Contains(got.Text, "[3]") || got.Sentences[1].Support != evidence.Unchecked {
		t.Errorf("%q %+v", got.Text, got.Sentences)
	}
}

// Passages count from 1 in the order in which a reply comes to them.
func TestNumbered(t *testing.T) {
	checked := Check("Members may borrow the extractor for three days [3]. "+
		"Syrup is two parts of sugar to one of water [1]. "+
		"It must come back clean, the extractor [3].", "", passages)
	got, ordered := checked.Numbered(passages)
	if !strings.HasPrefix(got.Text,
		"Members may borrow the extractor for three days [1]. Syrup is two parts of sugar to one of "+
			"water [2]. ") || len(ordered) != 3 || ordered[0].Text != passages[2].Text || ordered[1].Number != 2 {
		t.Errorf("%q %+v", got.Text, ordered)
	}
	for _, s := range got.Sentences {
		for _, n := range s.Notes {
			if !strings.Contains(ordered[n.Passage-1].Text, n.Quote) {
				t.Errorf("%q is not in passage %d", n.Quote, n.Passage)
			}
		}
	}
}

var passages = given(
	"Autumn syrup is two parts of sugar to one of water, by weight. Feed it in the evening.",
	"When wasps are about, make the entrance as narrow as one bee.",
	"Members may borrow the extractor for three days. It must come back clean.",
)

// given are passages as a reply refers to them.
func given(texts ...string) []evidence.Passage {
	all := make([]evidence.Passage, len(texts))
	for i, text := range texts {
		all[i] = evidence.Passage{Number: i + 1, Text: text}
	}
	return all
}

func TestReferencesAreMended(t *testing.T) {
	for _, c := range []struct{ reply, want, support string }{
		{"Autumn syrup is two parts of sugar to one of water [1].",
			"Autumn syrup is two parts of sugar to one of water [1].", "supported"},
		{"Autumn syrup is two parts of sugar to one of water [3].",
			"Autumn syrup is two parts of sugar to one of water [1].", "supported"},
		{"Make the entrance as narrow as one bee when wasps are about. [7]",
			"Make the entrance as narrow as one bee when wasps are about. [2]", "supported"},
		{"Members may borrow the extractor for three days.", "Members may borrow the extractor for three days [3].",
			"supported"},
		{"The mayor opens the honey market in September [2].", "The mayor opens the honey market in September.",
			"unsupported"},
		{"Good question! The documents do not say anything about this [9].",
			"Good question! The documents do not say anything about this.", "neutral neutral"},
		{"Feed syrup of two parts sugar to one part water [1][2].",
			"Feed syrup of two parts sugar to one part water [1].", "supported"},
		{"- Feed it in the evening, the autumn syrup [1]\n- Make the entrance narrow for wasps, as one bee [1, 2]",
			"- Feed it in the evening, the autumn syrup [1]\n- Make the entrance narrow for wasps, as one bee [2]",
			"supported supported"},
		{"```\ncode [1] is left alone as it is\n```", "```\ncode [1] is left alone as it is\n```", ""},
		{"Feed syrup of two parts sugar to one part water [1] Members may borrow the extractor for three days [2]",
			"Feed syrup of two parts sugar to one part water [1] Members may borrow the extractor for three days [3]",
			"supported supported"},
		{"", "", ""},
	} {
		got := Check(c.reply, "", passages)
		var support []string
		for _, s := range got.Sentences {
			support = append(support, string(s.Support))
		}
		if got.Text != c.want || strings.Join(support, " ") != c.support {
			t.Errorf("%q\n  gives %q %v", c.reply, got.Text, support)
		}
	}
}

// Every note quotes its passage, every sentence is where it says.
func TestNotesQuoteTheirPassages(t *testing.T) {
	reply := "Syrup is two parts of sugar to one of water [2]. Wasps like jam. The extractor must come back clean " +
		"after three days [3]."
	got := Check(reply, "", passages)
	var said []string
	for _, s := range got.Sentences {
		said = append(said, got.Text[s.From:s.To])
		for _, n := range s.Notes {
			if !strings.Contains(passages[n.Passage-1].Text, n.Quote) || n.Quote == "" {
				t.Errorf("%q is not in passage %d", n.Quote, n.Passage)
			}
		}
	}
	if strings.Join(said, " ") != got.Text || len(said) != 3 {
		t.Errorf("%q", said)
	}
	if got.Mended != 1 || !slices.Equal([]evidence.Support{got.Sentences[0].Support, got.Sentences[2].Support},
		[]evidence.Support{evidence.Supported, evidence.Supported}) {
		t.Errorf("%+v", got)
	}
	if again := Check(got.Text, "", passages); again.Text != got.Text {
		t.Errorf("checking again gives %q", again.Text)
	}
}

func FuzzCheck(f *testing.F) {
	f.Add("Syrup [1]. Wasps [2, 99]! [3]")
	f.Add("``` [1]")
	f.Fuzz(func(t *testing.T, reply string) {
		got := Check(reply, "", passages)
		for _, s := range got.Sentences {
			if s.From < 0 || s.To > len(got.Text) || s.From > s.To {
				t.Errorf("%+v of %q", s, got.Text)
			}
		}
	})
}

// Texts of hundreds of pages are held against too: only what shares words with a
// sentence is read.
func TestManyPassages(t *testing.T) {
	var many []evidence.Passage
	for i := range 400 {
		var text strings.Builder
		for k := range 10 {
			fmt.Fprintf(&text, "Hive %d of the row %d stands in meadow %d, and somebody looks after it in spring. ",
				i*10+k, i, i*7+k)
		}
		many = append(many, evidence.Passage{Number: i + 1, Text: text.String()})
	}
	j := newJudge(many)
	got := Check("Hive 1234 of the row 123 stands in meadow 865. Hive 77 of the row 7 stands in meadow 9000.", "", many)
	if got.Sentences[0].Support != evidence.Supported || got.Sentences[0].Notes[0].Passage != 124 {
		t.Errorf("%+v", got.Sentences[0])
	}
	if got.Sentences[1].Support == evidence.Supported {
		t.Errorf("%+v", got.Sentences[1])
	}
	j.best(j.claim("Hive 1234 of the row 123 stands in meadow 865."))
	read := 0
	for _, places := range j.places {
		for _, p := range places {
			if p.text != nil {
				read++
			}
		}
	}
	if read == 0 || read > 3*nearPlaces {
		t.Errorf("%d of %d places are read", read, j.all)
	}
}

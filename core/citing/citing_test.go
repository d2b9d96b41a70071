package citing

import (
	_ "embed"
	"slices"
	"strings"
	"testing"

	"juvalogos/core/evidence"
)

//go:embed testdata/pairs.tsv
var pairs string

// The accuracy on pairs that were written and labelled by hand, half of them
// not supported; docs/retrieval.md states it.
func TestAccuracyOnLabelledPairs(t *testing.T) {
	right, all := 0, 0
	for line := range strings.Lines(pairs) {
		f := strings.Split(strings.TrimSpace(line), "\t")
		got := Check(f[1], "", given("The shop is closed on Sundays.", f[2]))
		supported := got.Sentences[0].Support == evidence.Supported
		all++
		if supported == (f[0] == "yes") {
			right++
		} else {
			t.Logf("labelled %s: %q", f[0], f[1])
		}
	}
	t.Logf("%d of %d right", right, all)
	if right*100 < all*80 {
		t.Errorf("%d of %d right", right, all)
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

package spotting

import (
	"math/rand/v2"
	"strings"
	"testing"

	"juvalogos/core/evidence"
)

var orchard = []evidence.Passage{{
	Title: "The cider press",
	Path:  []string{"The cider press", "Borrowing it"},
	Text: "The press may be borrowed for two weeks against a deposit of 45 crowns. Book it with Mrs. Aldous before " +
		"the end of September. " +
		"It stands behind the old mill, and weighs 120 kg. The first pressing was held in 1987. Apples are washed in " +
		"cold water.",
}, {
	Title: "Prizes",
	Text:  "The judges meet twice a year. The best cider wins a silver ladle.",
}}

func TestFindsTheVeryWords(t *testing.T) {
	for question, want := range map[string]string{
		"How long may the press be borrowed?":  "two weeks",
		"How much is the deposit?":             "45 crowns",
		"Who takes bookings for the press?":    "Mrs. Aldous",
		"How heavy is the press?":              "120 kg",
		"In what year was the first pressing?": "1987",
		"How often do the judges meet?":        "twice a year",
		"What does the best cider win?":        "silver ladle",
		"Where does the press stand?":          "behind the old mill",
		"What are the apples washed in?":       "cold water",
		"By when should the press be booked?":  "before the end of September",
	} {
		got := Find(question, orchard, 0.9, 3)
		if len(got) == 0 || got[0].Text != want {
			t.Errorf("%s: %q, want %q", question, texts(got), want)
			continue
		}
		a := got[0]
		if p := orchard[a.Passage].Text; p[a.From:a.To] != a.Text || a.From < a.Sentence[0] || a.To > a.Sentence[1] {
			t.Errorf("%s: the answer is not at its place: %+v", question, a)
		}
	}
}

func TestConfidenceFallsWhereNothingAnswers(t *testing.T) {
	sure := Find("How much is the deposit for the press?", orchard, 0.9, 1)
	not := Find("How much does the parish pay the organist?", orchard, 0.1, 1)
	if len(sure) == 0 || sure[0].Confidence < 0.5 {
		t.Errorf("a plain answer: %+v", sure)
	}
	if len(not) > 0 && not[0].Confidence > 0.2 {
		t.Errorf("no answer: %+v", not)
	}
}

func TestAnswersDifferAndAreInOrder(t *testing.T) {
	got := Find("How much?", orchard, 0.5, 10)
	seen := map[string]bool{}
	for i, a := range got {
		if seen[strings.ToLower(a.Text)] || i > 0 && a.Score > got[i-1].Score || a.Confidence < 0 || a.Confidence > 1 {
			t.Errorf("%d: %+v", i, a)
		}
		seen[strings.ToLower(a.Text)] = true
	}
}

// Whatever is asked of whatever text: answers are stretches of it.
func FuzzFind(f *testing.F) {
	f.Add("How long may I borrow it?", "For three days.\nOr four — who knows? 12 %.")
	f.Add("what", "")
	f.Add("", "Mr. May met Mrs. June in May 1999 at half past seven.")
	f.Fuzz(func(t *testing.T, question, text string) {
		if len(question) > 500 || len(text) > 5000 {
			return
		}
		sure := rand.New(rand.NewPCG(uint64(len(text)), 1)).Float64()
		for _, a := range Find(question, []evidence.Passage{{Title: "T", Text: text}}, sure, 5) {
			if a.From >= a.To || text[a.From:a.To] != a.Text || a.Sentence[0] > a.From || a.Sentence[1] < a.To ||
				!(a.Confidence >= 0 && a.Confidence <= 1) {
				t.Fatalf("%q of %q: %+v", question, text, a)
			}
		}
	})
}

func texts(all []Answer) (out []string) {
	for _, a := range all {
		out = append(out, a.Text)
	}
	return out
}

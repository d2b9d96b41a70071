package retrieval

import (
	"fmt"
	"math"
	"testing"

	"juvalogos/core/embedding"
)

// How much more often documents say a word than the language does, worked out
// by hand for the posting lists of a small index.
func TestOverSaid(t *testing.T) {
	x := indexOf("The hive stands dry.", "A hive is weighed.", "Lift the hive by hand.", "Queens are marked.")
	ask := func(text string) wanted { return x.read(text, "", 0)[0] }
	length := x.total.text / 4
	expect := func(said, rank float64) float64 {
		return min(1, max(-1.5, math.Log10(said/5/(1-math.Exp(-length*0.06/(rank+1))))))
	}
	hive := ask("hive")
	if got, want := x.overSaid(hive), expect(3.2, float64(hive.word)); math.Abs(got-want) > 1e-9 || got != 1 {
		t.Errorf("hive: %v, want %v", got, want)
	}
	president := ask("president")
	if got, want := x.overSaid(president), expect(0.2, float64(president.word)); president.known ||
		math.Abs(got-want) > 1e-9 {
		t.Errorf("president: %v, want %v", got, want)
	}
	if f := embedding.Frequency(0); f != 0.06 {
		t.Error(f)
	}
}

// A question about what documents are about has more of all evidence than one
// that they only share words with.
func TestEvidence(t *testing.T) {
	texts := []string{"Members may borrow the honey extractor for three days against a deposit.",
		"The honey extractor is cleaned with cold water after use.",
		"Autumn syrup is two parts of sugar to one of water.", "A swarm is hived in the evening.",
		"Queens are marked with the colour of their year.", "Frames are spun in the extractor until they are dry."}
	for i := range 3000 { // so many that what they do not say is known
		texts = append(texts, fmt.Sprintf("Hive %d of the apiary was weighed by the keeper on day %d, and its queen "+
			"was seen.", i, i%90))
	}
	x := indexOf(texts...)
	ask := func(text string) Features { return x.Search(Query{Text: text, Limit: 3}, DefaultOptions).Evidence }
	about, beside := ask("How is the honey extractor cleaned?"), ask("Which water company raised prices this year?")
	for i, name := range []string{"Covered", "Exact", "Near", "", "Page", "Absent", "Native"} {
		if a, b := *about.Values()[i], *beside.Values()[i]; name != "" && a <= b {
			t.Errorf("%s: %.2f of what they are about, %.2f of the other", name, a, b)
		}
	}
	if about.Missing != 0 || beside.Missing <= 0 || beside.Absent >= 0 {
		t.Errorf("%+v, %+v", about, beside)
	}
	if a, b := about.Likely(), beside.Likely(); a < 0.6 || b > 0.5 {
		t.Errorf("%.2f and %.2f", a, b)
	}
}

package scoring_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"juvalogos/core/scoring"
)

func ExampleWords() {
	e := scoring.Words("Light the smoker — slowly, with dry straw.", "light a smoker slowly with straw in")
	fmt.Printf("%+v %.2f\n", e, e.Rate())
	// Output: {Other:3 Missing:0 More:0 Of:7} 0.43
}

func ExampleCharacters() {
	fmt.Println(scoring.Characters("hive four", "hive for").Rate() < 0.2)
	// Output: true
}

func TestErrorsAreTheFewest(t *testing.T) {
	for _, c := range []struct {
		truth, text string
		want        scoring.Errors
	}{
		{"", "", scoring.Errors{}},
		{"a b c", "a b c", scoring.Errors{Of: 3}},
		{"a b c", "", scoring.Errors{Missing: 3, Of: 3}},
		{"", "a b", scoring.Errors{More: 2}},
		{"a b c d", "b c d e", scoring.Errors{Missing: 1, More: 1, Of: 4}},
		{"Don't stop", "dont  STOP!", scoring.Errors{Of: 2}},
		{"well-known ﬁve", "well known five", scoring.Errors{Of: 3}},
		{"Größe", "große", scoring.Errors{Other: 1, Of: 1}},
	} {
		if got := scoring.Words(c.truth, c.text); got != c.want {
			t.Errorf("%q, %q: %+v instead of %+v", c.truth, c.text, got, c.want)
		}
	}
}

// What is changed at random costs at most what was changed, and both ways as much.
func TestErrorsAreBounded(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	for range 300 {
		var truth, text []string
		changed := 0
		for range 5 + r.IntN(40) {
			w := fmt.Sprint("w", r.IntN(12))
			truth = append(truth, w)
			switch r.IntN(8) {
			case 0:
				changed++
			case 1:
				text, changed = append(text, w, "new"), changed+1
			case 2:
				text, changed = append(text, "other"), changed+1
			default:
				text = append(text, w)
			}
		}
		a, b := strings.Join(truth, " "), strings.Join(text, " ")
		e, back := scoring.Words(a, b), scoring.Words(b, a)
		all := e.Other + e.Missing + e.More
		if all > changed || back.Other+back.Missing+back.More != all || e.Of-e.Missing+e.More != len(text) {
			t.Errorf("%d changes: %+v, back %+v", changed, e, back)
		}
	}
}

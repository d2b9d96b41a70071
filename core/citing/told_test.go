package citing

import (
	"strings"
	"testing"

	"juvalogos/core/evidence"
)

// What asking a model too may bring and cost: one that knows what is true and one that
// calls everything true, both with the whole passage as their quote.
func TestAModelToo(t *testing.T) {
	for _, set := range []struct{ name, pairs string }{{"pairs", pairs}, {"free", free}} {
		var all, alone, knows, lies = map[string]int{}, map[string]int{}, map[string]int{}, map[string]int{}
		for line := range strings.Lines(set.pairs) {
			f := strings.Split(strings.TrimSpace(line), "\t")
			passages := given("The shop is closed on Sundays.", f[2])
			count := func(of map[string]int, told []Told) {
				if c, _ := CheckTold(f[1], "", passages, told); c.Sentences[0].Support == evidence.Supported {
					of[f[0]]++
				}
			}
			same := []Told{{Passage: 2, Words: f[2]}}
			all[f[0]]++
			count(alone, nil)
			count(lies, same)
			if f[0] == "yes" {
				count(knows, same)
			} else {
				count(knows, []Told{{Passage: 2, Words: f[2], Otherwise: true}})
			}
		}
		t.Logf("%s: supported are called of %d true and %d false ones: %d and %d by us alone, %d and %d with a model "+
			"that knows, %d and %d with one that calls all true", set.name, all["yes"], all["no"], alone["yes"],
			alone["no"], knows["yes"], knows["no"], lies["yes"], lies["no"])
		if knows["yes"] <= alone["yes"] && set.name == "free" || knows["no"] > alone["no"] ||
			lies["no"] > alone["no"]+all["no"]/4 {
			t.Errorf("%s: %v, %v, %v of %v", set.name, alone, knows, lies, all)
		}
	}
}

func TestAround(t *testing.T) {
	text := "Bees fly. The queen  stays in the hive, always. Drones do not."
	for words, want := range map[string]string{
		"queen stays in": "The queen  stays in the hive, always.", "THE QUEEN": "The queen  stays in the hive, always.",
		"hive always drones do": "The queen  stays in the hive, always. Drones do not.", "queen leaves": "", "": "",
		"…":   "",
		"not": "Drones do not.", "drones do not fly": "",
	} {
		if got := around(text, words); got != want {
			t.Errorf("%q: %q, not %q", words, got, want)
		}
	}
}

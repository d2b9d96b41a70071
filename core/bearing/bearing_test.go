package bearing_test

import (
	"fmt"
	"slices"
	"testing"

	"juvalogos/core/bearing"
)

func ExampleOn() {
	things := []bearing.Thing{{Names: []string{"Heather honey", "ling honey"}}, {Names: []string{"Sun hive"}}}
	fmt.Println(bearing.On(things, []string{"Who made the sun hive?"}, "And when?", ""))
	fmt.Println(bearing.On(things, []string{"Who made the sun hive?"}, "How is ling honey pressed?", ""))
	fmt.Println(bearing.On(things, nil, "Which of both is older?", ""))
	// Output:
	// [1]
	// [0]
	// [0 1]
}

func TestOn(t *testing.T) {
	honey := bearing.Thing{Names: []string{"Heather honey"}}
	hive := bearing.Thing{Names: []string{"Sun hive (Alder Vale)"}}
	late := bearing.Thing{Names: []string{"Wax moth"}, After: 2}
	heather := bearing.Thing{Names: []string{"Heather"}}
	paper := bearing.Thing{Names: []string{"How far do bees fly for heather? Waggle dances on the moor"}}
	for _, c := range []struct {
		name     string
		things   []bearing.Thing
		earlier  []string
		question string
		alone    string
		want     []int
	}{
		{"nothing to rest on", nil, nil, "Who?", "", nil},
		{"one thing", []bearing.Thing{honey}, nil, "Who?", "", []int{0}},
		{"brought together, none named", []bearing.Thing{honey, hive}, nil, "How much does it weigh?", "", []int{0, 1}},
		{"named", []bearing.Thing{honey, hive}, nil, "How is honey of the heather pressed?", "", []int{0}},
		{"what stands in parentheses is not needed", []bearing.Thing{honey, hive}, nil, "Who made sun hives?", "",
			[]int{1}},
		{"goes on", []bearing.Thing{honey, hive}, []string{"Who made the sun hive?", "And when?"}, "Where?", "",
			[]int{1}},
		{"what came since is meant", []bearing.Thing{honey, hive, late}, []string{"Who made the sun hive?", "When?"},
			"What does it eat?", "What does the sun hive eat?", []int{2}},
		{"and asked about again later", []bearing.Thing{honey, hive, late},
			[]string{"Who made the sun hive?", "When?", "What does it eat?"}, "How long does it live?", "", []int{2}},
		{"what came later was not meant before", []bearing.Thing{honey, late}, []string{"What does a wax moth do?"},
			"Why?", "", []int{0}},
		{"in words that stand alone", []bearing.Thing{honey, hive}, nil, "Who made it?", "Who made the sun hive?",
			[]int{1}},
		{"a longer name is one", []bearing.Thing{heather, honey}, nil, "How is heather honey pressed?", "", []int{1}},
		{"the shorter one alone", []bearing.Thing{heather, honey}, nil, "When is the heather in flower?", "", []int{0}},
		{"most of a long title", []bearing.Thing{honey, paper}, nil,
			"What do the waggle dances of bees on the moor say?",
			"", []int{1}},
		{"comparing", []bearing.Thing{honey, hive, late}, []string{"Who made the sun hive?", "Why?"},
			"Do the sun hive and heather honey differ?", "", []int{0, 1}},
	} {
		t.Run(c.name, func(t *testing.T) {
			if got := bearing.On(c.things, c.earlier, c.question, c.alone); !slices.Equal(got, c.want) {
				t.Errorf("got %v, want %v", got, c.want)
			}
		})
	}
}

// Whatever is asked, something that there is is meant, each once.
func FuzzOn(f *testing.F) {
	f.Add("Heather honey", "Sun (hive)", "And when?", "both")
	f.Fuzz(func(t *testing.T, a, b, question, before string) {
		things := []bearing.Thing{{Names: []string{a}}, {Names: []string{b}, After: 1}}
		got := bearing.On(things, []string{before}, question, b)
		if len(got) == 0 || !slices.IsSorted(got) || got[len(got)-1] > 1 || len(got) == 2 && got[0] == got[1] {
			t.Errorf("got %v", got)
		}
	})
}

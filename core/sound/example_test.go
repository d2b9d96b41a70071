package sound_test

import (
	"fmt"

	"juvalogos/core/sound"
)

func ExampleCut() {
	curve := make(sound.Loudness, 600) // twelve seconds
	for i := range curve {
		if curve[i] = 120; i > 250 && i < 300 {
			curve[i] = 10 // a pause after five
		}
	}
	for _, p := range sound.Cut(curve, sound.CutLimits{Most: 8}) {
		fmt.Printf("%.1f to %.1f, in a silence: %v\n", p.Start, p.End, p.Clean)
	}
	// Output:
	// 0.0 to 5.8, in a silence: true
	// 5.2 to 12.0, in a silence: true
}

func ExampleJoin() {
	word := func(text string, at float64) sound.Word { return sound.Word{Text: text, Start: at, End: at + 0.3} }
	words := sound.Join([]sound.Part{
		{Piece: sound.Piece{End: 3}, Words: []sound.Word{word("light", 0.5), word("the", 1.2), word("smoker", 1.6),
			word("wi", 2.7)}},
		{Piece: sound.Piece{Start: 1, End: 5, Cut: 2}, Words: []sound.Word{word("e", 0.1), word("smoker", 0.6),
			word("with", 1.4), word("straw", 1.9)}},
	})
	for _, s := range sound.Sentences(words) {
		fmt.Println(s.Text)
	}
	// Output: light the smoker with straw
}

func ExampleTranscript_SRT() {
	t := sound.Transcript{Sentences: []sound.Sentence{{Start: 1, End: 2.5, Text: "Four frames.", Who: "Ada",
		Words: []sound.Word{{Text: "Four", Start: 1, End: 1.4}, {Text: "frames.", Start: 1.5, End: 2.5}}}}}
	fmt.Print(t.SRT())
	// Output:
	// 1
	// 00:00:01,000 --> 00:00:02,500
	// Ada: Four frames.
}

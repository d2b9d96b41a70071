package retrieval_test

import (
	"fmt"

	"juvalogos/core/retrieval"
)

// The passage that answers comes first, whatever its words.
func ExampleIndex_Search() {
	entries := []retrieval.Entry{
		{Key: 1, Document: 1, Title: "Stores", Text: "A colony needs 18 kilograms of honey for the winter."},
		{Key: 2, Document: 2, Title: "Smoke", Text: "Light the smoker with dry grass."},
		{Key: 3, Document: 3, Title: "Swarms", Text: "In May bees leave the hive with their queen."},
	}
	retrieval.Embed(entries)
	x := retrieval.New()
	x.Add(entries)
	found := x.Search(retrieval.Query{Text: "How do I get my smoker to burn?", Limit: 1}, retrieval.DefaultOptions)
	fmt.Println(found.Hits[0].Key)
	// Output:
	// 2
}

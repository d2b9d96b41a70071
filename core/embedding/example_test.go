package embedding_test

import (
	"fmt"

	"juvalogos/core/embedding"
)

// Words that mean similar things lie near each other.
func ExampleWords_Cosine() {
	w := embedding.Load()
	word := func(text string) int32 {
		n, ok := w.Find(text)
		if !ok {
			panic(text)
		}
		return n
	}
	fmt.Println(w.Cosine(word("honey"), word("sugar")) > w.Cosine(word("honey"), word("treaty")))
	// Output:
	// true
}

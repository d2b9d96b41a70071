package phrase_test

import (
	"fmt"
	"strings"

	"juvalogos/core/phrase"
)

// A page in another language says the same with words of its own.
func ExampleOf() {
	german := map[string]string{"it has {1} pages; up to {2} are read": "von {1} Seiten werden nur {2} gelesen"}
	p := phrase.Of("it has %d pages; up to %d are read", 4000, 3000)
	fmt.Println(p)
	fmt.Println(strings.NewReplacer("{1}", p.With[0], "{2}", p.With[1]).Replace(german[p.Form]))
	// Output:
	// it has 4000 pages; up to 3000 are read
	// von 4000 Seiten werden nur 3000 gelesen
}

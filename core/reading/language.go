package reading

import "juvalogos/core/language"

// languageOf guesses the language of some blocks; "" if it cannot tell.
func languageOf(blocks []Block) string {
	return language.Of(func(yield func(string) bool) {
		for _, b := range blocks {
			if b.Kind != Code && !yield(b.Text) {
				return
			}
		}
	})
}

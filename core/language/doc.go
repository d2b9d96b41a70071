// Package language is what the rest of core knows of languages: where words and
// sentences begin and end, what a word is looked up by, which words say little,
// which are numbers, and in which language a text is. Whoever cuts a text cuts
// it here, so that what one part of the product found another one finds too.
//
//	cut := language.Cutter{}.Ready()
//	cut.Each("Die Mitglieder, 40", func(w language.Word) bool {
//		fmt.Println(w.Text, language.Stem("de", strings.ToLower(w.Text)))
//		return true
//	})
//
// Languages are named by their ISO 639-1 codes; "" is one that is not known and
// is taken for English. Chinese, Japanese, Thai and others set no spaces
// between words: their runs are told apart (Word.Unspaced), and looked up by
// their bigrams (Bigrams), which needs no dictionary. Welsh is recognised, but
// nobody has a stemmer for it: its words are looked up as they are.
package language

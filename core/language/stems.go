package language

import (
	"github.com/blevesearch/snowballstem"
	"github.com/blevesearch/snowballstem/danish"
	"github.com/blevesearch/snowballstem/dutch"
	"github.com/blevesearch/snowballstem/english"
	"github.com/blevesearch/snowballstem/finnish"
	"github.com/blevesearch/snowballstem/french"
	"github.com/blevesearch/snowballstem/german"
	"github.com/blevesearch/snowballstem/hungarian"
	"github.com/blevesearch/snowballstem/italian"
	"github.com/blevesearch/snowballstem/norwegian"
	"github.com/blevesearch/snowballstem/portuguese"
	"github.com/blevesearch/snowballstem/romanian"
	"github.com/blevesearch/snowballstem/russian"
	"github.com/blevesearch/snowballstem/spanish"
	"github.com/blevesearch/snowballstem/swedish"
	"github.com/blevesearch/snowballstem/turkish"
)

// stemmers are those of Snowball (Porter, 2001), by language.
var stemmers = map[string]func(*snowballstem.Env) bool{
	"da": danish.Stem, "de": german.Stem, "en": english.Stem, "es": spanish.Stem, "fi": finnish.Stem, "fr": french.Stem,
	"hu": hungarian.Stem, "it": italian.Stem, "nb": norwegian.Stem, "nl": dutch.Stem, "nn": norwegian.Stem,
	"no": norwegian.Stem, "pt": portuguese.Stem,
	"ro": romanian.Stem, "ru": russian.Stem, "sv": swedish.Stem, "tr": turkish.Stem,
}

// shortestStemmed is how many bytes a word has at least that has a stem.
const shortestStemmed = 3

// Stem is what the forms of a word have in common; the word is in lower case.
// Words that say little, short ones, and those of languages without a stemmer
// are their own stems.
func Stem(language, word string) string {
	if language == "" {
		language = "en"
	}
	stem, there := stemmers[language]
	if !there || len(word) < shortestStemmed || neverStemmed[language][word] {
		return word
	}
	env := snowballstem.NewEnv(word)
	stem(env)
	return env.Current()
}

// HasStems reports whether the words of a language have stems.
func HasStems(language string) bool { return language == "" || stemmers[language] != nil }

// neverStemmed are words whose stems would mean something else.
var neverStemmed = map[string]map[string]bool{
	"en": Set("its only during before because any being very does once having why doing themselves ourselves himself " +
		"yourselves yourself itself myself herself"),
}

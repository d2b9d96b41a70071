package language

import (
	"maps"
	"strings"
)

// stopWords say little about what a text is about, by language: articles,
// prepositions, pronouns, auxiliary verbs.
var stopWords = map[string]map[string]bool{
	"en": Set(`a an the of and or to in on at by for with from as is are was were be been being am do does did doing
	done
		have has had having it its this that these those i me my we our us you your he she they them their his her who
		whom whose which what when where why how
		can could may might must shall should will would not no nor if then than so such there here about into over
		under out up down off only just also too very`),
	"de": Set("der die das den dem des ein eine einen einem einer und oder ist sind war nicht mit von zu im in auf " +
		"für wie was wer wo wann warum ich wir sie er es man kann muss soll"),
	"fr": Set("le la les un une des de du et ou est sont dans que qui quoi comment pourquoi je nous vous il elle on " +
		"pour pas par sur avec"),
	"es": Set("el los las y o es son en por para con no se su qué cómo cuándo dónde"),
	"it": Set("il lo la i gli le un una di del della e o è sono in che chi per con non da come quando dove perché si"),
	"nl": Set("de het een van en of is zijn in op te voor met niet dat die wie wat waar wanneer waarom hoe ik wij er"),
	"pt": Set("o a os as um uma de do da e ou é são em no na que quem por para com não se como quando onde"),
}

// StopWords are the words of a language, in lower case, that say little; none
// where we have no list. They are not to be changed.
func StopWords(language string) map[string]bool { return stopWords[language] }

// Quantifiers are English words that say how much of something, but no number.
var Quantifiers = Set("any some all each every both either neither other another own same more most much many few " +
	"one ones")

// Set is the words of a list.
func Set(list string) map[string]bool {
	all := map[string]bool{}
	for _, w := range strings.Fields(list) {
		all[w] = true
	}
	return all
}

// Union is the words of several sets.
func Union(sets ...map[string]bool) map[string]bool {
	all := map[string]bool{}
	for _, s := range sets {
		maps.Copy(all, s)
	}
	return all
}

// Without is the words of a set that others do not have.
func Without(set map[string]bool, others ...map[string]bool) map[string]bool {
	all := maps.Clone(set)
	for _, s := range others {
		for w := range s {
			delete(all, w)
		}
	}
	return all
}

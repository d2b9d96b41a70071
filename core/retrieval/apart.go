package retrieval

import (
	"cmp"
	"slices"
	"strings"
	"sync"

	"juvalogos/core/embedding"
	"juvalogos/core/language"
	"juvalogos/core/lexicon"
)

// unrelated is the cosine below which two words that share a stem mean different
// things, where the lexicon knows no relation between them: organism, organization.
const unrelated = 0.27

// madeWith are endings that make a word of another one and leave what it means nearly
// as it is.
var madeWith = []string{"ly", "able", "ize", "izing", "ization", "ness", "ity", "al"}

// apart are base forms of English words that share their stem with a more frequent
// word that has nothing to do with them; to each the most frequent of those that have
// something to do with it.
var apart = sync.OnceValue(func() map[string]string {
	type said struct {
		word string
		at   int32 // how frequent: the number of its vector
	}
	words, known := embedding.Load(), lexicon.Load()
	groups := map[string][]said{}
	for w := range known.Words() {
		if n, ok := words.Find(w); ok {
			stem := language.Stem("en", w)
			groups[stem] = append(groups[stem], said{w, n})
		}
	}
	all := map[string]string{}
	for _, group := range groups {
		slices.SortFunc(group, func(a, b said) int { return cmp.Compare(a.at, b.at) })
		heads := group[:1:1]
		for _, s := range group[1:] {
			related := slices.IndexFunc(heads, func(head said) bool {
				return words.Cosine(s.at, head.at) >= unrelated || madeOf(s.word, head.word) ||
					known.Between(s.word, head.word, 3) != lexicon.None
			})
			switch {
			case related < 0:
				heads = append(heads, s)
				all[s.word] = s.word
			case related > 0:
				all[s.word] = heads[related].word
			}
		}
	}
	return all
})

// madeOf reports whether a word is another one with an ending of madeWith.
func madeOf(word, other string) bool {
	base := strings.TrimRight(other, "aeiouy")
	return strings.HasPrefix(word, base) && slices.ContainsFunc(madeWith, func(ending string) bool {
		return strings.HasSuffix(word, ending)
	})
}

// stemOf is the stem of a word, told from that of others which share it by chance.
func stemOf(code, word string) string {
	stem := language.Stem(code, word)
	if code != "" && code != "en" {
		return stem
	}
	head, is := apart()[word]
	if !is {
		forms := lexicon.Load().Forms(word)
		if len(forms) == 0 {
			return stem
		}
		if head, is = apart()[forms[0].Word]; !is {
			return stem
		}
	}
	return stem + "~" + head
}

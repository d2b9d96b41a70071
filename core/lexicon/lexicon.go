// Package lexicon knows what English words have to do with each other: which are
// forms of one, which mean the same, which one is broader and which is opposite.
// It is cut from WordNet 3.0 (Miller, "WordNet: A Lexical Database for English",
// 1995) by scripts/cutlexicon, with the words that have a vector in core/embedding.
//
//	l := lexicon.Load()
//	fmt.Println(l.Forms("went")) // [{go v}]
//	fmt.Println(l.Between("hot", "cold", 3) == lexicon.Opposite)
package lexicon

import (
	"embed"
	"iter"
	"maps"
	"slices"
	"strconv"
	"strings"
	"sync"
)

//go:embed wordnet
var files embed.FS

// The files: a line for each word with its kinds, how often it is of each, and the
// numbers of its meanings; for each meaning, by its number, those that are broader;
// opposites (!) and words made of each other (+); forms that no rule makes.
const (
	WordsFile   = "words.txt"
	BroaderFile = "broader.txt"
	PairsFile   = "pairs.txt"
	OddFile     = "odd.txt"
)

// Kind is what a word is in a sentence.
type Kind byte

// The kinds.
const (
	Noun      Kind = 'n'
	Verb      Kind = 'v'
	Adjective Kind = 'a'
	Adverb    Kind = 'r'
)

// Form is a word in its base form.
type Form struct {
	Word string
	Kind Kind
}

// sense is what a word means as one kind.
type sense struct {
	kind     Kind
	times    int     // how often it is of that kind, in texts that were counted
	meanings []int32 // the most frequent first
}

// Lexicon is what is known of words. It may be used by many goroutines.
type Lexicon struct {
	words    map[string][]sense // the most frequent kind first
	broader  [][]int32
	said     map[int32][]string // the words of a meaning
	opposite map[string][]string
	made     map[string][]string
	odd      map[Form]string   // base forms that no rule makes
	oddly    map[Form][]string // the other way round: forms of a base form

	mu    sync.RWMutex
	known map[string][]Form // of words as they are said
}

// Load reads what comes along, once.
var Load = sync.OnceValue(func() *Lexicon {
	l := &Lexicon{words: map[string][]sense{}, opposite: map[string][]string{}, made: map[string][]string{},
		said: map[int32][]string{},
		odd:  map[Form]string{}, oddly: map[Form][]string{}, known: map[string][]Form{}}
	each(WordsFile, func(f []string) {
		var senses []sense
		for _, part := range f[1:] {
			numbers := strings.Split(part[1:], ",")
			s := sense{kind: Kind(part[0]), times: number(numbers[0])}
			for _, n := range numbers[1:] {
				s.meanings = append(s.meanings, int32(number(n)))
				l.said[int32(number(n))] = append(l.said[int32(number(n))], f[0])
			}
			senses = append(senses, s)
		}
		l.words[f[0]] = senses
	})
	each(BroaderFile, func(f []string) {
		var all []int32
		for _, n := range f {
			all = append(all, int32(number(n)))
		}
		l.broader = append(l.broader, all)
	})
	each(PairsFile, func(f []string) {
		if f[0] == "!" {
			l.opposite[f[1]] = append(l.opposite[f[1]], f[2])
		} else {
			l.made[f[1]] = append(l.made[f[1]], f[2])
		}
	})
	each(OddFile, func(f []string) {
		kind := Kind(f[0][0])
		l.odd[Form{f[1], kind}] = f[2]
		l.oddly[Form{f[2], kind}] = append(l.oddly[Form{f[2], kind}], f[1])
	})
	return l
})

func each(file string, do func(fields []string)) {
	body, err := files.ReadFile("wordnet/" + file)
	if err != nil {
		panic(err) // it is in the binary
	}
	for line := range strings.Lines(string(body)) {
		do(strings.Fields(line))
	}
}

func number(s string) int {
	n, err := strconv.Atoi(s)
	if err != nil {
		panic(err) // it is in the binary
	}
	return n
}

// endings are what base forms lose or change, by kind.
var endings = []struct {
	kind      Kind
	from, to  string
	twoBefore bool // the letter before it may stand twice: stopped, stop
}{
	{Noun, "s", "", false}, {Noun, "ses", "s", false}, {Noun, "xes", "x", false}, {Noun, "zes", "z", false},
	{Noun, "ches", "ch", false}, {Noun, "shes", "sh", false}, {Noun, "men", "man", false}, {Noun, "ies", "y", false},
	{Verb, "s", "", false}, {Verb, "ies", "y", false}, {Verb, "es", "e", false}, {Verb, "es", "", false},
	{Verb, "ed", "e", false}, {Verb, "ed", "", true}, {Verb, "ied", "y", false},
	{Verb, "ing", "e", false}, {Verb, "ing", "", true}, {Verb, "ying", "ie", false},
	{Adjective, "er", "", true}, {Adjective, "est", "", true}, {Adjective, "er", "e", false},
	{Adjective, "est", "e", false}, {Adjective, "ier", "y", false}, {Adjective, "iest", "y", false},
}

// mostKnown is how many words' forms are remembered.
const mostKnown = 50_000

// Forms are the base forms that a word in lower case may be of, the most frequent
// first; none if it is not known.
func (l *Lexicon) Forms(word string) []Form {
	l.mu.RLock()
	forms, known := l.known[word]
	l.mu.RUnlock()
	if known {
		return forms
	}
	forms = l.forms(word)
	l.mu.Lock()
	if len(l.known) >= mostKnown {
		clear(l.known)
	}
	l.known[strings.Clone(word)] = forms
	l.mu.Unlock()
	return forms
}

func (l *Lexicon) forms(word string) (forms []Form) {
	add := func(f Form) bool {
		is := slices.ContainsFunc(l.words[f.Word], func(s sense) bool { return s.kind == f.Kind })
		if is && !slices.Contains(forms, f) {
			forms = append(forms, f)
		}
		return is
	}
	for _, k := range []Kind{Noun, Verb, Adjective, Adverb} {
		if base, is := l.odd[Form{word, k}]; is {
			add(Form{base, k})
		}
	}
	for _, s := range l.words[word] {
		if _, is := l.odd[Form{word, s.kind}]; !is {
			add(Form{word, s.kind})
		}
	}
	for _, e := range endings {
		stem, has := strings.CutSuffix(word, e.from)
		if !has || len(stem) < 2 || l.odd[Form{word, e.kind}] != "" {
			continue
		}
		if add(Form{stem + e.to, e.kind}) || !e.twoBefore || len(stem) < 3 {
			continue
		}
		if n := len(stem); stem[n-1] == stem[n-2] {
			add(Form{stem[:n-1], e.kind})
		}
	}
	slices.SortStableFunc(forms, func(a, b Form) int { return l.times(b) - l.times(a) })
	return forms
}

func (l *Lexicon) sense(f Form) *sense {
	senses := l.words[f.Word]
	for i := range senses {
		if senses[i].kind == f.Kind {
			return &senses[i]
		}
	}
	return nil
}

func (l *Lexicon) times(f Form) int {
	if s := l.sense(f); s != nil {
		return s.times
	}
	return 0
}

// Words are all base forms that are known, in no order.
func (l *Lexicon) Words() iter.Seq[string] { return maps.Keys(l.words) }

// Is reports how much of the time a word is of a kind, 0 to 1; of words that were
// never counted all kinds are as likely.
func (l *Lexicon) Is(word string, kind Kind) float64 {
	total, own := 0.0, 0.0
	for _, f := range l.Forms(word) {
		n := float64(l.times(f)) + 0.5
		total += n
		if f.Kind == kind {
			own += n
		}
	}
	if total == 0 {
		return 0
	}
	return own / total
}

// Relation is what two words have to do with each other.
type Relation int

// The relations, the nearest first.
const (
	None     Relation = iota
	Same              // forms of one word
	Synonym           // they mean the same
	Made              // one is made of the other: meet, meeting
	Broader           // the second is broader: bee, insect
	Narrower          // the second is narrower
	Opposite          // hot, cold
	Sibling           // of one kind, and not the same: Monday, Friday
)

// Between tells what two words in lower case have to do with each other; senses is
// how many of the meanings of each are looked at, the most frequent first.
func (l *Lexicon) Between(a, b string, senses int) Relation {
	as, bs := l.Forms(a), l.Forms(b)
	if a == b || slices.ContainsFunc(as, func(f Form) bool {
		return slices.ContainsFunc(bs,
			func(g Form) bool { return g.Word == f.Word })
	}) {
		return Same
	}
	found := None
	better := func(r Relation) {
		if found == None || r < found {
			found = r
		}
	}
	for _, f := range as {
		for _, g := range bs {
			if f.Kind == g.Kind && (l.opposed(f, g, senses) || l.opposed(g, f, senses)) {
				return Opposite
			}
			if slices.Contains(l.made[f.Word], g.Word) || slices.Contains(l.made[g.Word], f.Word) {
				better(Made)
			}
			if f.Kind == g.Kind {
				if r := l.meant(f, g, senses); r != None {
					better(r)
				}
			}
		}
	}
	return found
}

// meant compares the meanings of two words of one kind.
func (l *Lexicon) meant(f, g Form, senses int) Relation {
	s, t := l.sense(f), l.sense(g)
	p, q := s.meanings[:min(senses, len(s.meanings))], t.meanings[:min(senses, len(t.meanings))]
	for _, m := range p {
		if slices.Contains(q, m) {
			return Synonym
		}
	}
	steps := 1 // adjectives lie around others, all alike
	if f.Kind == Noun || f.Kind == Verb {
		steps = mostSteps
	}
	for _, m := range p {
		for _, n := range q {
			if l.above(m, n, steps) {
				return Broader
			}
			if l.above(n, m, steps) {
				return Narrower
			}
		}
	}
	if f.Kind != Noun {
		return None
	}
	for _, m := range p {
		for _, n := range q {
			for _, up := range l.broader[m] {
				if slices.Contains(l.broader[n], up) {
					return Sibling
				}
			}
		}
	}
	return None
}

// mostSteps are how far up what is broader still stands for a word: a bee is a
// hymenopteran, and that is an insect.
const mostSteps = 2

func (l *Lexicon) above(m, n int32, steps int) bool {
	for _, up := range l.broader[m] {
		if up == n || steps > 1 && l.above(up, n, steps-1) {
			return true
		}
	}
	return false
}

// opposed reports whether a word, or one that means the same, is the opposite of
// the other or of one that means the same as that: allow, permit, forbid.
func (l *Lexicon) opposed(f, g Form, senses int) bool {
	if slices.Contains(l.opposite[f.Word], g.Word) {
		return true
	}
	s, t := l.sense(f), l.sense(g)
	q := t.meanings[:min(senses, len(t.meanings))]
	for _, m := range s.meanings[:min(senses, len(s.meanings))] {
		for _, alike := range l.said[m] {
			for _, other := range l.opposite[alike] {
				if o := l.sense(Form{other, g.Kind}); o != nil && len(o.meanings) > 0 && slices.Contains(q,
					o.meanings[0]) {
					return true
				}
			}
		}
	}
	return false
}

// usual is how much of the time a word has to be of a kind for what it means then to
// be thought of.
const usual = 0.25

// Kin are the words that stand for one in lower case: its other forms that no rule
// makes, and the base forms of those that mean the same in one of so many of its most
// frequent meanings; none of them is the word itself.
func (l *Lexicon) Kin(word string, senses int) (forms, synonyms []string) {
	add := func(to *[]string, w string) {
		if w != word && !slices.Contains(forms, w) && !slices.Contains(synonyms, w) {
			*to = append(*to, w)
		}
	}
	for _, f := range l.Forms(word) {
		if l.Is(word, f.Kind) < usual {
			continue
		}
		if l.odd[Form{word, f.Kind}] == f.Word {
			add(&forms, f.Word)
		}
		for _, other := range l.oddly[f] {
			add(&forms, other)
		}
	}
	for _, f := range l.Forms(word) {
		s := l.sense(f)
		if l.Is(word, f.Kind) < usual || s == nil {
			continue
		}
		for _, m := range s.meanings[:min(senses, len(s.meanings))] {
			for _, w := range l.said[m] {
				if w != f.Word {
					add(&synonyms, w)
				}
			}
		}
	}
	return forms, synonyms
}

// Instead is a word that stands in a relation to one, in the most frequent meaning of
// each, in its base form; "" if there is none or the word is not in its base form.
func (l *Lexicon) Instead(word string, r Relation) string {
	senses := l.words[word]
	if len(senses) == 0 {
		return ""
	}
	f := Form{word, senses[0].kind}
	var others []string
	switch r {
	case Opposite:
		others = l.opposite[word]
	case Synonym:
		others = l.said[senses[0].meanings[0]]
	}
	for _, other := range others {
		if other == word {
			continue
		}
		if s := l.sense(Form{other, f.Kind}); s != nil && (r == Opposite || s.meanings[0] == senses[0].meanings[0]) {
			return other
		}
	}
	return ""
}

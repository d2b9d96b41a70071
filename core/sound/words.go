package sound

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// Word is a word with its time.
type Word struct {
	Text  string  `json:"text"`
	Start float64 `json:"start"`
	End   float64 `json:"end"`
	// Sure is how sure the recogniser is, 0 to 1; nil if it does not say.
	Sure *float64 `json:"sure,omitempty"`
	// About: the time was reckoned and not said.
	About bool `json:"about,omitempty"`
	// Ends: a sentence ends after it.
	Ends bool `json:"ends,omitempty"`
}

// Sentence is what is shown and played as one.
type Sentence struct {
	Start float64 `json:"start"`
	End   float64 `json:"end"`
	Text  string  `json:"text"`
	Who   string  `json:"who,omitempty"`
	Words []Word  `json:"words"`
}

// Transcript is what was said in a recording.
type Transcript struct {
	Language  string     `json:"language,omitempty"` // ISO 639-1; "" if unknown
	Sentences []Sentence `json:"sentences"`
}

// Text is all of it, sentence by sentence, with a line for whoever begins to speak and
// an empty line where there is a pause.
func (t Transcript) Text() string {
	const pause = 1.5
	var b strings.Builder
	who, until := "", 0.0
	for i, s := range t.Sentences {
		switch {
		case s.Who != who && s.Who != "":
			if i > 0 {
				b.WriteString("\n\n")
			}
			b.WriteString(s.Who + ": ")
		case i > 0 && (s.Start-until > pause || s.Who != who):
			b.WriteString("\n\n")
		case i > 0:
			b.WriteByte(' ')
		}
		b.WriteString(s.Text)
		who, until = s.Who, s.End
	}
	return b.String()
}

// Words are all words, one after the other.
func (t Transcript) Words() (all []Word) {
	for _, s := range t.Sentences {
		all = append(all, s.Words...)
	}
	return all
}

// Heard is what a recogniser said of a piece. Times are of the piece.
type Heard struct {
	Language  string
	Text      string
	Sentences []Sentence // without words, as a rule; Text has them
	Words     []Word     // often without punctuation
}

// Spread makes timed words of what a recogniser said of a piece of which l is the
// loudness: the words as they stand in the text, with the times that were said, or
// reckoned from those of their sentence, or from where anything is spoken.
func (h Heard) Spread(l Loudness) []Word {
	var words []Word
	switch {
	case len(h.Sentences) > 0:
		for _, s := range h.Sentences {
			some := spread(tokens(s.Text), [][2]float64{{s.Start, max(s.End, s.Start+0.05)}})
			if len(s.Words) > 0 {
				some = Timed(tokens(s.Text), s.Words)
			}
			if n := len(some); n > 0 && endsSentence(some[n-1].Text) {
				some[n-1].Ends = true
			}
			words = append(words, some...)
		}
		if len(h.Words) > 0 {
			words = timed(words, h.Words)
		}
	case len(h.Words) > 0 && strings.TrimSpace(h.Text) != "":
		words = Timed(tokens(h.Text), h.Words)
	case len(h.Words) > 0:
		words = h.Words
	default:
		stretches := l.Spoken()
		if len(stretches) == 0 {
			stretches = [][2]float64{{0, l.Seconds()}}
		}
		words = spread(tokens(h.Text), stretches)
	}
	return orderly(words, l.Seconds())
}

// orderly keeps times within the piece and in their order.
func orderly(words []Word, end float64) []Word {
	at := 0.0
	for i := range words {
		w := &words[i]
		if w.Start < at || w.Start != w.Start {
			w.Start = at
		}
		if end > 0 {
			w.Start = min(w.Start, end)
		}
		if w.End < w.Start || w.End != w.End {
			w.End = w.Start
		}
		if end > 0 {
			w.End = min(w.End, end)
		}
		at = w.Start
	}
	return words
}

// tokens are the words of a text with the punctuation that clings to them; a script that
// puts no spaces between words is cut between characters.
func tokens(text string) (all []string) {
	for _, field := range strings.Fields(text) {
		for {
			cut := unspaced(field)
			if cut == 0 || cut == len(field) {
				break
			}
			all, field = append(all, field[:cut]), field[cut:]
		}
		all = append(all, field)
	}
	return all
}

// unspaced is where the first word of a field ends that is written without spaces.
func unspaced(field string) int {
	r, size := utf8.DecodeRuneInString(field)
	if !unicode.In(r, unicode.Han, unicode.Hiragana, unicode.Katakana, unicode.Thai) {
		at := strings.IndexFunc(field, func(r rune) bool {
			return unicode.In(r, unicode.Han, unicode.Hiragana, unicode.Katakana, unicode.Thai)
		})
		return max(at, 0)
	}
	for size < len(field) {
		r, n := utf8.DecodeRuneInString(field[size:])
		if !unicode.IsPunct(r) && !unicode.IsMark(r) {
			break
		}
		size += n
	}
	return size
}

// Text is words as a text.
func Text(words []Word) string {
	var b strings.Builder
	for i, w := range words {
		if i > 0 && !glued(words[i-1].Text, w.Text) {
			b.WriteByte(' ')
		}
		b.WriteString(w.Text)
	}
	return b.String()
}

// glued reports whether no space stands between two words.
func glued(a, b string) bool {
	last, _ := utf8.DecodeLastRuneInString(a)
	first, _ := utf8.DecodeRuneInString(b)
	own := func(r rune) bool {
		return unicode.In(r, unicode.Han, unicode.Hiragana, unicode.Katakana, unicode.Thai) || r > 0x3000 && r < 0x3100
	}
	return own(last) && own(first)
}

// spread gives words times in stretches, by their lengths.
func spread(texts []string, stretches [][2]float64) []Word {
	weight := func(text string) float64 { return float64(utf8.RuneCountInString(text)) + 1.5 }
	sum, length := 0.0, 0.0
	for _, text := range texts {
		sum += weight(text)
	}
	for _, s := range stretches {
		length += s[1] - s[0]
	}
	// at is the time at which so much of what is spoken has been.
	at := func(part float64) float64 {
		left := part * length
		for _, s := range stretches {
			if left <= s[1]-s[0] {
				return s[0] + left
			}
			left -= s[1] - s[0]
		}
		return stretches[len(stretches)-1][1]
	}
	words := make([]Word, len(texts))
	done := 0.0
	for i, text := range texts {
		begin := at(done / sum)
		done += weight(text)
		words[i] = Word{Text: text, Start: begin, End: max(begin, at(done/sum)), About: true}
	}
	return words
}

// Plain is a word as words are compared: small letters and digits alone.
func Plain(word string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) || unicode.IsMark(r) {
			return unicode.ToLower(r)
		}
		return -1
	}, word)
}

// Timed gives words of a text the times of those that are known, where they are the
// same; the others get what lies between.
func Timed(texts []string, known []Word) []Word {
	if len(known) == 0 {
		return spread(texts, [][2]float64{{0, 0}})
	}
	return timed(spread(texts, [][2]float64{{known[0].Start, known[len(known)-1].End}}), known)
}

// timed replaces the times of words by those that are known.
func timed(words, known []Word) []Word {
	pairs := align(words, known)
	last := -1 // the word before that has a time that was said
	for i := range words {
		j := pairs[i]
		if j < 0 {
			continue
		}
		w := &words[i]
		w.Start, w.End, w.Sure, w.About = known[j].Start, known[j].End, known[j].Sure, known[j].About
		between(words, last, i, known)
		last = i
	}
	if last >= 0 {
		between(words, last, len(words), known)
	}
	return words
}

// between gives those between two words whose times are known what lies between these.
func between(words []Word, last, next int, known []Word) {
	if next-last < 2 {
		return
	}
	from, to := known[0].Start, known[len(known)-1].End
	if last >= 0 {
		from = words[last].End
	}
	if next < len(words) {
		to = words[next].Start
	}
	texts := make([]string, 0, next-last)
	for _, w := range words[last+1 : next] {
		texts = append(texts, w.Text)
	}
	for i, w := range spread(texts, [][2]float64{{from, max(from, to)}}) {
		words[last+1+i].Start, words[last+1+i].End = w.Start, w.End
	}
}

// align pairs each word with the known one that is the same, or -1, both in their order:
// a longest common subsequence, looked for in windows where texts are long.
func align(words, known []Word) []int {
	pairs := make([]int, len(words))
	for i := range pairs {
		pairs[i] = -1
	}
	const window = 400
	for i, j := 0, 0; i < len(words) && j < len(known); {
		a, b := words[i:min(i+window, len(words))], known[j:min(j+window, len(known))]
		common := subsequence(a, b)
		if len(common) == 0 {
			i, j = i+len(a)/2+1, j+len(b)/2+1
			continue
		}
		// The end of a window is unsure unless it is the end of all.
		keep := len(common)
		if i+len(a) < len(words) || j+len(b) < len(known) {
			keep = max(1, keep*2/3)
		}
		for _, p := range common[:keep] {
			pairs[i+p[0]] = j + p[1]
		}
		i, j = i+common[keep-1][0]+1, j+common[keep-1][1]+1
	}
	return pairs
}

// subsequence is a longest common subsequence of words, as pairs of places.
func subsequence(a, b []Word) (pairs [][2]int) {
	plainA, plainB := plains(a), plains(b)
	best := make([][]int16, len(a)+1)
	for i := range best {
		best[i] = make([]int16, len(b)+1)
	}
	for i := len(a) - 1; i >= 0; i-- {
		for j := len(b) - 1; j >= 0; j-- {
			if plainA[i] == plainB[j] && plainA[i] != "" {
				best[i][j] = best[i+1][j+1] + 1
			} else {
				best[i][j] = max(best[i+1][j], best[i][j+1])
			}
		}
	}
	for i, j := 0, 0; i < len(a) && j < len(b); {
		switch {
		case plainA[i] == plainB[j] && plainA[i] != "":
			pairs = append(pairs, [2]int{i, j})
			i, j = i+1, j+1
		case best[i+1][j] >= best[i][j+1]:
			i++
		default:
			j++
		}
	}
	return pairs
}

func plains(words []Word) []string {
	all := make([]string, len(words))
	for i, w := range words {
		all[i] = Plain(w.Text)
	}
	return all
}

// From are the words from a moment on, timed from it: those of which at least half is after
// it.
func From(words []Word, from float64) []Word {
	if from <= 0 {
		return words
	}
	var some []Word
	for _, w := range words {
		if middle(w) < from {
			continue
		}
		w.Start, w.End = max(0, w.Start-from), w.End-from
		some = append(some, w)
	}
	return some
}

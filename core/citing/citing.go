// Package citing holds what a model said against the passages that it was given,
// without asking a model: which sentence rests on which passage, and which on
// none. References to nothing are taken out, wrong ones mended.
//
// A reply is cut into sentences. Each is held against one or two sentences of a
// passage at a time, by the words that they share; a number that is not there
// weighs heavily, and so does a no where there was none. A sentence of which
// enough is said in one place is supported, and carries that place; one that
// only says that nothing was found asks for no support.
//
// Likeness of words is not truth: a sentence that swaps who did what for whom
// shares all its words. docs/retrieval.md says how often the marks are right.
package citing

import (
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"juvalogos/core/evidence"
	"juvalogos/core/language"
)

// Checked is a reply that was held against passages.
type Checked struct {
	Text      string              // mended
	Sentences []evidence.Sentence // of the mended text
	Removed   int                 // references to nothing, or to what does not support
	Mended    int                 // references that led to another passage
	Added     int                 // references that were missing
}

var (
	digits    = regexp.MustCompile(`\d+`)
	reference = regexp.MustCompile(`\s*\[(\d{1,3}(?:\s*[,;]\s*\d{1,3})*)\]`)
	leading   = regexp.MustCompile(`^(\[\d{1,3}(\s*[,;]\s*\d{1,3})*\]\s*)+`)
	fence     = regexp.MustCompile("(?ms)^```.*?^```[^\n]*$")
)

// Check holds a reply to a question against passages. References name them by
// their place among those given, from 1, which has to be their Number. The question
// is what short answers are read in the light of; it may be empty.
func Check(reply, question string, passages []evidence.Passage) Checked {
	out, _ := CheckTold(reply, question, passages, nil)
	return out
}

func (j *judge) check(reply string) Checked {
	var out Checked
	var b strings.Builder
	reply = plainReferences(reply, len(j.passages))
	code := fence.FindAllStringIndex(reply, -1)
	rows := rowsOf(reply)
	last := 0
	for _, at := range stretches(reply) {
		b.WriteString(reply[last:at[0]])
		last = at[1]
		text := reply[at[0]:at[1]]
		if slices.ContainsFunc(code, func(c []int) bool { return at[0] < c[1] && at[1] > c[0] }) {
			b.WriteString(text)
			continue
		}
		if r, is := rows[lineOf(reply, at[0])]; is {
			out.sentence(&b, text, j, j.row(r))
			continue
		}
		out.sentence(&b, text, j, j.claim(reference.ReplaceAllString(text, "")))
	}
	b.WriteString(reply[last:])
	out.Text = b.String()
	return out
}

// stretches are a reply's sentences; each line of Markdown has its own.
func stretches(reply string) (all [][2]int) {
	from := 0
	rows := rowsOf(reply)
	for line := range strings.Lines(reply) {
		if _, is := rows[from]; is { // as a whole
			bare := strings.TrimSpace(line)
			at := from + strings.Index(line, bare)
			all = append(all, [2]int{at, at + len(bare)})
			from += len(line)
			continue
		}
		for i, s := range language.Sentences(line) {
			// References behind a full stop belong to the sentence before it.
			head := leading.FindString(line[s[0]:s[1]])
			if i > 0 && head != "" {
				all[len(all)-1][1] = from + s[0] + len(strings.TrimRight(head, " "))
				if s[0] += len(head); s[0] >= s[1] {
					continue
				}
			}
			for _, cut := range afterReferences(line[s[0]:s[1]]) {
				all = append(all, [2]int{from + s[0] + cut[0], from + s[0] + cut[1]})
			}
		}
		from += len(line)
	}
	return all
}

// afterReferences cuts a stretch where a reference ends a sentence that has no
// full stop: what comes next begins with a capital letter.
func afterReferences(text string) (all [][2]int) {
	from := 0
	for _, at := range reference.FindAllStringIndex(text, -1) {
		rest := strings.TrimLeft(text[at[1]:], " ")
		first, _ := utf8.DecodeRuneInString(rest)
		if len(rest) == len(text)-at[1] || !unicode.IsUpper(first) {
			continue
		}
		all = append(all, [2]int{from, at[1]})
		from = len(text) - len(rest)
	}
	return append(all, [2]int{from, len(text)})
}

// lineOf is where the line begins in which something stands.
func lineOf(reply string, at int) int { return strings.LastIndexByte(reply[:at], '\n') + 1 }

// sentence judges a stretch by what it claims; nil: nothing.
func (out *Checked) sentence(b *strings.Builder, said string, j *judge, claim *text) {
	var given []int
	for _, m := range reference.FindAllStringSubmatch(said, -1) {
		for _, n := range digits.FindAllString(m[1], -1) {
			number, _ := strconv.Atoi(n)
			given = append(given, number)
		}
	}
	bare := reference.ReplaceAllString(said, "")
	s := evidence.Sentence{From: b.Len(), Notes: []evidence.Note{}}
	if claim == nil || j.foreign {
		s.Support = evidence.Neutral
		if claim != nil {
			s.Support = evidence.Unchecked
		}
		kept := given[:0]
		for _, n := range given {
			if n >= 1 && n <= len(j.passages) {
				kept = append(kept, n)
			} else {
				out.Removed++
			}
		}
		given = kept
		if s.Support == evidence.Unchecked {
			for _, n := range given {
				s.Notes = append(s.Notes, j.passages[n-1].Note(j.nearest(claim, n-1)))
			}
		}
		b.WriteString(withReferences(bare, said, given))
		s.To = b.Len()
		out.Sentences = append(out.Sentences, s)
		return
	}
	right, against := out.judge(&s, given, len(out.Sentences), claim, j)
	s.Support = evidence.Unsupported
	if against {
		s.Support = evidence.Contradicted
	}
	if len(right) > 0 {
		s.Support = evidence.Supported
	}
	b.WriteString(withReferences(bare, said, right))
	s.To = b.Len()
	out.Sentences = append(out.Sentences, s)
}

// judge finds which passages a claim, the nth of the sentences, rests on, or whether
// one says otherwise, and notes their words.
func (out *Checked) judge(s *evidence.Sentence, given []int, nth int, claim *text, j *judge) (right []int,
	otherwise bool) {
	var against *contrary
	passage, words, contrarily, told := j.toldOf(nth, claim)
	for _, n := range given {
		if n < 1 || n > len(j.passages) || slices.Contains(right, n) {
			out.Removed++
			continue
		}
		if score, quote, _ := j.holds(claim, n-1); score >= enough {
			right = append(right, n)
			s.Notes = append(s.Notes, j.passages[n-1].Note(quote))
		}
	}
	switch {
	case told && contrarily: // whatever we found
		right, against = nil, &contrary{quote: words}
		out.Removed += len(given)
		s.Notes = []evidence.Note{j.passages[passage-1].Note(words)}
	case told && len(right) == 0:
		out.Added++
		right, s.Notes = []int{passage}, []evidence.Note{j.passages[passage-1].Note(words)}
	case len(right) == 0:
		best, score, quote, contrary, by := j.best(claim)
		switch {
		case score >= enough:
			right = []int{best + 1}
			s.Notes = []evidence.Note{j.passages[best].Note(quote)}
			if len(given) > 0 {
				out.Mended++
			} else {
				out.Added++
			}
		default:
			out.Removed += len(given)
			against = contrary
			if against != nil {
				s.Notes = []evidence.Note{j.passages[by].Note(against.quote)}
			}
		}
	}
	return right, against != nil
}

// withReferences puts numbers at the end of a sentence: before its full stop
// where they stood there, else behind it.
func withReferences(bare, original string, numbers []int) string {
	if len(numbers) == 0 {
		return bare
	}
	var refs strings.Builder
	for _, n := range numbers {
		refs.WriteString("[" + strconv.Itoa(n) + "]")
	}
	trimmed := strings.TrimRight(bare, " ")
	if end := rowEnd.FindStringIndex(trimmed); end != nil && rowLine.MatchString(trimmed) {
		return trimmed[:end[0]] + " " + refs.String() + trimmed[end[0]:]
	}
	if end := len(trimmed) - 1; end > 0 && strings.ContainsRune(".!?", rune(trimmed[end])) &&
		!strings.HasSuffix(strings.TrimSpace(original), "]") {
		return strings.TrimRight(trimmed[:end], " ") + " " + refs.String() + trimmed[end:]
	}
	return trimmed + " " + refs.String()
}

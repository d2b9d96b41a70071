package sound

import (
	"math"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Part is a piece with the words that were heard in it; their times are of the piece.
type Part struct {
	Piece
	Words []Word
}

// Join makes one list of the words of pieces, which may be those at the beginning of a
// recording only. Where a piece has something of its neighbour, the words that both
// heard are looked for, and the seam is laid where they agree, as far from both edges as
// may be: at its edges a recogniser hears half words. Where they agree in nothing, the
// cut decides.
func Join(parts []Part) (all []Word) {
	for i, p := range parts {
		words := make([]Word, len(p.Words))
		for j, w := range p.Words {
			w.Start, w.End = w.Start+p.Start, w.End+p.Start
			words[j] = w
		}
		if i > 0 && !p.Clean {
			left, right := seam(all, words, p.Piece)
			all, words = all[:left], words[right:]
		}
		all = append(all, words...)
	}
	return all
}

// seam is how many words are kept of what came before a piece, and how many of the
// piece's own are left out.
func seam(before, after []Word, p Piece) (left, right int) {
	about := len(before) > 0 && before[len(before)-1].About || len(after) > 0 && after[0].About
	over := 2 * (p.Cut - p.Start)
	slack, far := 0.4, 0.6
	if about { // where times are reckoned, words are trusted more than they are
		slack, far = over+4, over+4
	}
	first := len(before)
	for first > 0 && before[first-1].End > p.Start-slack {
		first--
	}
	end := 0
	for end < len(after) && after[end].Start < p.Start+over+slack {
		end++
	}
	tail, head := before[first:], after[:end]
	if i, j, ok := agree(tail, head, far, about, p.Cut); ok {
		return first + i + 1, j + 1
	}
	for left = first; left < len(before) && middle(before[left]) < p.Cut; left++ {
	}
	for right < len(after) && middle(after[right]) < p.Cut {
		right++
	}
	return left, right
}

func middle(w Word) float64 { return (w.Start + w.End) / 2 }

// agree finds the pair of the same word at which a seam is best: in the middle of the
// longest run of words that both heard at the same time.
func agree(tail, head []Word, far float64, about bool, cut float64) (i, j int, ok bool) {
	a, b := plains(tail), plains(head)
	same := func(x, y int) bool {
		return x >= 0 && y >= 0 && x < len(a) && y < len(b) && a[x] != "" && a[x] == b[y] &&
			math.Abs(tail[x].Start-head[y].Start) <= far
	}
	best := math.Inf(-1)
	for x := range a {
		for y := range b {
			if !same(x, y) || same(x-1, y-1) {
				continue
			}
			run := 1
			for same(x+run, y+run) {
				run++
			}
			length := 0
			for k := range run {
				length += utf8.RuneCountInString(a[x+k])
			}
			if about && run < 2 && length < 6 { // a short word alone may be any
				continue
			}
			at := run / 2
			apart := math.Abs(tail[x+at].Start - head[y+at].Start)
			score := float64(length) + 2*float64(run) - math.Abs(middle(tail[x+at])-cut)
			if about {
				score -= apart / 4
			} else {
				score -= apart * 40
			}
			if score > best {
				best, i, j, ok = score, x+at, y+at, true
			}
		}
	}
	return i, j, ok
}

// Sentences makes sentences of words: they end where the recogniser or the punctuation
// says so, at a pause where there is none, and where they would be too long.
func Sentences(words []Word) (all []Sentence) {
	const (
		pause   = 0.65 // seconds, where there is no punctuation
		parting = 2.5  // where there is
		most    = 45   // words
		longest = 20.0 // seconds
	)
	marked := punctuated(words)
	for from := 0; from < len(words); {
		to := from + 1
		for ; to < len(words); to++ {
			last, next := words[to-1], words[to]
			gap := next.Start - last.End
			if last.Ends || endsSentence(last.Text) && !abbreviated(last.Text) || gap > parting ||
				!marked && gap > pause || to-from >= most || next.End-words[from].Start > longest && gap > 0.2 {
				break
			}
		}
		some := words[from:to]
		all = append(all, Sentence{Start: some[0].Start, End: max(some[0].Start, some[len(some)-1].End),
			Text: Text(some), Words: some})
		from = to
	}
	return all
}

// punctuated reports whether a text has sentences that end.
func punctuated(words []Word) bool {
	ends := 0
	for _, w := range words {
		if endsSentence(w.Text) {
			ends++
		}
	}
	return ends*60 >= len(words)
}

func endsSentence(word string) bool {
	word = strings.TrimRight(word, "\"'”’»)")
	last, _ := utf8.DecodeLastRuneInString(word)
	return strings.ContainsRune(".?!…。？！", last)
}

// abbreviated reports whether a word ends with a point that is its own.
func abbreviated(word string) bool {
	short := strings.TrimRight(word, ".")
	first, size := utf8.DecodeRuneInString(short)
	return word != short && (unicode.IsLetter(first) && size == len(short) || shortened[strings.ToLower(short)])
}

var shortened = map[string]bool{"dr": true, "mr": true, "mrs": true, "ms": true, "st": true, "etc": true,
	"e.g": true, "i.e": true, "z.b": true, "ca": true, "nr": true, "vs": true}

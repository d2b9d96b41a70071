package prompt

import (
	"fmt"
	"slices"
	"strings"

	"github.com/tiktoken-go/tokenizer"
)

// A Counter tells how many tokens a model makes of a text.
type Counter interface {
	Count(text string) int
	// Vocabulary names what was counted with; lengths of different
	// vocabularies must not be mixed.
	Vocabulary() string
}

// Vocabularies lists the names that NewCounter knows beside Estimated.
func Vocabularies() []string {
	return []string{"o200k_base", "cl100k_base", "p50k_base", "r50k_base"}
}

// Estimated is the name of the counter for models whose vocabulary is not
// known.
const Estimated = "estimate"

// NewCounter returns a counter for a vocabulary: one of Vocabularies, or
// Estimated, or "" which means Estimated. Loading a vocabulary takes a
// noticeable part of a second and some ten megabytes, so callers keep it. It
// fails if there is no such vocabulary.
func NewCounter(vocabulary string) (Counter, error) {
	if vocabulary == "" || vocabulary == Estimated {
		return Estimate{}, nil
	}
	if !slices.Contains(Vocabularies(), vocabulary) {
		return nil, fmt.Errorf("unknown vocabulary %q; known: %s", vocabulary, strings.Join(Vocabularies(), ", "))
	}
	codec, err := tokenizer.Get(tokenizer.Encoding(vocabulary))
	if err != nil {
		return nil, fmt.Errorf("load vocabulary %q: %w", vocabulary, err)
	}
	return counted{codec, vocabulary}, nil
}

type counted struct {
	codec tokenizer.Codec
	name  string
}

func (c counted) Vocabulary() string { return c.name }

func (c counted) Count(text string) int {
	n, err := c.codec.Count(text)
	if err != nil {
		return Estimate{}.Count(text)
	}
	return n
}

// Estimate counts on the safe side for any byte-pair vocabulary: it would
// rather forget a turn too early than overrun a context. The first three
// letters of an ASCII word count one token and every two letters begun after
// them another; every letter counts one in a run with capitals inside or next
// to digits, which is a code or a key. Every digit, mark and line break counts
// one, and any other character one per byte of its UTF-8 form, which no
// byte-level vocabulary exceeds. A single space belongs to the word behind it.
type Estimate struct{}

// Vocabulary returns Estimated.
func (Estimate) Vocabulary() string { return Estimated }

// Count returns the estimated number of tokens of text.
func (Estimate) Count(text string) int {
	tokens := 0
	for i := 0; i < len(text); {
		if isLetter(text[i]) || isDigit(text[i]) {
			n, cost := run(text[i:])
			i, tokens = i+n, tokens+cost
			continue
		}
		if text[i] != ' ' || i+1 == len(text) || text[i+1] == ' ' {
			tokens++
		}
		i++
	}
	return tokens
}

// run measures the letters and digits that text begins with.
func run(text string) (length, tokens int) {
	odd := false // a code rather than a word
	for length < len(text) && (isLetter(text[length]) || isDigit(text[length])) {
		odd = odd || isDigit(text[length]) || length > 0 && text[length] < 'a'
		length++
	}
	if odd {
		return length, length
	}
	return length, 1 + max(0, length-2)/2
}

func isLetter(b byte) bool { return b|0x20 >= 'a' && b|0x20 <= 'z' }
func isDigit(b byte) bool  { return b >= '0' && b <= '9' }

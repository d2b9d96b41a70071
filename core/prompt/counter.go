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
// noticeable part of a second and some ten megabytes, so callers keep it.
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
// rather forget a turn too early than overrun a context. A word of ASCII
// letters counts one token for every three letters begun, every digit, mark
// and line break one, and any other character one per byte of its UTF-8 form,
// which no byte-level vocabulary exceeds.
type Estimate struct{}

// Vocabulary returns Estimated.
func (Estimate) Vocabulary() string { return Estimated }

// Count returns the estimated number of tokens of text.
func (Estimate) Count(text string) int {
	tokens, letters := 0, 0
	for i := 0; i < len(text); i++ {
		b := text[i]
		if b|0x20 >= 'a' && b|0x20 <= 'z' {
			if letters%3 == 0 {
				tokens++
			}
			letters++
			continue
		}
		letters = 0
		// A single space belongs to the word that follows it.
		if b != ' ' || i+1 == len(text) || text[i+1] == ' ' {
			tokens++
		}
	}
	return tokens
}

package tables

import (
	"slices"
	"strings"

	"juvalogos/core/evidence"
	"juvalogos/core/phrase"
)

// Source holds what a reply says of a result and of documents at once: a number that is in
// the words of a document on which its sentence rests holds too, and a sentence that no
// document says rests on the result if its numbers do. One that names what stands in the
// result, and says no number, is left as one that claims nothing of documents. It returns
// the sources as they are then; those that came are not changed.
func (f *Figures) Source(text string, sources evidence.Sources, r *Result) evidence.Sources {
	sources.Sentences = slices.Clone(sources.Sentences)
	h := newHolder(text, "", r)
	for i := range sources.Sentences {
		s := &sources.Sentences[i]
		if s.From < 0 || s.To > len(text) || s.From > s.To {
			continue
		}
		inTable, loose := f.quoted(text, s)
		if s.Support != evidence.Unsupported || loose {
			continue
		}
		switch {
		case inTable:
			s.Support, sources.Supported = evidence.Supported, true
		case len(h.context(s.From, s.To).rows) > 0:
			s.Support = evidence.Neutral
		}
	}
	f.Loose = 0
	for _, n := range f.Numbers {
		if !n.Holds {
			f.Loose++
		}
	}
	return sources
}

// quoted has the numbers of a sentence hold that its quotes say. inTable reports whether
// one of its numbers follows from the result, loose whether one follows from nothing.
func (f *Figures) quoted(text string, s *evidence.Sentence) (inTable, loose bool) {
	var quotes []string
	for _, n := range s.Notes {
		quotes = append(quotes, n.Quote)
	}
	words := strings.Join(quotes, "\n")
	quoted := numbersIn(words, 0, len(words))
	for i := range f.Numbers {
		n := &f.Numbers[i]
		if n.From < s.From || n.To > s.To {
			continue
		}
		for _, is := range numbersIn(text, n.From, n.To) {
			if slices.ContainsFunc(quoted, func(q said) bool { return slices.ContainsFunc(q.values, is.near) }) {
				*n = Figure{From: n.From, To: n.To, Holds: true, Says: phrase.Of("the document says it"), Row: -1,
					Column: -1}
			}
		}
		loose = loose || !n.Holds
		inTable = inTable || n.Row >= 0 || n.reckoned
	}
	return inTable, loose
}

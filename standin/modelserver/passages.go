package modelserver

import (
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"
)

// passage is a numbered text in the prompt: "[3] Text up to the next number or
// an empty line."
type passage struct {
	number, text string
}

var passageStart = regexp.MustCompile(`(?m)^\[(\d+)\]\s+`)

func readPassages(text string) []passage {
	var all []passage
	starts := passageStart.FindAllStringSubmatchIndex(text, -1)
	for i, at := range starts {
		end := len(text)
		if i+1 < len(starts) {
			end = starts[i+1][0]
		}
		body, _, _ := strings.Cut(text[at[1]:end], "\n\n")
		body, _, _ = strings.Cut(body, "\n</material")
		all = append(all, passage{text[at[2]:at[3]], strings.TrimSpace(body)})
	}
	return all
}

const nothingSaid = "The passages I was given do not say anything about that."

// leastShare is the part of the question's weight that a sentence must share
// to count as an answer.
const leastShare = 0.34

// fromPassages picks the sentences that share most with the question, weighted
// by how rare the words are among the passages, and cites their numbers.
func fromPassages(m model, c conversation) string {
	asked := contentWords(questionAlone(c.question))
	seenIn := map[string]int{}
	for _, p := range c.passages {
		words := contentWords(p.text)
		slices.Sort(words)
		for _, w := range slices.Compact(words) {
			seenIn[w]++
		}
	}
	weight := func(w string) float64 { return math.Log(1 + float64(len(c.passages)+1)/float64(1+seenIn[w])) }
	total := 0.0
	for _, w := range asked {
		total += weight(w)
	}
	type found struct {
		sentence, number string
		share            float64
		place            int
	}
	var hits []found
	for _, p := range c.passages {
		var before []string // the sentence before tells what this one is about
		text := p.text
		if head, rest, more := strings.Cut(text, "\n"); more && !strings.HasSuffix(head, ".") {
			text = rest // what the passage is called
		}
		for _, s := range sentences(text) {
			words := contentWords(s)
			if !strings.ContainsAny(s[len(s)-1:], ".!?\"”)") && !strings.Contains(s, ":") {
				before = words // a heading
				continue
			}
			shared, own := 0.0, false
			for _, w := range asked {
				if slices.Contains(words, w) {
					shared += weight(w)
					own = true
				} else if slices.Contains(before, w) {
					shared += weight(w) / 2
				}
			}
			if before = words; !own {
				continue
			}
			if total > 0 && shared/total >= leastShare {
				hits = append(hits, found{s, p.number, shared / total, len(hits)})
			}
		}
	}
	if len(hits) == 0 {
		return nothingSaid
	}
	slices.SortStableFunc(hits, func(a, b found) int {
		switch {
		case a.share > b.share:
			return -1
		case a.share < b.share:
			return 1
		}
		return 0
	})
	hits = hits[:min(len(hits), m.cited)]
	slices.SortFunc(hits, func(a, b found) int { return a.place - b.place })
	var said []string
	for _, h := range hits {
		said = append(said, fmt.Sprintf("%s [%s]", h.sentence, h.number))
	}
	return strings.Join(said, " ")
}

// questionAlone drops passages that stand in the same message as the question.
func questionAlone(text string) string {
	text = text[afterMaterial(text):]
	paragraphs := strings.Split(text, "\n\n")
	kept := slices.DeleteFunc(paragraphs, func(p string) bool { return passageStart.MatchString(p) })
	return strings.Join(kept, "\n\n")
}

// material is the end of what a prompt marks as material: what is asked comes after it.
var material = regexp.MustCompile(`(?m)^(</material \w+>|\(Nothing was found in the documents\.\))\s*`)

func afterMaterial(text string) int {
	if all := material.FindAllStringIndex(text, -1); len(all) > 0 {
		return all[len(all)-1][1]
	}
	return 0
}

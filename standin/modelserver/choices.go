package modelserver

import (
	"hash/fnv"
	"regexp"
	"strings"
)

// Choices: asked for the letter of an option, the simulated model takes one whose words stand
// in what it was given to read; without that it guesses.

var (
	asksLetter = regexp.MustCompile(`(?i)answer with its letter alone`)
	anOption   = regexp.MustCompile(`(?m)^([A-H])\) (.+)$`)
)

func letterOf(system, text string) string {
	options := anOption.FindAllStringSubmatch(text, -1)
	if len(options) == 0 {
		return "A"
	}
	before, _, _ := strings.Cut(text, options[0][0])
	paragraphs := strings.Split(strings.TrimSpace(before), "\n\n")
	question := paragraphs[len(paragraphs)-1]
	material := strings.Join(append(flat(fenced.FindAllStringSubmatch(system, -1)),
		append(flat(fenced.FindAllStringSubmatch(text, -1)), paragraphs[:len(paragraphs)-1]...)...), "\n")
	_, after, found := strings.Cut(question, "missing? ")
	for _, o := range options {
		if found && strings.Contains(strings.Join(strings.Fields(material), " "),
			strings.Join(strings.Fields(strings.Replace(after, "___", o[2], 1)), " ")) {
			return o[1]
		}
	}
	best, most := "", 0.0
	for _, sentence := range sentences(material) {
		about := shared(question, sentence)
		for _, o := range options {
			if likely := about * shared(o[2], sentence); likely > most {
				best, most = o[1], likely
			}
		}
	}
	if best != "" {
		return best
	}
	h := fnv.New32a()
	_, _ = h.Write([]byte(text)) // never fails
	return options[int(h.Sum32())%len(options)][1]
}

var aWord = regexp.MustCompile(`[\pL\pN]{2,}`)

// shared is which part of a text's words a sentence has.
func shared(text, sentence string) float64 {
	has := map[string]bool{}
	for _, w := range aWord.FindAllString(strings.ToLower(sentence), -1) {
		has[w] = true
	}
	words := aWord.FindAllString(strings.ToLower(text), -1)
	n := 0.0
	for _, w := range words {
		if has[w] {
			n++
		}
	}
	return n / float64(max(len(words), 1))
}

func flat(found [][]string) (all []string) {
	for _, f := range found {
		all = append(all, f[1])
	}
	return all
}

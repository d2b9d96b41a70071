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
	material := strings.Join(append(flat(fenced.FindAllStringSubmatch(system, -1)),
		flat(fenced.FindAllStringSubmatch(text, -1))...), "\n")
	question, _, _ := strings.Cut(text, "\n\n")
	_, after, found := strings.Cut(question, "missing? ")
	for _, o := range options {
		if found && strings.Contains(strings.Join(strings.Fields(material), " "),
			strings.Join(strings.Fields(strings.Replace(after, "___", o[2], 1)), " ")) {
			return o[1]
		}
	}
	h := fnv.New32a()
	_, _ = h.Write([]byte(text)) // never fails
	return options[int(h.Sum32())%len(options)][1]
}

func flat(found [][]string) (all []string) {
	for _, f := range found {
		all = append(all, f[1])
	}
	return all
}

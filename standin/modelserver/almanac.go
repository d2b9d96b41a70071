package modelserver

import (
	"embed"
	"fmt"
	"math/rand/v2"
	"regexp"
	"slices"
	"strings"
)

//go:embed almanac/*.md
var almanacFiles embed.FS

// entry is a page of the almanac: what it is about and what it says, in short
// and at length.
type entry struct {
	keys        []string // stems
	next        string   // a question that may follow
	short, long string
}

var almanac = readAlmanac()

// readAlmanac reads the entries: a line "about: words", a line "next:
// question", the short form, a line "---", the long form.
func readAlmanac() []entry {
	files, err := almanacFiles.ReadDir("almanac")
	if err != nil {
		panic(err)
	}
	var all []entry
	for _, f := range files {
		text, err := almanacFiles.ReadFile("almanac/" + f.Name())
		if err != nil {
			panic(err)
		}
		head, body, _ := strings.Cut(string(text), "\n\n")
		short, long, _ := strings.Cut(body, "\n---\n")
		about, next, _ := strings.Cut(strings.TrimPrefix(head, "about: "), "\nnext: ")
		all = append(all, entry{contentWords(about), next, strings.TrimSpace(short), strings.TrimSpace(long)})
	}
	return all
}

// lookUp finds the entry that shares most words with the question; the
// question before it helps where this one says little.
func lookUp(c conversation) (entry, bool) {
	best, bestScore := entry{}, 0
	words := contentWords(c.question)
	var before []string
	if len(c.earlier) > 0 {
		before = contentWords(c.earlier[len(c.earlier)-1])
	}
	for _, e := range almanac {
		score := 0
		for _, w := range words {
			if slices.Contains(e.keys, w) {
				score += 3
			}
		}
		if len(words) <= 3 {
			for _, w := range before {
				if slices.Contains(e.keys, w) {
					score++
				}
			}
		}
		if score > bestScore {
			best, bestScore = e, score
		}
	}
	return best, bestScore > 0
}

func fromAlmanac(m model, c conversation, standing instructions, chance *rand.Rand) string {
	e, ok := lookUp(c)
	if !ok {
		subject := strings.Trim(strings.Join(strings.Fields(c.question), " "), " .!?")
		if runes := []rune(subject); len(runes) > 60 {
			subject = string(runes[:60]) + "…"
		}
		if standing.beesOnly {
			return pick(chance, "That is outside my hedge, I am afraid: I only talk about bees.",
				"Not a bee in sight in that question. Try me on swarms, honey or the winter cluster.")
		}
		return fmt.Sprintf("I find nothing about “%s” in my almanac. I am a simulated model with a few pages about "+
			"bees, so try me on *swarms*, *varroa*, *feeding*, *the honey harvest* or *a calendar for the first year*.",
			subject)
	}
	if thing := explain.FindStringSubmatch(c.question); thing != nil {
		return e.about(thing[1])
	}
	if m.terse {
		return e.short
	}
	if name := c.fact(myName); name != "" && chance.IntN(3) == 0 {
		return fmt.Sprintf("%s\n\nDoes that help, %s? You might ask next: *%s*", e.long, name, e.next)
	}
	return fmt.Sprintf("%s\n\nYou might ask next: *%s*", e.long, e.next)
}

var explain = regexp.MustCompile(`(?is)^(.{3,120}?)[.:]? explain (?:this|it)\b`)

// about is what the entry says of one thing: the sentence that shares most
// words with it, and the one after.
func (e entry) about(thing string) string {
	all := slices.DeleteFunc(sentences(markup.ReplaceAllString(e.long, "")), func(s string) bool {
		return len(strings.Fields(s)) < 4 || strings.ContainsAny(s, "|=") || strings.HasSuffix(s, ":")
	})
	words := contentWords(thing)
	best, most := 0, -1
	for i, s := range all {
		shared := 0
		for _, w := range contentWords(s) {
			if slices.Contains(words, w) {
				shared++
			}
		}
		if shared > most {
			best, most = i, shared
		}
	}
	return strings.Join(all[best:min(len(all), best+2)], " ")
}

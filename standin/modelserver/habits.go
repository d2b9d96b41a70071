package modelserver

import (
	"regexp"
	"strconv"
	"strings"
)

// A habit is how a simulated model differs from one that does just what it is asked.
type habit string

const (
	// aloud thinks between marks before everything that it says.
	aloud habit = "aloud"
	// wordy writes half as many words again as it was allowed when it sums up, and
	// a preface.
	wordy habit = "wordy"
	// loose sums up in its own words, and forgets the fourth of every five
	// sentences that nobody told of themselves.
	loose habit = "loose"
)

// musing is what a model thinks that thinks aloud: more than a small limit has room
// for.
const musing = "Let me see what is wanted here. First I go through it once, slowly, and note who is who. Then I go " +
	"through it again and look for numbers, since those are what I lose most easily. What was asked, and what was " +
	"only said in passing? I should not answer what nobody asked. I could begin with the name, or with the hives; " +
	"the hives come later, so the name. Is there anything that contradicts itself? I do not think so. Should I " +
	"count again? I count again. It comes to the same. Then I had better write it down, briefly, in plain words."

// accustomed is what a model makes of a reply by its habit.
func (m model) accustomed(reply string) string {
	if m.habit == aloud {
		return "<think>\n" + musing + "\n</think>\n\n" + reply
	}
	return reply
}

var firstPerson = []struct {
	what *regexp.Regexp
	by   string
}{
	{regexp.MustCompile(`^(The user said|They told): `), ""}, {regexp.MustCompile(`\bMy\b`), "Their"},
	{regexp.MustCompile(`\bmy\b`), "their"}, {regexp.MustCompile(`\bI am\b`), "They are"}, {regexp.MustCompile(`\bI\b`), "They"},
}

// summing is summarise by a model of some habit.
func (m model) summing(system, text string) string {
	if m.habit != wordy && m.habit != loose {
		return summarise(system, text)
	}
	most := 120
	if found := mostWords.FindStringSubmatch(system + "\n" + text); found != nil {
		most, _ = strconv.Atoi(found[1])
	}
	if m.habit == wordy {
		whole := summarise(mostWords.ReplaceAllString(system, "at most "+strconv.Itoa(most)+" words"), text)
		var b strings.Builder
		b.WriteString("Here is what I have noted of this conversation so far, as you wished. ")
		for len(strings.Fields(b.String())) < most*3/2 {
			b.WriteString(whole + " ")
		}
		return strings.TrimSpace(b.String())
	}
	notes, told, rest := readTranscript(text)
	var chosen []string
	words := 0
	take := func(s string) {
		for _, p := range firstPerson {
			s = p.what.ReplaceAllString(s, p.by)
		}
		if n := len(strings.Fields(s)); words+n <= most {
			chosen = append(chosen, s)
			words += n
		}
	}
	for _, s := range append(notes, told...) {
		take(s)
	}
	for i, s := range rest {
		if i%5 != 3 {
			take(s)
		}
	}
	return strings.Join(chosen, " ")
}

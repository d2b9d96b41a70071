package modelserver

import (
	"regexp"
	"strconv"
	"strings"
)

// instructions are the standing instructions that can be recognised in a
// system message.
type instructions struct {
	name      string
	short     bool
	sentences int // at most; 0 for any number
	plain     bool
	begin     string
	end       string
	beesOnly  bool
}

var (
	youAre       = regexp.MustCompile(`(?i)\byou are (?:called )?"?([A-Z][\w ]{1,30}?)"?(?:,|\.|;| and\b| who\b)`)
	fewSentences = regexp.MustCompile(`(?i)\b(?:in|at most|no more than|up to) (one|two|three|four|\d+) (?:short )?sentences?`)
	shortly      = regexp.MustCompile(`(?i)\b(terse|terse(ly)?|brief(ly)?|concise(ly)?|short answers?|keep (?:it|the reply|replies) short)\b`)
	plainly      = regexp.MustCompile(`(?i)\b(no lists|no tables|no markdown|plain (?:text|sentences))\b`)
	beginWith    = regexp.MustCompile(`(?i)\b(?:begin|start) (?:each|every) (?:reply|answer) with "([^"]+)"`)
	endWith      = regexp.MustCompile(`(?i)\b(?:end|close|finish) (?:each|every) (?:reply|answer) with "([^"]+)"`)
	beesOnly     = regexp.MustCompile(`(?i)\b(?:only|nothing but)[^.]{0,30}(?:bees|beekeeping)`)
)

func readInstructions(system string) instructions {
	in := instructions{
		name:  "nobody in particular",
		short: shortly.MatchString(system), plain: plainly.MatchString(system), beesOnly: beesOnly.MatchString(system),
	}
	if found := youAre.FindStringSubmatch(system); found != nil {
		in.name = found[1]
	}
	if found := fewSentences.FindStringSubmatch(system); found != nil {
		words := map[string]int{"one": 1, "two": 2, "three": 3, "four": 4}
		in.sentences = words[strings.ToLower(found[1])]
		if n, err := strconv.Atoi(found[1]); err == nil {
			in.sentences = n
		}
		in.short = true
	}
	if found := beginWith.FindStringSubmatch(system); found != nil {
		in.begin = found[1]
	}
	if found := endWith.FindStringSubmatch(system); found != nil {
		in.end = found[1]
	}
	return in
}

var markup = regexp.MustCompile("(?m)^\\s*([-*]|\\d+\\.|#+|>)\\s+|\\*\\*|`")

func (in instructions) apply(text string) string {
	if in.plain || in.sentences > 0 {
		text = strings.Join(strings.Fields(markup.ReplaceAllString(text, "")), " ")
	}
	if in.sentences > 0 {
		if all := sentences(text); len(all) > in.sentences {
			text = strings.Join(all[:in.sentences], " ")
		}
	}
	if in.begin != "" {
		text = in.begin + " " + text
	}
	if in.end != "" {
		text += "\n\n" + in.end
	}
	return text
}

var sentenceEnd = regexp.MustCompile(`[.!?]["')\]]*\s+`)

var titled = regexp.MustCompile(`\b(Dr|Mr|Mrs|Ms|St)$`)

// sentences cuts running text after its full stops.
func sentences(text string) []string {
	var all []string
	for _, line := range strings.Split(text, "\n") {
		line = strings.TrimSpace(line)
		for line != "" {
			at := sentenceEnd.FindStringIndex(line)
			for at != nil && titled.MatchString(line[:at[0]]) {
				next := sentenceEnd.FindStringIndex(line[at[1]:])
				if next == nil {
					at = nil
					break
				}
				at = []int{at[1] + next[0], at[1] + next[1]}
			}
			if at == nil {
				all = append(all, line)
				break
			}
			all = append(all, strings.TrimSpace(line[:at[1]]))
			line = line[at[1]:]
		}
	}
	return all
}

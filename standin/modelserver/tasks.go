package modelserver

import (
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// Tasks that instructions may set beside answering: to sum up, and to rewrite a
// question so that it stands on its own.

var (
	asksSummary = regexp.MustCompile(`(?i)\b(summary|summari[sz]e|sum up)\b`)
	asksRewrite = regexp.MustCompile(`(?i)\b(rewrite|rephrase|reformulate)\b[^.]{0,80}\b(stands? ?alone|standalone|stand-alone|on its own|self-contained)\b`)
	mostWords   = regexp.MustCompile(`(?i)(?:at most|no more than|up to|within) (\d+) words`)
)

// speaker begins what somebody said in a transcript.
var speaker = regexp.MustCompile(`(?mi)^(user|visitor|assistant|model)\s*:\s*`)

// tellsFact are signs that a sentence says something about whoever wrote it.
var tellsFact = regexp.MustCompile(`(?i)\b(i|i'm|i've|my|mine|we|our|ours|us|remember|note)\b`)

// summarise chooses sentences: the notes so far, then what the user told,
// then as many of the others as there is room for.
func summarise(system, text string) string {
	most := 120
	if found := mostWords.FindStringSubmatch(system + "\n" + text); found != nil {
		most, _ = strconv.Atoi(found[1])
	}
	notes, told, rest := readTranscript(text)
	var chosen []string
	words := 0
	for _, s := range slices.Concat(notes, told, rest) {
		n := len(strings.Fields(s))
		if slices.Contains(chosen, s) || words+n > most {
			continue
		}
		chosen = append(chosen, s)
		words += n
	}
	if len(chosen) == 0 {
		return "Nothing worth noting was said."
	}
	return strings.Join(chosen, " ")
}

// readTranscript sorts a transcript's sentences: those before anybody speaks,
// those in which the user tells something, and the others of the user.
func readTranscript(text string) (notes, told, rest []string) {
	starts := speaker.FindAllStringSubmatchIndex(text, -1)
	head := text
	if len(starts) > 0 {
		head = text[:starts[0][0]]
	}
	for _, s := range sentences(head) {
		if !strings.HasSuffix(s, ":") {
			notes = append(notes, s)
		}
	}
	for i, at := range starts {
		if who := strings.ToLower(text[at[2]:at[3]]); who == "assistant" || who == "model" {
			continue
		}
		end := len(text)
		if i+1 < len(starts) {
			end = starts[i+1][0]
		}
		for _, s := range sentences(text[at[1]:end]) {
			switch {
			case strings.HasSuffix(s, "?"):
				rest = append(rest, "The user asked: "+s)
			case tellsFact.MatchString(s):
				told = append(told, "The user said: "+s)
			default:
				rest = append(rest, "The user said: "+s)
			}
		}
	}
	return notes, told, rest
}

var pronouns = regexp.MustCompile(`(?i)\b(it|they|them|this|that|these|those|one)\b`)

// rewrite puts what the question before was about in the place of the first
// pronoun of the last one.
func rewrite(text string) string {
	last, before := "", ""
	starts := speaker.FindAllStringSubmatchIndex(text, -1)
	for i, at := range starts {
		end := len(text)
		if i+1 < len(starts) {
			end = starts[i+1][0]
		}
		if who := strings.ToLower(text[at[2]:at[3]]); who == "user" || who == "visitor" {
			before, last = last, strings.TrimSpace(text[at[1]:end])
		}
	}
	if last == "" {
		return strings.TrimSpace(text)
	}
	subject := subjectOf(before)
	if subject == "" {
		return last
	}
	if at := pronouns.FindStringIndex(last); at != nil {
		return last[:at[0]] + subject + last[at[1]:]
	}
	if len(contentWords(last)) <= 3 {
		return strings.TrimRight(last, "?.! ") + ", about " + subject + "?"
	}
	return last
}

// subjectOf is the last noun-like stretch of a question.
func subjectOf(question string) string {
	words := strings.Fields(strings.Trim(question, " ?.!"))
	for i := len(words) - 1; i >= 0; i-- {
		if w := contentWords(words[i]); len(w) == 0 {
			if i+1 < len(words) {
				return strings.Join(words[i+1:], " ")
			}
			words = words[:i]
		}
	}
	return strings.Join(words, " ")
}

// task does what the instructions set, if they set a task.
func task(m model, system string, messages []message) (reply string, ok bool) {
	last := messages[len(messages)-1].Text
	switch {
	case !speaker.MatchString(last): // a task comes with a transcript
	case asksSummary.MatchString(system) || asksSummary.MatchString(firstLine(last)):
		return m.summing(system, last), true
	case asksRewrite.MatchString(system) || asksRewrite.MatchString(firstLine(last)):
		return rewrite(last), true
	}
	return "", false
}

func firstLine(text string) string {
	line, _, _ := strings.Cut(text, "\n")
	return line
}

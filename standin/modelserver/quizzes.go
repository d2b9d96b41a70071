package modelserver

import (
	"encoding/json"
	"fmt"
	"regexp"
	"strconv"
	"strings"
)

// Quizzes: the simulated model asks for a number that it has taken out of a
// sentence.

var (
	asksQuiz   = regexp.MustCompile(`(?i)questions? of a quiz on the text`)
	asksBetter = regexp.MustCompile(`(?i)a question of a quiz does not hold`)
	optionsIn  = regexp.MustCompile(`(?i)with (\d) options each|\[(\d) wrong options\]`)
	howMany    = regexp.MustCompile(`(?i)write (\d+) questions`)
	number     = regexp.MustCompile(`\b\d{1,4}\b`)
	// partOfNumber is what follows a number that goes on.
	partOfNumber = regexp.MustCompile(`^[.,:/-]\d`)
)

type posed struct {
	Question string   `json:"question"`
	Right    string   `json:"right"`
	Wrong    []string `json:"wrong"`
	Quote    string   `json:"quote"`
}

// quizOn is questions on a section, as JSON: a list, or one for a question that did not hold.
func quizOn(system, text string) string {
	parts := fenced.FindAllStringSubmatch(text, -1)
	if len(parts) == 0 {
		return "There is no text."
	}
	most := 3
	if m := optionsIn.FindStringSubmatch(system); m != nil {
		if n, err := strconv.Atoi(m[1] + m[2]); err == nil {
			most = n
			if m[1] != "" {
				most--
			}
		}
	}
	single := asksBetter.MatchString(system)
	var all []posed
	for line := range strings.Lines(parts[len(parts)-1][1]) {
		for _, s := range sentences(strings.TrimSpace(line)) {
			if single && strings.Contains(text[:strings.Index(text, "<material")], s) {
				continue // that one did not hold
			}
			if q, ok := pose(s, most, len(all)); ok {
				all = append(all, q)
			}
		}
	}
	wanted := 1
	if m := howMany.FindStringSubmatch(system); m != nil {
		wanted, _ = strconv.Atoi(m[1])
	}
	var out any = all[:min(len(all), wanted)]
	if len(all) == 0 {
		return "There is nothing to ask about."
	}
	if single {
		out = all[len(all)-1]
	}
	body, err := json.MarshalIndent(out, "", "  ")
	if err != nil {
		return "" // cannot happen: texts marshal
	}
	return "Here they are.\n```json\n" + string(body) + "\n```"
}

// pose asks for what is taken out of a sentence.
func pose(sentence string, most, nth int) (posed, bool) {
	words := len(strings.Fields(sentence))
	if words < 6 || words > 30 || !strings.HasSuffix(sentence, ".") {
		return posed{}, false
	}
	at := number.FindStringIndex(sentence)
	if at == nil || partOfNumber.MatchString(sentence[at[1]:]) || at[0] > 0 &&
		strings.ContainsAny(sentence[at[0]-1:at[0]], ".,:/-") {
		return posed{}, false
	}
	right := sentence[at[0]:at[1]]
	n, err := strconv.Atoi(right)
	if err != nil {
		return posed{}, false
	}
	q := posed{Question: "Which number is missing? " + sentence[:at[0]] + "___" + sentence[at[1]:], Right: right,
		Quote: sentence}
	for i := 1; len(q.Wrong) < most; i++ {
		other := n + i*(1+n/4)
		if (i+nth)%2 == 0 && n-i*(1+n/8) > 0 {
			other = n - i*(1+n/8)
		}
		if text := fmt.Sprint(other); !strings.Contains(sentence, text) {
			q.Wrong = append(q.Wrong, text)
		}
	}
	return q, true
}

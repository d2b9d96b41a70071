package modelserver

import (
	"regexp"
	"strings"
)

// Digests: the simulated model puts a section in short by its first sentences, and notes
// together by the first sentence of each.

var (
	asksShort    = regexp.MustCompile(`(?i)put the section .{0,60} in short`)
	asksTogether = regexp.MustCompile(`(?i)put these notes together`)
	asksDigest   = regexp.MustCompile(`(?i)these are numbered notes`)
	asksTurn     = regexp.MustCompile(`(?i)write the notes anew`)
	sectionIs    = regexp.MustCompile(`which is number (\d+)`)
	fenced       = regexp.MustCompile(`(?s)<material [^>]*>\n(.*?)\n</material`)
	asksThree    = regexp.MustCompile(`(?i)\bthree sentences\b`)
	asksHeadings = regexp.MustCompile(`(?i)a heading for each`)
)

// sectionInShort is the first sentences of a section.
func sectionInShort(text string) string {
	_, body, found := strings.Cut(text, "<material")
	if found {
		_, body, _ = strings.Cut(body, "\n")
		body, _, _ = strings.Cut(body, "</material")
	} else {
		body = text
	}
	var said []string
	for line := range strings.Lines(body) {
		for _, s := range sentences(strings.TrimSpace(line)) {
			if len(strings.Fields(s)) > 3 && strings.HasSuffix(s, ".") && len(said) < 3 {
				said = append(said, s)
			}
		}
	}
	if len(said) == 0 {
		return strings.Join(strings.Fields(body), " ")
	}
	return strings.Join(said, " ")
}

// fromNotes takes the first sentence of as many notes as are wanted, from all over them.
func fromNotes(system, text string) string {
	notes := readPassages(text)
	most := 8
	if asksThree.MatchString(system) {
		most = 3
	}
	if asksTogether.MatchString(system) {
		most = max(1, len(notes)/2)
	}
	step := max(1, (len(notes)+most-1)/most)
	var said []string
	for i := 0; i < len(notes); i += step {
		first := sentences(notes[i].text)
		if len(first) == 0 {
			continue
		}
		one := first[0] + " [" + notes[i].number + "]"
		if asksHeadings.MatchString(system) {
			words := strings.Fields(first[0])
			one = "## " + strings.Trim(strings.Join(words[:min(4, len(words))], " "), ".,") + "\n\n" + one
		}
		if asksTogether.MatchString(system) {
			one = "[" + notes[i].number + "] " + first[0]
		}
		said = append(said, one)
	}
	if len(said) == 0 {
		return "The notes say nothing."
	}
	if asksHeadings.MatchString(system) || asksTogether.MatchString(system) {
		return strings.Join(said, "\n\n")
	}
	return strings.Join(said, " ")
}

// notesAnew keeps notes and adds the first sentence of a section to them; where there are too
// many it gives up every second one of the older half.
func notesAnew(system, text string) string {
	parts := fenced.FindAllStringSubmatch(text, -1)
	number := sectionIs.FindStringSubmatch(system)
	if len(parts) < 2 || number == nil {
		return "There is nothing to note."
	}
	var notes []string
	for line := range strings.Lines(parts[0][1]) {
		if line = strings.TrimSpace(line); line != "" {
			notes = append(notes, line)
		}
	}
	if first := sentences(strings.TrimSpace(parts[1][1])); len(first) > 0 {
		notes = append(notes, first[0]+" ["+number[1]+"]")
	}
	for len(notes) > 20 {
		for i := 0; i < len(notes)/2; i++ {
			notes = append(notes[:i], notes[i+1:]...)
		}
	}
	return strings.Join(notes, "\n")
}

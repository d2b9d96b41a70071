package reading

import (
	"slices"
	"strings"
)

// What is shown of a document before anybody asks about it.

const (
	glimpsedLetters  = 600
	glimpsedHeadings = 12
	longestGlimpsed  = 90 // letters of a heading that is shown
)

// Beginning is how a document begins: its first paragraphs, some 600 letters, cut at
// a word. Headings, and lines of less than four words, are left out.
func (d Document) Beginning() string {
	var b strings.Builder
	for _, block := range d.Blocks {
		switch block.Kind {
		case Paragraph, Caption, Item, Row:
		default:
			continue
		}
		text := strings.Join(strings.Fields(block.Text), " ")
		if block.Links || strings.Count(text, " ") < 3 || strings.EqualFold(text, d.Title) {
			continue
		}
		if b.Len() > 0 {
			b.WriteByte(' ')
		}
		b.WriteString(text)
		if b.Len() >= glimpsedLetters {
			break
		}
	}
	runes := []rune(b.String())
	if len(runes) <= glimpsedLetters {
		return string(runes)
	}
	cut := string(runes[:glimpsedLetters])
	if at := strings.LastIndexByte(cut, ' '); at > 0 {
		cut = cut[:at]
	}
	return cut + " …"
}

// Headings are a document's headings but its title, in their order, each once; the
// highest ones that there are several of, at most twelve.
func (d Document) Headings() []string {
	byLevel := map[int][]string{}
	for _, block := range d.Blocks {
		text := strings.Join(strings.Fields(block.Text), " ")
		if block.Kind != Heading || text == "" || strings.EqualFold(text, d.Title) ||
			len([]rune(text)) > longestGlimpsed ||
			slices.Contains(byLevel[block.Level], text) {
			continue
		}
		byLevel[block.Level] = append(byLevel[block.Level], text)
	}
	var best []string
	for level := 1; level <= 6; level++ {
		if found := byLevel[level]; len(found) > 1 || len(best) == 0 && len(found) > 0 {
			best = found
			if len(found) > 1 {
				break
			}
		}
	}
	return best[:min(len(best), glimpsedHeadings)]
}

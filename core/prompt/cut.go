package prompt

import (
	"sort"
	"strings"
	"unicode/utf8"
)

// Cut returns as much of the beginning of text as most tokens hold, cut between
// words where it can be, and marked with an ellipsis.
func Cut(c Counter, text string, most int) string {
	if most <= 0 {
		return ""
	}
	if c.Count(text) <= most {
		return text
	}
	n := sort.Search(len(text), func(n int) bool { return c.Count(text[:whole(text, n)]+"…") > most }) - 1
	if n <= 0 {
		return ""
	}
	cut := text[:whole(text, n)]
	if space := strings.LastIndexAny(cut, " \n"); space > len(cut)/2 {
		cut = cut[:space]
	}
	return strings.TrimRight(cut, " \n") + "…"
}

// CutHead is Cut for the end of text.
func CutHead(c Counter, text string, most int) string {
	if most <= 0 {
		return ""
	}
	if c.Count(text) <= most {
		return text
	}
	n := sort.Search(len(text), func(n int) bool { return c.Count("…"+text[whole(text, len(text)-n):]) > most }) - 1
	if n <= 0 {
		return ""
	}
	cut := text[whole(text, len(text)-n):]
	if space := strings.IndexAny(cut, " \n"); space >= 0 && space < len(cut)/2 {
		cut = cut[space:]
	}
	return "…" + strings.TrimLeft(cut, " \n")
}

// whole moves a cut back to the beginning of a character.
func whole(text string, n int) int {
	for n > 0 && n < len(text) && !utf8.RuneStart(text[n]) {
		n--
	}
	return n
}

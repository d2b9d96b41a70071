package encoder

import (
	"hash/fnv"
	"strings"

	"juvalogos/core/language"
)

// How many words a window has: texts that mean one thing are short, and what
// two windows say is more than one vector holds.
const (
	fewestWords = 40
	mostWords   = 80
)

// Windows cuts a text into the short stretches that are encoded, which follow
// each other and end with sentences where these are not longer than a window.
// Where they end depends on what is said there and not on where the text begins:
// passages that overlap have the same windows in what they share, which are
// encoded once. The title of what the text is from stands before each; "": none.
func Windows(title, text string) []string {
	var all []string
	units := unitsOf(text)
	for len(units) > 0 {
		end := ending(units)
		var window strings.Builder
		for i, u := range units[:end] {
			if i > 0 {
				window.WriteByte(' ')
			}
			window.WriteString(u.text)
		}
		all = append(all, titled(title, window.String()))
		units = units[end:]
	}
	return all
}

func titled(title, window string) string {
	if title = strings.TrimSpace(title); title == "" {
		return window
	}
	return title + ". " + window
}

// unit is a sentence or a part of one, at most as long as a window.
type unit struct {
	text  string
	words int
}

func unitsOf(text string) (units []unit) {
	for _, s := range language.Sentences(text) {
		words := strings.Fields(text[s[0]:s[1]])
		for len(words) > 0 {
			n := min(len(words), mostWords)
			units = append(units, unit{strings.Join(words[:n], " "), n})
			words = words[n:]
		}
	}
	return units
}

// ending is how many units the first window has: all if they fit, otherwise up
// to the one, of those that leave it long enough, after which what follows has
// the least hash.
func ending(units []unit) int {
	total, end, least := 0, 0, uint32(0)
	for i, u := range units {
		if total+u.words > mostWords {
			if end == 0 {
				return max(1, i)
			}
			return end
		}
		if total >= fewestWords {
			h := fnv.New32a()
			h.Write([]byte(u.text)) // never fails
			if sum := h.Sum32(); end == 0 || sum < least {
				end, least = i, sum
			}
		}
		total += u.words
	}
	return len(units)
}

// Command next-lines is a small language model that truly learns: n-grams of words
// with back-off, trained at its start on the text files, or folders of them, that it is given. It goes on with a
// text, in the words of what it has read, and knows nothing else. The demo puts it
// behind the desk Next Lines, trained on the sample handbook:
//
//	juvalogos-next-lines handbook/
package main

import (
	"fmt"
	"io/fs"
	"maps"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"juvalogos/examples/programs/talk"
)

const (
	// usualWords and leastWords are how long a continuation is.
	usualWords, leastWords = 60, 12
	usualTemperature       = 0.8
	atOnce                 = 8
	// breath is between two words: faster than anybody reads.
	breath = 12 * time.Millisecond
)

func main() {
	var text strings.Builder
	files := 0
	for _, name := range os.Args[1:] {
		err := filepath.WalkDir(name, func(path string, entry fs.DirEntry, err error) error {
			if err != nil || entry.IsDir() {
				return err
			}
			part, err := os.ReadFile(path)
			text.Write(part)
			text.WriteString("\n\n")
			files++
			return err
		})
		if err != nil {
			fmt.Fprintln(os.Stderr, "next-lines:", err)
			os.Exit(1)
		}
	}
	m := train(text.String())
	if m.words == 0 {
		fmt.Fprintln(os.Stderr, "next-lines: name text files with something to learn from")
		os.Exit(1)
	}
	fmt.Fprintf(os.Stderr, "learnt from %d words of %d files\n", m.words, files)
	talk.Serve(atOnce, m.answer)
}

// answer goes on with what was asked; asked to go on, with what it said last.
func (m *model) answer(a *talk.Ask, to *talk.Reply) error {
	text := a.Question()
	if n := len(a.Messages); n > 1 && strings.HasPrefix(text, "Go on") && a.Messages[n-2].Role == "assistant" {
		text = a.Messages[n-2].Text
	}
	most, temperature := usualWords, usualTemperature
	if a.Settings.MaxTokens > 0 {
		most = max(1, a.Settings.MaxTokens*3/4) // words are longer than tokens
	}
	if a.Settings.Temperature != nil {
		temperature = *a.Settings.Temperature
	}
	seed := uint64(time.Now().UnixNano())
	if a.Settings.Seed != nil {
		seed = uint64(*a.Settings.Seed)
	}
	whole := m.goOn(text, min(leastWords, most), most, temperature, rand.New(rand.NewPCG(seed, order)),
		func(piece string) bool {
			to.Text(piece)
			time.Sleep(breath)
			return a.Context.Err() == nil
		})
	if !whole {
		to.Finish = "length"
	}
	return nil
}

func sortedWords(scores map[string]float64) []string { return slices.Sorted(maps.Keys(scores)) }

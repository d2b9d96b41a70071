// Command cutlexicon makes the files of core/lexicon from WordNet 3.0, which is in
// Debian's package wordnet-base: base forms that no rule makes, what words mean, what
// is broader, what is opposite and what is made of what. Kept are words that have a
// vector in core/embedding, in their most frequent senses.
//
//	go run ./scripts/cutlexicon /usr/share/wordnet core/lexicon/wordnet
package main

import (
	"bufio"
	"cmp"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"juvalogos/core/embedding"
	"juvalogos/core/lexicon"
)

// kind is a kind of word.
type kind struct {
	letter byte
	file   string
}

// kinds are WordNet's files by kind of word.
var kinds = []kind{{'n', "noun"}, {'v', "verb"}, {'a', "adj"}, {'r', "adv"}}

func main() {
	if len(os.Args) != 3 {
		fmt.Fprintln(os.Stderr, "cutlexicon: name the folder of WordNet and the folder to write to")
		os.Exit(2)
	}
	if err := cut(os.Args[1], os.Args[2]); err != nil {
		fmt.Fprintln(os.Stderr, "cutlexicon:", err)
		os.Exit(1)
	}
}

// meaning is a set of words that mean one thing.
type meaning struct {
	number  int // where it is kept; -1: not
	words   []string
	broader []string // keys of other meanings
}

type net struct {
	words    map[string]map[byte][]string // keys of the meanings of a word by kind, the most frequent first
	counts   map[string]map[byte]int      // how often a word is of a kind, in texts that were counted
	meanings map[string]*meaning          // by key: its kind and where it stands in the file
	pairs    map[string]bool              // "!" or "+", and two words
}

func cut(from, to string) error {
	n := &net{words: map[string]map[byte][]string{}, counts: map[string]map[byte]int{}, meanings: map[string]*meaning{},
		pairs: map[string]bool{}}
	var odd []string
	for _, k := range kinds {
		if err := eachLine(filepath.Join(from, "index."+k.file), func(line string) {
			n.index(line,
				k.letter)
		}); err != nil {
			return err
		}
		if err := eachLine(filepath.Join(from, "data."+k.file), func(line string) {
			n.data(line,
				k.letter)
		}); err != nil {
			return err
		}
		err := eachLine(filepath.Join(from, k.file+".exc"), func(line string) {
			if f := strings.Fields(line); len(f) >= 2 && known(f[0]) && known(f[1]) {
				odd = append(odd, fmt.Sprintf("%c %s %s", k.letter, f[0], f[1]))
			}
		})
		if err != nil {
			return err
		}
	}
	if err := eachLine(filepath.Join(from, "cntlist.rev"), n.count); err != nil {
		return err
	}
	return n.write(to, odd)
}

func eachLine(file string, do func(line string)) error {
	f, err := os.Open(file)
	if err != nil {
		return err
	}
	defer f.Close()
	lines := bufio.NewScanner(f)
	lines.Buffer(nil, 1<<20)
	for lines.Scan() {
		if !strings.HasPrefix(lines.Text(), "  ") { // the licence
			do(lines.Text())
		}
	}
	return lines.Err()
}

func known(word string) bool {
	_, is := embedding.Load().Find(word)
	return is
}

const mostSenses = 5 // of a word of one kind

// index reads a line like: bee n 3 2 @ ~ 3 1 02206856 …
func (n *net) index(line string, kind byte) {
	f := strings.Fields(line)
	pointers, err := strconv.Atoi(f[3])
	if err != nil || !known(f[0]) {
		return
	}
	if n.words[f[0]] == nil {
		n.words[f[0]] = map[byte][]string{}
	}
	for _, at := range f[6+pointers:][:min(mostSenses, len(f)-6-pointers)] {
		n.words[f[0]][kind] = append(n.words[f[0]][kind], string(kind)+at)
	}
}

// data reads a line like: 00001740 29 v 04 breathe 0 … 021 * 00005041 v 0000 …
func (n *net) data(line string, kind byte) {
	line, _, _ = strings.Cut(line, " | ")
	f := strings.Fields(line)
	m := &meaning{number: -1}
	words, _ := strconv.ParseInt(f[3], 16, 32)
	at := 4
	for range words {
		m.words = append(m.words, strings.ToLower(strings.TrimSuffix(strings.TrimSuffix(f[at], "(p)"), "(a)")))
		at += 2
	}
	pointers, _ := strconv.Atoi(f[at])
	at++
	for range pointers {
		sign, where, of, which := f[at], f[at+1], f[at+2], f[at+3]
		at += 4
		if of == "s" {
			of = "a"
		}
		switch sign {
		case "@", "@i", "&": // broader; adjectives that are alike
			m.broader = append(m.broader, of+where)
		case "!", "+", "\\": // opposite; made of the same
			own, _ := strconv.ParseInt(which[:2], 16, 32)
			other, _ := strconv.ParseInt(which[2:], 16, 32)
			if own > 0 && other > 0 {
				if sign == "\\" {
					sign = "+"
				}
				n.pairs[fmt.Sprintf("%s %s %s%s %d", sign, m.words[own-1], of, where, other-1)] = true
			}
		}
	}
	n.meanings[string(kind)+f[0]] = m
}

// count reads a line like: bee%1:05:00:: 1 3
func (n *net) count(line string) {
	f := strings.Fields(line)
	word, sense, _ := strings.Cut(f[0], "%")
	times, err := strconv.Atoi(f[2])
	if err != nil || sense == "" || n.words[word] == nil {
		return
	}
	kind := map[byte]byte{'1': 'n', '2': 'v', '3': 'a', '5': 'a', '4': 'r'}[sense[0]]
	if n.counts[word] == nil {
		n.counts[word] = map[byte]int{}
	}
	n.counts[word][kind] += times
}

func (n *net) write(to string, odd []string) error {
	words := make([]string, 0, len(n.words))
	for w := range n.words {
		words = append(words, w)
	}
	slices.Sort(words)
	var order []*meaning
	number := func(key string) int {
		m := n.meanings[key]
		if m.number < 0 {
			m.number = len(order)
			order = append(order, m)
		}
		return m.number
	}
	var lines strings.Builder
	for _, w := range words {
		byCount := slices.Clone(kinds)
		slices.SortStableFunc(byCount, func(a, b kind) int {
			return cmp.Compare(n.counts[w][b.letter], n.counts[w][a.letter])
		})
		lines.WriteString(w)
		for _, k := range byCount {
			keys := n.words[w][k.letter]
			if len(keys) == 0 {
				continue
			}
			fmt.Fprintf(&lines, " %c%d", k.letter, n.counts[w][k.letter])
			for _, key := range keys {
				fmt.Fprintf(&lines, ",%d", number(key))
			}
		}
		lines.WriteByte('\n')
	}
	var broader strings.Builder
	for i := 0; i < len(order); i++ { // grows: what is broader has something broader too
		for k, key := range order[i].broader {
			if k > 0 {
				broader.WriteByte(' ')
			}
			fmt.Fprint(&broader, number(key))
		}
		broader.WriteByte('\n')
	}
	var pairs []string
	for p := range n.pairs {
		f := strings.Fields(p)
		which, _ := strconv.Atoi(f[3])
		if other := n.meanings[f[2]].words[which]; known(f[1]) && known(other) && f[1] != other {
			pairs = append(pairs, f[0]+" "+f[1]+" "+other)
		}
	}
	slices.Sort(pairs)
	slices.Sort(odd)
	for file, body := range map[string]string{lexicon.WordsFile: lines.String(), lexicon.BroaderFile: broader.String(),
		lexicon.PairsFile: strings.Join(slices.Compact(pairs), "\n") + "\n",
		lexicon.OddFile:   strings.Join(slices.Compact(odd), "\n") + "\n"} {
		if err := os.WriteFile(filepath.Join(to, file), []byte(body), 0o644); err != nil {
			return err
		}
	}
	return nil
}

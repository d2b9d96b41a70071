// Package embedding turns texts into vectors without a model server: the
// vectors of their words, weighted by smooth inverse frequency, with what all
// texts have in common removed (Arora, Liang and Ma, "A Simple but Tough-to-Beat
// Baseline for Sentence Embeddings", 2017). Vectors and weights were then taught
// on pairs of texts that belong together (scripts/teachvectors); for the
// likeness of words alone, the vectors are as they came. The words are English.
package embedding

import (
	"math"
	"slices"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"
)

// Dimensions is the length of the vectors.
const Dimensions = 100

// Words are word vectors, the most frequent words first.
type Words struct {
	at     map[string]int32
	alone  records // of words, for their likeness
	texts  records // of words as parts of texts, times what they count there
	norms  []float32
	slight []bool // words that count next to nothing in texts, of which a third of them is made
}

// slightest is how long the vectors of words are in texts that are left out
// there; those that say something are longer than 0.8.
const slightest = 0.4

// Load reads the word vectors that come along, once.
var Load = sync.OnceValue(func() *Words {
	list, err := files.ReadFile("vectors/words.txt")
	if err != nil {
		panic(err) // it is in the binary
	}
	words := strings.Fields(string(list))
	w := &Words{at: make(map[string]int32, len(words)), norms: make([]float32, len(words)),
		slight: make([]bool, len(words))}
	for i, word := range words {
		w.at[word] = int32(i)
	}
	w.alone, w.texts = load(len(words), WordFile), load(len(words), TextFile)
	for i := range words {
		w.norms[i] = w.alone.length(int32(i))
		w.slight[i] = w.texts.length(int32(i)) < slightest
	}
	return w
})

// Find returns a word's number; the word is in lower case.
func (w *Words) Find(word string) (int32, bool) {
	i, ok := w.at[word]
	return i, ok
}

// Tells is how much a word says by how rare it is in the language, 0.2 to 1,
// whatever the documents are about. Words are numbered by how frequent they are.
func Tells(word int32) float64 {
	return min(1, max(0.2, (math.Log10(float64(word)+1)-1.5)/2))
}

// Cosine is the cosine between two words' vectors.
func (w *Words) Cosine(a, b int32) float32 {
	if w.norms[a] == 0 || w.norms[b] == 0 {
		return 0
	}
	sa, va := w.alone.of(a)
	sb, vb := w.alone.of(b)
	var sum int32
	for i := range va {
		sum += int32(int8(va[i])) * int32(int8(vb[i]))
	}
	return float32(sum) * sa * sb / (w.norms[a] * w.norms[b])
}

// Signature is 128 signs of a word's vector: two words are the more alike, the
// fewer bits differ (Charikar, 2002).
func (w *Words) Signature(i int32) (s [2]uint64) {
	_, v := w.alone.of(i)
	for bit := range 128 {
		// Each sign is that of a difference of two sums of four numbers.
		var sum int
		x := uint32(bit)*2654435761 + 12345
		for k := range 8 {
			x = x*1664525 + 1013904223
			n := int(int8(v[(x>>8)%Dimensions]))
			if k%2 == 0 {
				sum += n
			} else {
				sum -= n
			}
		}
		if sum > 0 {
			s[bit/64] |= 1 << (bit % 64)
		}
	}
	return s
}

// Frequency is how often a word is said among all words of the language,
// estimated from its rank (Zipf's law: the vectors come with no counts).
func Frequency(word int32) float64 { return 0.06 / (float64(word) + 1) }

// Weight is what a word counts in texts before it was taught: smooth inverse
// frequency, a/(a + p(word)).
func Weight(word int32) float32 {
	const a = 1e-4
	return float32(a / (a + Frequency(word)))
}

// Vector is the weighted sum of the vectors of a text's words, of length 1; a
// word that is said often counts by the root of how often. It is false if the
// text has no word that is known. What texts have in common is still in it.
func (w *Words) Vector(text string) (v [Dimensions]float32, known bool) {
	said := make([]int32, 0, 256)
	some := false
	w.known(text, func(word int32) {
		if some = true; !w.slight[word] {
			said = append(said, word)
		}
	})
	slices.Sort(said)
	for from := 0; from < len(said); {
		to := from + 1
		for to < len(said) && said[to] == said[from] {
			to++
		}
		scale, numbers := w.texts.of(said[from])
		scale *= float32(math.Sqrt(float64(to - from)))
		for k, b := range numbers[:Dimensions] {
			v[k] += scale * float32(int8(b))
		}
		from = to
	}
	return v, some && normalise(v[:])
}

// known hands over the numbers of a text's words that are known. All of these
// are made of the letters a to z.
func (w *Words) known(text string, do func(word int32)) {
	var lower [longestWord]byte
	n, unknown := 0, false
	end := func() {
		if n > 0 && n <= longestWord && !unknown {
			if i, ok := w.at[string(lower[:n])]; ok {
				do(i)
			}
		}
		n, unknown = 0, false
	}
	for i := 0; i < len(text); {
		c := text[i]
		if c >= utf8.RuneSelf {
			r, size := utf8.DecodeRuneInString(text[i:])
			if i += size; unicode.IsLetter(r) {
				n, unknown = n+1, true
			} else {
				end()
			}
			continue
		}
		i++
		if c |= 0x20; c < 'a' || c > 'z' {
			end()
			continue
		}
		if n < longestWord {
			lower[n] = c
		}
		n++
	}
	end()
}

// longestWord is how many letters a word that is known has at most.
const longestWord = 30

func normalise(v []float32) bool {
	var sum float64
	for _, x := range v {
		sum += float64(x) * float64(x)
	}
	if sum == 0 {
		return false
	}
	n := float32(1 / math.Sqrt(sum))
	for i := range v {
		v[i] *= n
	}
	return true
}

// Common is what vectors have in common: their first principal component, not
// centred, by power iteration. It needs some dozens of them to mean anything.
func Common(vectors [][]float32) []float32 {
	if len(vectors) < 30 {
		return nil
	}
	d := make([]float32, len(vectors[0]))
	for i := range d {
		d[i] = 1
	}
	normalise(d)
	for range 20 {
		next := make([]float32, len(d))
		for _, v := range vectors {
			p := Dot(v, d)
			for i, x := range v {
				next[i] += p * x
			}
		}
		if !normalise(next) {
			return nil
		}
		d = next
	}
	return d
}

// Remove takes what is common out of a vector and makes it one of length 1; nil
// takes out nothing.
func Remove(v, common []float32) {
	if common == nil {
		return
	}
	p := Dot(v, common)
	for i := range v {
		v[i] -= p * common[i]
	}
	normalise(v)
}

// Dot is the scalar product of vectors of the same length.
func Dot(a, b []float32) float32 {
	var s0, s1, s2, s3 float32
	i := 0
	for ; i+4 <= len(a); i += 4 {
		s0 += a[i] * b[i]
		s1 += a[i+1] * b[i+1]
		s2 += a[i+2] * b[i+2]
		s3 += a[i+3] * b[i+3]
	}
	for ; i < len(a); i++ {
		s0 += a[i] * b[i]
	}
	return s0 + s1 + s2 + s3
}

// Len is how many words there are.
func (w *Words) Len() int { return len(w.norms) }

// Word is a word's vector as it came.
func (w *Words) Word(i int32) (v [Dimensions]float32) {
	scale, numbers := w.alone.of(i)
	for k, b := range numbers {
		v[k] = scale * float32(int8(b))
	}
	return v
}

// Package embedding turns texts into vectors without a model server: the
// vectors of their words, weighted by smooth inverse frequency, with what all
// texts have in common removed (Arora, Liang and Ma, "A Simple but Tough-to-Beat
// Baseline for Sentence Embeddings", 2017). The words are English.
package embedding

import (
	"embed"
	"encoding/binary"
	"math"
	"strings"
	"sync"
	"unicode"
)

// Dimensions is the length of the vectors.
const Dimensions = 100

// Name is what vectors of this package are kept under.
const Name = "built-in-1"

//go:embed vectors
var files embed.FS

// Words are word vectors, the most frequent words first.
type Words struct {
	at      map[string]int32
	records [][]byte // of each file
	norms   []float32
}

const (
	record  = 4 + Dimensions // a float32 scale and a byte for each dimension
	perFile = 35_000
)

// Load reads the word vectors that come along, once.
var Load = sync.OnceValue(func() *Words {
	list, err := files.ReadFile("vectors/words.txt")
	if err != nil {
		panic(err) // it is in the binary
	}
	words := strings.Fields(string(list))
	w := &Words{at: make(map[string]int32, len(words)), norms: make([]float32, len(words))}
	for i, word := range words {
		w.at[word] = int32(i)
	}
	for n := 0; n*perFile < len(words); n++ {
		body, err := files.ReadFile("vectors/vectors-" + string(rune('1'+n)) + ".bin")
		if err != nil {
			panic(err)
		}
		w.records = append(w.records, body)
	}
	for i := range words {
		scale, v := w.record(int32(i))
		sum := 0
		for _, b := range v {
			sum += int(int8(b)) * int(int8(b))
		}
		w.norms[i] = scale * float32(math.Sqrt(float64(sum)))
	}
	return w
})

func (w *Words) record(i int32) (scale float32, numbers []byte) {
	r := w.records[i/perFile][int(i%perFile)*record:][:record]
	return math.Float32frombits(binary.LittleEndian.Uint32(r)), r[4:]
}

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
	sa, va := w.record(a)
	sb, vb := w.record(b)
	var sum int32
	for i := range va {
		sum += int32(int8(va[i])) * int32(int8(vb[i]))
	}
	return float32(sum) * sa * sb / (w.norms[a] * w.norms[b])
}

// Signature is 128 signs of a word's vector: two words are the more alike, the
// fewer bits differ (Charikar, 2002).
func (w *Words) Signature(i int32) (s [2]uint64) {
	_, v := w.record(i)
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

// weight is a/(a + p(w)); how frequent a word is, is estimated from its rank
// (Zipf's law: the vectors come with no counts).
func (w *Words) weight(i int32) float32 {
	const a = 1e-4
	p := 0.06 / (float64(i) + 1)
	return float32(a / (a + p))
}

// Vector is the weighted mean of the vectors of a text's words, of length 1;
// false if it has no word that is known. What texts have in common is still in
// it.
func (w *Words) Vector(text string) (v [Dimensions]float32, known bool) {
	var sum float32
	for word := range words(text) {
		i, ok := w.at[word]
		if !ok {
			continue
		}
		scale, numbers := w.record(i)
		weight := w.weight(i)
		for k, b := range numbers {
			v[k] += weight * scale * float32(int8(b))
		}
		sum += weight
	}
	return v, sum > 0 && normalise(v[:])
}

// words hands over the words of a text in lower case.
func words(text string) func(func(string) bool) {
	return func(yield func(string) bool) {
		for _, w := range strings.FieldsFunc(text, func(r rune) bool { return !unicode.IsLetter(r) }) {
			if !yield(strings.ToLower(w)) {
				return
			}
		}
	}
}

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

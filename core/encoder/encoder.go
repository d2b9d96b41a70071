// Package encoder turns sentences and short windows of text into vectors that
// lie near each other when the texts mean alike, whether or not they share a
// word. It runs a small universal sentence encoder (Cer and others, 2018), two
// transformer layers over pieces of words, in this process: no model server is
// needed. Its texts are English. scripts/cutencoder takes over the weights.
//
//	e := encoder.Load()
//	kept := encoder.CodeOf(e.Encode("What is your age?"))
//	fmt.Println(kept.Dot(e.Encode("How old are you?"))) // 0.84
package encoder

import (
	"math"
	"runtime"
	"sync"
)

// Dimensions is the length of the vectors.
const Dimensions = 512

// MostPieces is how many pieces of a text are read; what comes after them is
// not. A word of English has 1.3 of them on average.
const MostPieces = 128

// Encoder holds the weights. It may be used by many goroutines.
type Encoder struct {
	pieces pieces
	embed  table
	timing []float32 // of positions, what each half dimension's wave is slowed by
	bridge dense     // what the first layer's input is widened by
	layers [2]layer
	last   dense
}

// layer is attention and what is done to each piece after it.
type layer struct {
	before, between levelling
	attend, out     dense // queries, keys and values side by side; what is made of the values
	wide, narrow    dense
	heads           int
}

// Load reads the weights that come along, once: some 20 MB of memory.
var Load = sync.OnceValue(func() *Encoder {
	e, err := read()
	if err != nil {
		panic(err) // they are in the binary
	}
	return e
})

// Pieces is how many pieces a text has, those beyond MostPieces too.
func (e *Encoder) Pieces(text string) int { return len(e.pieces.split(text)) }

// Encode returns a text's vector, of length 1, or nil for a text of no piece.
func (e *Encoder) Encode(text string) []float32 {
	v := e.encode([][]int32{e.cut(text)})
	return v[0]
}

// EncodeAll returns the vectors of texts, in their order, on as many cores as
// there are, or on most if that is not 0 and fewer.
func (e *Encoder) EncodeAll(texts []string, most int) [][]float32 {
	all := make([][]float32, len(texts))
	workers := runtime.GOMAXPROCS(0)
	if most > 0 {
		workers = min(workers, most)
	}
	next := make(chan [2]int)
	var done sync.WaitGroup
	for range workers {
		done.Go(func() {
			for part := range next {
				ids := make([][]int32, part[1]-part[0])
				for i := range ids {
					ids[i] = e.cut(texts[part[0]+i])
				}
				copy(all[part[0]:], e.encode(ids))
			}
		})
	}
	const together = 2 // texts in one multiplication, so that weights are fetched more rarely
	for from := 0; from < len(texts); from += together {
		next <- [2]int{from, min(from+together, len(texts))}
	}
	close(next)
	done.Wait()
	return all
}

func (e *Encoder) cut(text string) []int32 {
	ids := e.pieces.split(text)
	return ids[:min(len(ids), MostPieces)]
}

// encode runs the layers over several texts at once: their pieces are the rows
// of one matrix, and only attention stays within each.
func (e *Encoder) encode(texts [][]int32) [][]float32 {
	rows := 0
	for _, t := range texts {
		rows += len(t)
	}
	s := getScratch(rows)
	defer putScratch(s)
	x := s.x[:rows*e.embed.columns]
	e.begin(texts, x)
	for i := range e.layers {
		l := &e.layers[i]
		width := l.before.width()
		kept := s.y[:rows*Dimensions]
		if i == 0 {
			e.bridge.times(x, rows, s, kept, nil)
		}
		h := s.h[:rows*width]
		l.before.apply(x, h)
		qkv := s.wide[:rows*3*width]
		l.attend.times(h, rows, s, qkv, nil)
		from := 0
		for _, t := range texts {
			attention(qkv[from*3*width:], h[from*width:], len(t), width, l.heads, s.weights)
			from += len(t)
		}
		l.out.times(h, rows, s, kept, kept)
		h = s.h[:rows*Dimensions]
		l.between.apply(kept, h)
		wide := s.wide[:rows*l.wide.columns]
		l.wide.times(h, rows, s, wide, nil)
		positive(wide)
		l.narrow.times(wide, rows, s, kept, kept)
		x = kept
	}
	vectors := make([][]float32, len(texts))
	from := 0
	for i, t := range texts {
		if len(t) > 0 {
			vectors[i] = e.end(x[from*Dimensions:(from+len(t))*Dimensions], len(t), s)
		}
		from += len(t)
	}
	return vectors
}

// begin writes the first layer's input: each piece's vector twice, and where it
// stands as waves.
func (e *Encoder) begin(texts [][]int32, x []float32) {
	width, at := e.embed.columns, 0
	for _, t := range texts {
		for position, id := range t {
			row := x[at*width : (at+1)*width]
			e.embed.row(id, row)
			for k, slow := range e.timing {
				sin, cos := math.Sincos(float64(float32(position) * slow))
				row[k] = 2*row[k] + float32(sin)
				row[k+len(e.timing)] = 2*row[k+len(e.timing)] + float32(cos)
			}
			at++
		}
	}
}

// end makes one vector of those of a text's pieces.
func (e *Encoder) end(x []float32, rows int, s *scratch) []float32 {
	mean := make([]float32, Dimensions)
	for r := range rows {
		for k, v := range x[r*Dimensions : (r+1)*Dimensions] {
			mean[k] += v
		}
	}
	for k := range mean {
		mean[k] /= float32(rows)
	}
	v := make([]float32, Dimensions)
	e.last.times(mean, 1, s, v, nil)
	sum := 0.0
	for k, a := range v {
		t := math.Tanh(float64(a))
		v[k] = float32(t)
		sum += t * t
	}
	scale := float32(1 / math.Sqrt(max(sum, 1e-12)))
	for k := range v {
		v[k] *= scale
	}
	return v
}

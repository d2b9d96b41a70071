package retrieval

import (
	"math"

	"juvalogos/core/embedding"
)

// Point is where a passage lies on a map of two dimensions.
type Point struct {
	Document int64
	Number   int
	X, Y     float64 // about -1 to 1
}

// Map lays passages out in two dimensions, those that say similar things near
// to each other: their vectors' two main directions (a principal component
// analysis by power iteration). Of more than most passages it takes every
// so-manyth. asked is where a question lies; nil without one.
func (x *Index) Map(most int, question []float32) (points []Point, asked *Point) {
	x.mu.RLock()
	defer x.mu.RUnlock()
	v := &x.vectors
	if v.dimensions == 0 || len(v.row) == 0 {
		return nil, nil
	}
	step := (len(v.row)-1)/max(1, most) + 1
	var rows []int32
	n := 0
	for i, at := range v.at {
		if v.dead[int32(i)] || x.passages[at].dead {
			continue
		}
		if n++; (n-1)%step == 0 {
			rows = append(rows, int32(i))
		}
	}
	mean := make([]float32, v.dimensions)
	for _, r := range rows {
		for k, f := range v.one(r) {
			mean[k] += f / float32(len(rows))
		}
	}
	centred := func(f []float32) []float32 {
		c := make([]float32, len(f))
		for k := range f {
			c[k] = f[k] - mean[k]
		}
		return c
	}
	all := make([][]float32, len(rows))
	for i, r := range rows {
		all[i] = centred(v.one(r))
	}
	first := principal(all, nil)
	second := principal(all, first)
	widest := float32(1e-6)
	for _, f := range all {
		widest = max(widest, abs32(embedding.Dot(f, first)), abs32(embedding.Dot(f, second)))
	}
	place := func(f []float32) (float64, float64) {
		return float64(embedding.Dot(f, first) / widest), float64(embedding.Dot(f, second) / widest)
	}
	for i, r := range rows {
		p := &x.passages[v.at[r]]
		one := Point{Document: p.document, Number: int(p.number)}
		one.X, one.Y = place(all[i])
		points = append(points, one)
	}
	if len(question) == v.dimensions {
		asked = &Point{}
		asked.X, asked.Y = place(centred(question))
	}
	return points, asked
}

// principal is the direction in which vectors differ most, at right angles to
// another one if that is not nil.
func principal(all [][]float32, other []float32) []float32 {
	d := make([]float32, len(all[0]))
	for k := range d {
		d[k] = 1 / float32(k+1)
	}
	for range 30 {
		next := make([]float32, len(d))
		for _, f := range all {
			p := embedding.Dot(f, d)
			for k, x := range f {
				next[k] += p * x
			}
		}
		if other != nil {
			p := embedding.Dot(next, other)
			for k := range next {
				next[k] -= p * other[k]
			}
		}
		length := float32(0)
		for _, x := range next {
			length = max(length, abs32(x))
		}
		if length == 0 {
			return d
		}
		for k := range next {
			next[k] /= length
		}
		scale := 1 / sqrt32(embedding.Dot(next, next))
		for k := range next {
			next[k] *= scale
		}
		d = next
	}
	return d
}

func abs32(x float32) float32  { return max(x, -x) }
func sqrt32(x float32) float32 { return float32(math.Sqrt(float64(x))) }
